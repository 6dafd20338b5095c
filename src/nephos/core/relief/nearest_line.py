"""The nearest place of curves: distance, which side, how far along, and on which smooth run between two corners."""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from scipy.ndimage import distance_transform_edt

from nephos.core.arrays import F32, F64, I32
from nephos.core.parallel import in_parallel, inlined, kernel

__all__ = ["LineIndex", "Near", "Nearest", "line_index", "near", "nearest", "smooth_along"]

_MOST_CELLS = 160
"""Cells along the longer side of the grid, where there are segments for as many."""
_BAND = 65536
"""Fewer places than this are looked at without threads: starting those would take longer."""
_NEWTON = 3
"""Steps of Newton's method; the equation is nearly linear."""
_BEYOND = 0.5
"""Largest distance of a place beyond the ends of its chord, in lengths of the chord."""
_CORNER = np.radians(20.0)
"""Where a curve turns by more than this from chord to chord it has a corner."""


class _Arrays(NamedTuple):
    ends: F64
    along: F64
    run: I32
    start: I32
    items: I32
    x0: float
    y0: float
    cell: float
    nx: int
    ny: int
    away: F32


@dataclass(frozen=True)
class LineIndex:
    """Segments of curves in a grid. `lengths` is how long each curve is; `line` which curve each segment is of;
    `tangents` (n, 4) the directions of the curve at the start and end of each segment, between those of its
    neighbours."""

    arrays: _Arrays
    line: I32
    lengths: F64
    tangents: F64


@dataclass(frozen=True)
class Nearest:
    """For each place: the distance (mm), less than 0 in `side` on the right of the curve, how far along its curve (mm)
    the nearest place lies, the run between corners, the curve and the segment that it lies on (-1 beyond the reach)."""

    distance: F64
    side: F64
    along: F64
    run: I32
    line: I32
    segment: I32


@kernel
def _bin(ends: F64, x0: float, y0: float, cell: float, nx: int, ny: int, start: I32, items: I32) -> None:
    """Count the segments of each cell (`items` empty), or fill them in behind `start`."""
    for s in range(len(ends)):
        i0 = max(int((min(ends[s, 0], ends[s, 2]) - x0) / cell), 0)
        i1 = min(int((max(ends[s, 0], ends[s, 2]) - x0) / cell), nx - 1)
        j0 = max(int((min(ends[s, 1], ends[s, 3]) - y0) / cell), 0)
        j1 = min(int((max(ends[s, 1], ends[s, 3]) - y0) / cell), ny - 1)
        for j in range(j0, j1 + 1):
            for i in range(i0, i1 + 1):
                k = j * nx + i
                if len(items):
                    items[start[k]] = s
                start[k] += 1


@inlined
def _search(a: _Arrays, x: float, y: float, reach: float) -> tuple[float, float, float, int]:
    """Square of the distance to the nearest segment, how far that lies to the left, how far along it, and which it is
    (-1 for none within the reach)."""
    ci = min(max(int(np.floor((x - a.x0) / a.cell)), 0), a.nx - 1)
    cj = min(max(int(np.floor((y - a.y0) / a.cell)), 0), a.ny - 1)
    # From the place to the cell that the search starts from, where that lies inside the grid only.
    off = max(a.x0 - x, x - a.x0 - a.nx * a.cell, a.y0 - y, y - a.y0 - a.ny * a.cell, 0.0)
    best, cross, at, which = reach * reach, 0.0, 0.0, -1
    # Cells between middles, less what both ends may lie off the middles of their cells.
    empty = max(a.away[cj * a.nx + ci] - 1.42, 0.0)
    if empty * a.cell > reach:
        return best, cross, at, which
    for ring in range(int(empty / 1.4143), max(a.nx, a.ny) + 1):
        close = max((ring - 1) * a.cell, off)
        if ring > 0 and close * close > best:
            break
        for j in range(max(cj - ring, 0), min(cj + ring, a.ny - 1) + 1):
            whole = abs(j - cj) == ring
            i = ci - ring
            while i <= ci + ring:
                if 0 <= i < a.nx:
                    k = j * a.nx + i
                    for q in range(a.start[k], a.start[k + 1]):
                        s = a.items[q]
                        ax, ay = a.ends[s, 0], a.ends[s, 1]
                        ux, uy = a.ends[s, 2] - ax, a.ends[s, 3] - ay
                        wx, wy = x - ax, y - ay
                        square = ux * ux + uy * uy
                        t = min(max((wx * ux + wy * uy) / square, 0.0), 1.0)
                        dx, dy = wx - t * ux, wy - t * uy
                        d = dx * dx + dy * dy
                        if d > best + 1e-12:
                            continue
                        length = np.sqrt(square)
                        c = (ux * wy - uy * wx) / length
                        # At a corner two segments are as near: the side is that of the one that is seen steeper.
                        if d < best - 1e-12 or abs(c) > abs(cross):
                            best, cross, at, which = min(d, best), c, a.along[s] + t * length, s
                i += 1 if whole or i == ci + ring else max(2 * ring, 1)
    return best, cross, at, which


