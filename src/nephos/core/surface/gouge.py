"""How deep moves go into the model: cutter against mesh, exact at places along each move, on no grid.

The depth of a gouge is the penetration depth of the cutter: the shortest path, in any direction that is not down, on
which it comes clear of the mesh (Cameron, "Enhancing GJK: computing minimum and directional distance", 1997, for the
term). On a plane, a slope or a wall that is the depth along the normal. A thin lip beside the cutter counts as deep as
the cutter goes into it, however tall the lip is."""

from dataclasses import dataclass
from math import ceil, pi, sqrt

import numpy as np

from nephos.core.arrays import F64, I64
from nephos.core.cutters.profile import Profile
from nephos.core.parallel import Report, in_parallel, kernel, silent
from nephos.core.surface.drop import Surface, SurfaceArrays, across, drop_at

_BETWEEN = 0.001
"""So much deeper (mm) than at the places that are looked at a move may be between them."""
_NEAREST, _FARTHEST = 0.02, 0.1
"""Those places are so far apart (mm), by the radius with which the cutter touches."""
DEEPEST = 5.0
"""Deeper than this (mm) is not told apart."""
_ROWS = 24
_STEPS = 9
_LISTED = 400
"""Places of one band whose depth is measured at most; past that only deeper ones are."""


@dataclass(frozen=True)
class Gouge:
    """A place where a move goes into the model: the tip (x, y, z) there, how deep (mm), and the number of the move."""

    place: tuple[float, float, float]
    depth: float
    move: int


def _directions() -> F64:
    """Unit vectors (n, 3) over the upper half of a sphere: straight up, then rows from steep to level."""
    found = [[0.0, 0.0, 1.0]]
    for degrees in (0, 30, 60, 15, 45, 75):
        lift = degrees * pi / 180
        for k in range(_ROWS):
            turn = 2 * pi * (k + (degrees % 30) / 30) / _ROWS
            found.append([np.cos(lift) * np.cos(turn), np.cos(lift) * np.sin(turn), np.sin(lift)])
    return np.array(found)


_DIRECTIONS = _directions()


@kernel
def _comes_clear(
    grid: SurfaceArrays, x: float, y: float, z: float, p: Profile, by: float, directions: F64, last: int
) -> int:
    """Number of a direction in which the cutter comes clear on a way of length `by`; -1 where there is none. `last` is
    tried first."""
    n = len(directions)
    share = across(grid, z, p)
    for q in range(-1, n):
        k = last if q < 0 else q
        up = z + by * directions[k, 2] + 1e-9
        tip, _ = drop_at(grid, x + by * directions[k, 0], y + share * by * directions[k, 1], p, up, -1)
        if tip <= up:
            return k
    return -1


@kernel
def _depth(
    grid: SurfaceArrays,
    x: float,
    y: float,
    z: float,
    p: Profile,
    low: float,
    most: float,
    directions: F64,
    last: int,
) -> tuple[float, int]:
    """Penetration depth between `low`, known to be too little, and `most`; and the direction that comes clear."""
    high = min(2 * low, most)
    while True:
        found = _comes_clear(grid, x, y, z, p, high, directions, last)
        if found >= 0:
            last = found
            break
        if high >= most:
            return most, last
        low, high = high, min(2 * high, most)
    for _ in range(_STEPS):
        middle = 0.5 * (low + high)
        found = _comes_clear(grid, x, y, z, p, middle, directions, last)
        if found >= 0:
            high, last = middle, found
        else:
            low = middle
    return high, last


@kernel
def _along(
    grid: SurfaceArrays,
    points: F64,
    first: int,
    p: Profile,
    every: float,
    limit: float,
    least: float,
    most: float,
    directions: F64,
    places: F64,
    moves: I64,
) -> int:
    """Measure along moves; writes places (x, y, z, depth) and move numbers, returns how many there are.

    Kept are places deeper than `limit`, and of shallower ones each that is deeper than all before it and than `least`.
    """
    count = 0
    deepest = least
    hint = -1
    last = 0
    for k in range(len(points) - 1):
        a, b = points[k], points[k + 1]
        if b[0] != b[0]:
            continue
        known = a[0] == a[0] and a[2] == a[2]
        length = sqrt((b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2) if known else 0.0
        steps = max(int(ceil(length / every)), 1)
        of_move = 0.0
        for s in range(1, steps + 1):
            share = s / steps if known else 1.0
            x = a[0] + share * (b[0] - a[0]) if known else b[0]
            y = a[1] + share * (b[1] - a[1]) if known else b[1]
            z = a[2] + share * (b[2] - a[2]) if known else b[2]
            bar = max(min(deepest, limit), of_move)
            if count >= _LISTED:
                bar = max(bar, deepest)
            tip, rest = drop_at(grid, x, y, p, z + bar, hint)
            if rest < 0:
                continue
            hint = rest
            clear = _comes_clear(grid, x, y, z, p, bar, directions, last)
            if clear >= 0:
                last = clear
                continue
            depth, last = _depth(grid, x, y, z, p, bar, min(tip - z, most), directions, last)
            of_move = depth
            deepest = max(deepest, depth)
            if count < len(places):
                places[count, 0], places[count, 1], places[count, 2], places[count, 3] = x, y, z, depth
                moves[count] = first + k
                count += 1
    return count


def gouges_along(
    index: Surface, points: F64, cutter: Profile, limit: float, report: Report = silent
) -> tuple[Gouge, ...]:
    """Where moves go into the model, the deepest first.

    Parameters
    ----------
    points : (n + 1, 3) float64 tip positions in the space of the index, mm; places not yet known are not a number.
    limit : all moves that go deeper than this (mm) are listed. Of shallower ones the deepest is, where it is more than
    a quarter of it.

    Returns
    -------
    One entry a move at most. Depths are within 2 % (directions are tried every 15 degrees).
    """
    round_ = cutter.corner or (cutter.radius if cutter.slope == np.inf else 0.0)
    every = min(max(sqrt(8 * round_ * _BETWEEN), _NEAREST), _FARTHEST)
    points = np.ascontiguousarray(points)

    def work(first: int, last: int) -> list[Gouge]:
        places, moves = np.empty((2 * _LISTED, 4)), np.empty(2 * _LISTED, np.int64)
        count = _along(
            index.arrays,
            points[first : last + 1],
            first,
            cutter,
            every,
            limit,
            limit / 4,
            DEEPEST,
            _DIRECTIONS,
            places,
            moves,
        )
        return [
            Gouge((x, y, z), depth, int(move))
            for (x, y, z, depth), move in zip(places[:count].tolist(), moves[:count], strict=True)
        ]

    moves = len(points) - 1
    found = (
        [item for band in in_parallel(work, moves, max(512, moves // 64 + 1), report) for item in band]
        if moves > 0
        else []
    )
    deepest: dict[int, Gouge] = {}
    for item in found:
        if item.move not in deepest or item.depth > deepest[item.move].depth:
            deepest[item.move] = item
    ordered = sorted(deepest.values(), key=lambda item: (-item.depth, item.move))
    return tuple(ordered[:1] + [item for item in ordered[1:] if item.depth > limit])
