"""A coarse picture of the ground in heights over a grid: what estimates see of levels, corners and walls before
anything is calculated."""

from dataclasses import dataclass, field
from functools import cached_property
from math import ceil, sqrt

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F32, F64, I32, I64, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.memo import Memo
from nephos.core.parallel import in_parallel, inlined, kernel

_PER_CELL = 2.5
"""Samples of the surface to a cell on average, so that few are empty."""
_MOST_CELLS = 20_000
_BAND = 128
_EARLIER = 0.25
"""So many cells earlier a cutter meets a wall than cells tell (measured: times of first roughings are right at any
width of cell then)."""
_NEAR = 3
"""An empty cell takes the height of one so many cells away at most; farther from all samples there is no model."""


@kernel
def _widened(z: F32, wide: int, tables: F32) -> None:
    """tables[k, j, i] is the highest of the 2^k cells of z from i - wide on; minus infinity beside the picture."""
    rows, nx = z.shape
    for j in range(rows):
        tables[0, j, :wide] = -np.inf
        tables[0, j, wide : wide + nx] = z[j]
        tables[0, j, wide + nx :] = -np.inf
        for k in range(1, len(tables)):
            half = 1 << (k - 1)
            row, before = tables[k, j], tables[k - 1, j]
            for i in range(len(row) - half):
                row[i] = before[i] if before[i] > before[i + half] else before[i + half]


@kernel
def _highest_under(tables: F32, wide: int, spans: I32, heights: F32, before: int, out: F32) -> None:
    """For each row of `out`: the highest of z less the cutter's underside; the tables begin so many rows `before`.

    Each of `spans` (row, half of its width, table) of the cutter lies at one height: a window of any width is two of
    the table's, laid over each other (sparse table; Bender and Farach-Colton, "The LCA problem revisited", 2000)."""
    rows, nx = out.shape
    for j in range(rows):
        row = out[j]
        for k in range(len(spans)):
            other = j + before + spans[k, 0]
            if 0 <= other < tables.shape[1]:
                table = spans[k, 2]
                left = tables[table, other, wide - spans[k, 1] :]
                right = tables[table, other, wide + spans[k, 1] + 1 - (1 << table) :]
                height = heights[k]
                for i in range(nx):
                    value = (left[i] if left[i] > right[i] else right[i]) - height
                    row[i] = value if value > row[i] else row[i]


@inlined
def levels_to(levels: F32 | F64, height: float, guess: int) -> int:
    """How many of the levels, the highest first, are not under a height; neighbours are much the same, so `guess` is
    what the last one had."""
    while guess < len(levels) and levels[guess] >= height:
        guess += 1
    while guess > 0 and levels[guess - 1] < height:
        guess -= 1
    return guess


@kernel
def _at_levels(tips: F32, where: Bool, levels: F64, depths: F32) -> None:
    """How deep under 0 the last of the levels lies that is not under the tips; minus infinity where there is none."""
    rows, nx = tips.shape
    for j in range(rows):
        free = 0
        for i in range(nx):
            free = levels_to(levels, tips[j, i], free)
            depths[j, i] = -levels[free - 1] if where[j, i] and free > 0 else -np.inf


@kernel
def spread(away: F32, cells: I64) -> None:
    """Distances in cells to the nearest place at 0, in place, within 2 % (Borgefors 1986, weights 5-7-11).

    `cells` are the numbers of all others, rising, infinite before; two cells on each side of the picture are a frame.
    """
    flat = away.ravel()
    w = away.shape[1]
    for cell in cells:
        straight = min(flat[cell - 1], flat[cell - w]) + 1.0
        slanted = min(flat[cell - w - 1], flat[cell - w + 1]) + 1.4
        knight = min(flat[cell - w - 2], flat[cell - w + 2], flat[cell - 2 * w - 1], flat[cell - 2 * w + 1]) + 2.2
        flat[cell] = min(flat[cell], straight, slanted, knight)
    for k in range(len(cells) - 1, -1, -1):
        cell = cells[k]
        straight = min(flat[cell + 1], flat[cell + w]) + 1.0
        slanted = min(flat[cell + w - 1], flat[cell + w + 1]) + 1.4
        knight = min(flat[cell + w - 2], flat[cell + w + 2], flat[cell + 2 * w - 1], flat[cell + 2 * w + 1]) + 2.2
        flat[cell] = min(flat[cell], straight, slanted, knight)


