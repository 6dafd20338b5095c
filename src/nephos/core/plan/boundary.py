"""Boundaries: named outlines on the plan that operations keep to."""

from typing import Annotated, Literal

from pydantic import Field

from nephos.core.plan.ranges import Place, Size
from nephos.core.value import Value

Shift = Annotated[float, Field(ge=-500, le=500, allow_inf_nan=False)]
BUILT_IN = {
    "silhouette": "outline of the models",
    "box": "box of the models",
    "stock": "whole stock",
    "border": "outline and border",
    "dowels": "dowel holes",
    "marks": "marks for the slide",
}
"""Boundaries that every job has, by id. The border and the dowel holes are those of several faces: see :class:`Faces`;
the marks those of tiles: see :class:`Tiles`."""


class Combine(Value):
    """Another boundary that is joined to this one, cut from it, or of which only the common part stays."""

    how: Literal["join", "cut", "intersect"] = "join"
    boundary: str


Spot = tuple[Place, Place]


class Curve(Value):
    """A closed curve drawn on the stock, from its low corner: straight from point to point, or smooth through them."""

    points: tuple[Spot, ...] = Field(min_length=3, max_length=20_000)
    smooth: bool = False


class Boundary(Value):
    """A named outline on the plan. It follows the models: it is calculated again when they change.

    `slice` is the outline of the models above `height` over their foot. `rectangle` and `circle` lie at
    `at` (the middle) with `size` (X, Y; a circle's diameter first), from the low corner of the stock. `drawn` is what
    the `curves` enclose. `piece` is the outline of a piece of a composition, the first of `models`. `offset` grows
    it, or shrinks it where negative. Loops that pass nearest to one of the spots in `left_out` are left out: an outline
    with all in it, or a hole, which is filled."""

    id: str = Field(min_length=1, max_length=40, pattern=r"^[a-z0-9-]+$")
    name: str = Field(min_length=1, max_length=60)
    source: Literal[
        "silhouette", "slice", "box", "stock", "rectangle", "circle", "drawn", "border", "dowels", "marks", "piece"
    ] = "silhouette"
    setup: str | None = Field(
        default=None,
        description="id of the setup in whose view, from the low corner of the turned stock, its numbers are; none for "
        "the stock as seen from above",
    )
    models: tuple[str, ...] = Field(default=(), description="ids of the models; none means all that are shown")
    piece: str = Field(default="", max_length=40, description="id of the piece of a composition that it follows")
    height: Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False)] = 1.0
    at: tuple[Place, Place] = (0.0, 0.0)
    size: tuple[Size, Size] = (50.0, 50.0)
    offset: Shift = 0.0
    corners: Literal["round", "sharp"] = "round"
    outer_only: bool = Field(default=False, description="holes are filled")
    drop_under: Annotated[float, Field(ge=0, le=1e8, allow_inf_nan=False)] = Field(
        default=0.0, description="loops of less area, mm^2, are left out"
    )
    smooth: Annotated[float, Field(ge=0, le=10)] = Field(default=0.0, description="within this, mm")
    combine: tuple[Combine, ...] = ()
    curves: tuple[Curve, ...] = Field(default=(), max_length=500)
    left_out: tuple[Spot, ...] = Field(default=(), max_length=200)


class Limit(Value):
    """What an operation may reach: a boundary, and how the cutter keeps to it.

    The cutter's edge stays inside (`inside`), its centre does (`centre`), or its centre may pass it by the cutter's
    radius (`outside`); `offset` is added to that. It stays, in the same way, out of the boundaries in `without`."""

    boundary: str = "box"
    contain: Literal["inside", "centre", "outside"] = "outside"
    offset: Shift = 0.0
    without: tuple[str, ...] = ()

    def past(self, radius: float) -> float:
        """How far (mm) past the boundary the axis of a cutter of this radius may go; less than 0 for how far inside it
        has to stay."""
        return {"inside": -radius, "centre": 0.0, "outside": radius}[self.contain] + self.offset
