"""Ring finishing: the outline of the region and all rings inside it, one stepover apart, over the surface."""

from math import ceil
from typing import Literal

import shapely

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.estimate.estimate import Estimate, EstimateInput, travel_seconds
from nephos.core.strategies.clearing.levels import polygons_of
from nephos.core.strategies.following.finishing import FinishSettings, finishing_region, outline_passes, run_passes
from nephos.core.strategies.following.layers import in_layers, layers_share
from nephos.core.strategies.registry import Strategy, Task, choice
from nephos.core.strategies.rough_offset import ring_paths
from nephos.core.toolpath import Passes
from nephos.core.units import Say

_DIRECTIONS = {"climb": "climb", "conventional": "conventional"}
_ORDER = {"inwards": "inwards", "outwards": "outwards"}


class FinishOffsetSettings(FinishSettings):
    """Settings of ring finishing."""

    direction: Literal["climb", "conventional"] = choice("Direction", "climb", _DIRECTIONS)
    order: Literal["inwards", "outwards"] = choice("Order", "inwards", _ORDER)


def ring_lines(region: shapely.Geometry, stepover: float, climb: bool) -> list[F64]:
    """All rings of a region on the plan, (n, 2) each and closed, from outside in."""
    runs: list[F64] = []
    for piece in polygons_of(region):
        runs += ring_paths(piece, stepover, stepover, climb, runs[-1][-1] if runs else None)
    return runs


def _make(task: Task) -> Passes:
    settings: FinishOffsetSettings = task.settings
    region = finishing_region(task, settings)
    runs = ring_lines(region, settings.stepover, settings.direction == "climb")
    runs = [run for run in runs if len(run) >= 3]
    if settings.order == "outwards":
        runs.reverse()
    passes = in_layers(
        task,
        settings.layer,
        lambda layer: run_passes(layer, runs, settings.leave) + outline_passes(layer, settings),
        both=False,
    )
    return Passes(tuple(passes), stay_down=max(3 * settings.stepover, task.cutter.diameter), on_surface=True)


def _describe(settings: FinishOffsetSettings, cutter: Cutter, say: Say) -> str:
    scallop = say(round(cutter.scallop(settings.stepover), 3))
    return f"rings {settings.order} · step {say(settings.stepover)} · scallop {scallop}"


def _estimate(settings: FinishOffsetSettings, cutter: Cutter, _leave: float, ground: EstimateInput) -> Estimate:
    length = ground.area / settings.stepover * ground.steepness
    rings = ceil(min(ground.width, ground.height) / 2 / settings.stepover)
    # Corners and the bends of the rings cost as much as a stop every few millimetres of turn.
    length *= layers_share(settings.layer, ground.shares, ground.depth)
    return Estimate(
        travel_seconds(length, 4 * rings, ground.surface_feed, ground.acceleration),
        lines=rings,
        scallop=cutter.scallop(settings.stepover),
    )


STRATEGY = Strategy(
    key="finish_offset",
    title="Finish, offset",
    summary="follows the surface in rings inside the outline",
    role="finish",
    settings=FinishOffsetSettings,
    make=_make,
    describe=_describe,
    estimate=_estimate,
)
