"""A greyscale TIFF whose brightness is height; read only."""

from nephos.core.mesh.formats.height_image import read_picture
from nephos.core.mesh.formats.registry import Format

FORMAT = Format("height image", (".tif", ".tiff"), read_picture)
