"""The shape of a piece over its outline: its height as a function of the distance from the outline.

A shape that is swept along the curve has a width instead, half to each side. A new shape is a class here, a member of
`Shape`, and a function in profiles.py or sweeps.py.
"""

from typing import Annotated, Literal

from pydantic import Field

from nephos.core.plan.ranges import Size
from nephos.core.relief.measures import ANGLE, PLAIN
from nephos.core.value import Value

__all__ = ["Bead", "Bevel", "Dome", "Flat", "Rope", "RoundEdge", "Section", "Shape", "Slant", "Swept"]

Width = Annotated[float, Field(ge=0, le=5000, allow_inf_nan=False)]


class Flat(Value):
    """Level, with an upright wall at the outline."""

    kind: Literal["flat"] = "flat"


class Slant(Value):
    """A wall that rises from the outline at an angle up to the height, and is level from there."""

    kind: Literal["slant"] = "slant"
    angle: Annotated[float, Field(ge=1, lt=90, allow_inf_nan=False)] = Field(
        default=60.0, title="Wall angle", description="degrees from level", json_schema_extra=ANGLE
    )


class Dome(Value):
    """A quarter of an ellipse that rises from the outline over a width; 0 is up to the middle."""

    kind: Literal["dome"] = "dome"
    width: Width = Field(default=0.0, title="Rises over", description="0: up to the middle")


class RoundEdge(Value):
    """Level, with its upper edge rounded."""

    kind: Literal["round"] = "round"
    radius: Size = Field(default=3.0, title="Edge radius")


class Bevel(Value):
    """Level, with its upper edge cut off at an angle."""

    kind: Literal["bevel"] = "bevel"
    width: Size = Field(default=3.0, title="Bevel width")
    angle: Annotated[float, Field(ge=1, lt=90, allow_inf_nan=False)] = Field(
        default=45.0, title="Bevel angle", description="degrees from level", json_schema_extra=ANGLE
    )


class Bead(Value):
    """Half round beads in a row along the curve."""

    kind: Literal["bead"] = "bead"
    width: Size = Field(default=5.0, title="Bead diameter")
    spacing: Annotated[float, Field(ge=0.5, le=20, allow_inf_nan=False)] = Field(
        default=1.0, title="Spacing", description="from bead to bead, in diameters", json_schema_extra=PLAIN
    )


class Rope(Value):
    """A twisted rope along the curve."""

    kind: Literal["rope"] = "rope"
    width: Size = Field(default=6.0, title="Rope width")
    strands: Annotated[int, Field(ge=2, le=6)] = Field(default=3, title="Strands")
    lead: Size = Field(default=18.0, title="Lead", description="length of one whole twist")


class Section(Value):
    """A drawn section along the curve: heights, as shares of the piece's height, at even steps across the width."""

    kind: Literal["section"] = "section"
    width: Size = Field(default=8.0, title="Width")
    heights: tuple[Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)], ...] = Field(
        default=(0.0, 0.7, 1.0, 0.7, 0.0), min_length=2, max_length=101, title="Section"
    )


Swept = Bead | Rope | Section
Shape = Annotated[Flat | Slant | Dome | RoundEdge | Bevel | Bead | Rope | Section, Field(discriminator="kind")]
