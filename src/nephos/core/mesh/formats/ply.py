"""PLY, binary or text."""

from nephos.core.mesh.formats.export import exported
from nephos.core.mesh.formats.library import read_by_library
from nephos.core.mesh.formats.registry import Format
from nephos.core.mesh.model import Mesh


def _read(data: bytes) -> Mesh:
    return read_by_library(data, "ply", "PLY")


def _write(mesh: Mesh) -> bytes:
    return exported(mesh, "ply")


FORMAT = Format("PLY", (".ply",), _read, _write)
