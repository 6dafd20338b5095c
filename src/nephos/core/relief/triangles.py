"""Kernels over the triangles of a terrain: their middles and slopes, folds beside them, and how long they are."""

import numpy as np

from nephos.core.arrays import F64, I32, I64, U64, Bool
from nephos.core.parallel import kernel

__all__ = ["SHORTEST", "centres", "folded", "larger", "middles"]

SHORTEST = 0.004
"""Sides that are shorter (mm) are not divided."""
_THINNEST = 1e-5
"""A triangle that is less wide (mm) is a line: its neighbours say where its sides are to be divided."""


@kernel
def _upright(points: F64, triangles: I32, heights: F64, side: int) -> float:
    """What an error in height on a side counts for square to its triangle: nothing where the side is too short to be
    divided, or the triangle but a line."""
    t, k = side // 3, side % 3
    i, j = (k + 1) % 3, (k + 2) % 3
    a, b, c = triangles[t, i], triangles[t, j], triangles[t, k]
    ex, ey = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1]
    fx, fy = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1]
    de, df = heights[t, j] - heights[t, i], heights[t, k] - heights[t, i]
    area, length = ex * fy - ey * fx, np.sqrt(ex * ex + ey * ey)
    if length <= SHORTEST or area <= _THINNEST * length:
        return 0.0
    gx, gy = (de * fy - df * ey) / area, (df * ex - de * fx) / area
    return 1 / np.sqrt(1 + gx * gx + gy * gy)


@kernel
def middles(
    points: F64,
    triangles: I32,
    heights: F64,
    masks: U64,
    other: I64,
    sides: I64,
    middle: F64,
    level: F64,
    upright: F64,
) -> None:
    """The middle of sides (n,), the mean height of their ends, and what an error in height counts for square to the
    triangle beside it that is less steep: a sliver may stand upright on a gentle surface. `other` (3 m,) is the side
    beyond each."""
    for s in range(len(sides)):
        t, k = sides[s] // 3, sides[s] % 3
        i, j = (k + 1) % 3, (k + 2) % 3
        a, b = triangles[t, i], triangles[t, j]
        middle[s, 0] = 0.5 * (points[a, 0] + points[b, 0])
        middle[s, 1] = 0.5 * (points[a, 1] + points[b, 1])
        level[s] = 0.5 * (heights[t, i] + heights[t, j])
        upright[s] = _upright(points, triangles, heights, sides[s])
        if other[sides[s]] >= 0 and masks[other[sides[s]] // 3] == masks[t]:
            upright[s] = max(upright[s], _upright(points, triangles, heights, other[sides[s]]))


@kernel
def folded(points: F64, triangles: I32, heights: F64, other: I64, chosen: I64, least: float) -> Bool:
    """Which of the chosen triangles (n,) have a neighbour whose far corner lies more than `least` mm off their plane,
    or are but lines: a crease passes near them."""
    out = np.zeros(len(chosen), np.bool_)
    for s in range(len(chosen)):
        t = chosen[s]
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ex, ey = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1]
        fx, fy = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1]
        de, df = heights[t, 1] - heights[t, 0], heights[t, 2] - heights[t, 0]
        area = ex * fy - ey * fx
        if area <= _THINNEST * (abs(ex) + abs(ey)):
            out[s] = True
            continue
        gx, gy = (de * fy - df * ey) / area, (df * ex - de * fx) / area
        limit = least * np.sqrt(1 + gx * gx + gy * gy)
        for k in range(3):
            beyond = other[3 * t + k]
            if beyond < 0:
                continue
            p = triangles[beyond // 3, beyond % 3]
            plane = heights[t, 0] + gx * (points[p, 0] - points[a, 0]) + gy * (points[p, 1] - points[a, 1])
            if abs(heights[beyond // 3, beyond % 3] - plane) > limit:
                out[s] = True
    return out


@kernel
def larger(points: F64, triangles: I32, chosen: I64, length: F64) -> Bool:
    """Which of the chosen triangles (n,) have a side longer than their `length` (n,), mm."""
    out = np.zeros(len(chosen), np.bool_)
    for s in range(len(chosen)):
        t = chosen[s]
        for k in range(3):
            a, b = triangles[t, k], triangles[t, (k + 1) % 3]
            dx, dy = points[a, 0] - points[b, 0], points[a, 1] - points[b, 1]
            if dx * dx + dy * dy > length[s] * length[s]:
                out[s] = True
    return out


@kernel
def centres(points: F64, triangles: I32, heights: F64, chosen: I64, middle: F64, level: F64, upright: F64) -> None:
    """As `middles`, for the middles of triangles."""
    for s in range(len(chosen)):
        t = chosen[s]
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ex, ey = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1]
        fx, fy = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1]
        de, df = heights[t, 1] - heights[t, 0], heights[t, 2] - heights[t, 0]
        area = max(ex * fy - ey * fx, 1e-12)
        middle[s, 0], middle[s, 1] = points[a, 0] + (ex + fx) / 3, points[a, 1] + (ey + fy) / 3
        level[s] = heights[t, 0] + (de + df) / 3
        gx, gy = (de * fy - df * ey) / area, (df * ex - de * fx) / area
        upright[s] = 1 / np.sqrt(1 + gx * gx + gy * gy)
