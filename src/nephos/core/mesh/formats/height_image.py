"""A greyscale picture whose brightness is height."""

from nephos.core.mesh.formats.library import read_by_library
from nephos.core.mesh.formats.registry import Format
from nephos.core.mesh.model import Mesh


def _read(data: bytes) -> Mesh:
    return read_by_library(data, "image", "height image")


FORMAT = Format("height image", (".png", ".tif", ".tiff"), _read)
