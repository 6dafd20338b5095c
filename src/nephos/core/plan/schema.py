"""The plan: everything that is to be done for a job, as one immutable, validated document.

Lengths are millimetres, angles degrees, feeds mm/min. The document carries a schema version;
older documents are brought up to date (versions.py).
"""

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from pydantic import (
    Field,
    SerializeAsAny,
    ValidationError,
    WithJsonSchema,
    field_validator,
    model_validator,
)

from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.machine.machine import Machine, machine_of
from nephos.core.materials import Material, shipped_material
from nephos.core.mesh.repair.registry import Repair
from nephos.core.plain_errors import plain_message
from nephos.core.plan.boundary import BUILT_IN, Boundary, Limit
from nephos.core.plan.joined_faces import Faces
from nephos.core.plan.part import Align, Angle, Factor, Part, Place, Side, Size
from nephos.core.plan.rotary import Rotary
from nephos.core.plan.tiles import Tile, Tiles
from nephos.core.plan.versions import SCHEMA_VERSION, upgrade
from nephos.core.post.schema import Post, in_unit, post_of
from nephos.core.relief.composition import Composition, meshes_of
from nephos.core.strategies.registry import Role, StrategySettings, strategy


class Stock(Part):
    """The block as it is before the first cut: a box, or a round bar lying along X."""

    kind: Literal["box", "round"] = "box"
    length: Size = Field(title="Length", description="along X")
    width: Size = Field(title="Width", description="along Y; of a bar its diameter")
    thickness: Size = Field(title="Thickness", description="along Z; of a bar its diameter")
    material: Material = shipped_material("lime")
    grain: Literal["x", "y"] = Field(default="x", description="the way the grain runs")

    @model_validator(mode="after")
    def _bar_is_round(self) -> "Stock":
        if self.kind == "round" and abs(self.width - self.thickness) > 1e-9:
            raise ValueError("a round bar is as wide as it is thick: give both the diameter")
        return self

    @property
    def size(self) -> tuple[float, float, float]:
        """X, Y and Z."""
        return (self.length, self.width, self.thickness)


class Placement(Part):
    """How a mesh lies in the stock: turned about X, then Y, then Z, mirrored, sized, then moved.

    Mirroring is along the axes of the stock. A size that is given is reached; axes without one
    follow the first that has one while `linked`, and otherwise keep the file's unit times their factor.
    """

    turn: tuple[Place, Place, Place] = (0.0, 0.0, 0.0)
    mirror: tuple[bool, bool, bool] = (False, False, False)
    unit: Size = Field(default=1.0, description="millimetres that one unit of the file stands for")
    factors: tuple[Factor, Factor, Factor] = Field(
        default=(1.0, 1.0, 1.0), description="besides the unit, along each axis of the stock"
    )
    size: tuple[Size | None, Size | None, Size | None] = (None, None, None)
    before_repairs: tuple[Size, Size, Size] | None = Field(
        default=None,
        description="the size that was set before repairs changed what there is to size; none where none was set",
    )
    linked: bool = Field(default=True, description="axes without a size follow")
    align: tuple[Align, Align, Align] = ("centre", "centre", "high")
    offset: tuple[Place, Place, Place] = (0.0, 0.0, -1.0)
    sink: Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False)] = Field(
        default=0.0, title="Sink", description="how much of its foot is sunk away and not cut"
    )


class Copies(Part):
    """A model repeated in columns along X and rows along Y, with gaps between."""

    columns: Annotated[int, Field(ge=1, le=50)] = 1
    rows: Annotated[int, Field(ge=1, le=50)] = 1
    gap: tuple[Annotated[float, Field(ge=0, le=1000)], Annotated[float, Field(ge=0, le=1000)]] = (10.0, 10.0)


