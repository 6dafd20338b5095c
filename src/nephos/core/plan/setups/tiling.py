"""Tiles: the parts of a setup that a machine shorter than the board cuts one after another, with a slide between
two."""

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from nephos.core.value import Value

_Place = Annotated[float, Field(ge=-10_000, le=10_000, allow_inf_nan=False)]
_Length = Annotated[float, Field(ge=0, le=2000, allow_inf_nan=False)]
_Small = Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]
Box = tuple[_Place, _Place, _Place, _Place]
"""Low x, low y, high x, high y."""
Axis = Literal["x", "y"]
Side = Literal["before", "after"]
FAR = 1e4
"""Past the ends of the board a cutter may go as far as it likes."""


class SlideError(Value):
    """How far wrong the board lies after the slide to a tile: shifts (mm), and a rotation (degrees) about the tile's
    low corner. It is assumed, to see the step at the seam; programs do not depend on it."""

    tile: int = Field(ge=2, le=400)
    dx: _Small = 0.0
    dy: _Small = 0.0
    dz: _Small = 0.0
    rotation: _Small = 0.0

    @property
    def none(self) -> bool:
        """Whether the board lies right."""
        return not (self.dx or self.dy or self.dz or self.rotation)


class Strip(Value):
    """Finishing again beside a seam that came out with a step.

    The higher side, `before` the seam or `after` it, is lowered by `height` mm at the seam; the lowering falls to zero
    over `width` mm."""

    axis: Axis = "x"
    seam: int = Field(ge=1, le=400, description="number of the seam along its axis")
    side: Side = Field(default="before", description="the higher side of the seam")
    height: Annotated[float, Field(gt=0, le=10, allow_inf_nan=False)] = 0.2
    width: Annotated[float, Field(ge=1, le=1000, allow_inf_nan=False)] = 40.0


class Tiles(Value):
    """Where a setup is cut in tiles, and how the board is slid from one to the next.

    `seams_x` and `seams_y` are straight seams, from the low corner of the turned stock. Each tile begins at the seam to
    the tile before it and cuts `overrun` mm past the seam to the next one. Dowel holes and score marks lie `inset` mm
    from the edges of the board."""

    seams_x: tuple[_Place, ...] = Field(default=(), max_length=40)
    seams_y: tuple[_Place, ...] = Field(default=(), max_length=10)
    overrun: Annotated[float, Field(ge=0, le=200)] = Field(
        default=1.0, title="Overrun", description="past the seam to the next tile, mm"
    )
    order: Literal["forward", "backward"] = Field(
        default="forward", title="Order", description="from the low end of the board, or from the high end"
    )
    zero: Literal["seam", "mark", "stock"] = Field(default="seam", title="Zero")
    slide: Literal["fence", "dowels", "marks"] = Field(default="fence", title="Slide")
    inset: Annotated[float, Field(ge=0, le=500)] = Field(
        default=8.0, title="Inset", description="of dowel holes and marks from the board's edges, mm"
    )
    past: Annotated[float, Field(ge=0, le=200)] = Field(
        default=12.0, title="Past the seam", description="dowel holes lie so far past the seam, mm"
    )
    diameter: Annotated[float, Field(gt=0, le=50)] = Field(default=6.0, title="Dowels", description="diameter, mm")
    errors: tuple[SlideError, ...] = Field(default=(), max_length=400)
    strips: tuple[Strip, ...] = Field(default=(), max_length=100)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        for name, seams in (("X", self.seams_x), ("Y", self.seams_y)):
            if any(b - a < 1.0 for a, b in pairwise(seams)):
                raise ValueError(f"the seams along {name} must go up, 1 mm apart at least: move one of them")
        if not self.seams_x and not self.seams_y:
            raise ValueError("tiles need a seam at least: add one, or take the tiles away")
        if len({error.tile for error in self.errors}) != len(self.errors):
            raise ValueError("two errors are given for one slide")
        if self.seams_x and self.seams_y and (self.slide != "fence" or self.zero == "mark"):
            raise ValueError(
                "with seams across both axes the board is slid along a fence: dowels and marks work for one axis only"
            )
        for strip in self.strips:
            if strip.seam > len(self.seams(strip.axis)):
                raise ValueError(f"there is no seam {strip.seam} along {strip.axis.upper()} for a strip")
        return self

    def seams(self, axis: Axis) -> tuple[float, ...]:
        """The seams that cross an axis."""
        return self.seams_x if axis == "x" else self.seams_y


class Blend(Value):
    """A lowering that a strip is cut with: `height` at the line `at` along an axis, nothing `width` mm from it towards
    `towards` (-1 or 1)."""

    axis: Axis
    at: _Place
    towards: Literal[-1, 1]
    height: float
    width: float


class Tile(Value):
    """One tile of a setup, or the strip beside one of its seams; a setup of the plan as it is cut has one.

    `core` is what belongs to this tile alone, up to the seams. The axis of a cutter may go `past` it by so much (mm) at
    its low x, low y, high x and high y side: the overrun at the seam to a tile that is cut later, nothing at the seam
    to one that is cut, any distance where the board ends. The board was slid by `slid` mm since the first tile. `marks`
    are what this tile makes for the slides, each `mark_size` (x, y; a dowel hole's diameter twice) large, `marks_past`
    (mm) past its seams for dowels; `ref` says what its zero lies on."""

    of: str
    number: int
    count: int
    core: Box
    past: tuple[float, float, float, float]
    slid: tuple[float, float] = (0.0, 0.0)
    slide: Literal["fence", "dowels", "marks"] = "fence"
    marks_past: float = 0.0
    ref: Literal["end", "seam", "mark", "stock"] = "seam"
    marks: tuple[tuple[_Place, _Place], ...] = ()
    mark_size: tuple[float, float] = (0.0, 0.0)
    seams: tuple[tuple[Axis, _Place], ...] = Field(default=(), description="all seams of the setup")
    error: SlideError | None = None
    blend: Blend | None = None
    final: bool = Field(default=False, description="nothing of the setup is cut after it")

    def window(self, more: float = 0.0) -> Box:
        """Where the axis of a cutter may be: `more` mm farther past each seam than the overrun."""
        low_x, low_y, high_x, high_y = (past + more if 0 < past < FAR else past for past in self.past)
        x0, y0, x1, y1 = self.core
        return x0 - low_x, y0 - low_y, x1 + high_x, y1 + high_y
