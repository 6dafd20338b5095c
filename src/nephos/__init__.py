"""Nephos: from a mesh to proven router programs."""
