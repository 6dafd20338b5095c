"""Parting grooves: beside the ends of the model, round the bar down to a diameter that holds."""

from math import ceil, pi
from typing import Literal

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.errors import NothingToCut, Refused
from nephos.core.estimate.estimate import Estimate, EstimateInput, travel_seconds
from nephos.core.stock.block import Block
from nephos.core.strategies.registry import Strategy, StrategySettings, Task, choice, number
from nephos.core.surface.chart import chart_of
from nephos.core.toolpath import Pass, Passes
from nephos.core.units import Say

_ENDS = {"both": "both", "left": "left", "right": "right"}
_PARTS = 24
"""Moves to a turn."""
_OVER = 0.3
"""The spiral begins so far (mm) over the bar."""


class PartingGrooveSettings(StrategySettings):
    """Settings of parting grooves."""

    ends: Literal["both", "left", "right"] = choice("Ends", "both", _ENDS, help="of the boundary along X")
    diameter: float = number(
        "Diameter left",
        10.0,
        unit="mm",
        over=0,
        high=1000,
        step=0.5,
        help="that holds the model; not less than the core",
    )
    gap: float = number("From the model", 0.5, unit="mm", low=0, high=200, step=0.5, help="beside its end")
    stepdown: float = number("Stepdown", 1.0, unit="mm", over=0, high=200, step=0.5, help="at most, to each turn")

    @property
    def wants_block(self) -> bool:
        """It begins at the bar as it is."""
        return True

    def beside(self, cutter: Cutter) -> float:
        """The grooves lie beside the boundary."""
        return self.gap + 2 * cutter.radius


def _places(task: Task, settings: PartingGrooveSettings) -> list[float]:
    """Where the cutter's axis goes down, along the bar.

    Raises
    ------
    Refused
        Where chuck or tailstock are in the way.
    """
    low, _, high, _ = task.outline.bounds
    off = settings.gap + task.cutter.radius
    first, _, last, _ = task.region.bounds
    found = []
    for end, x, room in (("left", low - off, low - off - first), ("right", high + off, last - high - off)):
        if settings.ends not in {"both", end}:
            continue
        if room < -1e-6:
            raise Refused(
                f"chuck or tailstock leave {-room:.1f} mm too little beside the {end} end for a groove of a "
                f"{task.cutter.diameter:g} mm cutter: take a longer bar, a smaller cutter, or the other end alone"
            )
        found.append(x)
    return found


def _highest(block: Block, x: float, radius: float) -> float:
    columns = np.abs(block.grid.xs - x) <= radius + block.grid.pitch
    return float(block.top[:, columns].max(initial=0.0))


def _spiral(x: float, top: float, bottom: float, stepdown: float, turn: float, begin: float) -> F64:
    """Round the bar and down to `bottom`, no more than the stepdown to each turn, and once round there; `begin` (mm) is
    where on the unrolled surface it begins."""
    turns = max(ceil((top - bottom) / stepdown - 1e-9), 1)
    at = np.linspace(0, turns + 1, (turns + 1) * _PARTS + 1)
    depth = np.maximum(top - (top - bottom) / turns * at, bottom)
    return np.column_stack([np.full(len(at), x), begin + at * turn, depth])


def _make(task: Task) -> Passes:
    settings: PartingGrooveSettings = task.settings
    chart = chart_of(task.index)
    if not chart.is_round or task.block is None:
        raise Refused("parting grooves are cut on a bar that rotates: choose another strategy for this setup")
    bottom, turn = max(settings.diameter / 2, task.floor), chart.turn
    passes: list[Pass] = []
    for x in _places(task, settings):
        top = _highest(task.block, x, task.cutter.radius)
        if top > bottom + 1e-3:
            # The second groove starts at the angle where the first one ends, many turns from 0.
            begin = float(passes[-1].end[1]) if passes else 0.0
            passes.append(Pass(_spiral(x, top + _OVER, bottom, settings.stepdown, turn, begin), entry="plunge"))
    if not passes:
        raise NothingToCut("beside the ends of the boundary the bar is as thin as the grooves already")
    return Passes(tuple(passes), stay_down=0.0, on_surface=False)


def _describe(settings: PartingGrooveSettings, cutter: Cutter, say: Say) -> str:
    ends = "both ends" if settings.ends == "both" else f"{settings.ends} end"
    return f"{ends} · to ⌀ {say(settings.diameter)} · {say(settings.stepdown)} down"


def _estimate(settings: PartingGrooveSettings, cutter: Cutter, _leave: float, ground: EstimateInput) -> Estimate:
    radius = ground.height / (2 * pi)
    turns = max(ceil((radius - settings.diameter / 2) / settings.stepdown), 1) + 1
    count = 2 if settings.ends == "both" else 1
    length = count * turns * pi * (radius + settings.diameter / 2)
    return Estimate(
        seconds=travel_seconds(length, count, ground.feed, ground.acceleration), lines=count, layers=turns - 1
    )


STRATEGY = Strategy(
    key="parting_groove",
    title="Parting grooves",
    summary="goes down round the bar beside the model's ends, to a diameter that holds",
    role="mark",
    settings=PartingGrooveSettings,
    make=_make,
    describe=_describe,
    estimate=_estimate,
    shapes=("flat", "bull-nose"),
    stepped=True,
    setup_kinds=("rotary",),
)
