"""Level roughing under constant engagement: fronts that widen what is free, the cutter nowhere engaged more than asked
where there is room."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Literal

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.estimate.estimate import Estimate, EstimateInput
from nephos.core.parallel import in_parallel, part
from nephos.core.polyline import from_nearest
from nephos.core.stock.block import Block
from nephos.core.strategies.clearing.engagement import Standing
from nephos.core.strategies.clearing.fronts import Clearing, Path
from nephos.core.strategies.clearing.levels import TRACE, areas_of, material_above
from nephos.core.strategies.clearing.regions import Region, cut_in_order, level_regions
from nephos.core.strategies.clearing.roughing import (
    ROUGHING_SHAPES,
    RoughSettings,
    describe_rough,
    estimate_rough,
    rough_work,
)
from nephos.core.strategies.registry import Strategy, Task, choice, number
from nephos.core.toolpath import Pass, Passes
from nephos.core.units import Say

_WAYS = {"both": "both ways", "climb": "climb", "conventional": "conventional"}
_STAY_DOWN = 6.0
"""Diameters of the cutter that it goes back through cleared ground sooner than lifting."""
_AS_RINGS = 0.9
_ROUND_WALLS = 186.0
"""It takes so many times what going along rings of the same step would, and so many seconds to a metre of wall, where
fronts are short and the cutter goes back again and again (fitted on reliefs)."""


class RoughEngagementSettings(RoughSettings):
    """Settings of roughing in fronts."""

    engagement: float = number(
        "Engagement",
        60.0,
        unit="°",
        low=15,
        high=150,
        step=5,
        help="at most so much of the cutter's round in the material, in corners and slots too",
    )
    direction: Literal["both", "climb", "conventional"] = choice("Direction", "both", _WAYS)


def _turned(path: Path, direction: str, at: F64 | None) -> F64:
    """The points of a way in the order of cutting: paths have their material on the right, which is climb."""
    if path.closed:
        points = path.points if direction != "conventional" else path.points[::-1]
        return points if path.helix else from_nearest(points, at)
    back = direction == "conventional"
    if direction == "both" and at is not None:
        back = bool(((path.points[-1] - at) ** 2).sum() < ((path.points[0] - at) ** 2).sum())
    return path.points[::-1] if back else path.points


def _paths(region: Region, settings: RoughEngagementSettings, cutter: Cutter, block: Block) -> list[Path]:
    met = material_above(block, region.level + TRACE, cutter.radius, 0.0, region.cleared)
    outside = areas_of(region.polygon.difference(met))
    x_low, y_low, x_high, y_high = region.polygon.buffer(cutter.radius).bounds
    standing = Standing.above(block, region.level, (x_low, y_low), (x_high, y_high), region.cleared)
    clearing = Clearing(cutter.radius, settings.engagement, settings.stepover, standing)
    return list(clearing.paths(region.polygon, outside))


def _passes(paths: list[Path], level: float, direction: str, at: F64 | None) -> Iterator[Pass]:
    for path in paths:
        points = _turned(path, direction, at)
        at = points[-1]
        yield Pass(
            np.column_stack([points, np.full(len(points), level)]),
            closed=path.closed,
            entry="ramp" if path.helix or path.slot else "plunge",
            helix=path.helix,
        )


def _make(task: Task) -> Passes:
    settings: RoughEngagementSettings = task.settings
    block = task.block
    if block is None:
        raise ValueError("roughing needs the block as it is")
    levels = replace(task, report=part(task.report, 0.0, 0.2))
    regions = level_regions(levels, settings.stepdown, settings.leave, settings.flats == "on", settings.minimum)
    paths = in_parallel(
        lambda k, _: _paths(regions[k], settings, task.cutter, block), len(regions), 1, part(task.report, 0.2, 1.0)
    )
    passes = tuple(cut_in_order(regions, lambda k, at: _passes(paths[k], regions[k].level, settings.direction, at)))
    return Passes(
        passes,
        stay_down=_STAY_DOWN * task.cutter.diameter,
        on_surface=False,
        ramp_angle=settings.ramp_angle,
        through=False,
    )


def _describe(settings: RoughEngagementSettings, cutter: Cutter, say: Say) -> str:
    return f"{describe_rough(settings, cutter, say)} · {settings.engagement:g}°"


def _estimate(settings: RoughEngagementSettings, cutter: Cutter, leave: float, ground: EstimateInput) -> Estimate:
    rings = estimate_rough(settings, cutter, leave, ground)
    if ground.stock_estimate is None:
        return rings
    work = rough_work(settings, cutter, ground.stock_estimate())
    length = work.length(settings.step_for(cutter), cutter.radius)
    return replace(rings, seconds=_AS_RINGS * length / ground.feed * 60 + _ROUND_WALLS * work.walls / 1e3)


STRATEGY = Strategy(
    key="rough_engagement",
    title="Rough, constant engagement",
    summary="clears level by level, the cutter never engaged more than asked",
    role="rough",
    settings=RoughEngagementSettings,
    shapes=ROUGHING_SHAPES,
    make=_make,
    describe=_describe,
    estimate=_estimate,
    skips_air=True,
    stepped=True,
)
