"""Level roughing in parallel lines, with one turn along the walls of each region."""

from collections.abc import Iterator

import numpy as np

from nephos.core.errors import Refused
from nephos.core.paths.levels import Region, level_regions
from nephos.core.paths.lines import hatch, in_chains
from nephos.core.paths.registry import Passes, Strategy, Task, number
from nephos.core.paths.rough_rings import ROUGHING_SHAPES, RoughSettings, describe_rough, estimate_rough, ring_passes
from nephos.core.paths.toolpath import Pass


class RoughLinesSettings(RoughSettings):
    """Settings of roughing in lines."""

    angle: float = number("Angle", 0.0, unit="°", low=-360, high=360, step=15,
                          help="of the lines, from X towards Y")


def _cut(region: Region, settings: RoughLinesSettings) -> Iterator[Pass]:
    lines, row = hatch(region.polygon, settings.angle, settings.stepover)
    for line in in_chains(lines, row, both_ways=True):
        points = np.column_stack([line.reshape(2, 2), np.full(2, region.level)])
        yield Pass(points, entry="ramp")
    end = lines[-1][2:] if len(lines) else None
    yield from ring_passes(region.polygon, region.level, climb=True, at=end)
    for below in region.below:
        yield from _cut(below, settings)


def _make(task: Task) -> Passes:
    settings: RoughLinesSettings = task.settings
    passes: list[Pass] = []
    for region in level_regions(task, settings.stepdown, settings.leave):
        passes.extend(_cut(region, settings))
    if not passes:
        raise Refused(
            f"there is no room for a {task.cutter.diameter:g} mm cutter inside the boundary above the floor: "
            "use a smaller cutter or a wider boundary"
        )
    return Passes(tuple(passes), stay_down=2.0 * task.cutter.diameter, on_surface=False,
                  ramp_angle=settings.ramp_angle)


STRATEGY = Strategy(
    key="rough_lines", title="Rough, lines", summary="clears level by level, in parallel lines",
    settings=RoughLinesSettings, uses_block=True, shapes=ROUGHING_SHAPES, make=_make, describe=describe_rough, estimate=estimate_rough,
)
