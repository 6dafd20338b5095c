"""How much of the finished block stands over places of the model's own surface, wherever these look.

A compare along the axes of the setups sees what each of them has cut. What none has cut, such as a web between the part
and its frame, lies on surfaces that belong to no setup: it is found from the surface itself."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F64, Bool
from nephos.core.stock.bar import rays_of
from nephos.core.stock.passed_on import CutBar, Side
from nephos.core.surface.rotary import TURN

STEP = 0.25
"""Material over a place is followed in steps of this length (mm)."""


def _over_field(side: Side, points: F64) -> F64:
    """How far (mm, along its axis) places (n, 3) in stock space lie outside of what one side has left; less than 0
    inside."""
    seen = points @ side.matrix[:3, :3].T + side.matrix[:3, 3]
    if isinstance(side, CutBar):
        g = side.block.grid
        top, _, _ = rays_of(side.block)
        v = np.arctan2(seen[:, 1], seen[:, 2]) % TURN / TURN * g.ny
        u = np.clip((seen[:, 0] - g.x0) / g.pitch, 0, g.nx - 1)
        # Places off both ends of the bar are beside it.
        off = np.abs(seen[:, 0] - (g.x0 + g.xs[-1]) / 2) - (g.xs[-1] - g.x0 + g.pitch) / 2
        return np.maximum(np.hypot(seen[:, 1], seen[:, 2]) - top[v.astype(int) % g.ny, np.rint(u).astype(int)], off)
    g = side.grid
    j = np.clip(np.rint((seen[:, 1] - g.y0) / g.pitch).astype(int), 0, g.ny - 1)
    i = np.clip(np.rint((seen[:, 0] - g.x0) / g.pitch).astype(int), 0, g.nx - 1)
    return np.asarray(seen[:, 2] - side.field[j, i], np.float64)


def surely(side: Side) -> Side:
    """A side with what is surely left by it: each cell as low as those around it. Beside an upright wall it is not known
    where within a cell it stands, and a place along the wall would count as covered."""
    if isinstance(side, CutBar):
        return side
    return replace(side, field=ndimage.minimum_filter(side.field, 3, mode="nearest"))


def _outside_box(points: F64, size: F64) -> F64:
    """How far places (n, 3) lie outside of a box from the origin to `size`; less than 0 inside."""
    return np.asarray(np.maximum(-points, points - size).max(axis=1), np.float64)


def outside_of(points: F64, sides: Sequence[Side], size: F64) -> F64:
    """How far (mm) places (n, 3) in stock space are at least outside of the finished block, (n,); less than 0 inside of
    it. `size` (3,) is that of the stock's box."""
    found = _outside_box(points, size)
    for side in sides:
        found = np.maximum(found, _over_field(side, points))
    return found


def left_over_places(points: F64, normals: F64, sides: Sequence[Side], size: F64, most: float) -> F64:
    """How thick (mm) the finished block stands over places of a surface, along its normals.

    Parameters
    ----------
    points, normals : (n, 3), in stock space, normals of length 1 and outwards. sides : what each setup has cut.
    size : (3,) of the stock's box. most : no place is followed farther than this (mm).

    Returns
    -------
    (n,) float64; 0 where nothing stands, `most` where there is that much or more. Only what stands surely is counted,
    up to a cell less than there is, and less than :data:`STEP` counts for nothing.
    """
    sides = [surely(side) for side in sides]
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


def surface_places(vertices: F64, faces: np.ndarray, count: int) -> tuple[F64, F64]:
    """About `count` places spread evenly over a surface, and its normals there: points and normals (n, 3) each.

    Each triangle has as many as its area asks for, at places of a low-discrepancy sequence (R2 of Roberts, 2018: steps by
    the plastic number), so that the same mesh always has the same."""
    corners = vertices[faces]
    u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    across = np.cross(u, v)
    double = np.sqrt((across * across).sum(axis=1))
    total = double.sum()
    if total <= 0:
        return np.zeros((0, 3)), np.zeros((0, 3))
    # By how much of the area lies before each place.
    at = np.searchsorted(np.cumsum(double), (np.arange(count) + 0.5) * total / count).clip(0, len(faces) - 1)
    plastic = 1.32471795724474602596
    a = (0.5 + np.arange(count) / plastic) % 1.0
    b = (0.5 + np.arange(count) / plastic**2) % 1.0
    over = a + b > 1
    a, b = np.where(over, 1 - a, a), np.where(over, 1 - b, b)
    points = corners[at, 0] + a[:, None] * u[at] + b[:, None] * v[at]
    return points, across[at] / double[at, None]
