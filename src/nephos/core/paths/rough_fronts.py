"""Level roughing under an even load: fronts that widen what is free, the cutter nowhere engaged more than asked where there is room."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Literal

import numpy as np

from nephos.core.arrays import F64
from nephos.core.bands import in_bands, part
from nephos.core.cutters import Cutter
from nephos.core.paths.estimate import Estimate, Ground
from nephos.core.paths.fronts import Clearing, Way
from nephos.core.paths.levels import TRACE, areas_of, material_above
from nephos.core.paths.load import Standing
from nephos.core.paths.regions import Region, cut_in_order, level_regions
from nephos.core.paths.registry import Passes, Strategy, Task, choice, number
from nephos.core.paths.roughing import ROUGHING_SHAPES, RoughSettings, describe_rough, estimate_rough, rough_work
from nephos.core.paths.toolpath import Pass
from nephos.core.polyline import from_nearest
from nephos.core.stock.block import Block
from nephos.core.units import Say

_WAYS = {"both": "both ways", "climb": "climb", "conventional": "conventional"}
_STAY_DOWN = 6.0
"""Diameters of the cutter that it goes back through cleared ground sooner than lifting."""
_AS_RINGS = 0.9
_ROUND_WALLS = 186.0
"""It takes so many times what going along rings of the same step would, and so many seconds to a metre of wall, where fronts are short and
the cutter goes back again and again (fitted on reliefs)."""


class RoughFrontsSettings(RoughSettings):
    """Settings of roughing in fronts."""

    engagement: float = number("Engagement", 60.0, unit="°", low=15, high=150, step=5,
                               help="at most so much of the cutter's round in the material, in corners and slots too")
    direction: Literal["both", "climb", "conventional"] = choice("Direction", "both", _WAYS)


def _turned(way: Way, direction: str, at: F64 | None) -> F64:
    """The points of a way in the order of cutting: ways have their material on the right, which is climb."""
    if way.closed:
        points = way.points if direction != "conventional" else way.points[::-1]
        return points if way.helix else from_nearest(points, at)
    back = direction == "conventional"
    if direction == "both" and at is not None:
        back = bool(((way.points[-1] - at) ** 2).sum() < ((way.points[0] - at) ** 2).sum())
    return way.points[::-1] if back else way.points


def _ways(region: Region, settings: RoughFrontsSettings, cutter: Cutter, block: Block) -> list[Way]:
    met = material_above(block, region.level + TRACE, cutter.radius, margin=0.0)
    outside = areas_of(region.polygon.difference(met))
    x_low, y_low, x_high, y_high = region.polygon.buffer(cutter.radius).bounds
    standing = Standing.above(block, region.level, (x_low, y_low), (x_high, y_high))
    clearing = Clearing(cutter.radius, settings.engagement, settings.stepover, standing)
    return list(clearing.ways(region.polygon, outside))


def _passes(ways: list[Way], level: float, direction: str, at: F64 | None) -> Iterator[Pass]:
    for way in ways:
        points = _turned(way, direction, at)
        at = points[-1]
        yield Pass(np.column_stack([points, np.full(len(points), level)]), closed=way.closed,
                   entry="ramp" if way.helix or way.slot else "plunge", helix=way.helix)


def _make(task: Task) -> Passes:
    settings: RoughFrontsSettings = task.settings
    block = task.block
    if block is None:
        raise ValueError("roughing needs the block as it is")
    levels = replace(task, report=part(task.report, 0.0, 0.2))
    regions = level_regions(levels, settings.stepdown, settings.leave, settings.flats == "on", settings.worth)
    ways = in_bands(lambda k, _: _ways(regions[k], settings, task.cutter, block), len(regions), 1, part(task.report, 0.2, 1.0))
    passes = tuple(cut_in_order(regions, lambda k, at: _passes(ways[k], regions[k].level, settings.direction, at)))
    return Passes(passes, stay_down=_STAY_DOWN * task.cutter.diameter, on_surface=False, ramp_angle=settings.ramp_angle, through=False)


def _describe(settings: RoughFrontsSettings, cutter: Cutter, say: Say) -> str:
    return f"{describe_rough(settings, cutter, say)} · {settings.engagement:g}°"


def _estimate(settings: RoughFrontsSettings, cutter: Cutter, leave: float, ground: Ground) -> Estimate:
    rings = estimate_rough(settings, cutter, leave, ground)
    if ground.survey is None:
        return rings
    work = rough_work(settings, cutter, ground.survey())
    length = work.length(settings.step_for(cutter), cutter.radius)
    return replace(rings, seconds=_AS_RINGS * length / ground.feed * 60 + _ROUND_WALLS * work.walls / 1e3)


STRATEGY = Strategy(
    key="rough_fronts", title="Rough, constant engagement", summary="clears level by level, the cutter never engaged more than asked",
    settings=RoughFrontsSettings, shapes=ROUGHING_SHAPES, make=_make, describe=_describe, estimate=_estimate, skips_air=True, stepped=True,
)
