"""Steep and shallow ground finished together: lines where it is shallow, levels round the walls."""

from dataclasses import replace
from typing import Literal

from nephos.core.cutters import Cutter
from nephos.core.errors import NothingToCut
from nephos.core.estimate.estimate import Estimate, EstimateInput
from nephos.core.strategies.finish_raster import line_passes, line_seconds
from nephos.core.strategies.finish_waterline import (
    DIRECTIONS,
    TO_AND_FRO,
    FinishWaterlineSettings,
    level_passes,
    level_seconds,
)
from nephos.core.strategies.following.finishing import FinishSettings, finishing_region
from nephos.core.strategies.following.layers import in_layers, layer_setting, layers_share, not_under
from nephos.core.strategies.following.masks import contact_field, slope_region, without_specks
from nephos.core.strategies.registry import Strategy, StrategySettings, Task, choice, number
from nephos.core.toolpath import Passes
from nephos.core.units import Say


class FinishSteepShallowSettings(StrategySettings):
    """Settings of finishing steep and shallow ground in one operation."""

    split: float = number(
        "Steep from", 45.0, unit="°", low=10, high=80, step=5, help="from level; steeper ground is cut in levels"
    )
    overlap: float = number(
        "Overlap", 1.0, unit="mm", low=0, high=50, step=0.5, help="how far lines and levels go into each other"
    )
    angle: float = number("Angle of the lines", 0.0, unit="°", low=-360, high=360, step=15)
    stepover: float = number("Stepover", 0.3, unit="mm", over=0, high=100, step=0.02, help="of the lines, on the plan")
    stepdown: float = number(
        "Stepdown",
        0.3,
        unit="mm",
        over=0,
        high=100,
        step=0.02,
        help="of the levels; made smaller so that all are equal",
    )
    direction: Literal["climb", "conventional", "both"] = choice(
        "Direction of the levels", "climb", DIRECTIONS, help=TO_AND_FRO
    )
    layer: float = layer_setting()
    leave: float = number(
        "Stock to leave", 0.0, unit="mm", low=0, high=20, step=0.1, fold="Heights", help="square to the surface"
    )

    def check_cutter(self, cutter: Cutter) -> None:
        """Refuse lines that would not meet."""
        self._stepover_fits(self.stepover, cutter)

    @property
    def wants_block(self) -> bool:
        """Layers go by the block."""
        return self.layer > 0

    @property
    def wants_contours(self) -> bool:
        """Of its levels."""
        return True


def _walls(settings: FinishSteepShallowSettings) -> FinishWaterlineSettings:
    return FinishWaterlineSettings(
        stepdown=settings.stepdown,
        steeper=settings.split,
        overlap=settings.overlap,
        direction=settings.direction,
        leave=settings.leave,
    )


def _make(task: Task) -> Passes:
    settings: FinishSteepShallowSettings = task.settings
    region = finishing_region(task, FinishSettings(stepover=settings.stepover, leave=settings.leave))
    shallow = slope_region(contact_field(task, settings.leave), 0.0, settings.split).buffer(settings.overlap)
    lines = without_specks(region.intersection(shallow), settings.stepover**2)
    walls = _walls(settings)
    try:
        levels = level_passes(replace(task, settings=walls), walls)
    except NothingToCut:
        # Nothing is steep: the lines do it all.
        levels = []
    passes = in_layers(
        task,
        settings.layer,
        lambda layer: [
            *line_passes(layer, lines, settings.angle, settings.stepover, True, settings.leave),
            *not_under(levels, layer.floor),
        ],
        both=settings.direction == "both",
    )
    if not passes:
        raise NothingToCut("nothing is left to finish inside the boundary: widen it")
    near = max(3 * settings.stepover, 4 * settings.stepdown, task.cutter.diameter)
    return Passes(tuple(passes), stay_down=near, on_surface=True, both=settings.direction == "both")


def _describe(settings: FinishSteepShallowSettings, cutter: Cutter, say: Say) -> str:
    lines = f"lines to {settings.split:g}°, step {say(settings.stepover)}"
    return f"{lines} · levels from there, {say(settings.stepdown)} down"


def _estimate(settings: FinishSteepShallowSettings, cutter: Cutter, _leave: float, ground: EstimateInput) -> Estimate:
    lines, count = line_seconds(settings.angle, settings.stepover, ground)
    levels, layers = level_seconds(_walls(settings), cutter, ground)
    steep = ground.steeper_than(settings.split)
    # Steep ground cuts the lines into pieces, between which the cutter lifts (measured on reliefs).
    broken = 1 + min(2.5 * steep, 0.25)
    broken *= layers_share(settings.layer, ground.shares, ground.depth)
    return Estimate(
        broken * lines * (1 - steep) + levels, lines=count, layers=layers, scallop=cutter.scallop(settings.stepover)
    )


STRATEGY = Strategy(
    key="finish_steep_shallow",
    title="Finish, steep and shallow",
    summary="lines on shallow ground, levels round steep walls",
    role="finish",
    settings=FinishSteepShallowSettings,
    make=_make,
    describe=_describe,
    estimate=_estimate,
    goes_round=True,
)
