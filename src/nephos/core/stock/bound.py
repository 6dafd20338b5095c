"""Upper bound of the block over whole cells, so that no splinter can hide between cell centres.

A height field knows the block at the centres of its cells only. What a move leaves of a cell is
highest at one of the four corners: the space swept along a straight move by a convex cutter is
convex, so its underside is a convex function on the plan (infinite beside the cutter). The bound of a
cell is the lowest such maximum over all moves. Material that no single move takes from a whole cell
stays in the bound, so the bound is never under the true block, and rapids that clear it are clear.
"""

from math import ceil, floor

import numpy as np

from nephos.core.arrays import F32, F64, I32, I64, U8, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.parallel import Report, in_parallel, inlined, kernel, silent
from nephos.core.stock.block import Grid
from nephos.core.stock.sweep import FEW, row_span, sweep_rows

HALF_DIAGONAL = 0.7072
"""No point of a cell is farther than this many pitches from its centre."""
BESIDE = 0.05
"""Feed moves are taken as one straight move where they lie within this of it (mm)."""
_FAR = np.float32(1e30)
_CLEAR = 0.002
"""Material a rapid may seem to meet from rounding, in millimetres."""


@inlined
def _cell_rows(py: float, qy: float, r: float, y0: float, pitch: float, j0: int, rows: int) -> tuple[int, int]:
    """First and last row of sample points within r of a move; none where the first is larger."""
    first = max(int(ceil((min(py, qy) - r - y0) / pitch)) - j0, 0)
    last = min(int(floor((max(py, qy) + r - y0) / pitch)) - j0, rows - 1)
    return first, last


@kernel
def _lower_bound_by_move(
    bound: F32,
    corners: F32,
    marks: I32,
    x0: float,
    y0: float,
    pitch: float,
    j0: int,
    a: F64,
    b: F64,
    id1: I64,
    hit1: F32,
    p: Profile,
) -> None:
    """Lower `bound` (rows, columns) by one feed move. `corners` (rows + 1, columns + 1) is scratch space, all far
    above."""
    rows, columns = bound.shape
    cx, cy = x0 - pitch / 2, y0 - pitch / 2
    first, last = _cell_rows(a[1], b[1], p.radius, cy, pitch, j0, rows + 1)
    if last <= first:
        return
    points = np.empty((2, 3))
    points[0], points[1] = a, b
    sweep_rows(corners[first : last + 1], marks[first : last + 1], cx, cy, pitch, j0 + first, points, id1, p, hit1)
    for j in range(first, last):
        low, high = row_span(a[0], a[1], b[0], b[1], p.radius, cy + (j0 + j) * pitch)
        above_low, above_high = row_span(a[0], a[1], b[0], b[1], p.radius, cy + (j0 + j + 1) * pitch)
        i0 = max(int(ceil((max(low, above_low) - cx) / pitch)), 0)
        i1 = min(int(floor((min(high, above_high) - cx) / pitch)) - 1, columns - 1)
        for i in range(i0, i1 + 1):
            left = max(corners[j, i], corners[j + 1, i])
            right = max(corners[j, i + 1], corners[j + 1, i + 1])
            z = max(left, right)
            old = bound[j, i]
            bound[j, i] = z if z < old else old
    for j in range(first, last + 1):
        low, high = row_span(a[0], a[1], b[0], b[1], p.radius, cy + (j0 + j) * pitch)
        for i in range(max(int(floor((low - cx) / pitch)), 0), min(int(ceil((high - cx) / pitch)), columns) + 1):
            corners[j, i] = _FAR


@kernel
def lower_bound_rows(
    bound: F32,
    x0: float,
    y0: float,
    pitch: float,
    j0: int,
    points: F64,
    kinds: U8,
    p: Profile,
    lift: float,
    wide: Profile,
    drop: float,
    suspects: U8,
    cells: U8,
) -> None:
    """Take all feed moves out of the rows from `j0` on; mark rapids that may meet material, and where.

    bound : (rows, columns) float32, lowered in place. points (n + 1, 3), kinds (n,) with 0 for rapids.
    p, lift : a profile that lies within the cutter, its tip `lift` mm over the cutter's.
    wide, drop : a profile that covers what the cutter covers anywhere in a cell, its tip `drop` mm under the cutter's.
    suspects : (n,) uint8 and cells : (rows, columns) uint8, set to 1 where a rapid comes under the bound.
    """
    rows, columns = bound.shape
    corners = np.full((rows + 1, columns + 1), _FAR, np.float32)
    marks = np.zeros((rows + 1, columns + 1), np.int32)
    id1, hit1 = np.zeros(1, np.int64), np.zeros(1, np.float32)
    top = np.float32(-np.inf)
    if (kinds == 0).any():
        for j in range(rows):
            for i in range(columns):
                top = max(top, bound[j, i])
    low_point, high_point = np.empty(3), np.empty(3)
    for k in range(len(kinds)):
        a, b = points[k], points[k + 1]
        if not (a[0] == a[0] and b[0] == b[0]):
            continue
        if kinds[k] != 0:
            low_point[:], high_point[:] = a, b
            low_point[2] += lift
            high_point[2] += lift
            _lower_bound_by_move(bound, corners, marks, x0, y0, pitch, j0, low_point, high_point, id1, hit1, p)
        elif b[2] >= a[2] and b[0] == a[0] and b[1] == a[1]:
            continue  # straight up out of where the cutter is already
        elif min(a[2], b[2]) - drop < top - _CLEAR:
            low_point[:], high_point[:] = a, b
            low_point[2] -= drop
            high_point[2] -= drop
            if _meets(bound, corners, marks, x0, y0, pitch, j0, low_point, high_point, id1, hit1, wide, cells):
                suspects[k] = 1


