"""A coarse picture of the ground in heights over a grid: what estimates see of levels, corners and walls before anything is calculated."""

from dataclasses import dataclass, field
from functools import cached_property
from math import ceil, sqrt

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F64, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.memo import Memo

_PER_CELL = 2.5
"""Samples of the surface to a cell on average, so that few are empty."""
_MOST_CELLS = 20_000
_NEAR = 3
"""An empty cell takes the height of one so many cells away at most; farther from all samples there is no model."""


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

    @cached_property
    def places(self) -> tuple[F64, F64]:
        """X (1, nx) and Y (ny, 1) of the cells."""
        ny, nx = self.z.shape
        x: F64 = self.x0 + self.step * np.arange(nx, dtype=np.float64)[None]
        y: F64 = self.y0 + self.step * np.arange(ny, dtype=np.float64)[:, None]
        return x, y

    def _underside(self, profile: Profile) -> tuple[F64, Bool]:
        """The cutter's underside on cells, and where it is."""
        reach = ceil(profile.radius / self.step)
        offsets = np.arange(-reach, reach + 1) * self.step
        # A cell stands for all of it: the cutter is met from where the cell's half begins.
        rho = np.maximum(np.hypot(*np.meshgrid(offsets, offsets)) - 0.5 * self.step, 0.0)
        on = rho <= profile.radius - 1e-9
        return profile.heights(np.minimum(rho, profile.radius)), on

    def tips(self, profile: Profile, leave: float) -> F64:
        """Lowest tip height of a cutter over each cell, `leave` mm off the surface."""
        return self._tips.get((profile, leave), lambda: self.meets(self.z, profile.grown(leave)) + leave)

    def swept(self, tips: F64, profile: Profile, where: Bool) -> F64:
        """What a cutter leaves standing that has been everywhere in `where` at the heights `tips`; infinite where it has not."""
        heights, on = self._underside(profile)
        low = np.where(where, tips, 1e9)
        left: F64 = ndimage.grey_erosion(low, footprint=on, structure=-heights, mode="nearest")
        return np.where(left > 1e8, np.inf, left)

    def reach(self, mask: Bool, radius: float) -> Bool:
        """Cells within a radius of a mask."""
        away = ndimage.distance_transform_edt(~mask) if not mask.all() else np.zeros(mask.shape)
        found: Bool = away * self.step <= radius
        return found

    def meets(self, heights: F64, profile: Profile) -> F64:
        """The tip height up to which a cutter over each cell would meet what stands at `heights`."""
        under, on = self._underside(profile)
        found: F64 = ndimage.grey_dilation(heights, footprint=on, structure=-under, mode="nearest")
        return found

    def outline_length(self, mask: Bool) -> float:
        """Length of the edges of a mask in millimetres; steps of a staircase count by the slanted line through them."""
        padded = np.pad(mask, 1)
        edges = float(np.count_nonzero(padded[1:] != padded[:-1]) + np.count_nonzero(padded[:, 1:] != padded[:, :-1]))
        return edges * self.step * np.pi / 4


def large_pieces(mask: Bool, least: float) -> tuple[Bool, int]:
    """The connected pieces of a mask that have more than `least` cells, and how many they are."""
    labels, count = ndimage.label(mask)
    sizes = np.bincount(labels.ravel(), minlength=count + 1)
    large = sizes > least
    large[0] = False
    kept: Bool = large[labels]
    return kept, int(large.sum())
