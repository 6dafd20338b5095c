"""Kinds of setup, one module a kind: its fields and its frame. `nephos.core.setups` calculates them."""
