"""Material removal: the space a cutter sweeps along straight moves, taken out of a height field.

Along a straight move the cutter's underside has a lower envelope that is known in closed form under each cell, so every
cell is visited once a move, however long the move is, and the result is exact at the cell's centre."""

from math import ceil, floor, sqrt

import numpy as np

from nephos.core.arrays import F32, F64, I32, I64, U8
from nephos.core.cutters.profile import Profile
from nephos.core.parallel import Report, in_parallel, inlined, kernel, silent
from nephos.core.stock.block import Grid
from nephos.core.stock.intervals import Intervals, all_material, material_between, top_beneath
from nephos.core.surface.contact import along_line, underside

RAPID_DEPTH = 0.002
"""Material a rapid may seem to take, from rounding to the post's decimals, in millimetres."""


@inlined
def row_span(px: float, py: float, qx: float, qy: float, r: float, y: float) -> tuple[float, float]:
    """The stretch of the row at y that lies within r of the segment p-q (empty: low > high)."""
    low = np.inf
    high = -np.inf
    dp = r * r - (y - py) * (y - py)
    if dp >= 0.0:
        w = sqrt(dp)
        low = px - w
        high = px + w
    dq = r * r - (y - qy) * (y - qy)
    if dq >= 0.0:
        w = sqrt(dq)
        low = min(low, qx - w)
        high = max(high, qx + w)
    dx = qx - px
    dy = qy - py
    length = sqrt(dx * dx + dy * dy)
    if length > 0.0 and dy != 0.0:
        ox = -dy / length * r
        oy = dx / length * r
        for side in (-1.0, 1.0):
            t = (y - py - side * oy) / dy
            if 0.0 <= t <= 1.0:
                x = px + side * ox + t * dx
                low = min(low, x)
                high = max(high, x)
    return low, high


@kernel
def _sweep_ball(
    top: F32, touched: I32, x0: float, y0: float, pitch: float, j0: int, points: F64, ids: I64, r: float, hits: F32
) -> None:
    """Take a ball of radius `r` (mm) along moves `points` (n + 1, 3) out of the rows of `top` from row `j0` on.
    `touched` gets the numbers `ids` (n,) of moves, `hits` (n,) how much (mm) each takes off where it takes most."""
    rows, columns = top.shape
    for k in range(len(ids)):
        px, py, pz = points[k, 0], points[k, 1], points[k, 2]
        qx, qy, qz = points[k + 1, 0], points[k + 1, 1], points[k + 1, 2]
        if not (px == px and qx == qx):
            continue
        first = max(int(ceil((min(py, qy) - r - y0) / pitch)) - j0, 0)
        last = min(int(floor((max(py, qy) + r - y0) / pitch)) - j0, rows - 1)
        if first > last:
            continue
        length = sqrt((qx - px) * (qx - px) + (qy - py) * (qy - py))
        if length > 1e-9:
            ux = (qx - px) / length
            uy = (qy - py) / length
            m = (qz - pz) / length
        else:
            length = 0.0
            ux = 1.0
            uy = 0.0
            m = 0.0
            pz = min(pz, qz)
        lead = m / sqrt(1.0 + m * m)
        mark = np.int32(ids[k])
        hit = np.float32(0.0)
        for j in range(first, last + 1):
            y = y0 + (j0 + j) * pitch
            low, high = row_span(px, py, qx, qy, r, y)
            a = max(int(ceil((low - x0) / pitch)), 0)
            b = min(int(floor((high - x0) / pitch)), columns - 1)
            wx = x0 - px
            wy = y - py
            if m == 0.0:
                for i in range(a, b + 1):
                    dx = wx + i * pitch
                    u = dx * ux + wy * uy
                    s = min(max(u, 0.0), length)
                    ex = dx - s * ux
                    ey = wy - s * uy
                    w2 = max(r * r - ex * ex - ey * ey, 0.0)
                    z = np.float32(pz + r - sqrt(w2))
                    old = top[j, i]
                    cut = z < old and w2 > 0.0
                    top[j, i] = z if cut else old
                    touched[j, i] = mark if cut else touched[j, i]
                    hit = max(hit, old - z if cut else np.float32(0.0))
            else:
                for i in range(a, b + 1):
                    dx = wx + i * pitch
                    u = dx * ux + wy * uy
                    v = dx * uy - wy * ux
                    r2 = max(r * r - v * v, 0.0)
                    s = min(max(u - sqrt(r2) * lead, 0.0), length)
                    w2 = max(r2 - (u - s) * (u - s), 0.0)
                    z = np.float32(pz + m * s + r - sqrt(w2))
                    old = top[j, i]
                    cut = z < old and w2 > 0.0
                    top[j, i] = z if cut else old
                    touched[j, i] = mark if cut else touched[j, i]
                    hit = max(hit, old - z if cut else np.float32(0.0))
        hits[k] = max(hits[k], hit)


