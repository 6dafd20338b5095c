"""3MF: an archive of XML, with a unit."""

from nephos.core.mesh.formats.export import exported
from nephos.core.mesh.formats.library import read_by_library
from nephos.core.mesh.formats.registry import Format
from nephos.core.mesh.model import Mesh


def _read(data: bytes) -> Mesh:
    return read_by_library(data, "3mf", "3MF")


def _write(mesh: Mesh) -> bytes:
    return exported(mesh, "3mf")


FORMAT = Format("3MF", (".3mf",), _read, _write)
