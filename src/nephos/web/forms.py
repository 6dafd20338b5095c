"""The forms that the page draws from settings: a field for each setting, as its JSON schema describes it."""

from typing import Literal, NotRequired

from pydantic import BaseModel, JsonValue
from typing_extensions import TypedDict

from nephos.core.mesh.repair.registry import RepairKind
from nephos.core.strategies.registry import SetupKind, Strategy

__all__ = ["FieldForm", "RepairForm", "SettingsForm", "StrategyForm", "repair_form", "strategy_form"]


class FieldForm(TypedDict):
    """One setting. `unit`, `step`, `fold` (the fold that it lies in), `own` (kept by a cutter of its own), `names` (of
    its choices), `measure` and `length` say how it is shown."""

    title: str
    description: NotRequired[str]
    type: NotRequired[Literal["number", "integer", "string", "boolean", "array"]]
    default: NotRequired[JsonValue]
    unit: NotRequired[str]
    step: NotRequired[float]
    fold: NotRequired[str]
    own: NotRequired[str]
    names: NotRequired[dict[str, str]]
    enum: NotRequired[list[str]]
    measure: NotRequired[Literal["angle", "plain"]]
    length: NotRequired[Literal["file", "part"] | None]
    minimum: NotRequired[float]
    maximum: NotRequired[float]
    exclusiveMinimum: NotRequired[float]
    exclusiveMaximum: NotRequired[float]


class SettingsForm(TypedDict):
    """The fields of a form by name, in the order that they are shown in."""

    properties: dict[str, FieldForm]


class StrategyForm(TypedDict):
    """A strategy: its cutters' shapes, its settings, and the kinds of setup that it can be cut in."""

    key: str
    title: str
    summary: str
    shapes: list[str]
    schema: SettingsForm
    kinds: list[SetupKind]


class RepairForm(TypedDict):
    """A repair of a mesh and its settings."""

    key: str
    title: str
    summary: str
    schema: SettingsForm


def _form(settings: type[BaseModel]) -> SettingsForm:
    return SettingsForm(properties=settings.model_json_schema().get("properties", {}))


def strategy_form(kind: Strategy) -> StrategyForm:
    """A strategy with the form of its settings."""
    return StrategyForm(
        key=kind.key,
        title=kind.title,
        summary=kind.summary,
        shapes=list(kind.shapes),
        schema=_form(kind.settings),
        kinds=list(kind.setup_kinds),
    )


def repair_form(kind: RepairKind) -> RepairForm:
    """A repair with the form of its settings."""
    return RepairForm(key=kind.key, title=kind.title, summary=kind.summary, schema=_form(kind.settings))
