"""Helix finishing: one path round a bar that advances along it, without a seam."""

from math import ceil
from typing import Literal

import numpy as np
import shapely

from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.estimate.estimate import Estimate, EstimateInput, travel_seconds
from nephos.core.strategies.following.finishing import run_passes
from nephos.core.strategies.registry import Strategy, StrategySettings, Task, choice, number
from nephos.core.surface.chart import chart_of
from nephos.core.toolpath import Passes
from nephos.core.units import Say

_FROM = {"high": "from right to left", "low": "from left to right"}
_PARTS = 16
"""Lines to a turn: they are followed side by side on both cores."""


class FinishHelixSettings(StrategySettings):
    """Settings of helix finishing."""

    stepover: float = number("Stepover", 0.3, unit="mm", over=0, high=100, step=0.02, help="along X to each turn")
    leave: float = number(
        "Stock to leave", 0.0, unit="mm", low=0, high=20, step=0.1, fold="Heights", help="square to the surface"
    )
    start: Literal["high", "low"] = choice("Direction", "high", _FROM)

    def check_cutter(self, cutter: Cutter) -> None:
        """Refuse turns that would not meet."""
        self._stepover_fits(self.stepover, cutter)


def _make(task: Task) -> Passes:
    settings: FinishHelixSettings = task.settings
    turn = chart_of(task.index).turn
    if not turn:
        raise Refused("a helix is cut on a bar that rotates: choose another strategy for this setup")
    runs = []
    for piece in shapely.get_parts(task.region):
        low, _, high, _ = piece.bounds
        turns = max(ceil((high - low) / settings.stepover), 1)
        # A whole turn at both ends, so that the ends are round.
        at = np.concatenate([[0.0], np.linspace(1, 1 + turns, turns * _PARTS + 1), [2.0 + turns]])
        at = np.unique(np.concatenate([at, np.linspace(0, 1, _PARTS + 1), 1 + turns + np.linspace(0, 1, _PARTS + 1)]))
        x = np.clip(low + (at - 1) * (high - low) / turns, low, high)
        runs.append(np.column_stack([x if settings.start == "low" else low + high - x, at * turn]))
    return Passes(tuple(run_passes(task, runs, settings.leave)), stay_down=0.0, on_surface=True)


def _describe(settings: FinishHelixSettings, cutter: Cutter, say: Say) -> str:
    return f"step {say(settings.stepover)} · scallop {say(round(cutter.scallop(settings.stepover), 3))}"


def _estimate(settings: FinishHelixSettings, cutter: Cutter, _leave: float, ground: EstimateInput) -> Estimate:
    length = ground.area / settings.stepover * ground.steepness
    turns = ceil(ground.width / settings.stepover) + 2
    return Estimate(
        seconds=travel_seconds(length, 1, ground.surface_feed, ground.acceleration),
        lines=turns,
        scallop=cutter.scallop(settings.stepover),
    )


STRATEGY = Strategy(
    key="finish_helix",
    title="Finish, helix",
    summary="goes round the bar in one path without a seam",
    role="finish",
    settings=FinishHelixSettings,
    make=_make,
    describe=_describe,
    estimate=_estimate,
    setup_kinds=("rotary",),
)
