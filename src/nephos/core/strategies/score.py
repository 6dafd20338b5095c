"""Scoring: one shallow line along the middle of each loop of the boundary, as a mark to set the board by."""

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.errors import NothingToCut
from nephos.core.estimate.estimate import Estimate, EstimateInput, travel_seconds
from nephos.core.linking.link_block import LinkBlock
from nephos.core.strategies.clearing.levels import polygons_of
from nephos.core.strategies.registry import Strategy, StrategySettings, Task, number
from nephos.core.toolpath import Pass, Passes
from nephos.core.units import Say


class ScoreSettings(StrategySettings):
    """Settings of scoring."""

    depth: float = number("Depth", 0.5, unit="mm", over=0, high=10, step=0.1, help="from the top of the material")

    @property
    def wants_block(self) -> bool:
        """It starts on the material."""
        return True


def middle_lines(outline: shapely.Geometry) -> list[F64]:
    """The long middle line (2, 2) of the smallest rectangle round each outline, from left to right."""
    lines = []
    for piece in polygons_of(outline):
        corners = np.asarray(shapely.minimum_rotated_rectangle(piece).exterior.coords)[:4]
        sides = np.hypot(*np.diff(np.vstack([corners, corners[:1]]), axis=0).T)
        k = int(sides.argmin())
        ends = [(corners[(k + j) % 4] + corners[(k + j + 1) % 4]) / 2 for j in (0, 2)]
        lines.append(np.array(sorted(map(tuple, ends))))
    return sorted(lines, key=lambda line: tuple(line[0]))


def _make(task: Task) -> Passes:
    settings: ScoreSettings = task.settings
    if task.block is None:
        raise ValueError("scoring needs the block as it is")
    block = LinkBlock(task.block, keep_up=False)
    passes = []
    for line in middle_lines(task.outline):
        top = block.highest(line[0], line[1], max(task.cutter.radius, block.grid.pitch))
        bottom = max(top - settings.depth, task.underside)
        if top - bottom > 1e-3:
            passes.append(Pass(np.column_stack([line, [bottom, bottom]])))
    if not passes:
        raise NothingToCut("there is no material to score in any loop of the boundary")
    return Passes(tuple(passes), stay_down=0.0, on_surface=False)


def _describe(settings: ScoreSettings, cutter: Cutter, say: Say) -> str:
    return f"{say(settings.depth)} deep"


def _estimate(settings: ScoreSettings, cutter: Cutter, _leave: float, ground: EstimateInput) -> Estimate:
    seconds = travel_seconds(ground.perimeter / 2, ground.loops, ground.feed, ground.acceleration) + 3.0 * ground.loops
    return Estimate(seconds, lines=ground.loops, layers=1)


STRATEGY = Strategy(
    key="score",
    title="Score marks",
    summary="cuts one shallow line along the middle of each loop of the boundary",
    role="mark",
    settings=ScoreSettings,
    make=_make,
    describe=_describe,
    estimate=_estimate,
    shapes=("v", "engraver", "ball", "tapered-ball"),
    goes_by_outline=True,
)
