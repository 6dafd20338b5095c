"""Repairs: chosen steps from a mesh as it came to the mesh that is cut, one module each."""
