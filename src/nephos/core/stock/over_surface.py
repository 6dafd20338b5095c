"""Thickness of the remaining stock over samples of the model's surface, along its normals.

A compare along the axis of a setup covers only surface that this setup has cut. Surface that no setup has cut, such as
that under a web between part and frame, is found from the model."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F64, Bool
from nephos.core.stock.bar import rays_of
from nephos.core.stock.passed_on import CutBar, Side
from nephos.core.surface.rotary import TURN

STEP = 0.25
"""Step (mm) along a normal."""


def _over_field(side: Side, points: F64) -> F64:
    """(n,) float64: how far (mm, along its axis) points (n, 3) in stock space lie outside the block that one setup has
    left; negative inside."""
    seen = points @ side.matrix[:3, :3].T + side.matrix[:3, 3]
    if isinstance(side, CutBar):
        g = side.block.grid
        top, _, _ = rays_of(side.block)
        v = np.arctan2(seen[:, 1], seen[:, 2]) % TURN / TURN * g.ny
        u = np.clip((seen[:, 0] - g.x0) / g.pitch, 0, g.nx - 1)
        # Distance beyond the ends of the bar.
        off = np.abs(seen[:, 0] - (g.x0 + g.xs[-1]) / 2) - (g.xs[-1] - g.x0 + g.pitch) / 2
        return np.maximum(np.hypot(seen[:, 1], seen[:, 2]) - top[v.astype(int) % g.ny, np.rint(u).astype(int)], off)
    g = side.grid
    j = np.clip(np.rint((seen[:, 1] - g.y0) / g.pitch).astype(int), 0, g.ny - 1)
    i = np.clip(np.rint((seen[:, 0] - g.x0) / g.pitch).astype(int), 0, g.nx - 1)
    return np.asarray(seen[:, 2] - side.field[j, i], np.float64)


def shrunk(side: Side) -> Side:
    """A cut with each cell as low as its lowest neighbour: a lower bound of the remaining stock. The position of an
    upright wall within its cell is unknown, so points beside the wall would otherwise count as covered."""
    if isinstance(side, CutBar):
        return side
    return replace(side, field=ndimage.minimum_filter(side.field, 3, mode="nearest"))


def _outside_box(points: F64, size: F64) -> F64:
    """(n,) float64: how far (mm) points (n, 3) lie outside a box from the origin to `size`; negative inside."""
    return np.asarray(np.maximum(-points, points - size).max(axis=1), np.float64)


def outside_of(points: F64, sides: Sequence[Side], size: F64) -> F64:
    """(n,) float64: lower bound of the distance (mm) of points (n, 3) in stock space to the finished block, negative
    inside it. `size` (3,) is the size of the stock."""
    found = _outside_box(points, size)
    for side in sides:
        found = np.maximum(found, _over_field(side, points))
    return found


def remaining_thickness(points: F64, normals: F64, sides: Sequence[Side], size: F64, most: float) -> F64:
    """Thickness (mm) of the finished block over points of a surface, along its normals.

    Parameters
    ----------
    points, normals : (n, 3) in stock space; normals are unit vectors outwards. sides : the cut of each setup. size :
    (3,) size of the stock. most : largest thickness that is measured, mm.

    Returns
    -------
    (n,) float64 from 0 to `most`. It is a lower bound: up to one cell too small beside walls, and 0 below :data:`STEP`.
    """
    sides = [shrunk(side) for side in sides]
    found = np.full(len(points), most)
    todo = np.arange(len(points))
    before = np.zeros(len(points))
    for t in np.arange(STEP, most, STEP):
        if not len(todo):
            break
        out = outside_of(points[todo] + t * normals[todo], sides, size)
        free: Bool = out >= 0
        share = np.clip(-before[todo[free]] / np.maximum(out[free] - before[todo[free]], 1e-12), 0, 1)
        found[todo[free]] = 0.0 if t == STEP else t - STEP + share * STEP
        before[todo] = out
        todo = todo[~free]
    return found


def surface_samples(vertices: F64, faces: np.ndarray, count: int) -> tuple[F64, F64]:
    """Points and normals, (n, 3) each, of `count` samples spread evenly by area; none for a mesh without area.

    Deterministic: samples are equally spaced in accumulated area, with barycentric coordinates from the R2
    low-discrepancy sequence (Roberts, 2018: multiples of the inverse powers of the plastic number)."""
    corners = vertices[faces]
    u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    across = np.cross(u, v)
    double = np.sqrt((across * across).sum(axis=1))
    total = double.sum()
    if total <= 0:
        return np.zeros((0, 3)), np.zeros((0, 3))
    at = np.searchsorted(np.cumsum(double), (np.arange(count) + 0.5) * total / count).clip(0, len(faces) - 1)
    plastic = 1.32471795724474602596
    a = (0.5 + np.arange(count) / plastic) % 1.0
    b = (0.5 + np.arange(count) / plastic**2) % 1.0
    over = a + b > 1
    a, b = np.where(over, 1 - a, a), np.where(over, 1 - b, b)
    points = corners[at, 0] + a[:, None] * u[at] + b[:, None] * v[at]
    return points, across[at] / double[at, None]
