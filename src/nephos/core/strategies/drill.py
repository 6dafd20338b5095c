"""Drilling: one hole in the middle of each loop of the boundary, for dowels and screws."""

import numpy as np
import shapely

from nephos.core.cutters import Cutter
from nephos.core.errors import NothingToCut
from nephos.core.estimate.estimate import Estimate, EstimateInput
from nephos.core.linking.link_block import LinkBlock
from nephos.core.strategies.clearing.levels import polygons_of
from nephos.core.strategies.following.window import within_core
from nephos.core.strategies.registry import Strategy, StrategySettings, Task, number
from nephos.core.strategies.rough_plunge import plunge
from nephos.core.toolpath import Pass, Passes
from nephos.core.units import Say


class DrillSettings(StrategySettings):
    """Settings of drilling."""

    depth: float = number(
        "Depth", 10.0, unit="mm", over=0, high=500, step=1, help="of the tip, from the top of the material at the hole"
    )
    peck: float = number(
        "Peck",
        5.0,
        unit="mm",
        low=0,
        high=200,
        step=1,
        help="so deep at a time, then up to clear the chips; 0 for at once",
    )
    through: float = number(
        "Into the bed", 0.3, unit="mm", low=0, high=20, step=0.1, help="at most so far below the stock's underside"
    )

    @property
    def wants_block(self) -> bool:
        """It starts on the material."""
        return True


def hole_middles(outline: shapely.Geometry) -> list[tuple[float, float]]:
    """The middle of each loop: holes in an outline are holes, an outline without holes is one itself; from left to
    right."""
    middles = []
    for piece in polygons_of(outline):
        loops = [shapely.Polygon(ring) for ring in piece.interiors] or [piece]
        middles += [(float(loop.centroid.x), float(loop.centroid.y)) for loop in loops]
    return sorted(middles)


def _make(task: Task) -> Passes:
    settings: DrillSettings = task.settings
    if task.block is None:
        raise ValueError("drilling needs the block as it is")
    block = LinkBlock(task.block, keep_up=False)
    passes: list[Pass] = []
    for x, y in hole_middles(task.outline):
        if task.core is not None and not within_core((x, y), task.core):
            continue
        at = np.array([x, y])
        top = block.highest(at, at, max(task.cutter.radius, block.grid.pitch))
        bottom = max(top - settings.depth, task.underside - settings.through)
        if top - bottom > 1e-3:
            passes += plunge(x, y, top, bottom, settings.peck)
    if not passes:
        raise NothingToCut("there is no material in the middle of any loop of the boundary")
    return Passes(tuple(passes), stay_down=0.0, on_surface=False)


def _describe(settings: DrillSettings, cutter: Cutter, say: Say) -> str:
    return f"{say(settings.depth)} deep" + (f" · peck {say(settings.peck)}" if settings.peck > 0 else "")


def _estimate(settings: DrillSettings, cutter: Cutter, _leave: float, ground: EstimateInput) -> Estimate:
    deep = min(settings.depth, ground.thickness + settings.through)
    pecks = max(round(deep / settings.peck + 0.499), 1) if settings.peck > 0 else 1
    each = deep / ground.plunge_feed * 60 + pecks * (1.5 / ground.plunge_feed * 60 + 0.6 + deep / 50) + 2.0
    return Estimate(each * ground.loops, lines=ground.loops, layers=pecks)


STRATEGY = Strategy(
    key="drill",
    title="Drill",
    summary="drills a hole in the middle of each loop of the boundary",
    role="mark",
    settings=DrillSettings,
    make=_make,
    describe=_describe,
    estimate=_estimate,
    shapes=("drill", "flat", "ball"),
    goes_by_outline=True,
)
