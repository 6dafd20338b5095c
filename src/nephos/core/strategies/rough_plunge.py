"""Plunge roughing: straight down like a drill on a grid, where sideways load must stay low."""

from itertools import pairwise
from math import ceil

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.estimate.estimate import Estimate, EstimateInput
from nephos.core.linking.link_block import LinkBlock
from nephos.core.strategies.registry import Strategy, StrategySettings, Task, number
from nephos.core.surface.drop import drop_points
from nephos.core.toolpath import Pass, Passes
from nephos.core.units import Say

_LEAST = 0.1
"""Less than this (mm) of material under the cutter is not worth a plunge."""


class RoughPlungeSettings(StrategySettings):
    """Settings of plunge roughing."""

    step_x: float = number("Step along X", 2.0, unit="mm", over=0, high=200, step=0.5)
    step_y: float = number("Step along Y", 2.0, unit="mm", over=0, high=200, step=0.5)
    leave: float = number(
        "Stock to leave", 0.5, unit="mm", low=0, high=20, step=0.1, help="square to the surface, for the finisher"
    )
    peck: float = number(
        "Peck",
        0.0,
        unit="mm",
        low=0,
        high=200,
        step=1,
        help="so deep at a time, then up to clear the chips; 0 for at once",
    )

    @property
    def wants_block(self) -> bool:
        """It goes down where something stands."""
        return True

    def check_cutter(self, cutter: Cutter) -> None:
        """Refuse plunges that would not meet."""
        self._stepover_fits(max(self.step_x, self.step_y), cutter)


def plunge(x: float, y: float, top: float, bottom: float, peck: float) -> list[Pass]:
    """Straight down from `top` to `bottom`, all at once or in equal pecks, each a pass of its own."""
    count = max(ceil((top - bottom) / peck - 1e-9), 1) if peck > 0 else 1
    depths = np.linspace(top, bottom, count + 1)
    return [Pass(np.array([[x, y, a], [x, y, b]]), plunging=True) for a, b in pairwise(depths)]


def _places(region: shapely.Geometry, step_x: float, step_y: float) -> F64:
    """Points of a grid in the region, to and fro."""
    x_low, y_low, x_high, y_high = region.bounds
    xs = np.linspace(x_low, x_high, max(ceil((x_high - x_low) / step_x), 1) + 1)
    ys = np.linspace(y_low, y_high, max(ceil((y_high - y_low) / step_y), 1) + 1)
    rows = [np.column_stack([xs if k % 2 == 0 else xs[::-1], np.full(len(xs), y)]) for k, y in enumerate(ys)]
    points = np.concatenate(rows)
    grown = region.buffer(1e-6)
    shapely.prepare(grown)
    inside: F64 = points[shapely.intersects_xy(grown, points[:, 0], points[:, 1])]
    return inside


def _make(task: Task) -> Passes:
    settings: RoughPlungeSettings = task.settings
    if task.block is None:
        raise ValueError("roughing needs the block as it is")
    block = LinkBlock(task.block, keep_up=False)
    places = _places(task.region, settings.step_x, settings.step_y)
    grown = task.cutter.profile.grown(settings.leave)
    tips = np.maximum(drop_points(task.index, places, grown, task.floor - 1.0), task.floor) + settings.leave
    passes: list[Pass] = []
    tops = np.minimum(block.highest_along(np.concatenate([places, places], axis=1), task.cutter.radius), task.ceiling)
    for k in np.flatnonzero(tops - tips > _LEAST):
        passes += plunge(float(places[k, 0]), float(places[k, 1]), float(tops[k]), float(tips[k]), settings.peck)
    return Passes(tuple(passes), stay_down=0.0, on_surface=False)


def _describe(settings: RoughPlungeSettings, cutter: Cutter, say: Say) -> str:
    peck = f" · peck {say(settings.peck)}" if settings.peck > 0 else ""
    return f"grid {say(settings.step_x)} x {say(settings.step_y)} · leave {say(settings.leave)}{peck}"


def _estimate(settings: RoughPlungeSettings, cutter: Cutter, _leave: float, ground: EstimateInput) -> Estimate:
    columns, rows = ceil(ground.width / settings.step_x) + 1, ceil(ground.height / settings.step_y) + 1
    count = columns * rows * ground.area / max(ground.width * ground.height, 1e-9)
    # A cutter of some width stands on what is highest under it.
    deep = 0.8 * (ground.depth - ground.mean_height - settings.leave)
    pecks = ceil(deep / settings.peck) if settings.peck > 0 else 1
    # Down at the plunge feed, up and across at rapid, with a stop at each end.
    each = max(deep, 0.5) / ground.plunge_feed * 60 + pecks * (0.25 + (deep + 3) / 50) + settings.step_x / 60 + 0.15
    return Estimate(count * each, lines=rows, layers=pecks)


STRATEGY = Strategy(
    key="rough_plunge",
    title="Plunge roughing",
    summary="goes straight down on a grid, with little load sideways",
    role="rough",
    settings=RoughPlungeSettings,
    make=_make,
    describe=_describe,
    estimate=_estimate,
    shapes=("flat", "ball", "bull-nose"),
)