@kernel
def _nearest(a: _Arrays, xy: F64, reach: float, distance: F64, side: F64, along: F64, segment: I32) -> None:
    """For each of `xy` (n, 2) the nearest place of the curves: its distance (mm, at most `reach`), the side that the
    place is on, how far along the curve (mm) and which segment it is, each into (n,)."""
    for p in range(len(xy)):
        best, cross, at, which = _search(a, xy[p, 0], xy[p, 1], reach)
        distance[p], side[p], along[p], segment[p] = np.sqrt(best), cross, at, which


@kernel
def _near(a: _Arrays, xy: F64, reach: float, distance: F64, run: I32) -> None:
    """For each of `xy` (n, 2) the distance (mm, at most `reach`) of the nearest curve and its run between corners, -1
    beyond the reach, each into (n,)."""
    for p in range(len(xy)):
        best, _, _, which = _search(a, xy[p, 0], xy[p, 1], reach)
        distance[p] = np.sqrt(best)
        run[p] = a.run[which] if which >= 0 else -1


@dataclass(frozen=True)
class Near:
    """For each place: the distance (mm), at most the reach that was asked for, and the run between corners that the
    nearest place lies on, -1 beyond the reach."""

    distance: F64
    run: I32


def near(index: LineIndex, xy: F64, reach: float) -> Near:
    """The distance of each of `xy` (n, 2) from the curves, as far as `reach` (mm)."""
    points = np.ascontiguousarray(xy, np.float64)
    distance, run = np.empty(len(xy)), np.empty(len(xy), np.int32)

    def work(first: int, last: int) -> None:
        _near(index.arrays, points[first:last], reach, distance[first:last], run[first:last])

    if len(xy):
        in_parallel(work, len(xy), max(_BAND, len(xy) // 4))
    return Near(distance, run)


def _runs(points: F64, closed: bool, first: int) -> I32:
    """The run of each segment of a curve: a new one starts at each corner."""
    step = np.diff(np.concatenate([points, points[:1]]) if closed else points, axis=0)
    way = np.arctan2(step[:, 1], step[:, 0])
    turn = np.abs((np.diff(np.concatenate([way[-1:], way])) + np.pi) % (2 * np.pi) - np.pi)
    corner = turn > _CORNER
    corner[0] = corner[0] and closed
    run = np.cumsum(corner)
    if closed and not corner[0]:
        # The first run goes on from the last.
        run[run == run[-1]] = 0
    return np.asarray(run + first, np.int32)


def _tangents(ends: F64, closed: bool) -> F64:
    """(n, 4) unit directions at the start and at the end of each segment (n, 4) of a curve: the mean of those of the
    segments that meet there, its own at a free end."""
    way = ends[:, 2:] - ends[:, :2]
    way = way / np.hypot(*way.T)[:, None]
    before, after = np.roll(way, 1, axis=0), np.roll(way, -1, axis=0)
    if not closed:
        before[0], after[-1] = way[0], way[-1]
    start, end = way + before, way + after
    lengths = (np.maximum(np.hypot(*item.T), 1e-9)[:, None] for item in (start, end))
    return np.concatenate([item / length for item, length in zip((start, end), lengths, strict=True)], axis=1)


def smooth_along(index: LineIndex, xy: F64, found: Nearest) -> F64:
    """How far along its curve (mm) each of `xy` (n, 2) lies, as if the chords were a smooth curve.

    Beside a chord this is where the place lies square to the direction of the curve, which turns evenly from one end of
    the chord to the other. Square to the chord itself the result would jump at each corner on the inner side of a bend,
    and stand still on the outer one. All places have to be within reach of a curve."""
    a, ends = index.arrays, index.arrays.ends[found.segment]
    chord, off = ends[:, 2:] - ends[:, :2], xy - ends[:, :2]
    length = np.hypot(*chord.T)
    first, last = index.tangents[found.segment, :2], index.tangents[found.segment, 2:]
    t = (found.along - a.along[found.segment]) / length
    for _ in range(_NEWTON):
        way, turn, left = first + t[:, None] * (last - first), last - first, off - t[:, None] * chord
        value = (left * way).sum(axis=1)
        slope = (left * turn).sum(axis=1) - (chord * way).sum(axis=1)
        t = t - value / np.where(np.abs(slope) < 1e-12, -1.0, slope)
    # Beside a sharp bend there may be no such place.
    t = np.clip(t, -_BEYOND, 1 + _BEYOND)
    found_along: F64 = a.along[found.segment] + t * length
    return found_along


def direction_at(index: LineIndex, along: F64) -> F64:
    """(n, 2) unit directions of the one curve of an index, `along` (n,) mm from its start, as they are taken by
    :func:`smooth_along`."""
    starts = index.arrays.along
    segment = np.clip(np.searchsorted(starts, along, side="right") - 1, 0, len(starts) - 1)
    ends = index.arrays.ends[segment]
    t = ((along - starts[segment]) / np.hypot(*(ends[:, 2:] - ends[:, :2]).T))[:, None]
    way = (1 - t) * index.tangents[segment, :2] + t * index.tangents[segment, 2:]
    found: F64 = way / np.maximum(np.hypot(*way.T), 1e-12)[:, None]
    return found


def line_index(lines: list[tuple[F64, bool]]) -> LineIndex:
    """An index of curves: points (n, 2), and whether each is closed."""
    ends, along, runs, which, lengths, tangents = [], [], [], [], [], []
    first = 0
    for k, (points, closed) in enumerate(lines):
        after = np.roll(points, -1, axis=0) if closed else points[1:]
        before = points if closed else points[:-1]
        length = np.hypot(*(after - before).T)
        run = _runs(points, closed, first)
        kept = length > 1e-9
        ends.append(np.concatenate([before, after], axis=1)[kept])
        tangents.append(_tangents(ends[-1], closed))
        along.append(np.concatenate([[0.0], np.cumsum(length)[:-1]])[kept])
        runs.append(run[kept])
        which.append(np.full(int(kept.sum()), k, np.int32))
        lengths.append(float(length.sum()))
        first = int(run.max()) + 1
    all_ends = np.ascontiguousarray(np.concatenate(ends))
    low, high = all_ends.reshape(-1, 2).min(axis=0), all_ends.reshape(-1, 2).max(axis=0)
    span = float(max((high - low).max(), 1e-3))
    cell = max(span / np.clip(2 * len(all_ends) ** 0.5, 8, _MOST_CELLS), 1e-3)
    nx, ny = (int(v) + 1 for v in (high - low) / cell)
    x0, y0 = map(float, low)
    start = np.zeros(nx * ny + 1, np.int32)
    _bin(all_ends, x0, y0, cell, nx, ny, start, np.zeros(0, np.int32))
    total = np.concatenate([[0], np.cumsum(start[:-1])]).astype(np.int32)
    items = np.zeros(int(total[-1]), np.int32)
    cursor = total.copy()
    if len(items):
        _bin(all_ends, x0, y0, cell, nx, ny, cursor, items)
    away = distance_transform_edt(np.diff(total).reshape(ny, nx) == 0).astype(np.float32).ravel()
    arrays = _Arrays(all_ends, np.concatenate(along), np.concatenate(runs), total, items, x0, y0, cell, nx, ny, away)
    return LineIndex(arrays, np.concatenate(which), np.array(lengths), np.concatenate(tangents))


def nearest(index: LineIndex, xy: F64, reach: float = np.inf) -> Nearest:
    """The nearest place of the curves to each of `xy` (n, 2); beyond `reach` (mm) only that it is farther."""
    n = len(xy)
    points = np.ascontiguousarray(xy, np.float64)
    distance, side, along, segment = np.empty(n), np.empty(n), np.empty(n), np.empty(n, np.int32)
    limit = min(reach, 1e6)

    def work(first: int, last: int) -> None:
        part = slice(first, last)
        _nearest(index.arrays, points[part], limit, distance[part], side[part], along[part], segment[part])

    if n:
        in_parallel(work, n, max(_BAND, n // 4))
    found = np.maximum(segment, 0)
    near = segment >= 0
    run = np.where(near, index.arrays.run[found], -1).astype(np.int32)
    line = np.where(near, index.line[found], 0).astype(np.int32)
    return Nearest(distance, side, along, run, line, segment)