@kernel
def _sweep_flat(
    top: F32, touched: I32, x0: float, y0: float, pitch: float, j0: int, points: F64, ids: I64, r: float, hits: F32
) -> None:
    """Take a flat cutter of radius `r` (mm) along moves out of rows of `top`, as :func:`_sweep_ball` does."""
    rows, columns = top.shape
    for k in range(len(ids)):
        px, py, pz = points[k, 0], points[k, 1], points[k, 2]
        qx, qy, qz = points[k + 1, 0], points[k + 1, 1], points[k + 1, 2]
        if not (px == px and qx == qx):
            continue
        first = max(int(ceil((min(py, qy) - r - y0) / pitch)) - j0, 0)
        last = min(int(floor((max(py, qy) + r - y0) / pitch)) - j0, rows - 1)
        if first > last:
            continue
        length = sqrt((qx - px) * (qx - px) + (qy - py) * (qy - py))
        if length > 1e-9:
            ux = (qx - px) / length
            uy = (qy - py) / length
            m = (qz - pz) / length
        else:
            length = 0.0
            ux = 1.0
            uy = 0.0
            m = 0.0
            pz = min(pz, qz)
        mark = np.int32(ids[k])
        hit = np.float32(0.0)
        for j in range(first, last + 1):
            y = y0 + (j0 + j) * pitch
            low, high = row_span(px, py, qx, qy, r, y)
            a = max(int(ceil((low - x0) / pitch)), 0)
            b = min(int(floor((high - x0) / pitch)), columns - 1)
            wx = x0 - px
            wy = y - py
            for i in range(a, b + 1):
                z = pz
                if m != 0.0:
                    dx = wx + i * pitch
                    u = dx * ux + wy * uy
                    v = dx * uy - wy * ux
                    half = sqrt(max(r * r - v * v, 0.0))
                    lowest = max(u - half, 0.0) if m > 0.0 else min(u + half, length)
                    z += m * min(max(lowest, 0.0), length)
                z32 = np.float32(z)
                old = top[j, i]
                cut = z32 < old
                top[j, i] = z32 if cut else old
                touched[j, i] = mark if cut else touched[j, i]
                hit = max(hit, old - z32 if cut else np.float32(0.0))
        hits[k] = max(hits[k], hit)


@inlined
def _heading(
    px: float, py: float, pz: float, qx: float, qy: float, qz: float
) -> tuple[float, float, float, float, float]:
    """Length of a move on the plan, its direction, its rise, and the height it begins at; an upright one is its lower
    end.

    The kernels for flat and ball write this out: the call costs them a tenth (measured).
    """
    length = sqrt((qx - px) * (qx - px) + (qy - py) * (qy - py))
    if length > 1e-9:
        return length, (qx - px) / length, (qy - py) / length, (qz - pz) / length, pz
    return 0.0, 1.0, 0.0, 0.0, min(pz, qz)


