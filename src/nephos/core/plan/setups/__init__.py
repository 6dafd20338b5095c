"""Kinds of setup, one module a kind: what its fields are, and how it lies. `nephos.core.setups` works them out."""
