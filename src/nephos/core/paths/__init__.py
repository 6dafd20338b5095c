"""Toolpaths: one module a strategy; linking, entries and ordering shared by all."""
