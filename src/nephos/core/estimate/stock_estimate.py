"""The ground of a setup as a coarse picture: where the cutter goes, and what earlier roughing leaves standing, before
anything is calculated.

A worker draws the picture from the mesh itself; until it has, one from few samples of the surface has to do.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from math import atan, ceil, degrees, inf, sqrt
from typing import Any, ClassVar

import numpy as np

from nephos.core.arrays import F32, F64, Bool
from nephos.core.cutters import Profile
from nephos.core.estimate.estimate import StockEstimate, highest_in
from nephos.core.estimate.height_map import HeightMap
from nephos.core.memo import Memo
from nephos.core.parallel import Report
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.stages.canonical import key_of
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.space import SpaceStage
from nephos.core.stages.stage import KeptResult, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.strategies.clearing.levels import by_height
from nephos.core.strategies.clearing.roughing import RoughSettings, rough_levels, wall_allowance
from nephos.core.surface.drop import drop_grid
from nephos.core.surface.level_ground import FLAT, level_ground

_MOST_CELLS = 80_000
_FINEST = 0.2
_FINER = 4
_WIDEST = 0.4
"""Of boards as large as a table the picture is drawn in more cells, so that none of it is wider (mm); few operations
look at them all."""
_COARSE = 3.0
"""A cutter of less radius than so many cells of the picture is looked at in the finer one."""
_ROUND_CELLS = 6.0
"""For contours the radius of the cutter should be as many cells."""
_ROUND = 15.0
"""Millimetres beyond models and stock that the picture shows, for the widest cutters."""
_NEEDLE = Profile.of(0.0, 1e-3)
_LEFT_BY = ("stepdown", "leave", "flats", "minimum")
"""Settings that what a roughing leaves depends on; a finer step costs time and leaves the same."""
_SAMPLED: "Memo[DrawnHeightMap]" = Memo(16)
_RELIEFS: Memo[HeightMap] = Memo(16)
_STANDING: Memo[F32] = Memo(48)
_GOES: Memo[Bool] = Memo(96)
"""Few: a fine picture has 5 MB, and as much again for each cutter on it."""


@dataclass(frozen=True)
class DrawnHeightMap:
    """Heights of the models in a setup, (ny, nx) at x0 + i * step, y0 + j * step, minus infinity beside them; and which
    heights level ground lies at, the lowest first, with how much of it does: `levels`, `areas` (n,). It is `finer` by
    so much than the picture for most cutters, and shows `beyond` mm round models and stock."""

    key: str
    x0: float
    y0: float
    step: float
    z: F32
    levels: F64
    areas: F64
    finer: int = 1
    beyond: float = 0.0

    @classmethod
    def of_result(cls, key: str, facts: Mapping[str, Any], arrays: Mapping[str, Any]) -> "DrawnHeightMap":
        """As a worker has drawn it (see :func:`draw_height_map`)."""
        return cls(
            key,
            facts["x0"],
            facts["y0"],
            facts["step"],
            np.asarray(arrays["z"], np.float32),
            np.asarray(arrays["levels"], np.float64),
            np.asarray(arrays["areas"], np.float64),
            facts["finer"],
            facts["beyond"],
        )

    def over(self, floor: float, every: int = 1, reach: float = inf) -> HeightMap:
        """The picture over a floor, of every so many places, without what is farther than `reach` mm from models and
        stock."""
        border = int(max(self.beyond - reach, 0.0) / self.step)
        z = self.z[border : len(self.z) - border : every, border : self.z.shape[1] - border : every]
        return HeightMap.of_heights(
            self.x0 + border * self.step, self.y0 + border * self.step, every * self.step, z - np.float32(floor)
        )


@dataclass(frozen=True, eq=False)
class HeightMapStage(KeptResult):
    """Draws the relief of a setup."""

    name: ClassVar[str] = "height-map"
    version: ClassVar[int] = 4

    space: SpaceStage

    @classmethod
    def of(cls, plan: Plan, setup: Setup) -> "HeightMapStage":
        """The stage for a setup of a plan."""
        return cls(SpaceStage.of(plan, setup))

    def compute(self, work: Resolver, report: Report) -> Result:
        """The relief."""
        return draw_height_map(work.of(self.space))


def draw_height_map(space: SetupSpace) -> Result:
    """The relief of a setup, from its mesh: where a needle comes to rest on each place of a grid."""
    low = np.minimum(space.stock_low, space.index.low)[:2] - _ROUND
    high = np.maximum(space.stock_high, space.index.high)[:2] + _ROUND
    coarse = max(sqrt(float(np.prod(high - low)) / _MOST_CELLS), _FINEST)
    finer = _FINER * ceil(coarse / _FINER / _WIDEST)
    step = coarse / finer
    nx, ny = (int(size / step) + 1 for size in high - low)
    under = float(space.index.low[2]) - 1.0
    z = drop_grid(space.index, float(low[0]), float(low[1]), step, nx, ny, _NEEDLE, under)
    heights, areas = by_height(*level_ground(space.index))
    return as_result(
        {"x0": float(low[0]), "y0": float(low[1]), "step": step, "finer": finer, "beyond": _ROUND},
        z=np.where(z > under, z, -np.inf).astype(np.float32),
        levels=heights,
        areas=areas,
    )


def sampled_height_map(key: str, points: F64, slopes: F64, areas: F64, stock: F64) -> DrawnHeightMap:
    """A relief from few samples (n, 3) of the upward surface, each with its slope in degrees and the area that it
    stands for; the corners of the `stock` (2, 3). What has the same `key` is the same."""

    def made() -> DrawnHeightMap:
        floor = float(points[:, 2].min())
        low, high = points[:, :2].min(axis=0), points[:, :2].max(axis=0)
        margin = (
            float(max(np.abs(np.stack([stock[:, :2].min(axis=0) - low, stock[:, :2].max(axis=0) - high])).max(), 0.0))
            + _ROUND
        )
        drawn = HeightMap.of_samples(points - [0.0, 0.0, floor], low, high, min(margin, 3 * float((high - low).max())))
        level = slopes < degrees(atan(FLAT))
        z = np.where(drawn.model, drawn.z + np.float32(floor), np.float32(-inf))
        return DrawnHeightMap(
            key_of("stock-estimate", 4, "sampled", key),
            drawn.x0,
            drawn.y0,
            drawn.step,
            z,
            *by_height(points[level, 2], areas[level]),
        )

    return _SAMPLED.get(key, made)


def _axis_goes(relief: HeightMap, operation: Operation, stock: F64, box: tuple[F64, F64]) -> Bool:
    """Where of a relief the axis of an operation's cutter goes, as well as it is known without drawing the boundary."""
    limit, radius = operation.boundary, operation.cutter.radius
    by = limit.past(radius)
    if limit.boundary == "silhouette":
        return relief.reach(relief.model, by) if by >= 0 else ~relief.reach(~relief.model, -by)
    low, high = (stock.min(axis=0), stock.max(axis=0)) if limit.boundary == "stock" else box
    return relief.within(low - by, high + by)


