"""A coarse picture of the ground in heights over a grid: what estimates see of levels, corners and walls before anything is calculated."""

from dataclasses import dataclass, field
from functools import cached_property
from math import ceil, sqrt

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F32, F64, Bool
from nephos.core.bands import in_bands, kernel
from nephos.core.cutters.profile import Profile
from nephos.core.memo import Memo

_PER_CELL = 2.5
"""Samples of the surface to a cell on average, so that few are empty."""
_MOST_CELLS = 20_000
_BAND = 64
_NEAR = 3
"""An empty cell takes the height of one so many cells away at most; farther from all samples there is no model."""


@kernel
def _highest_under(z, rows, columns, under, first, last, out):  # type: ignore[no-untyped-def]
    """For rows `first` to `last`: the highest of z less the cutter's underside, over the cells that lie under it."""
    ny, nx = z.shape
    for j in range(first, last):
        for k in range(len(under)):
            other = j + rows[k]
            if 0 <= other < ny:
                shift = columns[k]
                height = under[k]
                for i in range(max(0, -shift), min(nx, nx - shift)):
                    value = z[other, i + shift] - height
                    out[j, i] = max(out[j, i], value)


@kernel
def _chamfer(away):  # type: ignore[no-untyped-def]
    """Distances in cells to the nearest cell at 0, in place, within 2 % (Borgefors 1986, weights 5-7-11); two cells on each side are a frame."""
    ny, nx = away.shape
    for j in range(2, ny - 2):
        for i in range(2, nx - 2):
            if away[j, i] > 0.0:
                straight = min(away[j, i - 1], away[j - 1, i]) + 1.0
                slanted = min(away[j - 1, i - 1], away[j - 1, i + 1]) + 1.4
                knight = min(away[j - 1, i - 2], away[j - 1, i + 2], away[j - 2, i - 1], away[j - 2, i + 1]) + 2.2
                away[j, i] = min(away[j, i], straight, slanted, knight)
    for j in range(ny - 3, 1, -1):
        for i in range(nx - 3, 1, -1):
            if away[j, i] > 0.0:
                straight = min(away[j, i + 1], away[j + 1, i]) + 1.0
                slanted = min(away[j + 1, i - 1], away[j + 1, i + 1]) + 1.4
                knight = min(away[j + 1, i - 2], away[j + 1, i + 2], away[j + 2, i - 1], away[j + 2, i + 1]) + 2.2
                away[j, i] = min(away[j, i], straight, slanted, knight)


