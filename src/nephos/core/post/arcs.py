"""Arcs in place of many short straight moves, where a post allows them and they fit."""

from dataclasses import dataclass
from math import pi

import numpy as np

from nephos.core.arrays import F32, F64, I8, I64, U8
from nephos.core.parallel import kernel
from nephos.core.toolpath import Toolpath

VERTEX, SAG = 0.15, 0.3
"""Shares of the tolerance: how far a vertex may lie off the arc, and how far the arc may bulge beyond the chords it
replaces."""
_LEAST = 4
"""Fewer moves than this are not worth an arc."""
_MOST = 400
_WIDEST = 170.0 / 180.0 * pi
"""Arcs stay under half a turn, so that centre and end leave no doubt which way round is meant."""
_LARGEST = 2000.0
"""Larger radii (mm) are straight for all purposes, and controllers reckon badly with them."""


@dataclass(frozen=True)
class ArcPath:
    """A toolpath of which some moves are arcs on the level: `centres` (n, 2) float64, `turns` (n,) int8, 1
    counterclockwise, -1 clockwise, 0 straight. An arc goes from its point to the next one. `firsts` and `ends` (n,)
    int64 are the numbers of the first and last move of the whole path that each stands for."""

    path: Toolpath
    centres: F64
    turns: np.ndarray
    firsts: I64
    ends: I64


@kernel
def _circle(ax: float, ay: float, bx: float, by: float, cx: float, cy: float) -> tuple[float, float, float]:
    """Middle and radius of the circle through three points; not a number where they lie in line."""
    px, py, qx, qy = bx - ax, by - ay, cx - ax, cy - ay
    d = 2.0 * (px * qy - py * qx)
    if abs(d) < 1e-12:
        return np.nan, np.nan, np.nan
    p2, q2 = px * px + py * py, qx * qx + qy * qy
    ux, uy = (qy * p2 - py * q2) / d, (px * q2 - qx * p2) / d
    return ax + ux, ay + uy, np.sqrt(ux * ux + uy * uy)


@kernel
def _fits(points: F64, first: int, last: int, vertex: float, sag: float, out: F64) -> bool:
    """Whether points first..last lie on one arc; its centre and its turn are put in `out`."""
    middle = (first + last) // 2
    cx, cy, r = _circle(
        points[first, 0], points[first, 1], points[middle, 0], points[middle, 1], points[last, 0], points[last, 1]
    )
    if not r <= _LARGEST:
        return False
    total = 0.0
    turn = 0.0
    for k in range(first, last):
        ax, ay = points[k, 0] - cx, points[k, 1] - cy
        bx, by = points[k + 1, 0] - cx, points[k + 1, 1] - cy
        if abs(np.sqrt(bx * bx + by * by) - r) > vertex:
            return False
        step = np.arctan2(ax * by - ay * bx, ax * bx + ay * by)
        if step == 0.0 or (turn != 0.0 and step * turn < 0.0) or r * (1.0 - np.cos(step / 2.0)) > sag:
            return False
        turn = 1.0 if step > 0.0 else -1.0
        total += abs(step)
    if total > _WIDEST:
        return False
    out[0], out[1], out[2] = cx, cy, turn
    return True


@kernel
def _fit(points: F64, kinds: U8, feeds: F32, vertex: float, sag: float, keep: I64, centres: F64, turns: I8) -> int:
    """Indices of the points that stay (into `keep`); for each move to such a point its centre and turn. Returns how
    many."""
    n = len(kinds)
    count = 0
    k = 0
    out = np.zeros(3)
    best = np.zeros(3)
    while k < n:
        last = k + 1
        turn = 0.0
        if kinds[k] != 0:
            while (
                last < n
                and last - k < _MOST
                and kinds[last] == kinds[k]
                and feeds[last] == feeds[k]
                and points[last + 1, 2] == points[k, 2]
                and points[last, 2] == points[k, 2]
            ):
                # The first two moves always lie on a circle: it must not be a sharp corner, so sag and turn decide from
                # the start.
                if not _fits(points, k, last + 1, vertex, sag, out):
                    break
                best[:] = out
                last += 1
            if last - k >= _LEAST:
                turn = best[2]
            else:
                last = k + 1
        keep[count] = last
        centres[count, 0], centres[count, 1] = best[0], best[1]
        turns[count] = int(turn)
        count += 1
        k = last
    return count


def straight_only(path: Toolpath) -> ArcPath:
    """The path as it is, without arcs."""
    every = np.arange(path.moves)
    return ArcPath(path, np.zeros((path.moves, 2)), np.zeros(path.moves, np.int8), every, every)


def with_arcs(path: Toolpath, tolerance: float) -> ArcPath:
    """Runs of level feed moves that lie on a circle within the tolerance, as one arc each."""
    keep, centres, turns = np.empty(path.moves, np.int64), np.zeros((path.moves, 2)), np.zeros(path.moves, np.int8)
    count = _fit(
        np.ascontiguousarray(path.points),
        path.kinds,
        path.feeds,
        VERTEX * tolerance,
        SAG * tolerance,
        keep,
        centres,
        turns,
    )
    keep = keep[:count]
    points = np.concatenate([path.points[:1], path.points[keep]])
    return ArcPath(
        Toolpath(points, path.kinds[keep - 1], path.feeds[keep - 1]),
        centres[:count],
        turns[:count],
        np.append(0, keep[:-1]),
        keep - 1,
    )