@dataclass(frozen=True)
class HeightMap:
    """Heights of the models over the floor, `z` (ny, nx) float32 in millimetres, 0 where there is none; `model` (ny,
    nx) tells where there is.

    Cells are `step` mm wide; the middle of the first lies at (`x0`, `y0`). A micrometre does not count here, but speed
    does."""

    x0: float
    y0: float
    step: float
    z: F32
    model: Bool
    _tips: Memo[F32] = field(default_factory=lambda: Memo(8), repr=False, compare=False)

    @classmethod
    def of_samples(cls, points: F64, low: F64, high: F64, margin: float) -> "HeightMap":
        """From points of the upward surface, (n, 3) with heights over the floor, over the box from `low` to `high` (x,
        y) and a margin round it."""
        size = high - low
        step = max(
            sqrt(_PER_CELL * float(size.prod()) / max(len(points), 1)),
            sqrt(float((size + 2 * margin).prod()) / _MOST_CELLS),
            0.05,
        )
        border = ceil(margin / step) + 1
        nx, ny = (ceil(float(length) / step) + 1 + 2 * border for length in size)
        i, j = (np.round((points[:, k] - low[k]) / step).astype(np.int64) + border for k in (0, 1))
        z = np.full((ny, nx), -np.inf)
        on = (i >= 0) & (i < nx) & (j >= 0) & (j < ny)
        np.maximum.at(z, (j[on], i[on]), points[on, 2])
        away, (rows, columns) = ndimage.distance_transform_edt(np.isinf(z), return_indices=True)
        near = ndimage.binary_closing(np.pad(away == 0, _NEAR), iterations=_NEAR)[_NEAR:-_NEAR, _NEAR:-_NEAR]
        filled = np.where(near, z[rows, columns], 0.0)
        return cls(
            float(low[0]) - border * step,
            float(low[1]) - border * step,
            step,
            np.maximum(filled, 0.0).astype(np.float32),
            near,
        )

    @classmethod
    def of_heights(cls, x0: float, y0: float, step: float, z: F32) -> "HeightMap":
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

    def meets(self, heights: F32, profile: Profile) -> F32:
        """The tip height up to which a cutter over each cell would meet what stands at `heights`.

        Walls stand anywhere between the cells that show them: on average the cutter meets them earlier than the last of
        its cells does."""
        spans, under, wide = _spans(profile, self.step)
        ny, nx = heights.shape
        found = np.full((ny, nx), -np.inf, np.float32)

        def rest(first: int, last: int) -> None:
            low, high = max(first - wide, 0), min(last + wide, ny)
            tables = np.empty((int(spans[:, 2].max()) + 1, high - low, nx + 2 * wide), np.float32)
            _widened(heights[low:high], wide, tables)
            _highest_under(tables, wide, spans, under, first - low, found[first:last])

        in_parallel(rest, ny, _BAND)
        return found

    def tips(self, profile: Profile, leave: float, allowance: float = 0.0) -> F32:
        """Lowest tip height of a cutter over each cell, `leave` mm off the surface; and `allowance` more off walls, but
        not over level ground."""
        return self._tips.get(
            (profile, leave, allowance),
            lambda: self.meets(self.z, profile.grown(leave).grown(allowance)) + np.float32(leave),
        )

    def swept(self, tips: F32, profile: Profile, where: Bool) -> F32:
        """What a cutter leaves standing that has been everywhere in `where` at the heights `tips`; infinite where it
        has not."""
        return -self.meets(np.where(where, -tips, np.float32(-np.inf)), profile)

    def swept_levels(self, tips: F32, profile: Profile, where: Bool, levels: F64) -> F32:
        """As :meth:`swept` for a cutter that goes down to the last of its levels, (n,) and the highest first, that is
        not under its `tips`."""
        depths = np.empty(tips.shape, np.float32)
        in_parallel(
            lambda first, last: _at_levels(tips[first:last], where[first:last], levels, depths[first:last]),
            len(tips),
            _BAND,
        )
        return -self.meets(depths, profile)

    def away(self, mask: Bool) -> F32:
        """How far each cell is from a mask, mm, from middle to middle; infinite where there is none."""
        away = np.full((mask.shape[0] + 4, mask.shape[1] + 4), np.inf, np.float32)
        away[2:-2, 2:-2][mask] = 0.0
        spread(away, np.flatnonzero(np.pad(~mask, 2)))
        return np.float32(self.step) * away[2:-2, 2:-2]

    def reach(self, mask: Bool, radius: float) -> Bool:
        """Cells within a radius of a mask."""
        found: Bool = self.away(mask) <= radius
        return found


def _spans(profile: Profile, step: float) -> tuple[I32, F32, int]:
    """A cutter over a grid: pieces (row, half of the width, table of :func:`_widened`) (n, 3) int32 of its underside
    and their heights (n,) float32, and the largest half width. What lies level in a row is one piece; of a round, each
    cell with the one across from it."""
    wide = ceil((profile.radius + _EARLIER * step) / step)
    rows, halves = np.mgrid[-wide : wide + 1, 0 : wide + 1]
    rho = np.hypot(rows, halves) * step - _EARLIER * step
    heights = profile.heights(np.clip(rho, 0.0, profile.radius))
    on = rho <= profile.radius
    beside = np.pad(on & (heights == 0.0), ((0, 0), (0, 1)))[:, 1:]
    kept = on & ~((heights == 0.0) & beside)
    level = heights[kept] == 0.0
    windows = 2 * halves[kept] + 1
    tables = np.where(level, np.floor(np.log2(windows)), 0)
    return (
        np.column_stack([rows[kept], halves[kept], tables]).astype(np.int32),
        heights[kept].astype(np.float32),
        wide,
    )
