"""What a machine is: its axes with what each can do, its spindle, its changer; and the machines that ship."""

from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError, field_validator, model_validator

from nephos.core.errors import Refused
from nephos.core.value import Value

Positive = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
Triple = tuple[float, float, float]
LINEAR = ("X", "Y", "Z")


class Axis(Value):
    """One axis. Of a linear one: travel in mm, rapid and feed limit in mm/min, acceleration in mm/s^2.

    Of one that turns the same in degrees; without a travel it turns without end.
    """

    name: Literal["X", "Y", "Z", "A", "B", "C"]
    kind: Literal["linear", "rotary"] = "linear"
    travel: Positive | None = None
    rapid: Positive
    feed_limit: Positive
    acceleration: Positive

    @property
    def is_linear(self) -> bool:
        """Whether it moves along a line."""
        return self.kind != "rotary"

    @model_validator(mode="after")
    def _linear_has_an_end(self) -> "Axis":
        if self.is_linear and self.travel is None:
            raise ValueError(f"the axis {self.name} is linear and needs a travel")
        if self.is_linear != (self.name in LINEAR):
            raise ValueError(
                f"the axis {self.name} is {'linear' if self.name in LINEAR else 'rotary'}: correct its kind"
            )
        return self


class Machine(Value):
    """What a machine can do. Its axes stand in the order of the words in a program."""

    id: str = Field(min_length=1, max_length=40, pattern=r"^[a-z0-9-]+$")
    name: str = Field(min_length=1, max_length=60)
    axes: tuple[Axis, ...]
    corner_deviation: Positive = Field(default=0.02, description="mm, how far a corner may be rounded")
    lookahead: int = Field(default=100, ge=1, le=100_000, description="moves that the controller looks ahead")
    spindle_limit: Positive = Field(default=24000, description="turns a minute")
    changer: bool = Field(default=False, description="changes cutters without hands")
    bed: tuple[Positive, Positive] | None = Field(default=None, description="mm, of the table along X and Y")
    cutter_change_seconds: float = Field(default=90, ge=0, le=36_000)
    spindle_wait_seconds: float = Field(default=4, ge=0, le=600)

    @field_validator("axes")
    @classmethod
    def _three_at_least(cls, value: tuple[Axis, ...]) -> tuple[Axis, ...]:
        names = [axis.name for axis in value]
        if names[:3] != list(LINEAR) or len(set(names)) != len(names):
            raise ValueError("a machine has the axes X, Y and Z first, and each axis once")
        return value

    def _of_linear(self, field: str) -> Triple:
        x, y, z = (float(getattr(axis, field)) for axis in self.axes[:3])
        return x, y, z

    @property
    def travel(self) -> Triple:
        """Of X, Y and Z, mm."""
        return self._of_linear("travel")

    @property
    def rapid(self) -> Triple:
        """Of X, Y and Z, mm/min."""
        return self._of_linear("rapid")

    @property
    def feed_limit(self) -> Triple:
        """Of X, Y and Z, mm/min."""
        return self._of_linear("feed_limit")

    @property
    def acceleration(self) -> Triple:
        """Of X, Y and Z, mm/s^2."""
        return self._of_linear("acceleration")

    @property
    def rotary(self) -> tuple[Axis, ...]:
        """The axes that turn."""
        return tuple(axis for axis in self.axes if not axis.is_linear)


def _linear(travel: Triple, rapid: Triple, feed: Triple, acceleration: Triple) -> tuple[Axis, ...]:
    return tuple(
        Axis.model_validate(
            {
                "name": name,
                "travel": travel[k],
                "rapid": rapid[k],
                "feed_limit": feed[k],
                "acceleration": acceleration[k],
            }
        )
        for k, name in enumerate(LINEAR)
    )


_SHED = _linear((800, 600, 110), (6000, 6000, 3000), (5000, 5000, 2500), (600, 600, 400))
MACHINES: dict[str, Machine] = {
    machine.id: machine
    for machine in (
        Machine(id="shed-router", name="Shed router", axes=_SHED, bed=(860, 660)),
        Machine(
            id="desk-mill",
            name="Desk mill",
            axes=_linear((300, 200, 90), (2500, 2500, 1500), (2000, 2000, 1000), (250, 250, 200)),
            spindle_limit=12000,
            bed=(320, 220),
            cutter_change_seconds=120,
        ),
        Machine(
            id="rotary-router",
            name="Rotary router",
            axes=(
                *_linear((1000, 600, 180), (8000, 8000, 4000), (6000, 6000, 3000), (700, 700, 500)),
                Axis(name="A", kind="rotary", rapid=7200, feed_limit=5400, acceleration=1800),
            ),
            changer=True,
            bed=(1080, 680),
            cutter_change_seconds=20,
        ),
    )
}
"""The machines that ship, by id; made up."""


def machine_of(named: "str | Machine") -> Machine:
    """A machine that ships, by its id; or a machine of the shop as a plan holds it."""
    if isinstance(named, Machine):
        return named
    if named not in MACHINES:
        raise Refused(f"there is no machine '{named}': use one of {', '.join(MACHINES)}")
    return MACHINES[named]


def checked_machine(data: dict[str, Any]) -> Machine:
    """A machine from a document; refuses it with all that is wrong."""
    try:
        return Machine.model_validate(data)
    except ValidationError as error:
        said = []
        for item in error.errors():
            place = " > ".join(str(step) for step in item["loc"] if step != "function-after")
            message = item["msg"].removeprefix("Value error, ")
            said.append(f"{place}: {message}" if place else message)
        raise Refused("; ".join(said)) from None