@kernel
def sweep_columns(
    top: F32,
    touched: I32,
    x0: float,
    y0: float,
    pitch: float,
    j0: int,
    points: F64,
    ids: I64,
    p: Profile,
    hits: F32,
    low_ends: F32,
    high_ends: F32,
) -> None:
    """For every shape, and for columns with gaps (`low_ends`, `high_ends` as in
    :class:`~nephos.core.stock.intervals.Intervals`): where along the move the cutter is lowest over a cell is where it
    would rest on a line of that slope. A top inside a gap is lowered to the material below it, to -inf without any; a
    move through gaps only removes nothing."""
    gaps = len(low_ends) > 0
    rows, columns = top.shape
    r = p.radius
    for k in range(len(ids)):
        px, py, pz = points[k, 0], points[k, 1], points[k, 2]
        qx, qy, qz = points[k + 1, 0], points[k + 1, 1], points[k + 1, 2]
        if not (px == px and qx == qx):
            continue
        first = max(int(ceil((min(py, qy) - r - y0) / pitch)) - j0, 0)
        last = min(int(floor((max(py, qy) + r - y0) / pitch)) - j0, rows - 1)
        if first > last:
            continue
        length, ux, uy, m, pz = _heading(px, py, pz, qx, qy, qz)
        mark = np.int32(ids[k])
        hit = np.float32(0.0)
        for j in range(first, last + 1):
            y = y0 + (j0 + j) * pitch
            low, high = row_span(px, py, qx, qy, r, y)
            wy = y - py
            for i in range(
                max(int(ceil((low - x0) / pitch)), 0), min(int(floor((high - x0) / pitch)), columns - 1) + 1
            ):
                dx = x0 - px + i * pitch
                u = dx * ux + wy * uy
                v = dx * uy - wy * ux
                if m > 0.0:
                    s = u - along_line(min(abs(v), r), m, p)
                elif m < 0.0:
                    s = u + along_line(min(abs(v), r), -m, p)
                else:
                    s = u
                s = min(max(s, 0.0), length)
                old = top[j, i]
                # All cells of the row lie within the radius of the move; on the rim rounding must not say otherwise.
                z = np.float32(pz + m * s + underside(min(sqrt(v * v + (u - s) * (u - s)), r), p))
                if z < old:
                    taken = old - z
                    if gaps:
                        taken = np.float32(material_between(low_ends, high_ends, j, i, z, old))
                        z = np.float32(top_beneath(low_ends, high_ends, j, i, z))
                    top[j, i] = z
                    if taken > 0.0:
                        touched[j, i] = mark
                        hit = max(hit, taken)
        hits[k] = max(hits[k], hit)


@kernel
def sweep_rows(
    top: F32, touched: I32, x0: float, y0: float, pitch: float, j0: int, points: F64, ids: I64, p: Profile, hits: F32
) -> None:
    """Take the moves of cutter `p` out of the rows from `j0` on, with the quickest kernel for its shape."""
    if p.slope == np.inf and p.corner == 0.0:
        _sweep_flat(top, touched, x0, y0, pitch, j0, points, ids, p.radius, hits)
    elif p.slope == np.inf and p.flat == 0.0:
        _sweep_ball(top, touched, x0, y0, pitch, j0, points, ids, p.radius, hits)
    else:
        none = np.empty((0, 0, 0), np.float32)
        sweep_columns(top, touched, x0, y0, pitch, j0, points, ids, p, hits, none, none)


@kernel
def sweep_rows_with(
    top: F32,
    touched: I32,
    x0: float,
    y0: float,
    pitch: float,
    j0: int,
    points: F64,
    ids: I64,
    p: Profile,
    hits: F32,
    low_ends: F32,
    high_ends: F32,
) -> None:
    """As :func:`sweep_rows`, for columns whose intervals are `low_ends` and `high_ends`: empty intervals mean
    material from the top to the foot."""
    if len(low_ends) > 0:
        sweep_columns(top, touched, x0, y0, pitch, j0, points, ids, p, hits, low_ends, high_ends)
    else:
        sweep_rows(top, touched, x0, y0, pitch, j0, points, ids, p, hits)


