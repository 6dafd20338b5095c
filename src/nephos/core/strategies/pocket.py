"""Pocketing: the inside of the boundary cleared to a level floor, for recesses."""

from math import ceil
from typing import Literal

import numpy as np
import shapely

from nephos.core.cutters import Cutter
from nephos.core.errors import NothingToCut
from nephos.core.estimate.estimate import Estimate, EstimateInput, travel_seconds
from nephos.core.stock.block import Block
from nephos.core.strategies.clearing.levels import level_heights, polygons_of
from nephos.core.strategies.clearing.offset import offset
from nephos.core.strategies.clearing.roughing import ROUGHING_SHAPES
from nephos.core.strategies.registry import Strategy, StrategySettings, Task, choice, number
from nephos.core.strategies.rough_offset import nested_rings, ring_passes
from nephos.core.toolpath import Pass, Passes
from nephos.core.units import Say

_DIRECTIONS = {"climb": "climb", "conventional": "conventional"}


class PocketSettings(StrategySettings):
    """Settings of pocketing."""

    depth: float = number(
        "Depth",
        5.0,
        unit="mm",
        over=0,
        high=500,
        step=0.5,
        help="of the floor, from the top of the material inside the boundary",
    )
    stepdown: float = number(
        "Stepdown",
        3.0,
        unit="mm",
        over=0,
        high=200,
        step=0.5,
        help="at most; made smaller so that all layers are equal",
    )
    stepover: float = number("Stepover", 2.5, unit="mm", over=0, high=200, step=0.25)
    allowance: float = number(
        "Allowance",
        0.0,
        unit="mm",
        low=-20,
        high=20,
        step=0.05,
        help="left on the walls; negative makes the recess larger",
    )
    direction: Literal["climb", "conventional"] = choice("Direction", "climb", _DIRECTIONS)
    ramp_angle: float = number("Ramp", 3.0, unit="°", over=0, high=90, step=0.5, fold="Links and entries")

    @property
    def wants_block(self) -> bool:
        """It starts on the material."""
        return True

    def check_cutter(self, cutter: Cutter) -> None:
        """Refuse paths that would not meet."""
        self._stepover_fits(self.stepover, cutter)


def top_inside(block: Block, piece: shapely.Polygon) -> float:
    """Highest material (mm) of the block inside a polygon; -inf where there is none."""
    x_low, y_low, x_high, y_high = piece.bounds
    rows, columns = block.grid.window((x_low, y_low), (x_high, y_high))
    x, y = np.meshgrid(block.grid.xs[columns], block.grid.ys[rows])
    inside = shapely.contains_xy(piece, x, y) & (block.empty[rows, columns] == 0)
    return float(block.top[rows, columns][inside].max(initial=-np.inf))


def _make(task: Task) -> Passes:
    settings: PocketSettings = task.settings
    if task.block is None:
        raise ValueError("pocketing needs the block as it is")
    radius = task.cutter.radius
    passes: list[Pass] = []
    for piece in polygons_of(task.outline):
        top = top_inside(task.block, piece)
        inside = polygons_of(offset(piece, -(radius + settings.allowance)))
        bottom = max(top - settings.depth, task.underside)
        if not inside or top <= bottom:
            continue
        for polygon in inside:
            for level in level_heights(top, bottom, settings.stepdown):
                # Inside out: the wall is cut last, and the ring before it has made room.
                rings = list(nested_rings(polygon, settings.stepover, radius))[::-1]
                for ring in rings:
                    at = passes[-1].end[:2] if passes else None
                    passes.extend(ring_passes(ring, level, settings.direction == "climb", at))
    if not passes:
        raise NothingToCut(
            f"a {task.cutter.diameter:g} mm cutter does not fit inside the boundary, or no stock is left there: use a "
            "smaller one"
        )
    return Passes(tuple(passes), stay_down=2.0 * task.cutter.diameter, on_surface=False, ramp_angle=settings.ramp_angle)


def _describe(settings: PocketSettings, cutter: Cutter, say: Say) -> str:
    return f"{say(settings.depth)} deep · {say(settings.stepdown)} down · step {say(settings.stepover)}"


def _estimate(settings: PocketSettings, cutter: Cutter, _leave: float, ground: EstimateInput) -> Estimate:
    layers = max(ceil(settings.depth / settings.stepdown - 1e-6), 1)
    rings = max(ceil((min(ground.width, ground.height) / 2 - cutter.radius) / settings.stepover), 1)
    length = layers * max(ground.area - ground.perimeter * cutter.radius, 0.0) / settings.stepover
    return Estimate(
        travel_seconds(length, 4 * layers * rings, ground.feed, ground.acceleration)
        + settings.depth / 0.0524 / ground.plunge_feed * 60,
        lines=rings,
        layers=layers,
    )


STRATEGY = Strategy(
    key="pocket",
    title="Pocket",
    summary="clears the inside of the boundary to a level floor",
    role="mark",
    settings=PocketSettings,
    make=_make,
    describe=_describe,
    estimate=_estimate,
    shapes=ROUGHING_SHAPES,
    stepped=True,
)