@dataclass(frozen=True)
class Relief:
    """Heights of the models over the floor, `z` (ny, nx) float64 in millimetres, 0 where there is none; `model` (ny, nx) tells where there is.

    Cells are `step` mm wide; the middle of the first lies at (`x0`, `y0`).
    """

    x0: float
    y0: float
    step: float
    z: F64
    model: Bool
    _tips: Memo[F64] = field(default_factory=lambda: Memo(16), repr=False, compare=False)

    @classmethod
    def of_samples(cls, points: F64, low: F64, high: F64, margin: float) -> "Relief":
        """From points of the upward surface, (n, 3) with heights over the floor, over the box from `low` to `high` (x, y) and a margin round it."""
        size = high - low
        step = max(sqrt(_PER_CELL * float(size.prod()) / max(len(points), 1)), sqrt(float((size + 2 * margin).prod()) / _MOST_CELLS), 0.05)
        border = ceil(margin / step) + 1
        nx, ny = (ceil(float(length) / step) + 1 + 2 * border for length in size)
        i, j = (np.round((points[:, k] - low[k]) / step).astype(np.int64) + border for k in (0, 1))
        z = np.full((ny, nx), -np.inf)
        on = (i >= 0) & (i < nx) & (j >= 0) & (j < ny)
        np.maximum.at(z, (j[on], i[on]), points[on, 2])
        away, (rows, columns) = ndimage.distance_transform_edt(np.isinf(z), return_indices=True)
        near = ndimage.binary_closing(np.pad(away == 0, _NEAR), iterations=_NEAR)[_NEAR:-_NEAR, _NEAR:-_NEAR]
        filled: F64 = np.where(near, z[rows, columns], 0.0)
        return cls(float(low[0]) - border * step, float(low[1]) - border * step, step, np.maximum(filled, 0.0), near)

    @classmethod
    def of_heights(cls, x0: float, y0: float, step: float, z: F64) -> "Relief":
        """From heights over the floor (ny, nx), minus infinity where there is no model."""
        return cls(x0, y0, step, np.maximum(z, 0.0), np.isfinite(z))

    @property
    def size(self) -> tuple[float, float]:
        """Width and height of the picture, mm."""
        ny, nx = self.z.shape
        return nx * self.step, ny * self.step

    @cached_property
    def places(self) -> tuple[F64, F64]:
        """X (1, nx) and Y (ny, 1) of the cells."""
        ny, nx = self.z.shape
        x: F64 = self.x0 + self.step * np.arange(nx, dtype=np.float64)[None]
        y: F64 = self.y0 + self.step * np.arange(ny, dtype=np.float64)[:, None]
        return x, y

    def within(self, low: F64, high: F64) -> Bool:
        """Cells whose middles lie between two corners (x, y)."""
        x, y = self.places
        found: Bool = (x >= low[0]) & (x <= high[0]) & (y >= low[1]) & (y <= high[1])
        return found

    def meets(self, heights: F64, profile: Profile) -> F64:
        """The tip height up to which a cutter over each cell would meet what stands at `heights`."""
        reach = ceil(profile.radius / self.step)
        rows, columns = np.mgrid[-reach : reach + 1, -reach : reach + 1]
        rho = np.hypot(rows, columns) * self.step
        on = rho <= profile.radius
        found = np.full(heights.shape, -1e9, np.float32)
        # Half the precision, twice the speed: a micrometre does not count here.
        stands, under = heights.astype(np.float32), profile.heights(rho[on]).astype(np.float32)
        in_bands(lambda first, last: _highest_under(stands, rows[on], columns[on], under, first, last, found), len(heights), _BAND)
        return found.astype(np.float64)

    def tips(self, profile: Profile, leave: float, allowance: float = 0.0) -> F64:
        """Lowest tip height of a cutter over each cell, `leave` mm off the surface; and `allowance` more off walls, but not over level ground."""
        return self._tips.get((profile, leave, allowance), lambda: self.meets(self.z, profile.grown(leave).grown(allowance)) + leave)

    def swept(self, tips: F64, profile: Profile, where: Bool) -> F64:
        """What a cutter leaves standing that has been everywhere in `where` at the heights `tips`; infinite where it has not."""
        left = -self.meets(np.where(where, -tips, -1e9), profile)
        return np.where(left > 1e8, np.inf, left)

    def away(self, mask: Bool) -> F32:
        """How far each cell is from a mask, mm, from middle to middle; infinite where there is none."""
        away = np.full((mask.shape[0] + 4, mask.shape[1] + 4), np.inf, np.float32)
        away[2:-2, 2:-2][mask] = 0.0
        _chamfer(away)
        return np.float32(self.step) * away[2:-2, 2:-2]

    def reach(self, mask: Bool, radius: float) -> Bool:
        """Cells within a radius of a mask."""
        found: Bool = self.away(mask) <= radius
        return found

    def edge_length(self, mask: Bool, other: Bool) -> float:
        """Length of the edges between a mask and another one, mm; steps of a staircase count by the slanted line through them."""
        upright = np.count_nonzero(mask[1:] & other[:-1]) + np.count_nonzero(mask[:-1] & other[1:])
        across = np.count_nonzero(mask[:, 1:] & other[:, :-1]) + np.count_nonzero(mask[:, :-1] & other[:, 1:])
        return float(upright + across) * self.step * np.pi / 4


def large_pieces(mask: Bool, least: float) -> tuple[Bool, int]:
    """The connected pieces of a mask that have more than `least` cells, and how many they are."""
    labels, count = ndimage.label(mask)
    sizes = np.bincount(labels.ravel(), minlength=count + 1)
    large = sizes > least
    large[0] = False
    kept: Bool = large[labels]
    return kept, int(large.sum())