class Model(Part):
    """A mesh in the job, or a composition of pieces. `mesh` is the digest that names it in the store, or a path
    headless; a composition has none of its own."""

    id: str = Field(min_length=1, max_length=40)
    name: str = Field(min_length=1, max_length=120)
    mesh: str = ""
    composition: Composition | None = None
    shown: bool = True
    steps: tuple[Repair, ...] = ()
    placement: Placement = Placement()
    copies: Copies = Copies()

    @model_validator(mode="after")
    def _has_one_source(self) -> "Model":
        if (self.mesh == "") == (self.composition is None):
            raise ValueError("a model is either a mesh or a composition")
        return self

    @property
    def sources(self) -> tuple[str, ...]:
        """Digests of all meshes that it is made from."""
        return (self.mesh,) if self.composition is None else tuple(meshes_of(self.composition))


class Zero(Part):
    """The work zero: one of nine points in plan, at a height (that of the axis on a bar that rotates); or a typed point
    of the stock's box.

    In the directions of the setup; `at`, where given, is from the low corner of the turned stock.
    """

    x: Align = "low"
    y: Align = "low"
    z: Literal["top", "bottom", "bed", "axis"] = "top"
    at: tuple[Place, Place, Place] | None = None


class KeepOut(Part):
    """Something on the stock that no cutter may meet: a clamp (box) or a screw (cylinder).

    `at` is its middle in plan and `foot` its lowest point, from the low corner of the turned stock, as the setup
    sees it; a cylinder's diameter is its X size.
    """

    id: str = Field(min_length=1, max_length=40)
    name: str = Field(min_length=1, max_length=60)
    shape: Literal["box", "cylinder"] = "box"
    at: tuple[Place, Place] = (0.0, 0.0)
    foot: Place = 0.0
    size: tuple[Size, Size, Size] = (40.0, 20.0, 30.0)

    @property
    def half(self) -> tuple[float, float]:
        """Half of what it takes up on the plan, X and Y."""
        return self.size[0] / 2, (self.size[1] if self.shape == "box" else self.size[0]) / 2


