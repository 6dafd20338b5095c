"""How much of a cutter's round is in the material along a level path, on a grid of what stands at that level."""

from dataclasses import dataclass
from math import inf, sqrt

import numpy as np

from nephos.core.arrays import F64, I64, Bool
from nephos.core.parallel import inlined, kernel
from nephos.core.stock.block import Block, Grid
from nephos.core.strategies.clearing.levels import stands_over

_ANGLES = 36
"""Places of the half of the round that goes ahead; the other half has cleared its path itself."""
_BEHIND = 0.5
"""The path is taken out so many radii behind the cutter, as what has just been taken out would hide what stands at its
side."""
_APART = 1.5
"""Cells between the places that are looked at."""
_INSIDE = 0.7
"""The round is looked up so many cells inside of its edge, as a cell stands for all around its middle."""


@inlined
def _take(stands: Bool, x: float, y: float, reach: float) -> None:
    """Clear the cells of `stands` (ny, nx) within `reach` cells of (x, y), in cells."""
    ny, nx = stands.shape
    for j in range(max(int(np.ceil(y - reach)), 0), min(int(np.floor(y + reach)) + 1, ny)):
        half = np.sqrt(reach * reach - (j - y) * (j - y))
        for i in range(max(int(np.ceil(x - half)), 0), min(int(np.floor(x + half)) + 1, nx)):
            stands[j, i] = False


@kernel
def _go(
    stands: Bool,
    x0: float,
    y0: float,
    pitch: float,
    points: F64,
    parts: I64,
    radius: float,
    around: F64,
    behind: int,
    out: F64,
) -> None:
    """Engagement along a path `points` (n, 2): for each of the `parts` (n - 1,) of its segments the share of the rim
    that meets material, into `out`. `stands` (ny, nx) is cleared `behind` places later; `around` (m, 2) are directions
    on the rim; `radius` and `pitch` in mm."""
    ny, nx = stands.shape
    reach = radius / pitch
    seen = max(reach - _INSIDE, 0.5)
    places = np.empty((len(out), 2))
    count = 0
    taken = 0
    for k in range(len(points) - 1):
        dx = (points[k + 1, 0] - points[k, 0]) / pitch
        dy = (points[k + 1, 1] - points[k, 1]) / pitch
        length = max(sqrt(dx * dx + dy * dy), 1e-12)
        for q in range(1, parts[k] + 1):
            x = (points[k, 0] - x0) / pitch + dx * q / parts[k]
            y = (points[k, 1] - y0) / pitch + dy * q / parts[k]
            met = 0
            for a in range(len(around)):
                i = int(np.round(x + seen * (around[a, 0] * dx - around[a, 1] * dy) / length))
                j = int(np.round(y + seen * (around[a, 1] * dx + around[a, 0] * dy) / length))
                if 0 <= i < nx and 0 <= j < ny and stands[j, i]:
                    met += 1
            out[count] = met * 180.0 / len(around)
            places[count, 0] = x
            places[count, 1] = y
            count += 1
            if count - taken > behind:
                _take(stands, places[taken, 0], places[taken, 1], reach)
                taken += 1
    while taken < count:
        _take(stands, places[taken, 0], places[taken, 1], reach)
        taken += 1


@dataclass(frozen=True)
class Standing:
    """What stands above one level: `stands` (ny, nx) bool over a grid. It is cut as paths are gone."""

    grid: Grid
    stands: Bool

    @classmethod
    def above(
        cls,
        block: Block,
        level: float,
        low: tuple[float, float],
        high: tuple[float, float],
        cleared: float = inf,
    ) -> "Standing":
        """Material of a block above a level and below `cleared`, the level that was cut before, between two corners on
        the plan."""
        rows, columns = block.grid.window(low, high)
        stands: Bool = np.ascontiguousarray(stands_over(block, level + 0.02, cleared)[rows, columns])
        grid = block.grid
        return cls(
            Grid(
                grid.x0 + columns.start * grid.pitch,
                grid.y0 + rows.start * grid.pitch,
                grid.pitch,
                stands.shape[1],
                stands.shape[0],
            ),
            stands,
        )

    def go(self, points: F64, radius: float) -> tuple[F64, F64]:
        """Go along `points` (n, 2) with a cutter.

        Returns
        -------
        degrees : (m,) float64, how much of its round is in the material at places one or two cells apart.
        along : (m,) float64, how far along the path, in mm, these places are.
        """
        grid = self.grid
        steps = np.hypot(*np.diff(points, axis=0).T)
        parts = np.maximum(np.ceil(steps / (_APART * grid.pitch)), 1).astype(np.int64)
        out = np.empty(int(parts.sum()))
        angles = (np.arange(_ANGLES) + 0.5) * np.pi / _ANGLES - np.pi / 2
        around = np.column_stack([np.cos(angles), np.sin(angles)])
        behind = int(_BEHIND * radius / (_APART * grid.pitch))
        _go(self.stands, grid.x0, grid.y0, grid.pitch, np.ascontiguousarray(points), parts, radius, around, behind, out)
        return out, np.cumsum(np.repeat(steps / parts, parts))
