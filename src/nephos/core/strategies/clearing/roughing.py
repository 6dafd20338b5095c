"""What all level roughing shares: its settings, and what it is estimated to take."""

from dataclasses import dataclass
from math import ceil, cos, radians, tan
from typing import Literal

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter, Profile
from nephos.core.estimate.estimate import Estimate, EstimateInput, StockEstimate, travel_seconds
from nephos.core.estimate.height_map_levels import Cleared, Clearing
from nephos.core.memo import Memo
from nephos.core.parallel import in_parallel
from nephos.core.strategies.clearing.levels import (
    SPECK,
    TRACE,
    chord_allowance,
    extra_levels,
    field_step,
    ground_levels,
    level_heights,
    lookup_step,
)
from nephos.core.strategies.registry import StrategySettings, choice, number
from nephos.core.units import Say

_FLATS = {"on": "yes", "off": "no"}
_ENTRIES = {"ramp": "ramp along the path", "helix": "helix", "plunge": "straight down"}
_TOLERANCE = 0.01
_SLACK = 1e-4
_SLOWING = 1.05
"""Corners make a path take so much longer than its length says (measured)."""
_HOPS = 1.5
"""Seconds of links and lifts to a metre of path,"""
_RUN_AGAIN = 1.0
"""and in a second roughing, whose paths are short and follow the detail, to a run along walls (fitted on reliefs)."""
_STOP_AGAIN = 5.5
"""So many millimetres of such a path, on average, take as much time more as stopping once."""
_RAMPED = 0.6
"""So many of the pieces are ramped into, the others entered from the side; and a lift takes so many seconds
(measured)."""


ROUGHING_SHAPES = ("flat", "ball", "bull-nose", "tapered-ball")
"""A pointed cutter clears no level ground."""


class RoughSettings(StrategySettings):
    """Settings that all level roughing shares."""

    stepdown: float = number(
        "Stepdown",
        3.0,
        unit="mm",
        over=0,
        high=200,
        step=0.5,
        help="at most; made smaller so that all layers are equal",
    )
    stepover: float = number("Stepover", 2.5, unit="mm", over=0, high=200, step=0.25, help="between neighbouring paths")
    leave: float = number(
        "Stock to leave", 0.5, unit="mm", low=0, high=20, step=0.1, help="square to the surface, for the finisher"
    )
    minimum: float = number(
        "Minimum stock",
        0.3,
        unit="mm",
        low=0,
        high=20,
        step=0.1,
        fold="Engagement",
        help="stock thinner than this over a level is left to the finisher",
    )
    engagement: float = number(
        "Engagement",
        0.0,
        unit="°",
        low=0,
        high=180,
        step=10,
        fold="Engagement",
        help="at most so much of the cutter's round in the wall, by a smaller stepover; 0 for no limit",
    )
    flats: Literal["on", "off"] = choice("Extra levels at level ground", "on", _FLATS, fold="Engagement")
    ramp_angle: float = number(
        "Ramp",
        3.0,
        unit="°",
        over=0,
        high=90,
        step=0.5,
        fold="Links and entries",
        help="how steeply the cutter goes down along its path",
    )

    @property
    def wants_block(self) -> bool:
        """Only what stands is cut."""
        return True

    @property
    def ramps(self) -> bool:
        """Whether the cutter goes down on a slope."""
        return self.ramp_angle < 89.9

    def step_for(self, cutter: Cutter) -> float:
        """The stepover, kept to the engagement: along a straight wall the cutter is engaged by acos(1 - step /
        radius)."""
        if self.engagement <= 0:
            return self.stepover
        return max(min(self.stepover, cutter.radius * (1 - cos(radians(self.engagement)))), 0.02 * cutter.diameter)

    def check_cutter(self, cutter: Cutter) -> None:
        """Refuse paths that would not meet."""
        self._stepover_fits(self.stepover, cutter)


class EnteredSettings(RoughSettings):
    """Settings of roughing that begins in the full."""

    entry: Literal["ramp", "helix", "plunge"] = choice(
        "Entry", "ramp", _ENTRIES, fold="Links and entries", help="from outside where that is free"
    )

    @property
    def ramps(self) -> bool:
        """Whether the cutter goes down on a slope."""
        return super().ramps and self.entry != "plunge"


@dataclass(frozen=True)
class RoughWork:
    """What there is to rough, over all layers: the outline along walls (mm), the length (mm) of lines at distances from
    the edge of what is cleared, one every `every` mm, pieces to be entered, layers, and in how many runs the outline
    is."""

    walls: float
    inner: F64
    every: float
    pieces: int
    layers: int
    runs: int = 0

    def length(self, stepover: float, cleared: float) -> float:
        """Of all rings one stepover apart, where one is gone round only if the one before it does not clear all within
        (mm)."""
        first = max(0.98 * cleared, stepover)
        at = np.arange(first, len(self.inner) * self.every, stepover)
        return self.walls + float(np.interp(at, (np.arange(len(self.inner)) + 0.5) * self.every, self.inner).sum())


