"""Drop-cutter: how low a cutter may go at given places."""

from math import ceil, floor, sqrt
from typing import Any

import numpy as np
from numba.extending import overload

from nephos.core.arrays import F64, I64, U8
from nephos.core.cutters.profile import Profile
from nephos.core.parallel import Report, in_parallel, inlined, kernel, silent
from nephos.core.surface.contact import underside
from nephos.core.surface.index import COARSE, GridArrays, SurfaceIndex
from nephos.core.surface.rotary import RotaryArrays, RotaryIndex, drop_by_triangle, rotary_drop_at
from nephos.core.surface.triangle import rest_on

_COARSE = COARSE

SurfaceArrays = GridArrays | RotaryArrays
"""What kernels take of a planar or of a rotary index."""


@inlined
def _gap(x: float, low: float, size: float) -> float:
    """Distance from x to the interval low .. low + size."""
    return max(low - x, x - low - size, 0.0)


@inlined
def _plane_bound(planes: F64, t: int, x: float, y: float, p: Profile) -> float:
    """Tip height over the whole plane of facet t: never under the tip over the facet itself.

    Two products tell most triangles off. Not a number or infinite for an upright facet.
    """
    over = planes[t, 0] + planes[t, 1] * x + planes[t, 2] * y
    slope = planes[t, 3]
    if slope > p.slope:
        return over + p.radius * slope - p.rim
    return over + p.flat * slope + p.corner * (planes[t, 4] - 1.0)


@inlined
def _contact_shift(planes: F64, t: int, p: Profile) -> tuple[float, float]:
    """From the axis to where the cutter touches the plane of facet t, in X and Y."""
    slope = planes[t, 3]
    if not slope < np.inf:
        return np.nan, np.nan
    if slope > p.slope:
        reach = p.radius / slope
    else:
        reach = p.corner / planes[t, 4] + (p.flat / slope if slope > 1e-12 else 0.0)
    return reach * planes[t, 1], reach * planes[t, 2]


@inlined
def _try(corners: F64, planes: F64, owned: U8, t: int, x: float, y: float, p: Profile, best: float) -> float:
    """The higher of `best` and the tip (mm) of cutter `p` at (x, y) on triangle `t`."""
    bound = _plane_bound(planes, t, x, y, p)
    if bound <= best:
        return best
    sx, sy = _contact_shift(planes, t, p)
    return rest_on(
        corners[t, 0, 0],
        corners[t, 0, 1],
        corners[t, 0, 2],
        corners[t, 1, 0],
        corners[t, 1, 1],
        corners[t, 1, 2],
        corners[t, 2, 0],
        corners[t, 2, 1],
        corners[t, 2, 2],
        owned[t],
        sx,
        sy,
        x,
        y,
        p,
        bound,
        best,
    )


