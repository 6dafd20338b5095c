"""What a repair is, and the list of them. A new one is a module here and one line in `_MODULES`."""

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache
from importlib import import_module
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, Field, SerializeAsAny, model_validator

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.value import Value

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


Lengths = Literal["file", "part"]
"""What lengths are measured on: the mesh as the file has it, in its unit, or the finished part, in millimetres."""


class RepairSettings(Value):
    """Base of the settings of every repair. Lengths are in the file's unit, before the model is sized."""


class PartSettings(RepairSettings):
    """Base of the settings of repairs whose lengths are millimetres of the finished part: they stay what they are when
    the model is sized. `lengths` is "file" in steps of plans from before schema version 5."""

    normal: tuple[float, float, float] = Field(default=(0.0, 0.0, 1.0), title="Up")
    lengths: Lengths = "part"


def setting(
    title: str,
    default: float,
    *,
    over: float | None = None,
    low: float | None = None,
    high: float | None = None,
    length: Lengths | None = None,
    help: str = "",
) -> Any:
    """A numeric setting; `length` says that it is a length, and of what."""
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


def said_length(value: float) -> str:
    """A length in the unit of the mesh that a repair is given, in braces. The page replaces it by the length of the
    part in the unit that it shows."""
    return f"{{{value:.3g}}}"


def _in_millimetres(text: str) -> str:
    """A sentence whose marked lengths are millimetres of the finished part."""
    return re.sub(r"\{([^}]+)\}", r"{\1 mm}", text)


@dataclass(frozen=True)
class RepairKind:
    """A repair: what it is called, its settings, and the pure function that does it.

    `apply` returns the new mesh and a sentence on what it did, lengths in it marked by :func:`said_length`; it refuses
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


class Repair(Value):
    """One chosen step, as it stands in a plan."""

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


def _part_settings(step: Repair) -> PartSettings | None:
    """The settings of a step whose lengths are those of the finished part; none for other steps."""
    settings = step.settings
    return settings if isinstance(settings, PartSettings) and settings.lengths == "part" else None


def _of_part(mesh: Mesh, kind: RepairKind, settings: PartSettings, scale: F64) -> tuple[Mesh, str]:
    """A repair of a mesh that is scaled by `scale` (3, 3) to the size of the finished part, and back afterwards."""
    back = np.linalg.inv(scale)
    # Normals are mapped by the inverse transpose.
    settings = settings.model_copy(update={"normal": tuple((np.asarray(settings.normal) @ back).tolist())})
    done, text = kind.apply(replace(mesh, vertices=np.ascontiguousarray(mesh.vertices @ scale.T)), settings)
    return replace(done, vertices=np.ascontiguousarray(done.vertices @ back.T)), _in_millimetres(text)


def repaired(mesh: Mesh, steps: tuple[Repair, ...], scale: F64 | None = None) -> tuple[Mesh, tuple[str, ...]]:
    """The mesh after all steps, and what each did.

    Parameters
    ----------
    scale : (3, 3), from the mesh to the size of the finished part in millimetres, without a turn; for steps whose
    lengths are those of the part. None for a mesh that is cut as large as it is.

    Raises
    ------
    Refused
        Where a step cannot be done; it is named.
    """
    said = []
    for step in steps:
        kind = repair_kind(step.kind)
        try:
            if scale is not None and (settings := _part_settings(step)) is not None:
                mesh, text = _of_part(mesh, kind, settings, scale)
            else:
                mesh, text = kind.apply(mesh, step.settings)
        except Refused as reason:
            raise Refused(f"{kind.title.lower()}: {reason}") from None
        said.append(text)
    return mesh, tuple(said)


def by_part(steps: tuple[Repair, ...]) -> bool:
    """Whether any step has lengths of the finished part, and so depends on how the model is sized."""
    return any(_part_settings(step) is not None for step in steps)
