"""A cutter with all its dimensions, what it cuts with, and how it is driven."""

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from nephos.core.cutters.profile import Profile
from nephos.core.cutters.shapes import SHAPES
from nephos.core.errors import Refused
from nephos.core.value import Value

Shape = Literal["flat", "ball", "bull-nose", "tapered-ball", "v", "engraver", "drill"]
Length = Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)]
OrNone = Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)]


class HolderStep(Value):
    """One step of the holder (collet, nut, spindle nose), from the cutter upwards."""

    diameter: Length
    length: Length


_OWN = {"corner_radius", "angle", "tip_diameter"}
"""Dimensions that only some shapes have."""


class Cutter(Value):
    """A cutter. Lengths in millimetres, angles in degrees (the included ones), feeds in mm/min, speed in 1/min.

    `angle` is that of the cone of tapered balls, Vs, engravers and drills; `tip_diameter` the ball's of a tapered
    ball and the flat tip's of an engraver; `stickout` the length of the cutter outside its holder (none: all but
    what a collet needs); `ramp_limit` the steepest it may be driven down along a path.
    """

    number: int = Field(ge=1, le=999)
    name: str = Field(min_length=1, max_length=80)
    shape: Shape
    diameter: Length
    corner_radius: OrNone = 0.0
    angle: Annotated[float, Field(ge=0, lt=180, allow_inf_nan=False)] = 0.0
    tip_diameter: OrNone = 0.0
    flute_length: Length
    shank_diameter: Length
    overall_length: Length
    stickout: Length | None = None
    holder: tuple[HolderStep, ...] = Field(default=(), max_length=8)
    flutes: int = Field(ge=1, le=12)
    feed: float = Field(gt=0, le=100_000)
    plunge_feed: float = Field(gt=0, le=100_000)
    spindle: float = Field(gt=0, le=200_000)
    ramp_limit: Annotated[float, Field(ge=0, le=90, allow_inf_nan=False)] = 90.0
    group: str = Field(default="", max_length=40)

    @model_validator(mode="before")
    @classmethod
    def _only_its_own(cls, data: Any) -> Any:
        """Dimensions that the shape does not have are dropped, and those that it lacks get usual numbers: another shape
        is no error."""
        if not isinstance(data, dict) or data.get("shape") not in SHAPES:
            return data
        kind, diameter = SHAPES[data["shape"]], data.get("diameter")
        usual = kind.usual(float(diameter)) if isinstance(diameter, int | float) else {}
        return usual | {key: value for key, value in data.items() if key not in _OWN or (key in kind.needs and value)}

    @model_validator(mode="after")
    def _lengths_agree(self) -> "Cutter":
        if self.flute_length > self.overall_length:
            raise ValueError(
                f"the flutes ({self.flute_length:g} mm) are longer than the whole cutter "
                f"({self.overall_length:g} mm): correct one of them"
            )
        if self.stickout is not None and self.stickout > self.overall_length:
            raise ValueError(
                f"its stickout is {self.stickout:g} mm, more than its length ({self.overall_length:g} mm): correct "
                "one of them"
            )
        if self.corner_radius > self.radius:
            raise ValueError(
                f"the corner radius ({self.corner_radius:g} mm) is more than half the diameter: give {self.radius:g} "
                "mm or less"
            )
        if self.tip_diameter > self.diameter:
            raise ValueError(
                f"the tip ({self.tip_diameter:g} mm) is thicker than the cutter ({self.diameter:g} mm): correct one "
                "of them"
            )
        if self.profile.rim > self.flute_length + 1e-9:
            raise ValueError(
                f"with this angle the cone is {self.profile.rim:.3g} mm high, more than the flutes are long "
                f"({self.flute_length:g} mm): "
                "give a larger angle, a smaller diameter or longer flutes"
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

    @property
    def reach(self) -> float:
        """How far the cutter stands out of what holds it, in millimetres; without a number, all but 20 mm of it."""
        return self.stickout if self.stickout is not None else max(self.overall_length - 20.0, self.flute_length)

    @property
    def bodies(self) -> list[tuple[str, float, float]]:
        """What must not meet material: name, radius, and height of its foot over the tip. The flutes' end comes first.

        From there on even a shank as thick as the flutes rubs on what it has not cut.
        """
        found = [("flutes", self.radius, self.flute_length)]
        if self.shank_diameter > self.diameter:
            found.append(("shank", self.shank_diameter / 2, self.flute_length))
        height = self.reach
        for step in self.holder:
            found.append(("holder", step.diameter / 2, height))
            height += step.length
        return found

    def outline(self) -> list[tuple[float, float]]:
        """Half of the cutter's section, (radius, height over the tip), from the tip up; with shank and holder."""
        p = self.profile
        points = [(0.0, 0.0)]
        if p.flat > 0:
            points.append((p.flat, 0.0))
        if p.corner > 0:
            points += [
                (rho, p.height(min(rho, p.knee))) for rho in (p.flat + (p.knee - p.flat) * k / 12 for k in range(1, 13))
            ]
        if p.rim > p.rise or p.radius > p.knee:
            points.append((p.radius, p.rim))
        shank = self.shank_diameter / 2
        points += [(p.radius, self.flute_length), (shank, self.flute_length)]
        top = self.reach if self.holder else self.overall_length
        points.append((shank, max(top, self.flute_length)))
        height = points[-1][1]
        for step in self.holder:
            points += [(step.diameter / 2, height), (step.diameter / 2, height + step.length)]
            height += step.length
        return [*points, (0.0, height)]

    def scallop(self, stepover: float) -> float:
        """Height of the ridge that lines `stepover` apart leave on level ground, in millimetres."""
        half = stepover / 2
        return self.profile.height(min(half, self.profile.radius))


def standard_cutter(shape: str, diameter: float, number: int = 1) -> Cutter:
    """A cutter of usual proportions for `shape` and `diameter` (mm), for a wood router.

    Feeds follow from a chip load of 1/60 of the diameter for each of two flutes at 18000 1/min, within 600 to 3000
    mm/min."""
    if shape not in SHAPES:
        raise Refused(f"there is no cutter shape '{shape}': use one of {', '.join(SHAPES)}")
    if not 0 < diameter <= 200:
        raise Refused(f"a cutter of {diameter:g} mm is not possible: give 0.1 to 200 mm")
    feed = round(min(max(18000 * 2 * diameter / 60 * 1.0, 600), 3000) / 100) * 100
    usual = SHAPES[shape].usual(diameter)
    document = {
        "number": number,
        "name": f"{diameter:g} mm {shape}",
        "shape": shape,
        "diameter": diameter,
        "shank_diameter": max(diameter, 3.0),
        "flutes": 2,
        "feed": feed,
        "plunge_feed": round(feed / 3),
        "spindle": 18000,
        **usual,
    }
    # As long as its cone asks for, and no shorter than usual.
    bare = Cutter.model_validate(document | {"flute_length": 1000.0, "overall_length": 1000.0})
    flutes = max(3.0 * diameter, 8.0, round(bare.profile.rim + 0.5, 1) if bare.profile.rim > 3.0 * diameter else 0.0)
    return Cutter.model_validate(
        document | {"flute_length": flutes, "overall_length": flutes + max(25.0, 2 * diameter)}
    )


def usual_cutters() -> list[Cutter]:
    """Long cutters of usual sizes, for proposals where no shop says what it has."""
    sizes = [("flat", d) for d in (2.0, 3.0, 4.0, 6.0, 8.0, 10.0)] + [("ball", d) for d in (1.0, 2.0, 3.0, 4.0, 6.0)]
    found = []
    for k, (shape, diameter) in enumerate([*sizes, ("drill", 5.0), ("drill", 6.0)]):
        cutter = standard_cutter(shape, diameter, k + 1)
        flutes = max(5 * diameter, cutter.flute_length)
        lengths = {"flute_length": flutes, "overall_length": flutes + 40.0}
        found.append(Cutter.model_validate(cutter.model_dump() | lengths))
    return found