_WORKS: Memo[RoughWork] = Memo(128)


def wall_allowance(cutter: Cutter, leave: float, width: float, height: float) -> float:
    """How much farther off walls than its stock to leave roughing keeps, as its outlines are chords, mm."""
    return chord_allowance(field_step(cutter, width * height), cutter.profile.grown(leave)) + _TOLERANCE


def rough_levels(
    settings: RoughSettings, top: float, flats: tuple[float, ...], allowance: float
) -> list[tuple[float, bool]]:
    """Heights over the floor at which roughing cuts from `top` down, the highest first, and which of them are for level
    ground only."""
    levels = level_heights(top, min(settings.leave, 0.9 * top), settings.stepdown)
    own = (
        extra_levels(levels, top, ground_levels(flats, 0.0, settings.leave + allowance))
        if settings.flats == "on"
        else [[] for _ in levels]
    )
    return [
        item
        for level, before in zip(levels, own, strict=True)
        for item in (*((z, True) for z in before), (level, False))
    ]


def _work(settings: RoughSettings, cutter: Cutter, stock_estimate: StockEstimate) -> RoughWork:
    """What there is to rough, level by level, in the coarse picture."""
    relief = stock_estimate.relief
    allowance = wall_allowance(cutter, settings.leave, *relief.size)
    top = stock_estimate.top(cutter.radius)
    levels = rough_levels(settings, top, stock_estimate.flats, allowance) if top > 0 else []
    tips = relief.tips(cutter.profile, settings.leave, allowance)
    reach = cutter.radius - min(settings.minimum, cutter.radius / 2)
    # The block is looked up in the middle of its cells.
    core = Profile.of(reach - (lookup_step(reach, stock_estimate.pitch) / 2 if settings.minimum > 0 else 0.0), 0.0)
    over, beside = (
        relief.meets(stock_estimate.standing, profile) for profile in (core, Profile.of(cutter.radius, 0.0))
    )
    through = [level for level, flat_only in levels if not flat_only]
    # What an earlier roughing left can often be entered from the side.
    smallest = (0.35 * cutter.diameter) ** 2 * (SPECK if stock_estimate.again else 1.0)
    levels_down = np.array(through, np.float32) + np.float32(_SLACK)
    clearing = Clearing(
        relief, tips, over, beside, stock_estimate.region, levels_down, TRACE, max(settings.minimum, TRACE), smallest
    )

    def found_at(k: int, _: int) -> Cleared:
        level, flat_only = levels[k]
        if flat_only:
            return clearing.at_level_ground(level + _SLACK, levels[k + 1][0] + _SLACK)
        return clearing.at_level(through.index(level))

    found = in_parallel(found_at, len(levels), 1)
    return RoughWork(
        sum(item.walls for item in found),
        sum((item.lines for item in found), np.zeros(1)),
        relief.step,
        sum(item.pieces for item in found),
        len(levels),
        sum(item.runs for item in found),
    )


def describe_rough(settings: RoughSettings, cutter: Cutter, say: Say) -> str:
    """The key numbers of a roughing operation."""
    return f"{say(settings.stepdown)} down · step {say(settings.stepover)} · leave {say(settings.leave)}"


def rough_work(settings: RoughSettings, cutter: Cutter, stock_estimate: StockEstimate) -> RoughWork:
    """What there is to rough, remembered by what it depends on: a stepover is none of that."""
    causes = (stock_estimate.key, cutter.profile, settings.stepdown, settings.leave, settings.flats, settings.minimum)
    return _WORKS.get(causes, lambda: _work(settings, cutter, stock_estimate))


def estimate_rough(settings: RoughSettings, cutter: Cutter, leave: float, ground: EstimateInput) -> Estimate:
    """Layers of rings one stepover apart, where the coarse picture shows that the cutter goes and material stands."""
    layers = max(ceil((ground.depth - settings.leave) / settings.stepdown - 1e-6), 1)
    step = settings.step_for(cutter)
    paths = ceil(min(ground.width, ground.height) / step / 2)
    if ground.stock_estimate is None:
        return Estimate(
            travel_seconds(layers * ground.area / step, 6 * layers * paths, ground.feed, ground.acceleration),
            paths,
            layers,
        )
    stock_estimate = ground.stock_estimate()
    work = rough_work(settings, cutter, stock_estimate)
    length = work.length(step, cutter.radius)
    if stock_estimate.again:
        seconds = (
            travel_seconds(length, ceil(length / _STOP_AGAIN), ground.feed, ground.acceleration)
            + _RUN_AGAIN * work.runs
        )
    else:
        entry = settings.stepdown / tan(radians(settings.ramp_angle)) if settings.ramps else settings.stepdown
        seconds = _SLOWING * length / ground.feed * 60 + _HOPS * length / 1e3
        seconds += _RAMPED * work.pieces * (entry / ground.plunge_feed * 60 + 1.0)
    return Estimate(seconds=seconds, lines=paths, layers=work.layers)
