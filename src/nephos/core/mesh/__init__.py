"""Meshes: read, write, examine, place, draw."""
