"""A greyscale picture whose brightness is height."""

import io

import numpy as np

from nephos.core.mesh.formats.library import read_by_library
from nephos.core.mesh.formats.registry import Format
from nephos.core.mesh.model import Mesh

_MOST_POINTS = 3000
"""Points along the longer side of a picture that is written."""
_FINEST = 0.02


def read_picture(data: bytes) -> Mesh:
    """The mesh of a greyscale picture."""
    return read_by_library(data, "image", "height image")


def _write(mesh: Mesh) -> bytes:
    """A PNG of 16 bits, white at the highest place and black at the lowest; it says the millimetres of a point and of
    white over black in its text."""
    from PIL import Image, PngImagePlugin

    from nephos.core.cutters.profile import Profile
    from nephos.core.surface.drop import drop_grid
    from nephos.core.surface.index import build_index

    index = build_index(mesh.vertices, mesh.faces)
    size, low = mesh.size, mesh.low
    pitch = max(float(max(size[0], size[1])) / _MOST_POINTS, _FINEST)
    nx, ny = (max(int(np.floor(float(length) / pitch)) + 1, 2) for length in size[:2])
    heights = drop_grid(index, float(low[0]), float(low[1]), pitch, nx, ny, Profile.of(0.0, 1e-4), float(low[2]))
    grey = np.round((heights - low[2]) * (65535 / max(float(size[2]), 1e-9))).clip(0, 65535).astype(np.uint16)
    about = PngImagePlugin.PngInfo()
    about.add_text("pitch_mm", f"{pitch:.6f}")
    about.add_text("height_mm", f"{float(size[2]):.6f}")
    out = io.BytesIO()
    Image.fromarray(grey[::-1]).save(out, "PNG", pnginfo=about)
    return out.getvalue()


FORMAT = Format("height image", (".png",), read_picture, _write)
