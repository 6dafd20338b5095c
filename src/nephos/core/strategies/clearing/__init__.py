"""What clearing strategies share: regions, levels, offsets, engagement."""
