"""glTF 2.0, as GLB or as one JSON file that holds its buffers."""

from nephos.core.mesh.formats.library import read_by_library
from nephos.core.mesh.formats.registry import Format
from nephos.core.mesh.model import Mesh


def _read(data: bytes) -> Mesh:
    return read_by_library(data, "gltf", "glTF")


FORMAT = Format("glTF", (".glb", ".gltf"), _read)