FINE_REST = 0.05
"""A finer cutter goes where the one before it left more than this (mm), unless a limit is set."""


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
    boundary: Limit = Limit()
    cut_to: float | None = Field(default=None, gt=0, le=10_000, description="deepest, from the top of the stock down")
    cut_from: float | None = Field(default=None, ge=0, le=10_000, description="highest, from the top of the stock down")
    coolant: Literal["none", "mist", "flood"] = "none"
    fine: Cutter | None = Field(
        default=None, description="goes over what the cutter left, in the same way, as the next number"
    )
    settings: Annotated[
        SerializeAsAny[StrategySettings],
        WithJsonSchema(
            {"type": "object", "additionalProperties": True, "description": "those of the strategy, by their names"}
        ),
    ]

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
        if self.cut_from is not None and self.cut_to is not None and self.cut_from >= self.cut_to:
            raise ValueError(
                f"it is cut from {self.cut_from:g} mm down, which is not above the {self.cut_to:g} mm that it is cut to: "
                "correct one of them"
            )
        self.settings.check_cutter(self.cutter)
        if self.fine is not None:
            if self.settings.figures.rest is None:
                raise ValueError("only finishing can go on with a finer cutter")
            if self.fine.diameter >= self.cutter.diameter:
                raise ValueError(f"the finer cutter must be thinner than {self.cutter.diameter:g} mm")
        return self

    @property
    def steps(self) -> tuple["Operation", ...]:
        """What it is worked out as: itself, and with a finer cutter what is left by then, with a stepover in
        proportion."""
        if self.fine is None:
            return (self,)
        change: dict[str, Any] = {"rest": self.settings.figures.rest or FINE_REST}
        stepover = self.settings.figures.stepover
        if stepover is not None:
            change["stepover"] = stepover * self.fine.diameter / self.cutter.diameter
        after = {
            "number": self.number + 1,
            "cutter": self.fine,
            "fine": None,
            "feed": None,
            "plunge_feed": None,
            "spindle": None,
            "settings": self.settings.model_copy(update=change),
        }
        return self, self.model_copy(update=after)

    @property
    def role(self) -> Role:
        """What its strategy is for."""
        return strategy(self.strategy).role

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
    """One clamping of the stock, and the operations that are cut in it.

    `side` lies up; with "angle" the stock is rotated by `angle` degrees about X. The underside comes up by half a turn
    `about` X or Y. Of a part that is cut from several faces, the cutter goes `overrun` mm past the parting."""

    id: str = Field(min_length=1, max_length=40)
    name: str = Field(min_length=1, max_length=80)
    kind: Literal["face", "rotary"] = "face"
    rotary: Rotary | None = Field(default=None, description="of a setup whose part rotates about X")
    tiles: Tiles | None = Field(default=None, description="of a setup that is longer than the machine")
    tile: Tile | None = Field(default=None, description="of one tile of such a setup, as it is cut")
    on: bool = True
    side: Side = "top"
    angle: Angle = 0.0
    about: Literal["x", "y"] = "x"
    overrun: Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)] = 0.0
    zero: Zero = Zero()
    clearance: Annotated[float, Field(gt=0, le=500)] = Field(default=5.0, description="over the stock")
    packing: Annotated[float, Field(ge=0, le=500)] = Field(default=0.0, description="between bed and stock")
    home: tuple[Place, Place] | None = Field(
        default=None, description="where the cutter is left at the end, from the zero"
    )
    keep_outs: tuple[KeepOut, ...] = ()
    operations: tuple[Operation, ...] = ()

    @model_validator(mode="after")
    def _rotary_is_whole(self) -> "Setup":
        if (self.kind == "rotary") != (self.rotary is not None):
            raise ValueError("a rotary setup needs its chuck and core, and no other setup has them")
        if self.kind == "rotary" and self.zero.z not in ("axis", "top"):
            raise ValueError("the zero of a rotary setup is on the axis or on the bar")
        if self.kind == "rotary" and self.side != "top":
            raise ValueError("a bar that rotates has no side up: take the side 'top'")
        if self.kind == "rotary" and self.tiles is not None:
            raise ValueError("a bar that rotates is not cut in tiles: take the tiles away, or cut a shorter bar")
        return self

    @field_validator("operations")
    @classmethod
    def _numbers_once(cls, value: tuple[Operation, ...]) -> tuple[Operation, ...]:
        numbers = [step.number for operation in value for step in operation.steps]
        if len(set(numbers)) != len(numbers):
            raise ValueError(
                "two operations have one number: renumber them (a finer cutter takes the number after its operation's)"
            )
        return value

    @property
    def whole(self) -> str:
        """Id of the setup that this is a tile of; its own where it is none."""
        return self.id if self.tile is None else self.tile.of

    @property
    def worked(self) -> tuple[Operation, ...]:
        """What is worked out, in order: the operations that are on, each followed by its finer cutter's."""
        if not self.on:
            return ()
        return tuple(step for operation in self.operations if operation.on for step in operation.steps)


class Override(Part):
    """A stop that somebody took upon himself, and why. It holds for that finding as it was then, word by word."""

    code: str = Field(max_length=60)
    row: str = Field(max_length=60)
    text: str = Field(max_length=400)
    reason: str = Field(min_length=3, max_length=300)


