"""What level contours there are over a coarse picture of the ground: how long, and in how many runs."""

from dataclasses import dataclass
from math import radians, tan

import numpy as np
from scipy.spatial import cKDTree

from nephos.core.arrays import F32, Bool
from nephos.core.bands import in_bands, kernel
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


@kernel
def _edge(tips, where, height, out):  # type: ignore[no-untyped-def]
    """The cells that are not above a height and have one beside them that is, numbered in a picture with two cells more on each side."""
    ny, nx = tips.shape
    count = 0
    for j in range(1, ny - 1):
        for i in range(1, nx - 1):
            if tips[j, i] <= height and where[j, i] and (
                    tips[j, i - 1] > height or tips[j, i + 1] > height or tips[j - 1, i] > height or tips[j + 1, i] > height):
                out[count] = (j + 2) * (nx + 4) + i + 2
                count += 1
    return count


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
    found = in_bands(lambda k, _: _at_height(tips, top * (k + 0.5) / _HEIGHTS, where, steep, overlap / relief.step), _HEIGHTS, 1)
    steep_cells, cells, runs, gaps = np.sum(found, axis=0)
    ends = min(gaps, runs)
    return Walls(rise * cells / max(steep_cells, 1), ends / _HEIGHTS, (runs - ends) / _HEIGHTS)


def _at_height(tips: F32, height: float, where: Bool, steep: Bool, overlap: float) -> tuple[int, int, int, int]:
    """Of the contour at a height: cells on steep ground, cells within the overlap (in cells) of those, along the contour, how many
    runs these are, and how many gaps are between them."""
    cells = np.empty(tips.size, np.int64)
    cells = cells[: _edge(tips, where, np.float32(height), cells)]
    shape = tips.shape[0] + 4, tips.shape[1] + 4
    places = np.column_stack(np.divmod(cells, shape[1]))
    walls: Bool = steep[places[:, 0] - 2, places[:, 1] - 2]
    if not walls.any():
        return 0, 0, 0, 0
    near = walls.copy()
    if overlap > 0 and not walls.all():
        near[~walls] = np.isfinite(cKDTree(places[walls]).query(places[~walls], distance_upper_bound=overlap)[0])
    return int(walls.sum()), int(near.sum()), apart(cells[near], shape), apart(cells[~near], shape)


def walls_of(survey: Survey, profile: Profile, leave: float, steeper: float, overlap: float) -> Walls:
    """The contours over ground steeper than an angle (degrees), and so far beside it; remembered by what they hang on.

    The contours of a height function over an area are, over all heights, as long as its slope summed over the area (coarea formula:
    Federer, "Curvature measures", 1959).
    """
    return _WALLS.get((survey.place, profile, leave, steeper, overlap), lambda: _found(survey, profile, leave, steeper, overlap))
