"""Level roughing in parallel lines, with one turn along the walls of each region."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Literal

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.estimate.estimate import Estimate, EstimateInput
from nephos.core.strategies.clearing.hatch import hatch, in_chains
from nephos.core.strategies.clearing.regions import Region, cut_in_order, level_regions
from nephos.core.strategies.clearing.roughing import ROUGHING_SHAPES, EnteredSettings, describe_rough, estimate_rough
from nephos.core.strategies.clearing.wall_first import walls_first
from nephos.core.strategies.registry import Strategy, Task, choice, number
from nephos.core.strategies.rough_offset import ring_passes
from nephos.core.surface.rotary import spacing_at
from nephos.core.toolpath import Pass, Passes

_WAYS = {"both": "both ways", "climb": "climb", "conventional": "conventional"}


class RoughRasterSettings(EnteredSettings):
    """Settings of roughing in lines."""

    angle: float = number("Angle", 0.0, unit="°", low=-360, high=360, step=15, help="of the lines, from X towards Y")
    direction: Literal["both", "climb", "conventional"] = choice("Direction", "both", _WAYS)


def _cut(region: Region, task: Task, at: F64 | None) -> Iterator[Pass]:
    settings: RoughRasterSettings = task.settings
    step = settings.step_for(task.cutter) * spacing_at(task.index, settings.angle, region.level)
    # Rows advance to the left of their direction. Turned about and run the other way, what is uncut lies on the right:
    # climb.
    climb = settings.direction == "climb"
    lines, row = hatch(region.polygon, settings.angle + (180 if climb else 0), step)
    if climb:
        lines = lines[:, [2, 3, 0, 1]]
    # The walls first: lines begin and end on them, so that each then comes down where it is clear.
    for item in walls_first(ring_passes(region.polygon, region.level, climb=True, at=at), region, step, task):
        yield item if settings.entry != "plunge" else replace(item, entry="plunge")
    for line in in_chains(lines, row, both_ways=settings.direction == "both"):
        points = np.column_stack([line.reshape(2, 2), np.full(2, region.level)])
        yield Pass(points, entry="plunge" if settings.entry == "plunge" else "ramp")


def _make(task: Task) -> Passes:
    settings: RoughRasterSettings = task.settings
    regions = level_regions(task, settings.stepdown, settings.leave, settings.flats == "on", settings.minimum)
    passes = tuple(cut_in_order(regions, lambda k, at: _cut(regions[k], task, at)))
    return Passes(passes, stay_down=2.0 * task.cutter.diameter, on_surface=False, ramp_angle=settings.ramp_angle)


def _estimate(settings: RoughRasterSettings, cutter: Cutter, leave: float, ground: EstimateInput) -> Estimate:
    # Turns at both ends, the way round the walls and lifts between pieces take a fifth more than rings do (measured on
    # reliefs).
    rings = estimate_rough(settings, cutter, leave, ground)
    return replace(rings, seconds=1.2 * rings.seconds, lines=2 * rings.lines)


STRATEGY = Strategy(
    key="rough_raster",
    title="Rough, raster",
    summary="clears level by level, in parallel lines",
    role="rough",
    settings=RoughRasterSettings,
    shapes=ROUGHING_SHAPES,
    make=_make,
    describe=describe_rough,
    estimate=_estimate,
    skips_air=True,
    stepped=True,
    setup_kinds=("face", "rotary"),
)
