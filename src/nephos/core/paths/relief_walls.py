"""What level contours there are over a coarse picture of the ground: how long, and in how many runs."""

from dataclasses import dataclass
from math import ceil, radians, tan

import numpy as np

from nephos.core.arrays import I64, Bool
from nephos.core.bands import in_bands, inlined, kernel
from nephos.core.cutters import Profile
from nephos.core.memo import Memo
from nephos.core.paths.estimate import Survey
from nephos.core.paths.relief_level import apart

_HEIGHTS = 48
"""Contours are looked at closely at so many heights."""


@dataclass(frozen=True)
class Walls:
    """Contours of the tip over steep ground: their length times their distance in height (mm^2), and at a height, on average, how many runs
    they are that end somewhere, and how many closed ones."""

    rise: float
    open: float
    closed: float


_WALLS: Memo[Walls] = Memo(32)


@inlined
def _crossed(tips, j, i, spacing, heights):  # type: ignore[no-untyped-def]
    """The heights (k + 1/2) `spacing` that a cell is not above but one beside it is: from the first k to before the last."""
    high = max(tips[j, i - 1], tips[j, i + 1], tips[j - 1, i], tips[j + 1, i])
    return max(int(ceil(tips[j, i] / spacing - 0.5)), 0), min(int(ceil(high / spacing - 0.5)), heights)


@kernel
def _count(tips, where, spacing, starts):  # type: ignore[no-untyped-def]
    """How many cells the contours at all heights before each have."""
    ny, nx = tips.shape
    for j in range(1, ny - 1):
        for i in range(1, nx - 1):
            if where[j, i]:
                first, last = _crossed(tips, j, i, spacing, len(starts) - 1)
                for k in range(first, last):
                    starts[k + 1] += 1
    for k in range(1, len(starts)):
        starts[k] += starts[k - 1]


@kernel
def _list(tips, where, spacing, starts, cells):  # type: ignore[no-untyped-def]
    """The cells of the contour at each height, numbered in a picture with two more on each side."""
    ny, nx = tips.shape
    cursor = starts.copy()
    for j in range(1, ny - 1):
        for i in range(1, nx - 1):
            if where[j, i]:
                first, last = _crossed(tips, j, i, spacing, len(starts) - 1)
                for k in range(first, last):
                    cells[cursor[k]] = (j + 2) * (nx + 4) + i + 2
                    cursor[k] += 1


@kernel
def _beside(cells, walls, width, size, blocks, near):  # type: ignore[no-untyped-def]
    """Which cells are near those on walls: in the same block of `size` cells or in one beside it; `blocks` are all 0 and have a frame."""
    for k in range(len(cells)):
        if walls[k]:
            blocks[cells[k] // width // size + 1, cells[k] % width // size + 1] = 1
    for k in range(len(cells)):
        j, i = cells[k] // width // size, cells[k] % width // size
        near[k] = walls[k] or blocks[j : j + 3, i : i + 3].max() > 0


def _found(survey: Survey, profile: Profile, leave: float, steeper: float, overlap: float) -> Walls:
    relief = survey.relief
    tips = relief.tips(profile, leave)
    gy, gx = np.gradient(tips, np.float32(relief.step))
    slope = np.hypot(gx, gy)
    # Outer walls lie on the edge of where the cutter may be.
    where = relief.reach(survey.region, 1.5 * relief.step)
    steep = where & (slope >= tan(radians(steeper)))
    rise = float(slope[steep].sum(dtype=np.float64)) * relief.step**2
    top = float(tips[survey.region].max(initial=0.0))
    if rise == 0.0 or top <= 0.0:
        return Walls(0.0, 0.0, 0.0)
    starts, spacing = np.zeros(_HEIGHTS + 1, np.int64), top / _HEIGHTS
    _count(tips, where, spacing, starts)
    cells = np.empty(starts[-1], np.int64)
    _list(tips, where, spacing, starts, cells)
    found = in_bands(lambda k, _: _at_height(cells[starts[k] : starts[k + 1]], steep, overlap / relief.step), _HEIGHTS, 1)
    on_walls, on_all, runs, gaps = np.sum(found, axis=0)
    ends = min(gaps, runs)
    return Walls(rise * on_all / max(on_walls, 1), ends / _HEIGHTS, (runs - ends) / _HEIGHTS)


def _at_height(cells: I64, steep: Bool, overlap: float) -> tuple[int, int, int, int]:
    """Of the cells of a contour: how many are on steep ground, how many within the overlap (in cells) of those, in how many runs these are,
    and how many gaps are between them."""
    shape = steep.shape[0] + 4, steep.shape[1] + 4
    places = np.column_stack(np.divmod(cells, shape[1]))
    walls: Bool = steep[places[:, 0] - 2, places[:, 1] - 2]
    if not walls.any():
        return 0, 0, 0, 0
    # On average one and a half blocks away.
    near, size = walls.copy(), max(int(overlap / 1.5), 1)
    if overlap > 0:
        _beside(cells, walls, shape[1], size, np.zeros((shape[0] // size + 3, shape[1] // size + 3), np.uint8), near)
    return int(walls.sum()), int(near.sum()), apart(cells[near], shape), apart(cells[~near], shape)


def walls_of(survey: Survey, profile: Profile, leave: float, steeper: float, overlap: float) -> Walls:
    """The contours over ground steeper than an angle (degrees), and so far beside it; remembered by what they hang on.

    The contours of a height function over an area are, over all heights, as long as its slope summed over the area (coarea formula:
    Federer, "Curvature measures", 1959).
    """
    return _WALLS.get((survey.place, profile, leave, steeper, overlap), lambda: _found(survey, profile, leave, steeper, overlap))
