"""How much each roughing of a part of several faces finds to cut, on coarse cells, before anything is calculated."""

from collections.abc import Sequence
from math import inf
from typing import NamedTuple

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F64, I64, Bool
from nephos.core.errors import Refused
from nephos.core.findings.terrain import Shown, Terrain, terrain_of
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup

_CELLS = 100
"""Cells along the longest side of the stock."""
_NEAR = 3
"""Cells within this distance (in cells) of the models are not counted."""


def _cut_heights(terrain: Terrain, operation: Operation) -> F64:
    """(ny, nx) heights that a roughing cuts down to; inf where it does not go.

    A flat cutter does not enter a gap that is narrower than itself: its cut is the closing of the heights by its
    disc."""
    zone = terrain.zone(operation.boundary, operation.cutter)
    if zone is None:
        return np.full(terrain.heights.shape, inf)
    disc = terrain.disc(operation.cutter.radius)
    covered = np.where(terrain.covered, terrain.heights, terrain.ground)
    tips = ndimage.maximum_filter(covered, footprint=disc, mode="nearest")
    tips = np.where(zone, np.maximum(tips + operation.settings.figures.leave, terrain.ground), inf)
    if operation.cut_to is not None:
        tips = np.maximum(tips, terrain.top - operation.cut_to)
    heights: F64 = ndimage.minimum_filter(tips, footprint=disc, mode="constant", cval=inf)
    return heights


class _View(NamedTuple):
    """Cells of the stock in the frame of a setup: the `height` (n,) of each, and its row `j` and column `i` (n,) in the
    terrain."""

    terrain: Terrain
    roughings: list[Operation]
    height: F64
    j: I64
    i: I64

    @classmethod
    def of(cls, plan: Plan, setup: Setup, shown: Sequence[Shown], cells: F64) -> "_View":
        """The view of a setup on cells (n, 3) in stock space.

        Raises
        ------
        Refused
            Without a model.
        """
        terrain = terrain_of(plan, setup, shown)
        if terrain is None:
            raise Refused("the model has no surface: choose another mesh")
        matrix = setup.frame(plan.stock).matrix
        moved = cells @ matrix[:3, :3].T + matrix[:3, 3]
        ny, nx = terrain.heights.shape
        i = np.clip(np.rint((moved[:, 0] - terrain.x0) / terrain.step).astype(np.int64), 0, nx - 1)
        j = np.clip(np.rint((moved[:, 1] - terrain.y0) / terrain.step).astype(np.int64), 0, ny - 1)
        roughings = [item for item in setup.worked if item.role == "rough"]
        return cls(terrain, roughings, moved[:, 2], j, i)

    def above(self, heights: F64) -> Bool:
        """(n,) which cells lie over `heights` (ny, nx)."""
        over: Bool = self.height > heights[self.j, self.i]
        return over

    @property
    def under(self) -> Bool:
        """(n,) which cells lie under what this setup sees of the models."""
        return ~self.above(self.terrain.heights)


def coarse_removed(plan: Plan, shown: Sequence[Shown]) -> dict[int, float]:
    """Volume (mm^3) that each roughing removes, by its number, in the order of the setups.

    Cells are a hundredth of the stock long. The terrain has an error of about one of its cells at the surface, so cells
    near the models are not counted."""
    size = np.array(plan.stock.size)
    step = float(size.max()) / _CELLS
    axes = [np.arange(step / 2, length, step) for length in size]
    shape = tuple(len(axis) for axis in axes)
    cells = np.stack(np.meshgrid(*axes, indexing="ij"), -1).reshape(-1, 3)
    views = [_View.of(plan, setup, shown, cells) for setup in plan.setups]
    inside = np.all([view.under for view in views], axis=0)
    near = ndimage.binary_dilation(inside.reshape(shape), iterations=_NEAR).ravel()
    standing = np.ones(len(cells), np.bool_)
    found: dict[int, float] = {}
    for view in views:
        for operation in view.roughings:
            taken = standing & view.above(_cut_heights(view.terrain, operation))
            standing &= ~taken
            found[operation.number] = float((taken & ~near).sum()) * step**3
    return found