class Plan(Part):
    """A whole job. `post` and `machine` name what ships, or are the shop's own as they were when the job took them."""

    schema_version: int = SCHEMA_VERSION
    units: Literal["mm", "in"] = "mm"
    stock: Stock
    models: tuple[Model, ...] = ()
    boundaries: tuple[Boundary, ...] = ()
    setups: tuple[Setup, ...] = ()
    faces: Faces | None = Field(default=None, description="of a part that is cut from several faces")
    post: str | Post = "rs274-metric"
    post_unit: Literal["mm", "in"] | None = Field(
        default=None, description="of the programs; none means that of the post"
    )
    overrides: tuple[Override, ...] = Field(default=(), max_length=50)
    machine: str | Machine = "shed-router"
    pitch: Annotated[float, Field(ge=0.02, le=10)] | None = Field(
        default=None, description="of the block; none means chosen from its size"
    )
    tolerance: Annotated[float, Field(ge=0.0005, le=1)] = 0.01

    @field_validator("boundaries")
    @classmethod
    def _boundaries_once(cls, value: tuple[Boundary, ...]) -> tuple[Boundary, ...]:
        ids = [item.id for item in value]
        if len(set(ids)) != len(ids) or set(ids) & set(BUILT_IN):
            raise ValueError("two boundaries have one id")
        return value

    @field_validator("setups")
    @classmethod
    def _numbers_once(cls, value: tuple[Setup, ...]) -> tuple[Setup, ...]:
        if len({setup.id for setup in value}) != len(value):
            raise ValueError("two setups have one id")
        of: dict[int, str] = {}
        for setup in value:
            for step in (step for operation in setup.operations for step in operation.steps):
                if of.setdefault(step.number, setup.whole) != setup.whole:
                    raise ValueError(f"operation {step.number} is in two setups: renumber one of them")
        return value

    @model_validator(mode="after")
    def _post_and_machine_exist(self) -> "Plan":
        try:
            in_unit(post_of(self.post), self.post_unit)
        except Refused as reason:
            raise ValueError(str(reason)) from None
        machine_of(self.machine)
        return self

    @property
    def held_bar(self) -> Rotary | None:
        """Chuck, tailstock and core that hold the stock where it is a bar, in its face setups too; none for a board."""
        return next((setup.rotary for setup in self.setups if setup.rotary is not None and setup.on), None)

    @property
    def own_post(self) -> Post:
        """The post as this job writes with it."""
        return in_unit(post_of(self.post), self.post_unit)

    @property
    def block_pitch(self) -> float:
        """The pitch of the block: 0.2 mm, or what keeps it under four million columns; of several faces one million
        each."""
        most = 4e6 if self.faces is None else 1e6
        return self.pitch or max(0.2, round((self.stock.length * self.stock.width / most) ** 0.5, 3))


_LISTED = {"setups": "name", "operations": "number", "models": "name", "boundaries": "name", "keep_outs": "name"}
"""Lists of a plan, and by which field an entry of each is called in a sentence."""
_CALLED = {"operations": "operation", "setups": "", "models": "", "boundaries": "boundary", "keep_outs": "clamp"}


_UNSAID = {"settings", "placement"}


def _entry(node: Any, step: int | str) -> Any:
    """What lies under a key or at a place of a part of a document; none where nothing does."""
    if isinstance(node, dict):
        return node.get(step)
    inside = isinstance(node, list | tuple) and isinstance(step, int) and step < len(node)
    return node[step] if inside else None


def _place_in_words(document: object, steps: Sequence[int | str]) -> str:
    """Where a field of a document is, as people say it: "operation 20, stepover"."""
    words: list[str] = []
    node: Any = document
    listed = ""
    for step in steps:
        node = _entry(node, step)
        if isinstance(step, int):
            if listed:
                name = node.get(_LISTED[listed], step + 1) if isinstance(node, dict) else step + 1
                words.append(f"{_CALLED[listed]} {name}".strip())
            listed = ""
        elif step in _LISTED:
            listed = step
        elif step not in _UNSAID and not step.startswith("function-"):
            words.append(step.replace("_", " "))
    # The setup is known from the operation's number.
    return ", ".join(words[1:] if len(words) > 1 and words[1].startswith("operation ") else words)


def reasons(error: ValidationError, document: object = None) -> list[str]:
    """The validation errors as plain sentences, one each; places in a `document` by the names that it has there."""
    sentences = []
    for item in error.errors():
        place = _place_in_words(document, item["loc"])
        message = plain_message(item)
        about = item["type"] == "value_error"
        sentences.append(f"{place}: {message}" if place and about else f"{place} {message}".strip())
    return sentences


def parse_plan(document: object) -> Plan:
    """Validate a plan document; refuses it with all its errors in one message."""
    if not isinstance(document, dict):
        raise Refused("a plan must be a JSON object")
    newest = upgrade(document)
    try:
        return Plan.model_validate(newest)
    except ValidationError as error:
        raise Refused("; ".join(reasons(error, newest))) from None