FEW = 256
"""So few moves are swept sooner than threads are started for them."""


@kernel
def _straight(points: F64, kinds: U8, tolerance: float, most: int) -> I64:
    """Indices of the points to keep so that those between lie within `tolerance` of the chord."""
    keep = np.empty(len(points), np.int64)
    keep[0] = 0
    count = 1
    first = 0
    limit = tolerance * tolerance
    last_index = len(points) - 1
    while first < last_index:
        last = first + 1
        while last < last_index and last - first < most and kinds[last] == kinds[first]:
            end = last + 1
            dx = points[end, 0] - points[first, 0]
            dy = points[end, 1] - points[first, 1]
            dz = points[end, 2] - points[first, 2]
            d2 = dx * dx + dy * dy + dz * dz
            fits = d2 > 0.0
            for k in range(first + 1, end):
                ex = points[k, 0] - points[first, 0]
                ey = points[k, 1] - points[first, 1]
                ez = points[k, 2] - points[first, 2]
                t = (ex * dx + ey * dy + ez * dz) / d2 if d2 > 0.0 else 0.0
                ex -= t * dx
                ey -= t * dy
                ez -= t * dz
                if not (0.0 <= t <= 1.0 and ex * ex + ey * ey + ez * ez <= limit):
                    fits = False
                    break
            if not fits:
                break
            last = end
        keep[count] = last
        count += 1
        first = last
    return keep[:count]


def straightened(points: F64, kinds: U8, straight: float) -> tuple[F64, I64]:
    """Moves of a kind that lie within `straight` mm of one line as that line: the points, and the number of the last
    move of each, (m,) int64."""
    moves = len(kinds)
    if straight <= 0.0 or not moves:
        return np.ascontiguousarray(points), np.arange(moves)

    def shorten(first: int, last: int) -> I64:
        kept: I64 = _straight(points[first : last + 1], kinds[first:last], straight, 24) + first
        return kept

    kept = in_parallel(shorten, moves, max(4096, moves // 16 + 1))
    indices = np.concatenate([part[1:] for part in kept])
    return np.concatenate([points[:1], points[indices]]), indices - 1


def sweep(
    top: F32,
    touched: I32,
    grid: Grid,
    points: F64,
    kinds: U8,
    first_id: int,
    cutter: Profile,
    report: Report = silent,
    straight: float = 0.0,
    intervals: Intervals | None = None,
) -> F32:
    """Take the swept cutter out of `top` in place; returns how deep each move went into material.

    Parameters
    ----------
    top, touched : (ny, nx) float32 heights in millimetres, and int32 number of the last move.
    points : (n + 1, 3) float64 tip positions; move k goes from point k to point k + 1.
    kinds : (n,) uint8, 0 for rapids (see :class:`nephos.core.toolpath.Kind`).
    first_id : number of the first move, written into `touched`.
    straight : moves of a kind whose points lie within this many millimetres of one straight line
        are swept as that line (and carry the number of its last move).
    intervals : of the columns, as they were at the last cut before; without them all under `top` is material.

    Returns
    -------
    (n,) float32 millimetres, how much each move took off the column where it took most; 0 for moves that cut nothing.
    """
    moves = len(kinds)
    points, chosen = straightened(points, kinds, straight)
    ids = first_id + chosen
    bands = grid.ny if len(chosen) < FEW else max(1, grid.ny // 24 + 1)
    hits = np.zeros((grid.ny // bands + 2, len(chosen)), np.float32)

    columns = all_material(*top.shape) if intervals is None else intervals

    def work(first: int, last: int) -> None:
        rows, marks, hit = top[first:last], touched[first:last], hits[first // bands]
        part = columns.rows(first, last)
        sweep_rows_with(rows, marks, grid.x0, grid.y0, grid.pitch, first, points, ids, cutter, hit, *part)

    in_parallel(work, grid.ny, bands, report)
    found = np.zeros(moves, np.float32)
    found[chosen] = hits.max(axis=0)
    return found
