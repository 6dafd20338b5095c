"""What level contours there are over a coarse picture of the ground: how long, and in how many runs."""

from dataclasses import dataclass
from math import ceil, radians, tan

import numpy as np

from nephos.core.arrays import I64, Bool
from nephos.core.bands import in_bands, kernel
from nephos.core.cutters import Profile
from nephos.core.memo import Memo
from nephos.core.paths.estimate import Survey
from nephos.core.paths.relief_level import FRAME, apart, listed

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


@kernel
def _crossed(tips, where, spacing, heights, begins, ends):  # type: ignore[no-untyped-def]
    """The heights (k + 1/2) `spacing` that a cell is not above but one beside it is: from `begins` to before `ends`."""
    ny, nx = tips.shape
    for j in range(1, ny - 1):
        for i in range(1, nx - 1):
            if where[j, i]:
                high = max(tips[j, i - 1], tips[j, i + 1], tips[j - 1, i], tips[j + 1, i])
                begins[j + FRAME, i + FRAME] = max(int(ceil(tips[j, i] / spacing - 0.5)), 0)
                ends[j + FRAME, i + FRAME] = min(int(ceil(high / spacing - 0.5)), heights)


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
    begins, ends = (np.zeros((tips.shape[0] + 2 * FRAME, tips.shape[1] + 2 * FRAME), np.int16) for _ in range(2))
    _crossed(tips, where, top / _HEIGHTS, _HEIGHTS, begins, ends)
    starts, cells = listed(begins, ends, _HEIGHTS)
    found = in_bands(lambda k, _: _at_height(cells[starts[k] : starts[k + 1]], steep, overlap / relief.step), _HEIGHTS, 1)
    on_walls, on_all, runs, gaps = (sum(counts) for counts in zip(*found, strict=True))
    cut_open = min(gaps, runs)
    return Walls(rise * on_all / max(on_walls, 1), cut_open / _HEIGHTS, (runs - cut_open) / _HEIGHTS)


def _at_height(cells: I64, steep: Bool, overlap: float) -> tuple[int, int, int, int]:
    """Of the cells of a contour: how many are on steep ground, how many within the overlap (in cells) of those, in how many runs these are,
    and how many gaps are between them."""
    shape = steep.shape[0] + 2 * FRAME, steep.shape[1] + 2 * FRAME
    places = np.column_stack(np.divmod(cells, shape[1]))
    walls: Bool = steep[places[:, 0] - FRAME, places[:, 1] - FRAME]
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
