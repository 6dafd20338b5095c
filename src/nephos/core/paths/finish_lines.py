"""Raster finishing: parallel lines at any angle that follow the surface."""

from typing import Literal

from nephos.core.cutters import Cutter
from nephos.core.paths.estimate import Estimate, Ground, line_count, travel_seconds
from nephos.core.paths.follow import follow_lines
from nephos.core.paths.lines import hatch, in_chains
from nephos.core.paths.registry import Passes, Strategy, StrategySettings, Task, choice, number
from nephos.core.paths.toolpath import Pass
from nephos.core.units import Say

_WAYS = {"both": "both ways", "one": "one way"}


class FinishLinesSettings(StrategySettings):
    """Settings of raster finishing."""

    angle: float = number("Angle", 0.0, unit="°", low=-360, high=360, step=15,
                          help="of the lines, from X towards Y")
    stepover: float = number("Stepover", 0.3, unit="mm", over=0, high=100, step=0.02,
                             help="from line to line, on the plan")
    direction: Literal["both", "one"] = choice("Direction", "both", _WAYS)
    leave: float = number("Stock to leave", 0.0, unit="mm", low=0, high=20, step=0.1, fold="Heights",
                          help="square to the surface")

    def check_cutter(self, cutter: Cutter) -> None:
        """Refuse lines that would not meet."""
        self._stepover_fits(self.stepover, cutter)


def _make(task: Task) -> Passes:
    settings: FinishLinesSettings = task.settings
    lines, row = hatch(task.region, settings.angle, settings.stepover)
    lines = in_chains(lines, row, settings.direction == "both")
    points, ends = follow_lines(
        task.index, lines, task.cutter.profile, settings.leave, task.floor, task.tolerance, task.report
    )
    starts = [0, *(ends[:-1] + 1)] if len(ends) else []
    passes = tuple(Pass(points[a : b + 1]) for a, b in zip(starts, ends, strict=True))
    near = max(3 * settings.stepover, task.cutter.diameter)
    return Passes(passes, stay_down=near if settings.direction == "both" else 0.0, on_surface=True)


def _describe(settings: FinishLinesSettings, cutter: Cutter, say: Say) -> str:
    return f"step {say(settings.stepover)} · scallop {say(round(cutter.scallop(settings.stepover), 3))}"


def _estimate(settings: FinishLinesSettings, cutter: Cutter, _leave: float, ground: Ground) -> Estimate:
    lines, mean = line_count(ground.width, ground.height, settings.angle, settings.stepover)
    # Up and down the relief makes the way longer than on the plan, and each line ends in a turn.
    steep = 1.0 + 0.5 * min(ground.relief / max(mean, 1e-9), 1.0) * 2
    length = lines * (mean * steep + settings.stepover)
    seconds = travel_seconds(length, lines, ground.feed, ground.acceleration)
    if settings.direction == "one":
        seconds += lines * (mean / 80 + 2 * ground.relief / 40)
    return Estimate(seconds=seconds, lines=lines, scallop=cutter.scallop(settings.stepover))


STRATEGY = Strategy(
    key="finish_lines", title="Finish, lines", summary="follows the surface in close lines",
    settings=FinishLinesSettings, uses_block=False, make=_make, describe=_describe, estimate=_estimate,
)
