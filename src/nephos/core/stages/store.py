"""Results of stages: named arrays with a small document beside them, kept under a hash of their causes."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

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
