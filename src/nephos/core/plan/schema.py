"""The plan: everything that is to be done for a job, as one immutable, validated document.

Lengths are millimetres, angles degrees, feeds mm/min. The document carries a schema version;
`upgrade` brings older documents up to date.
"""

from typing import Annotated, Any, Literal

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    SerializeAsAny,
    ValidationError,
    field_validator,
    model_validator,
)

from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.paths.registry import StrategySettings, strategy

SCHEMA_VERSION = 1

Align = Literal["low", "centre", "high"]
Side = Literal["top", "bottom", "front", "back", "left", "right"]
Size = Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)]
Place = Annotated[float, Field(ge=-10_000, le=10_000, allow_inf_nan=False)]


class Part(BaseModel):
    """Base of all parts of a plan: frozen, nothing unknown allowed."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class Stock(Part):
    """The block as it is before the first cut."""

    kind: Literal["box"] = "box"
    length: Size = Field(title="Length", description="along X")
    width: Size = Field(title="Width", description="along Y")
    thickness: Size = Field(title="Thickness", description="along Z")
    material: str = Field(default="lime", max_length=60)

    @property
    def size(self) -> tuple[float, float, float]:
        """X, Y and Z."""
        return (self.length, self.width, self.thickness)


class Placement(Part):
    """How a mesh lies in the stock: mirrored, turned about X, then Y, then Z, sized, then moved."""

    mirror: tuple[bool, bool, bool] = (False, False, False)
    turn: tuple[Place, Place, Place] = (0.0, 0.0, 0.0)
    unit: Size = Field(default=1.0, description="millimetres that one unit of the file stands for")
    size_x: Size | None = Field(default=None, title="Size X", description="the other axes follow")
    height: Size | None = Field(default=None, title="Height", description="Z on its own")
    align: tuple[Align, Align] = ("centre", "centre")
    offset: tuple[Place, Place] = (0.0, 0.0)
    gap_above: Place = Field(default=1.0, title="Gap above", description="from the top of the stock down")


class Model(Part):
    """A mesh in the job. `mesh` is the digest that names it in the store, or a path headless."""

    id: str = Field(min_length=1, max_length=40)
    name: str = Field(min_length=1, max_length=120)
    mesh: str
    shown: bool = True
    placement: Placement = Placement()


class Zero(Part):
    """The work zero: a point of the stock's box, in the directions of the setup."""

    x: Align = "low"
    y: Align = "low"
    z: Literal["top", "bottom"] = "top"


class Boundary(Part):
    """Where the centre of the cutter may be, seen from the cutter."""

    kind: Literal["model", "stock"] = "model"
    margin: Annotated[float, Field(ge=-500, le=500, allow_inf_nan=False)] | None = Field(
        default=None, description="beyond the box; none means the cutter's radius"
    )


class Operation(Part):
    """One numbered step of the route sheet."""

    number: int = Field(ge=1, le=9999)
    strategy: str
    on: bool = True
    shown: bool = True
    cutter: Cutter
    feed: float | None = Field(default=None, gt=0, le=100_000, description="none means the cutter's own")
    plunge_feed: float | None = Field(default=None, gt=0, le=100_000)
    spindle: float | None = Field(default=None, gt=0, le=200_000)
    boundary: Boundary = Boundary()
    settings: SerializeAsAny[StrategySettings]

    @model_validator(mode="before")
    @classmethod
    def _settings_of_strategy(cls, data: Any) -> Any:
        """Read the settings as those that the named strategy asks for."""
        if isinstance(data, dict) and isinstance(data.get("settings"), dict):
            kind = strategy(str(data.get("strategy")))
            return {**data, "settings": kind.settings.model_validate(data["settings"])}
        return data

    @model_validator(mode="after")
    def _agrees_with_cutter(self) -> "Operation":
        self.settings.check_cutter(self.cutter)
        return self

    @property
    def cutting_feed(self) -> float:
        """Feed along the path."""
        return self.feed or self.cutter.feed

    @property
    def entering_feed(self) -> float:
        """Feed straight down and on ramps."""
        return self.plunge_feed or self.cutter.plunge_feed

    @property
    def spindle_speed(self) -> float:
        """Turns a minute."""
        return self.spindle or self.cutter.spindle


class Setup(Part):
    """One way the stock is held, and what is cut while it is held so."""

    id: str = Field(min_length=1, max_length=40)
    name: str = Field(min_length=1, max_length=80)
    kind: Literal["face"] = "face"
    side: Side = "top"
    zero: Zero = Zero()
    clearance: Annotated[float, Field(gt=0, le=500)] = Field(default=5.0, description="over the stock")
    operations: tuple[Operation, ...] = ()

    @field_validator("operations")
    @classmethod
    def _numbers_once(cls, value: tuple[Operation, ...]) -> tuple[Operation, ...]:
        numbers = [operation.number for operation in value]
        if len(set(numbers)) != len(numbers):
            raise ValueError("two operations have one number: renumber them")
        return value


class Plan(Part):
    """A whole job."""

    schema_version: int = SCHEMA_VERSION
    units: Literal["mm", "in"] = "mm"
    stock: Stock
    models: tuple[Model, ...] = ()
    setups: tuple[Setup, ...] = ()
    post: str = "rs274-metric"
    machine: str = "shed-router"
    pitch: Annotated[float, Field(ge=0.02, le=10)] | None = Field(
        default=None, description="of the block; none means chosen from its size"
    )
    tolerance: Annotated[float, Field(ge=0.0005, le=1)] = 0.01

    @property
    def block_pitch(self) -> float:
        """The pitch of the block: 0.2 mm, or what keeps it under four million columns."""
        return self.pitch or max(0.2, round((self.stock.length * self.stock.width / 4e6) ** 0.5, 3))


def upgrade(document: dict[str, Any]) -> dict[str, Any]:
    """Bring a document of an older schema version up to date. Refuses one from the future."""
    version = document.get("schema_version", SCHEMA_VERSION)
    if not isinstance(version, int) or version > SCHEMA_VERSION:
        raise Refused(f"this plan has schema version {version}, newer than {SCHEMA_VERSION}: update Nephos")
    return document


def reasons(error: ValidationError) -> list[str]:
    """The validation errors as plain sentences, one each."""
    sentences = []
    for item in error.errors():
        place = " > ".join(str(step) for step in item["loc"] if step != "function-after")
        message = item["msg"].removeprefix("Value error, ")
        sentences.append(f"{place}: {message}" if place else message)
    return sentences


def parse_plan(document: object) -> Plan:
    """Validate a plan document; refuses it with all its errors in one message."""
    if not isinstance(document, dict):
        raise Refused("a plan must be a JSON object")
    try:
        return Plan.model_validate(upgrade(document))
    except ValidationError as error:
        raise Refused("; ".join(reasons(error))) from None
