"""The plan: everything that is to be done for a job, as one immutable, validated document.

Lengths are millimetres, angles degrees, feeds mm/min. The document carries a schema version;
older documents are brought up to date (versions.py).
"""

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError, field_validator, model_validator

from nephos.core.errors import Refused
from nephos.core.machine.machine import Machine, machine_of
from nephos.core.plain_errors import plain_message
from nephos.core.plan.boundary import BUILT_IN, Boundary
from nephos.core.plan.joined_faces import Faces
from nephos.core.plan.model import Model
from nephos.core.plan.setups.holding import Rotary
from nephos.core.plan.setups.registry import AnySetup
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.stock import Stock
from nephos.core.plan.versions import SCHEMA_VERSION, upgrade
from nephos.core.post.schema import Post, in_unit, post_of
from nephos.core.value import Value


class Override(Value):
    """An overridden stop and the reason. It holds for that finding as it was then, word by word."""

    code: str = Field(max_length=60)
    row: str = Field(max_length=60)
    text: str = Field(max_length=400)
    reason: str = Field(min_length=3, max_length=300)


class Plan(Value):
    """A whole job. `post` and `machine` name what ships, or are the shop's own as they were when the job took them."""

    schema_version: int = SCHEMA_VERSION
    units: Literal["mm", "in"] = "mm"
    stock: Stock
    models: tuple[Model, ...] = ()
    boundaries: tuple[Boundary, ...] = ()
    setups: tuple[AnySetup, ...] = ()
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
                if of.setdefault(step.number, setup.parent_id) != setup.parent_id:
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
        return next((setup.holding for setup in self.setups if setup.holding is not None and setup.on), None)

    def as_cut(self) -> "Plan":
        """The plan with each setup in the parts that it is cut in, such as tiles; itself where all are cut whole."""
        parts = tuple(part for setup in self.setups for part in setup.parts(self.stock))
        return self if len(parts) == len(self.setups) else self.model_copy(update={"setups": parts})

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
