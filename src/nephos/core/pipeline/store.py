"""Results of stages: named arrays with a small document beside them, kept under a hash of their causes."""

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass, field, fields, is_dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

Arrays = dict[str, NDArray[Any]]


@dataclass(frozen=True)
class Result:
    """What a stage made: `arrays` by name, and `facts` that can be written as JSON."""

    arrays: Arrays = field(default_factory=dict)
    facts: dict[str, Any] = field(default_factory=dict)


class Store(Protocol):
    """Where results are kept. A store may forget; the pipeline then works them out again."""

    def get(self, key: str) -> Result | None:
        """The result kept under `key`, if there is one."""

    def put(self, key: str, stage: str, result: Result) -> None:
        """Keep a result."""


class MemoryStore:
    """Keeps results for as long as the process lives."""

    def __init__(self) -> None:
        self._kept: dict[str, Result] = {}

    def get(self, key: str) -> Result | None:
        """The result kept under `key`, if there is one."""
        return self._kept.get(key)

    def put(self, key: str, stage: str, result: Result) -> None:
        """Keep a result."""
        self._kept[key] = result


STAGE_VERSIONS = {
    "passes": 19,
    "path": 16,
    "moves": 5,
    "block": 12,
    "frames": 3,
    "rapids": 1,
    "gouges": 1,
    "arcs": 1,
    "compare": 10,
    "pieces": 4,
    "program": 9,
    "space": 4,
    "summary": 16,
    "findings": 4,
    "prepared": 2,
    "composed": 5,
    "mesh-summary": 5,
    "export": 1,
    "shadow": 1,
    "whole": 8,
    "overrun": 1,
    "outline": 8,
    "external": 3,
    "assumed": 1,
    "window": 1,
    "drawing": 1,
    "stock-estimate": 3,
    "height-map": 3,
}
"""Raised when a stage comes to give other results for the same causes, so that old ones are not used."""


def _plain(value: object) -> object:
    """A value as JSON. Unknown types are refused: their text may leave out part of what a result depends on."""
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json")
    if is_dataclass(value) and not isinstance(value, type):
        return {item.name: getattr(value, item.name) for item in fields(value)}
    if isinstance(value, np.generic):
        return value.item()
    raise TypeError(f"a {type(value).__name__} cannot be part of a key")


def key_of(stage: str, *causes: Any) -> str:
    """A hash of all that a stage's result depends on."""
    text = json.dumps([stage, STAGE_VERSIONS[stage], causes], sort_keys=True, default=_plain)
    return f"{stage}-{hashlib.sha256(text.encode()).hexdigest()[:40]}"


def kept(store: Store, key: str, stage: str, make: Callable[[], Result]) -> Result:
    """The result under `key`, made and kept if it is not there."""
    found = store.get(key)
    if found is None:
        found = make()
        store.put(key, stage, found)
    return found


def as_result(facts: dict[str, Any], **arrays: NDArray[Any]) -> Result:
    """A result of these arrays, made contiguous."""
    return Result({name: np.ascontiguousarray(array) for name, array in arrays.items()}, facts)
