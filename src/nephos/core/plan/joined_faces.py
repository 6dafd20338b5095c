"""What the setups of a part share that is cut from several faces: parting, border, tabs, and where the stock is found
again."""

from typing import Annotated, Literal

from pydantic import Field, field_validator

from nephos.core.plan.ranges import Angle, Place
from nephos.core.value import Value


class FaceTab(Value):
    """A solid between the part and the frame, which all operations of all setups leave standing.

    `at` is its middle on the part's outline, from the low corner of the stock; it runs from there in the direction
    `angle` (degrees on the plan of the stock, from X towards Y) through the border into the frame, and `inward` mm into
    the part. A bar is `width` wide and `thickness` thick along Z; a round one has the diameter `thickness`."""

    id: str = Field(min_length=1, max_length=40)
    shape: Literal["bar", "round"] = "bar"
    at: tuple[Place, Place, Place]
    angle: Angle = 0.0
    width: Annotated[float, Field(ge=0.5, le=200)] = 8.0
    thickness: Annotated[float, Field(ge=0.5, le=200)] = 4.0
    inward: Annotated[float, Field(ge=0, le=500)] = 2.0


class Registration(Value):
    """How the stock is found again after it was turned over, and by how much that may be wrong.

    `stops` : against stops at the `corner` of the stock that stays at the stops; `dowels` : two pins on the turning
    axis, `diameter` thick and `depth` deep in the bed, `inset` from the stock's ends; `centre` : from the middle of the
    stock. `dx`, `dy` (mm) and `rotation` (degrees) are an assumed error, to see the step that it would make."""

    by: Literal["stops", "dowels", "centre"] = "stops"
    corner: Literal["front-left", "front-right", "back-left", "back-right"] = "front-left"
    diameter: Annotated[float, Field(gt=0, le=50)] = 6.0
    depth: Annotated[float, Field(gt=0, le=100)] = 10.0
    inset: Annotated[float, Field(ge=0, le=1000)] = 8.0
    dx: Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)] = 0.0
    dy: Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)] = 0.0
    rotation: Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)] = 0.0


class Faces(Value):
    """What all setups of a part share that is cut from several faces.

    Each side cuts down to the `parting` and its overrun past it, beside the part within the `border` (mm) round its
    outline. `parting` is a height over the stock's underside; for front and back, `parting_y` from the stock's front
    (the middle of the stock where none is given)."""

    parting: Place
    parting_y: Place | None = None
    border: Annotated[float, Field(gt=0, le=500)] = 10.0
    tabs: tuple[FaceTab, ...] = Field(default=(), max_length=60)
    registration: Registration = Registration()

    @field_validator("tabs")
    @classmethod
    def _tabs_once(cls, value: tuple[FaceTab, ...]) -> tuple[FaceTab, ...]:
        if len({tab.id for tab in value}) != len(value):
            raise ValueError("two tabs have one id")
        return value