@kernel
def _meets(
    bound: F32,
    scratch: F32,
    marks: I32,
    x0: float,
    y0: float,
    pitch: float,
    j0: int,
    a: F64,
    b: F64,
    id1: I64,
    hit1: F32,
    p: Profile,
    cells: U8,
) -> bool:
    """Whether cutter `p` on a move comes under the bound; marks the cells where it does."""
    rows, columns = bound.shape
    first, last = _cell_rows(a[1], b[1], p.radius, y0, pitch, j0, rows)
    if last < first:
        return False
    points = np.empty((2, 3))
    points[0], points[1] = a, b
    sweep_rows(
        scratch[first : last + 1, :columns],
        marks[first : last + 1, :columns],
        x0,
        y0,
        pitch,
        j0 + first,
        points,
        id1,
        p,
        hit1,
    )
    met = False
    for j in range(first, last + 1):
        low, high = row_span(a[0], a[1], b[0], b[1], p.radius, y0 + (j0 + j) * pitch)
        for i in range(max(int(floor((low - x0) / pitch)), 0), min(int(ceil((high - x0) / pitch)), columns - 1) + 1):
            if scratch[j, i] < bound[j, i] - _CLEAR:
                cells[j, i] = 1
                met = True
            scratch[j, i] = _FAR
    return met


@kernel
def _thinned(points: F64, kinds: U8, within: float, most: int, keep: I64) -> int:
    """Numbers of the points to keep so that feed moves between them lie within `within` of one straight move; returns
    how many.

    Rapids are kept one by one.
    """
    keep[0] = 0
    count = 1
    first = 0
    limit = within * within
    n = len(kinds)
    while first < n:
        last = first + 1
        while kinds[first] != 0 and last < n and last - first < most and kinds[last] != 0:
            a, b = points[first], points[last + 1]
            dx, dy, dz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
            d2 = dx * dx + dy * dy + dz * dz
            fits = d2 > 0.0
            for k in range(first + 1, last + 1):
                ex, ey, ez = points[k, 0] - a[0], points[k, 1] - a[1], points[k, 2] - a[2]
                t = (ex * dx + ey * dy + ez * dz) / d2 if d2 > 0.0 else 0.0
                ex -= t * dx
                ey -= t * dy
                ez -= t * dz
                if not (0.0 <= t <= 1.0 and ex * ex + ey * ey + ez * ez <= limit):
                    fits = False
                    break
            if not fits:
                break
            last += 1
        keep[count] = last
        count += 1
        first = last
    return count


def lower_bound(
    bound: F32, grid: Grid, points: F64, kinds: U8, cutter: Profile, report: Report = silent
) -> tuple[Bool, Bool]:
    """Take the feed moves of a cutter out of `bound` in place.

    Parameters
    ----------
    bound : (ny, nx) float32 millimetres, upper bound of the block over each cell before the first move.
    points, kinds : as of :func:`nephos.core.stock.sweep.sweep`.

    Returns
    -------
    suspects : (n,) bool, rapids that may meet material: all that do are among them.
    cells : (ny, nx) bool, the cells where they may; (0, 0) without any rapid.
    """
    margin = HALF_DIAGONAL * grid.pitch
    wide = cutter.grown(margin)
    # Many short feed moves as one: the cutter, smaller by as much as that is beside them, went everywhere there.
    keep = np.empty(len(points), np.int64)
    keep = keep[: _thinned(np.ascontiguousarray(points), kinds, BESIDE, 64, keep)]
    points, kinds = np.ascontiguousarray(points[keep]), kinds[keep[1:] - 1]
    moves, (smaller, lift) = keep[1:] - 1, cutter.shrunk(BESIDE)
    suspects = np.zeros(keep[-1], np.bool_)
    asked = bool((kinds == 0).any())
    cells = np.zeros(bound.shape if asked else (0, 0), np.bool_)
    low, high = np.fmin.reduce(points[:, :2], axis=0) - wide.radius, np.fmax.reduce(points[:, :2], axis=0) + wide.radius
    rows, columns = (
        grid.window((low[0], low[1]), (high[0], high[1])) if np.isfinite(low).all() else (slice(0, 0), slice(0, 0))
    )
    window = np.ascontiguousarray(bound[rows, columns])
    met = np.zeros(window.shape, np.uint8)
    x0, y0 = grid.x0 + columns.start * grid.pitch, grid.y0 + rows.start * grid.pitch
    band = max(1, len(window) // 24 + 1)
    found = np.zeros((len(window) // band + 2, len(kinds)), np.uint8)

    def work(first: int, last: int) -> None:
        lower_bound_rows(
            window[first:last],
            x0,
            y0,
            grid.pitch,
            first,
            points,
            kinds,
            smaller,
            lift,
            wide,
            margin,
            found[first // band],
            met[first:last],
        )

    if window.size and len(kinds) < FEW:
        work(0, len(window))
    elif window.size:
        in_parallel(work, len(window), band, report)
    bound[rows, columns] = window
    if asked:
        cells[rows, columns] = met
    suspects[moves] = found.any(axis=0)
    return suspects, cells
