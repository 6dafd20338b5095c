"""OBJ text: corners and faces; materials and lines are passed over."""

from nephos.core.mesh.formats.library import read_by_library
from nephos.core.mesh.formats.registry import Format
from nephos.core.mesh.model import Mesh


def _read(data: bytes) -> Mesh:
    return read_by_library(data, "obj", "OBJ")


FORMAT = Format("OBJ", (".obj",), _read)
