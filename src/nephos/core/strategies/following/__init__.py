"""What strategies that follow the surface share: runs, masks, layers, tabs."""
