"""What a strategy is, and the list of them. A new one is a module here and one line in `_MODULES`."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from math import inf
from typing import Any, Literal, NamedTuple

import shapely
from pydantic import Field

from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.estimate.estimate import Estimate
from nephos.core.parallel import Report
from nephos.core.stock.block import Block
from nephos.core.surface.drop import Surface
from nephos.core.toolpath import Passes
from nephos.core.units import Say
from nephos.core.value import Value

_MODULES = (
    "rough_offset",
    "rough_raster",
    "rough_engagement",
    "rough_plunge",
    "finish_raster",
    "finish_helix",
    "finish_offset",
    "finish_waterline",
    "finish_steep_shallow",
    "pocket",
    "drill",
    "score",
    "cut_out",
    "parting_groove",
)


def number(  # noqa: PLR0913  each word of a field is one of its own
    title: str,
    default: float,
    *,
    unit: str = "",
    low: float | None = None,
    over: float | None = None,
    high: float | None = None,
    step: float = 0.1,
    fold: str = "",
    help: str = "",
) -> Any:
    """A numeric setting with what the page needs to show it: name, unit, range, step, fold, meaning."""
    return Field(
        default=default,
        title=title,
        description=help,
        ge=low,
        gt=over,
        le=high,
        allow_inf_nan=False,
        json_schema_extra={"unit": unit, "step": step, "fold": fold},
    )


def choice(title: str, default: str, names: dict[str, str], *, fold: str = "", help: str = "") -> Any:
    """A setting that is one of a few words; `names` says what each is called on the page."""
    extra: dict[str, Any] = {"names": names, "fold": fold}
    return Field(default=default, title=title, description=help, json_schema_extra=extra)


Role = Literal["rough", "finish", "cut_out", "mark"]
"""What a strategy is for: it clears stock over the models, makes their surface, cuts the part free, or cuts where it is
told (pockets, holes, lines, grooves)."""
SetupKind = Literal["face", "rotary"]


class Figures(NamedTuple):
    """Settings (mm) that several strategies share and other parts ask for. None, or 0 for those that are 0 where they
    are not set, where a strategy has no such setting."""

    stepover: float | None = None
    stepdown: float | None = None
    rest: float | None = None
    layer: float | None = None
    leave: float = 0.0
    minimum: float = 0.0
    through: float = 0.0
    direction: str | None = None


class Held(NamedTuple):
    """How a part that is cut free is held: by a `skin` (mm) at the underside, or by tabs; and on which side of its
    boundary, with which `allowance` (mm), the cutter goes."""

    skin: float
    tab_count: int
    hole_tabs: int
    tab_length: float
    tab_height: float
    side: Literal["outside", "inside", "on"]
    allowance: float


class StrategySettings(Value):
    """Base of the settings of every strategy."""

    @property
    def figures(self) -> Figures:
        """The settings that several strategies share."""
        own: dict[str, Any] = {name: getattr(self, name) for name in Figures._fields if name in type(self).model_fields}
        return Figures(**own)

    @property
    def held(self) -> Held | None:
        """How the part is held where it is cut free; none where it is not."""
        return None

    def level_over(self, underside: float) -> float | None:
        """The height that the tip goes to everywhere, over the stock's `underside`; none where it follows the
        models."""
        return None

    def check_cutter(self, cutter: Cutter) -> None:
        """Raise ValueError where a number cannot be worked with this cutter."""

    @property
    def wants_block(self) -> bool:
        """Whether the passes depend on the block as it is by then."""
        return False

    @property
    def wants_contours(self) -> bool:
        """Whether the estimate goes by contours, for which the picture of the ground must show the cutter's round."""
        return False

    def beside(self, cutter: Cutter) -> float:
        """How far (mm) beyond its boundary the cutter's axis may go besides."""
        return 0.0

    @staticmethod
    def _stepover_fits(stepover: float, cutter: Cutter) -> None:
        if stepover > cutter.diameter:
            raise ValueError(
                f"the stepover of {stepover:g} mm is larger than the cutter ({cutter.diameter:g} mm): "
                f"lines would not meet; use {cutter.diameter * 0.9:.3g} mm or less"
            )


@dataclass(frozen=True)
class Task:
    """All that a strategy may know, in setup space.

    `region` is where the cutter's axis may be; `outline` the boundary itself; `floor` the lowest tip height, `ceiling`
    the highest; `underside` that of the stock, `stock` its box on the plan (low x, low y, high x, high y); `block` the
    block before the operation (only where the settings want it). In a tile the cutter's axis stays in the `window`, and
    holes are drilled whose middle lies in its `core`; no tab stands on one of the `seams`; `region` is not cut to
    these, so that lines run alike in all tiles, but where the strategy goes by the block."""

    index: Surface
    region: shapely.Geometry
    floor: float
    block: Block | None
    cutter: Cutter
    settings: Any
    tolerance: float
    report: Report
    outline: shapely.Geometry
    underside: float
    ceiling: float = inf
    stock: tuple[float, float, float, float] | None = None
    window: tuple[float, float, float, float] | None = None
    core: tuple[float, float, float, float] | None = None
    seams: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True)
class Strategy:
    """A path to cut: its name, what it is for, its settings, and the functions that work it out.

    Where it `skips_air`, long stretches that take nothing away are left out of its passes. Where it is `stepped` it
    goes down in level steps, none deeper than its stepdown. `setup_kinds` : where it can be cut. `goes_by_outline` : by
    its boundary alone, whose whole outline it wants in a tile too. `goes_round` : on closed paths that may go both ways
    where a seam opens them."""

    key: str
    title: str
    summary: str
    role: Role
    settings: type[StrategySettings]
    make: Callable[[Task], Passes]
    describe: Callable[[Any, Cutter, Say], str]
    estimate: "Callable[[Any, Cutter, float, Any], Estimate]"
    shapes: tuple[str, ...] = ("flat", "ball", "bull-nose", "tapered-ball", "v", "engraver")
    skips_air: bool = False
    stepped: bool = False
    setup_kinds: tuple[SetupKind, ...] = ("face",)
    goes_by_outline: bool = False
    goes_round: bool = False


@cache
def strategies() -> dict[str, Strategy]:
    """All strategies by their key, in the order in which they are offered."""
    found = [import_module(f"nephos.core.strategies.{name}").STRATEGY for name in _MODULES]
    return {item.key: item for item in found}


def strategy(key: str) -> Strategy:
    """The strategy called `key`."""
    try:
        return strategies()[key]
    except KeyError:
        raise Refused(f"there is no strategy '{key}': use one of {', '.join(strategies())}") from None
