"""Raster finishing: parallel lines at any angle that follow the surface."""

from itertools import chain
from math import sqrt
from typing import Literal

import shapely

from nephos.core.cutters import Cutter
from nephos.core.estimate.estimate import Estimate, EstimateInput, line_count, line_starts, travel_seconds
from nephos.core.strategies.clearing.hatch import hatch, in_chains
from nephos.core.strategies.following.finishing import FinishSettings, finishing_region, outline_passes
from nephos.core.strategies.following.follow import follow_lines
from nephos.core.strategies.following.layers import in_layers, layers_share
from nephos.core.strategies.registry import Strategy, Task, choice, number
from nephos.core.toolpath import Pass, Passes
from nephos.core.units import Say

_WAYS = {"both": "both ways", "one": "one way"}
_ACROSS = {"off": "no", "on": "yes"}


class FinishRasterSettings(FinishSettings):
    """Settings of raster finishing."""

    angle: float = number("Angle", 0.0, unit="°", low=-360, high=360, step=15, help="of the lines, from X towards Y")
    across: Literal["off", "on"] = choice(
        "Second pass across", "off", _ACROSS, help="the same once more, square to the first"
    )
    direction: Literal["both", "one"] = choice("Direction", "both", _WAYS)


def line_passes(
    task: Task, region: shapely.Geometry, angle: float, stepover: float, both_ways: bool, leave: float
) -> list[Pass]:
    """Parallel lines over a region, following the surface."""
    lines, row = hatch(region, angle, stepover)
    lines = in_chains(lines, row, both_ways)
    points, ends = follow_lines(task.index, lines, task.cutter.profile, leave, task.floor, task.tolerance, task.report)
    starts = [0, *(ends[:-1] + 1)] if len(ends) else []
    return [Pass(points[a : b + 1]) for a, b in zip(starts, ends, strict=True)]


def _make(task: Task) -> Passes:
    settings: FinishRasterSettings = task.settings
    region = finishing_region(task, settings)
    both = settings.direction == "both"
    angles = (settings.angle, settings.angle + 90) if settings.across == "on" else (settings.angle,)

    def layer_passes(layer: Task) -> list[Pass]:
        # The skin that lines leave at upright walls is as high as these: the outline is cut in each layer too.
        lines = [line_passes(layer, region, angle, settings.stepover, both, settings.leave) for angle in angles]
        return [*chain.from_iterable(lines), *outline_passes(layer, settings)]

    passes = in_layers(task, settings.layer, layer_passes, both=both)
    near = max(3 * settings.stepover, task.cutter.diameter)
    return Passes(tuple(passes), stay_down=near if both else 0.0, on_surface=True)


def _describe(settings: FinishRasterSettings, cutter: Cutter, say: Say) -> str:
    across = " and across" if settings.across == "on" else ""
    rest = f"where > {say(settings.rest)} left · " if settings.rest > 0 else ""
    scallop = say(round(cutter.scallop(settings.stepover), 3))
    return f"{rest}{settings.angle:g}°{across} · step {say(settings.stepover)} · scallop {scallop}"


def line_seconds(angle: float, stepover: float, ground: EstimateInput) -> tuple[float, int]:
    """Time of parallel lines over the ground, and how many they are."""
    lines, _ = line_count(ground.width, ground.height, angle, stepover)
    length = ground.area / stepover * ground.steepness + lines * stepover
    seconds = travel_seconds(length, lines, ground.surface_feed, ground.acceleration)
    if ground.stock_estimate is not None:
        stock_estimate = ground.stock_estimate()
        starts = max(line_starts(stock_estimate, angle), 1)
        seconds += (starts - 1) * ground.lift_seconds(sqrt(ground.area / starts), stock_estimate.again)
    return seconds, lines


def _estimate(settings: FinishRasterSettings, cutter: Cutter, _leave: float, ground: EstimateInput) -> Estimate:
    seconds, lines = line_seconds(settings.angle, settings.stepover, ground)
    if settings.across == "on":
        more, others = line_seconds(settings.angle + 90, settings.stepover, ground)
        seconds, lines = seconds + more, lines + others
    seconds *= layers_share(settings.layer, ground.shares, ground.depth)
    if settings.direction == "one":
        mean = ground.area / max(lines * settings.stepover, 1e-9)
        seconds += lines * (mean / 80 + 2 * ground.relief / 40)
    return Estimate(seconds=seconds, lines=lines, scallop=cutter.scallop(settings.stepover))


STRATEGY = Strategy(
    key="finish_raster",
    title="Finish, raster",
    summary="follows the surface in close lines",
    role="finish",
    settings=FinishRasterSettings,
    make=_make,
    describe=_describe,
    estimate=_estimate,
    setup_kinds=("face", "rotary"),
)
