"""glTF 2.0, as GLB or as one JSON file that holds its buffers."""

from dataclasses import replace

import numpy as np

from nephos.core.mesh.formats.export import exported
from nephos.core.mesh.formats.library import read_by_library
from nephos.core.mesh.formats.registry import Format
from nephos.core.mesh.model import Mesh


def _read(data: bytes) -> Mesh:
    return read_by_library(data, "gltf", "glTF")


def write_glb(mesh: Mesh) -> bytes:
    """GLB of a mesh in millimetres: glTF counts in metres and has Y up."""
    x, y, z = mesh.vertices.T
    return exported(replace(mesh, vertices=np.column_stack([x, z, -y]) / 1000), "glb")


FORMAT = Format("glTF", (".glb", ".gltf"), _read)
