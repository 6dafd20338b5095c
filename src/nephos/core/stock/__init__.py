"""The block: columns of material, what a cutter takes out of it, and how it compares with the model."""
