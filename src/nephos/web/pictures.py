"""Small shaded pictures for the jobs page, made by workers."""

from io import BytesIO

import numpy as np
from PIL import Image

from nephos.core.arrays import F32, F64, I32
from nephos.core.cutters import Profile
from nephos.core.surface.drop import drop_grid
from nephos.core.surface.index import build_index

_WOOD, _PALE = np.array([176, 141, 98]), np.array([62, 70, 74])
_GROUND = (233, 231, 225)


def shaded(top: F32, pitch: float, empty: np.ndarray | None = None) -> bytes:
    """A PNG of heights (ny, nx) seen from above with light from the far left; `empty` cells are paper."""
    heights = top.astype(np.float64)
    dy, dx = np.gradient(heights, pitch)
    light = 0.55 + 0.5 * ((0.5 - 0.55 * dx + 0.55 * dy) / np.sqrt(1 + dx * dx + dy * dy) - 0.35)
    low, high = heights.min(), max(heights.max(), heights.min() + 1e-6)
    colour = _WOOD + ((heights - low) / (high - low))[..., None] * _PALE
    image = np.clip(colour * np.clip(light, 0.2, 1.1)[..., None], 0, 255).astype(np.uint8)
    if empty is not None:
        image[empty] = _GROUND
    picture = Image.fromarray(image[::-1])
    picture.thumbnail((480, 360))
    out = BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


def mesh_thumbnail(vertices: F32, faces: I32) -> bytes:
    """A mesh seen along its thinnest side, from where there is more to see, whichever way it stands in its file."""
    size = np.ptp(vertices, axis=0)
    thin = int(size.argmin())
    axes = [k for k in range(3) if k != thin]
    points = np.ascontiguousarray(vertices[:, [*axes, thin]], np.float64)
    points *= 100 / max(float(size[axes].max()), 1e-9)
    rise, fall = _relief(points), _relief(points * [1, -1, -1])
    return _seen(points if rise >= fall else points * [1, -1, -1], faces)


def _relief(points: F64) -> float:
    """How far half of the points lie below the top: more on the side that carries the relief."""
    return float(points[:, 2].max() - np.median(points[:, 2]))


def _seen(points: F64, faces: I32) -> bytes:
    index = build_index(points, faces)
    width, depth, _ = index.high - index.low
    pitch = max(width / 480, depth / 360)
    nx, ny = max(int(width / pitch), 2), max(int(depth / pitch), 2)
    floor = float(index.low[2] - 1.0)
    top = drop_grid(index, float(index.low[0]), float(index.low[1]), pitch, nx, ny, Profile.of(0.0, 1e-6), floor)
    empty = top <= floor
    top[empty] = index.low[2]
    return shaded(top.astype(np.float32), pitch, empty)
