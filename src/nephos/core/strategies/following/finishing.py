"""What all finishing along lines or rings shares: its settings, where it works, and how runs on the plan become
passes."""

from math import hypot, inf
from typing import Literal

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.errors import NothingToCut
from nephos.core.strategies.clearing.levels import polygons_of
from nephos.core.strategies.following.follow import follow_runs
from nephos.core.strategies.following.layers import layer_setting
from nephos.core.strategies.following.masks import (
    contact_field,
    facing_region,
    left_over,
    level_region,
    slope_region,
    under_ceiling,
    without_specks,
)
from nephos.core.strategies.registry import StrategySettings, Task, choice, number
from nephos.core.toolpath import Pass

_GROUND = {"all": "as all else", "skip": "skip it", "only": "only it"}
_OUTLINE = {"off": "no", "on": "at the end"}
_OFF_WALLS = 2.0
"""Tolerances that ways over the surface end inside of the region, and the way round it runs outside."""


class FinishSettings(StrategySettings):
    """Settings of finishing: how far apart, how much is left, and where."""

    stepover: float = number(
        "Stepover", 0.3, unit="mm", over=0, high=100, step=0.02, help="from line to line, on the plan"
    )
    leave: float = number(
        "Stock to leave", 0.0, unit="mm", low=0, high=20, step=0.1, fold="Heights", help="square to the surface"
    )
    level: Literal["all", "skip", "only"] = choice("Level ground", "all", _GROUND, fold="Where")
    gentlest: float = number(
        "Slopes from", 0.0, unit="°", low=0, high=89, step=5, fold="Where", help="shallower ground is left out"
    )
    steepest: float = number(
        "Slopes to", 90.0, unit="°", over=0, high=90, step=5, fold="Where", help="steeper ground is left out"
    )
    facing: float = number(
        "Angle about X to",
        90.0,
        unit="°",
        over=0,
        high=90,
        step=5,
        fold="Where",
        help="ground that is turned farther away about X is left to the setup of another side",
    )
    rest: float = number(
        "Only where more is left than",
        0.0,
        unit="mm",
        low=0,
        high=50,
        step=0.05,
        fold="Where",
        help="of stock before this operation; 0 for everywhere",
    )
    layer: float = layer_setting()
    outline: Literal["off", "on"] = choice("Once round the outline", "off", _OUTLINE, fold="Where")

    @property
    def wants_block(self) -> bool:
        """Rest finishing and layers go by the block."""
        return self.rest > 0 or self.layer > 0

    def check_cutter(self, cutter: Cutter) -> None:
        """Refuse lines that would not meet, and slopes that are none."""
        self._stepover_fits(self.stepover, cutter)
        if self.gentlest >= self.steepest:
            raise ValueError(f"slopes from {self.gentlest:g}° to {self.steepest:g}° are none: make the second larger")


def finishing_region(task: Task, settings: FinishSettings) -> shapely.Geometry:
    """Where the axis goes: the boundary's region without what the settings leave out.

    It ends slightly inside of the boundary. Where that is the outline of a model, the cutter would touch upright outer
    walls there with its side, at one place and not at the next, and would go up and down all of the wall each time.

    Raises
    ------
    Refused
        Where nothing is left.
    """
    region = task.region
    radius = task.cutter.profile.radius
    by_slope = settings.gentlest > 0 or settings.steepest < 90
    if by_slope or settings.facing < 90 or settings.level != "all" or task.ceiling < inf:
        field = contact_field(task, settings.leave)
        if by_slope:
            # Half a cutter more on each side, so that neighbouring operations meet.
            region = region.intersection(slope_region(field, settings.gentlest, settings.steepest).buffer(radius / 2))
        if settings.facing < 90:
            region = region.intersection(facing_region(field, settings.facing).buffer(radius / 2))
        if settings.level != "all":
            level = level_region(field, radius)
            region = (
                region.difference(level.buffer(-2 * settings.stepover))
                if settings.level == "skip"
                else region.intersection(level)
            )
        if task.ceiling < inf:
            region = region.intersection(under_ceiling(field, task.ceiling))
    if settings.rest > 0:
        region = region.intersection(left_over(task, settings.rest))
    region = without_specks(region.buffer(-_OFF_WALLS * task.tolerance, quad_segs=4), settings.stepover**2)
    if region.is_empty:
        raise NothingToCut(
            "nothing is left to finish inside the boundary with these limits: widen the slopes, the heights or the "
            "rest limit"
        )
    return region


def run_passes(task: Task, runs: list[F64], leave: float) -> list[Pass]:
    """Runs on the plan, (n, 2) each, as passes over the surface."""
    found = follow_runs(task.index, runs, task.cutter.profile, leave, task.floor, task.tolerance, task.report)
    return [Pass(points, closed=bool(hypot(*(points[0] - points[-1])[:2]) < 1e-9)) for points in found]


def outline_passes(task: Task, settings: FinishSettings) -> list[Pass]:
    """Once round the region of the boundary, where the settings ask for it; along upright outer walls at their foot
    (see above)."""
    if settings.outline == "off":
        return []
    region = task.region.buffer(_OFF_WALLS * task.tolerance)
    return run_passes(
        task,
        [np.asarray(ring.coords) for piece in polygons_of(region) for ring in (piece.exterior, *piece.interiors)],
        settings.leave,
    )