def _cause(operation: Operation) -> tuple[Any, ...]:
    """What the stock after an operation depends on."""
    settings = tuple(getattr(operation.settings, name, None) for name in _LEFT_BY)
    return operation.cutter.profile, operation.boundary.model_dump_json(), operation.strategy, settings


def _standing(
    key: str,
    relief: HeightMap,
    first: F32,
    flats: Callable[[Operation], tuple[float, ...]],
    earlier: list[Operation],
    axis: Callable[[Operation], Bool],
) -> F32:
    """How high material stands over the floor after earlier roughing, level by level as that will cut it; `first` is
    how it stood."""
    if not earlier:
        return first
    last = earlier[-1]
    causes = (key, *map(_cause, earlier))

    def cut() -> F32:
        before = _standing(key, relief, first, flats, earlier[:-1], axis)
        settings, cutter, goes = last.settings, last.cutter, axis(last)
        top = highest_in(relief, before, goes, cutter.radius)
        if not isinstance(settings, RoughSettings):
            tips = relief.tips(cutter.profile, settings.figures.leave)
            return np.minimum(before, relief.swept(tips, cutter.profile, goes & (tips <= top)))
        allowance = wall_allowance(cutter, settings.leave, *relief.size)
        tips = relief.tips(cutter.profile, settings.leave, allowance)
        levels = np.array([height for height, _ in rough_levels(settings, max(top, 1e-3), flats(last), allowance)])
        return np.minimum(before, relief.swept_levels(tips, cutter.profile, goes, levels + 1e-4))

    return _STANDING.get(causes, cut)


def _every(drawn: DrawnHeightMap, operation: Operation) -> int:
    """Every how many places of the drawn picture are enough for an operation."""
    if operation.settings.wants_contours:
        return min(max(int(operation.cutter.radius / _ROUND_CELLS / drawn.step), 1), drawn.finer)
    return (
        max(drawn.finer // _FINER, 1) if operation.cutter.radius < _COARSE * drawn.finer * drawn.step else drawn.finer
    )


def stock_estimate(
    plan: Plan,
    setup: Setup,
    operation: Operation,
    drawn: DrawnHeightMap,
    stock: F64,
    floor: float,
    box: tuple[F64, F64],
) -> StockEstimate:
    """The coarse picture that an operation finds: `stock` (2, 3) and `box` are corners, `floor` the height that it goes
    down to."""
    every = _every(drawn, operation)
    # As far as the widest cutter comes: what is farther costs time.
    reach = max(item.cutter.radius for item in (operation, *setup.worked)) + 2 * drawn.finer * drawn.step
    relief = _RELIEFS.get((drawn.key, floor, every, reach), lambda: drawn.over(floor, every, reach))
    key = key_of(
        "stock-estimate", 4, drawn.key, floor, stock.tolist(), np.round(box, 1).tolist(), every, reach, plan.block_pitch
    )
    earlier = [item for item in setup.worked if item.number < operation.number and item.role == "rough"]
    low, high = stock.min(axis=0), stock.max(axis=0)
    first = np.where(relief.within(low[:2], high[:2]), np.float32(high[2] - floor), np.float32(-inf))

    def axis(of: Operation) -> Bool:
        return _GOES.get(
            (key, of.boundary.model_dump_json(), of.cutter.radius), lambda: _axis_goes(relief, of, stock[:, :2], box)
        )

    def flats(of: Operation) -> tuple[float, ...]:
        return tuple((drawn.levels[drawn.areas >= 4 * of.cutter.diameter**2] - floor)[::-1].tolist())

    place = key_of("stock-estimate", 4, key, operation.cutter.radius, operation.boundary.model_dump())
    causes = [*map(_cause, earlier), operation.cutter.profile, operation.boundary.model_dump()]
    return StockEstimate(
        key_of("stock-estimate", 4, key, causes),
        place,
        relief,
        axis(operation),
        lambda: _standing(key, relief, first, flats, earlier, axis),
        flats(operation),
        bool(earlier),
        plan.block_pitch,
    )
