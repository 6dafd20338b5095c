"""Which stretches of an upright line lie inside the mesh, and how deep removed ones were."""

import numpy as np

from nephos.core.arrays import F32, F64, I64
from nephos.core.parallel import in_parallel, kernel
from nephos.core.surface.index import GridArrays, SurfaceIndex
from nephos.core.surface.nearest import distance_at

_MOST = 512
"""Crossings of one line at most; the lowest ones are left out of a mesh with more."""
_ASIDE = (1.3e-7, 2.1e-7)
"""The line stands so far (mm) aside, so that it does not run through edges and vertices that lie on a round number."""
_LOOKED_AT = 7


@kernel
def crossings(grid: GridArrays, x: float, y: float, heights: F64, turns: I64) -> int:
    """Where an upright line crosses the mesh, from the top: `heights`, and `turns` 1 into a facet that faces up, -1
    down.

    Both are filled, (n,) each; returns how many there are.
    """
    i, j = int(np.floor((x - grid.x0) / grid.cell)), int(np.floor((y - grid.y0) / grid.cell))
    if i < 0 or j < 0 or i >= grid.nx or j >= grid.ny:
        return 0
    count = 0
    for q in range(grid.start[j * grid.nx + i], grid.start[j * grid.nx + i + 1]):
        t = grid.items[q]
        ax, ay = grid.corners[t, 0, 0] - x, grid.corners[t, 0, 1] - y
        bx, by = grid.corners[t, 1, 0] - x, grid.corners[t, 1, 1] - y
        cx, cy = grid.corners[t, 2, 0] - x, grid.corners[t, 2, 1] - y
        u, v, w = bx * cy - by * cx, cx * ay - cy * ax, ax * by - ay * bx
        if not ((u > 0.0 and v > 0.0 and w > 0.0) or (u < 0.0 and v < 0.0 and w < 0.0)) or count >= len(heights):
            continue
        total = u + v + w
        z = (u * grid.corners[t, 0, 2] + v * grid.corners[t, 1, 2] + w * grid.corners[t, 2, 2]) / total
        k = count
        while k > 0 and heights[k - 1] < z:
            heights[k], turns[k] = heights[k - 1], turns[k - 1]
            k -= 1
        heights[k], turns[k] = z, 1 if total > 0.0 else -1
        count += 1
    return count


@kernel
def depth_of_removed(grid: GridArrays, x: float, y: float, low: float, high: float, reach: float) -> float:
    """How deep in the mesh the upright line at (x, y) gets between `low` and `high`, at most `reach` mm; 0 where it is
    nowhere inside.

    Inside is where the facets crossed from above do not cancel out (winding number not 0), so that shells which
    overlap, or are nested and turned inwards, count rightly. Below an open sheet all is inside."""
    heights, turns = np.empty(_MOST), np.empty(_MOST, np.int64)
    x, y = x + _ASIDE[0], y + _ASIDE[1]
    count = crossings(grid, x, y, heights, turns)
    winding = 0
    deepest = 0.0
    for k in range(count):
        winding += turns[k]
        bottom = max(heights[k + 1] if k + 1 < count else -np.inf, low)
        top = min(heights[k], high)
        if winding == 0 or bottom >= top:
            continue
        for step in range(_LOOKED_AT):
            z = bottom + (top - bottom) * step / _LOOKED_AT
            deepest = max(deepest, distance_at(grid, x, y, z, reach))
    return deepest


@kernel
def _signed(grid: GridArrays, points: F64, reach: float, out: F64) -> None:
    """Signed distance (mm) of `points` (n, 3) from the mesh into `out` (n,), negative inside; not a number beyond
    `reach`."""
    heights, turns = np.empty(_MOST), np.empty(_MOST, np.int64)
    for k in range(len(points)):
        x, y, z = points[k, 0], points[k, 1], points[k, 2]
        distance = distance_at(grid, x, y, z, reach)
        if distance >= reach:
            out[k] = np.nan
            continue
        count = crossings(grid, x + _ASIDE[0], y + _ASIDE[1], heights, turns)
        winding = 0
        for q in range(count):
            if heights[q] <= z:
                break
            winding += turns[q]
        out[k] = -distance if winding != 0 else distance


def signed_distances(index: SurfaceIndex, points: F64, reach: float) -> F32:
    """(n,) float32 distances (mm) of points (n, 3) from a surface, negative inside of it; not a number beyond
    `reach`."""
    out: F32 = np.empty(len(points), np.float32)
    points = np.ascontiguousarray(points)

    def work(first: int, last: int) -> None:
        _signed(index.arrays, points[first:last], reach, out[first:last])

    in_parallel(work, len(points), max(1, len(points) // 32))
    return out
