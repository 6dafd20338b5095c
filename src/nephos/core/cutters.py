"""Cutters: surfaces of revolution with their dimensions in millimetres.

A shape is one entry in `SHAPES`: how its dimensions become a :class:`Profile`. What a kernel needs
of a cutter is its profile, and nothing else.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Literal, NamedTuple

from pydantic import BaseModel, ConfigDict, Field, model_validator

from nephos.core.errors import Refused

Shape = Literal["flat", "ball"]


class Profile(NamedTuple):
    """The cutting end of a cutter: radius of the flat bottom and of the corner, in millimetres."""

    flat: float
    corner: float

    @property
    def radius(self) -> float:
        """Largest radius."""
        return self.flat + self.corner

    def grown(self, leave: float) -> "Profile":
        """The cutter enlarged by `leave` in all directions. Its tip lies `leave` under the true one."""
        return Profile(self.flat, self.corner + leave)


Length = Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)]


class Cutter(BaseModel):
    """A cutter with all its dimensions. Lengths in millimetres, feeds in mm/min, speed in 1/min."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    number: int = Field(ge=1, le=999)
    name: str = Field(min_length=1, max_length=80)
    shape: Shape
    diameter: Length
    flute_length: Length
    shank_diameter: Length
    overall_length: Length
    flutes: int = Field(ge=1, le=12)
    feed: float = Field(gt=0, le=100_000)
    plunge_feed: float = Field(gt=0, le=100_000)
    spindle: float = Field(gt=0, le=200_000)

    @model_validator(mode="after")
    def _lengths_agree(self) -> "Cutter":
        if self.flute_length > self.overall_length:
            raise ValueError(
                f"the flutes ({self.flute_length:g} mm) are longer than the whole cutter "
                f"({self.overall_length:g} mm): correct one of them"
            )
        return self

    @property
    def profile(self) -> Profile:
        """The shape of the cutting end."""
        return SHAPES[self.shape].profile(self)

    @property
    def radius(self) -> float:
        """Half the diameter."""
        return self.diameter / 2

    def scallop(self, stepover: float) -> float:
        """Height of the ridge that lines `stepover` apart leave on level ground, in millimetres."""
        profile = self.profile
        half = stepover / 2 - profile.flat
        if half <= 0 or profile.corner == 0:
            return 0.0
        if half >= profile.corner:
            return profile.corner
        return float(profile.corner - (profile.corner**2 - half**2) ** 0.5)


@dataclass(frozen=True)
class ShapeKind:
    """How a shape is called and what its profile is."""

    title: str
    profile: Callable[[Cutter], Profile]


SHAPES: dict[str, ShapeKind] = {
    "flat": ShapeKind("Flat", lambda cutter: Profile(cutter.radius, 0.0)),
    "ball": ShapeKind("Ball", lambda cutter: Profile(0.0, cutter.radius)),
}


def standard_cutter(shape: str, diameter: float, number: int = 1) -> Cutter:
    """A cutter of usual proportions for `shape` and `diameter` (mm), for a wood router.

    Feeds follow from a chip load of 1/60 of the diameter for each of two flutes at 18000 1/min,
    within 600 to 3000 mm/min.
    """
    if shape not in SHAPES:
        raise Refused(f"there is no cutter shape '{shape}': use one of {', '.join(SHAPES)}")
    if not 0 < diameter <= 200:
        raise Refused(f"a cutter of {diameter:g} mm is not possible: give 0.1 to 200 mm")
    feed = round(min(max(18000 * 2 * diameter / 60 * 1.0, 600), 3000) / 100) * 100
    flutes = max(3.0 * diameter, 8.0)
    return Cutter(
        number=number, name=f"{diameter:g} mm {shape}", shape=shape,  # type: ignore[arg-type]
        diameter=diameter, flute_length=flutes, shank_diameter=max(diameter, 3.0),
        overall_length=flutes + max(25.0, 2 * diameter), flutes=2,
        feed=feed, plunge_feed=round(feed / 3), spindle=18000,
    )