@kernel
def _drop_planar(grid: GridArrays, x: float, y: float, p: Profile, floor: float, hint: int) -> tuple[float, int]:
    """Tip height of the cutter `p` at (x, y), never under `floor`, and the triangle it rests on.

    `hint` is a triangle to try first (-1 for none): the one a neighbouring place rested on lifts
    the bound at once, so that almost all others are passed over without being looked at closely.
    """
    corners, planes, owned, start, items, tops = (
        grid.corners,
        grid.planes,
        grid.owned,
        grid.start,
        grid.items,
        grid.tops,
    )
    best = floor
    rest = -1
    if hint >= 0:
        z = _try(corners, planes, owned, hint, x, y, p, best)
        if z > best:
            best = z
            rest = hint
    r = p.radius
    cell = grid.cell
    i0 = max(int(np.floor((x - r - grid.x0) / cell)), 0)
    i1 = min(int(np.floor((x + r - grid.x0) / cell)), grid.nx - 1)
    j0 = max(int(np.floor((y - r - grid.y0) / cell)), 0)
    j1 = min(int(np.floor((y + r - grid.y0) / cell)), grid.ny - 1)
    if i0 > i1 or j0 > j1:
        return best, rest
    big = cell * _COARSE
    cnx = (grid.nx + _COARSE - 1) // _COARSE
    for cj in range(j0 // _COARSE, j1 // _COARSE + 1):
        gy = _gap(y, grid.y0 + cj * big, big)
        for ci in range(i0 // _COARSE, i1 // _COARSE + 1):
            gx = _gap(x, grid.x0 + ci * big, big)
            g2 = gx * gx + gy * gy
            if g2 > r * r or grid.coarse_tops[cj * cnx + ci] - underside(sqrt(g2), p) <= best:
                continue
            for j in range(max(j0, cj * _COARSE), min(j1, cj * _COARSE + _COARSE - 1) + 1):
                dy = _gap(y, grid.y0 + j * cell, cell)
                for i in range(max(i0, ci * _COARSE), min(i1, ci * _COARSE + _COARSE - 1) + 1):
                    k = j * grid.nx + i
                    first = start[k]
                    last = start[k + 1]
                    if first == last or tops[first] <= best:
                        continue
                    dx = _gap(x, grid.x0 + i * cell, cell)
                    d2 = dx * dx + dy * dy
                    if d2 > r * r:
                        continue
                    lift = underside(sqrt(d2), p)
                    for q in range(first, last):
                        if tops[q] - lift <= best:
                            break
                        z = _try(corners, planes, owned, items[q], x, y, p, best)
                        if z > best:
                            best = z
                            rest = items[q]
    return best, rest


def drop_at(grid: Any, x: float, y: float, p: Profile, floor: float, hint: int) -> tuple[float, int]:
    """Tip height of the cutter `p` at (x, y), never under `floor`, and the triangle it rests on. Called by kernels.

    `grid` are the arrays of either kind of index; `hint` is a triangle to try first (-1 for none).
    """
    drop = rotary_drop_at if isinstance(grid, RotaryArrays) else _drop_planar
    found: tuple[float, int] = drop(grid, x, y, p, floor, hint)
    return found


# numba compares the signatures of an overload and of what it returns, annotations included: neither has any.
@overload(drop_at)
def _drop_of_index(grid, x, y, p, floor, hint):  # type: ignore[no-untyped-def]
    """The drop for the kind of index, chosen when a kernel is compiled."""
    if grid.instance_class is RotaryArrays:
        return lambda grid, x, y, p, floor, hint: rotary_drop_at(grid, x, y, p, floor, hint)  # noqa: PLW0108
    return lambda grid, x, y, p, floor, hint: _drop_planar(grid, x, y, p, floor, hint)  # noqa: PLW0108


def across(grid: Any, z: float, p: Profile) -> float:
    """How far places lie apart in Y of an index for each mm across the cutter `p`, whose tip is at z. Called by
    kernels.

    On a part that rotates the cutter is taken to touch as high as its rim: elsewhere it comes clear a little sooner.
    """
    return float(grid.radius / max(z + p.rim, 0.1)) if isinstance(grid, RotaryArrays) else 1.0


@overload(across)
def _across_index(grid, z, p):  # type: ignore[no-untyped-def]
    """The measure for the kind of index, chosen when a kernel is compiled."""
    if grid.instance_class is RotaryArrays:
        return lambda grid, z, p: grid.radius / max(z + p.rim, 0.1)
    return lambda grid, z, p: 1.0


@kernel
def _drop_points(grid: SurfaceArrays, xy: F64, p: Profile, floor: float, out: F64) -> None:
    """Tips (mm) of cutter `p` at `xy` (n, 2), never under `floor`, into `out` (n,)."""
    hint = -1
    for k in range(len(xy)):
        out[k], hint = drop_at(grid, xy[k, 0], xy[k, 1], p, floor, hint)


@kernel
def _drop_rows(
    grid: GridArrays, x0: float, y0: float, step: float, j0: int, p: Profile, floor: float, out: F64
) -> None:
    """Rows to and fro, so that the hint is always a neighbour's."""
    hint = -1
    rows, columns = out.shape
    for j in range(rows):
        for k in range(columns):
            i = k if j % 2 == 0 else columns - 1 - k
            out[j, i], hint = drop_at(grid, x0 + i * step, y0 + (j0 + j) * step, p, floor, hint)


_ROTARY_DENSE = 2.0
"""Triangles to a place from which on a rotary grid is dropped place by place (measured)."""


@kernel
def _drop_rotary_rows(
    grid: RotaryArrays, x0: float, y0: float, step_x: float, step_y: float, j0: int, p: Profile, floor: float, out: F64
) -> None:
    """Rows to and fro, as for a planar grid."""
    hint = -1
    rows, columns = out.shape
    for j in range(rows):
        for k in range(columns):
            i = k if j % 2 == 0 else columns - 1 - k
            out[j, i], hint = rotary_drop_at(grid, x0 + i * step_x, y0 + (j0 + j) * step_y, p, floor, hint)


@kernel
def _drop_by_triangle(
    corners: F64, planes: F64, owned: U8, falling: I64, x0: float, y0: float, step: float, j0: int, p: Profile, out: F64
) -> None:
    """Raise the tips in `out` triangle by triangle, the highest first: for a grid as dense as the mesh."""
    rows, columns = out.shape
    r = p.radius
    for t in falling:
        ax, ay, az = corners[t, 0, 0], corners[t, 0, 1], corners[t, 0, 2]
        bx, by, bz = corners[t, 1, 0], corners[t, 1, 1], corners[t, 1, 2]
        cx, cy, cz = corners[t, 2, 0], corners[t, 2, 1], corners[t, 2, 2]
        left, right = min(ax, bx, cx), max(ax, bx, cx)
        near, far = min(ay, by, cy), max(ay, by, cy)
        top = max(az, bz, cz)
        mask = owned[t]
        sx, sy = _contact_shift(planes, t, p)
        first = max(int(ceil((near - r - y0) / step)) - j0, 0)
        last = min(int(floor((far + r - y0) / step)) - j0, rows - 1)
        gx = planes[t, 1] if planes[t, 0] < np.inf else 0.0
        for j in range(first, last + 1):
            y = y0 + (j0 + j) * step
            dy = max(near - y, y - far, 0.0)
            reach = sqrt(max(r * r - dy * dy, 0.0))
            over = _plane_bound(planes, t, 0.0, y, p)
            if not over < np.inf:
                over = np.inf
            for i in range(
                max(int(ceil((left - reach - x0) / step)), 0),
                min(int(floor((right + reach - x0) / step)), columns - 1) + 1,
            ):
                x = x0 + i * step
                best = out[j, i]
                bound = over + gx * x
                if best < top and best < bound:
                    out[j, i] = rest_on(ax, ay, az, bx, by, bz, cx, cy, cz, mask, sx, sy, x, y, p, bound, best)


Surface = SurfaceIndex | RotaryIndex
"""What cutters are dropped on: a part under them (places x, y), or one that rotates (places x and A times a radius)."""


def drop_points(index: Surface, xy: F64, cutter: Profile, floor: float) -> F64:
    """Tip heights (n,) float64 of the cutter dropped at `xy` (n, 2), in millimetres.

    Where the cutter meets nothing, or something lower, it rests at `floor`.
    """
    out = np.empty(len(xy))
    points = np.ascontiguousarray(xy, np.float64)

    def work(first: int, last: int) -> None:
        _drop_points(index.arrays, points[first:last], cutter, floor, out[first:last])

    if len(points):
        in_parallel(work, len(points), max(2048, len(points) // 32))
    return out


def drop_grid(
    index: Surface,
    x0: float,
    y0: float,
    step: float,
    nx: int,
    ny: int,
    cutter: Profile,
    floor: float,
    report: Report = silent,
) -> F64:
    """Tip heights (ny, nx) float64 over the grid x0 + i * step, y0 + j * step, in millimetres.

    Works triangle by triangle where the grid is about as dense as the mesh or denser, and place by
    place where it is coarser (measured: docs/performance.md). Both give the same tips.
    """
    out = np.full((ny, nx), floor)
    if isinstance(index, RotaryIndex):
        _drop_rotary_grid(index, x0, y0, step, step, cutter, floor, out, report)
        return out
    grid = index.arrays
    area = max((index.high[0] - index.low[0]) * (index.high[1] - index.low[1]), 1e-9)
    dense = step * step * index.triangles / area < 2.0

    def work(first: int, last: int) -> None:
        rows = out[first:last]
        if dense:
            _drop_by_triangle(grid.corners, grid.planes, grid.owned, index.falling, x0, y0, step, first, cutter, rows)
        else:
            _drop_rows(grid, x0, y0, step, first, cutter, floor, rows)

    in_parallel(work, ny, max(1, ny // 16 if dense else ny // 32), report)
    return out


def _drop_rotary_grid(
    index: RotaryIndex,
    x0: float,
    v0: float,
    step_x: float,
    step_v: float,
    cutter: Profile,
    floor: float,
    out: F64,
    report: Report,
) -> None:
    """Fill `out` (rows by angle, columns by place) with tip radii."""
    grid = index.arrays
    area = max((index.high[0] - index.low[0]) * index.high[1], 1e-9)
    dense = step_x * step_v * index.triangles / area < _ROTARY_DENSE

    def work(first: int, last: int) -> None:
        if dense:
            drop_by_triangle(grid, index.falling, x0, v0, step_x, step_v, first, cutter, floor, out[first:last])
        else:
            _drop_rotary_rows(grid, x0, v0, step_x, step_v, first, cutter, floor, out[first:last])

    in_parallel(work, len(out), max(1, len(out) // 16), report)


def drop_turned(
    index: RotaryIndex, x0: float, step: float, nx: int, na: int, cutter: Profile, floor: float, report: Report = silent
) -> F64:
    """Tip radii (na, nx) float64 at x0 + i * step and `na` even angles all round from A = 0, in millimetres."""
    out = np.full((na, nx), floor)
    _drop_rotary_grid(index, x0, 0.0, step, float(index.high[1]) / na, cutter, floor, out, report)
    return out
