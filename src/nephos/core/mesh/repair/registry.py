"""What a repair is, and the list of them. A new one is a module here and one line in `_MODULES`."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, SerializeAsAny, model_validator

from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh

_MODULES = (
    "cut_below",
    "drop_shells",
    "close_holes",
    "unify",
    "turn_inside_out",
    "merge_near",
    "base",
    "flat_back",
    "hollow_back",
    "wrap_bar",
    "keep_inside",
    "thin",
)


class RepairSettings(BaseModel):
    """Base of the settings of every repair. Lengths are in the file's unit, before the model is sized."""

    model_config = ConfigDict(frozen=True, extra="forbid", validate_default=True)


def setting(
    title: str,
    default: float,
    *,
    over: float | None = None,
    low: float | None = None,
    high: float | None = None,
    length: bool = False,
    help: str = "",
) -> Any:
    """A numeric setting; `length` says that it is in the file's unit."""
    return Field(
        default=default,
        title=title,
        description=help,
        gt=over,
        ge=low,
        le=high,
        allow_inf_nan=False,
        json_schema_extra={"length": length},
    )


def file_length(value: float) -> str:
    """A length in the file's unit, marked as such in a sentence: who shows it knows what the unit stands for by
    then."""
    return f"{{{value:.3g}}}"


@dataclass(frozen=True)
class RepairKind:
    """A repair: what it is called, its settings, and the pure function that does it.

    `apply` returns the new mesh and a sentence on what it did, lengths in it marked by :func:`file_length`; it refuses
    what cannot be done."""

    key: str
    title: str
    summary: str
    settings: type[RepairSettings]
    apply: Callable[[Mesh, Any], tuple[Mesh, str]]


@cache
def repairs() -> dict[str, RepairKind]:
    """All repairs by their key."""
    found = [import_module(f"nephos.core.mesh.repair.{name}").REPAIR for name in _MODULES]
    return {item.key: item for item in found}


def repair_kind(key: str) -> RepairKind:
    """The repair called `key`."""
    try:
        return repairs()[key]
    except KeyError:
        raise Refused(f"there is no repair '{key}': use one of {', '.join(repairs())}") from None


class Repair(BaseModel):
    """One chosen step, as it stands in a plan."""

    model_config = ConfigDict(frozen=True, extra="forbid", validate_default=True)

    kind: str
    settings: SerializeAsAny[RepairSettings] = RepairSettings()

    @model_validator(mode="before")
    @classmethod
    def _settings_of_kind(cls, data: Any) -> Any:
        if isinstance(data, dict):
            settings = data.get("settings", {})
            return {
                **data,
                "settings": repair_kind(str(data.get("kind"))).settings.model_validate(
                    settings.model_dump() if isinstance(settings, BaseModel) else settings
                ),
            }
        return data


def repaired(mesh: Mesh, steps: tuple[Repair, ...]) -> tuple[Mesh, tuple[str, ...]]:
    """The mesh after all steps, and what each did. Refuses, naming the step, what cannot be done."""
    said = []
    for step in steps:
        kind = repair_kind(step.kind)
        try:
            mesh, text = kind.apply(mesh, step.settings)
        except Refused as reason:
            raise Refused(f"{kind.title.lower()}: {reason}") from None
        said.append(text)
    return mesh, tuple(said)
