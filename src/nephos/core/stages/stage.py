"""What a stage is: a frozen value of all that it reads, a pure function of it, and a version."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator
from dataclasses import dataclass, fields, is_dataclass
from functools import cached_property
from typing import Any, ClassVar, Generic, Protocol, TypeVar

from nephos.core.mesh.model import Mesh
from nephos.core.parallel import Report
from nephos.core.stages.canonical import key_of
from nephos.core.stages.store import Result

Value = TypeVar("Value")
Other = TypeVar("Other")


class Resolver(Protocol):
    """Gives stages the values of those that they read."""

    @property
    def meshes(self) -> Callable[[str], Mesh]:
        """The mesh as it came, by the digest (or path) that a plan names it with."""

    def of(self, stage: "Stage[Other]", report: Report = ...) -> Other:
        """The value of a stage: known already, from the store, or computed."""

    def result(self, stage: "Kept[Any]") -> Result:
        """What is kept of a stage."""

    def stage(self, key: str, stage: str, make: Callable[[], Result]) -> Result:
        """The result that is kept under a key, or made and kept."""


@dataclass(frozen=True, eq=False)
class Stage(ABC, Generic[Value]):
    """Base of all stages. Subclasses are frozen dataclasses whose fields are the inputs: values, and other stages.

    Nothing else may be read in :meth:`compute`. `version` is raised when a stage comes to give other results for the
    same inputs, so that old ones are not used."""

    name: ClassVar[str]
    version: ClassVar[int]

    @cached_property
    def key(self) -> str:
        """Under which the result is kept: a hash of the inputs."""
        inputs = [(item.name, getattr(self, item.name)) for item in fields(self) if not item.metadata.get("said")]
        return key_of(self.name, self.version, inputs)

    def inputs(self) -> Iterator["Stage[Any]"]:
        """The stages that it reads."""
        for item in fields(self):
            yield from _stages_in(getattr(self, item.name))

    @abstractmethod
    def value(self, work: Resolver, report: Report) -> Value:
        """What it makes, from the inputs or from the store."""


class Kept(Stage[Value]):
    """A stage whose result is kept in the store."""

    @abstractmethod
    def compute(self, work: Resolver, report: Report) -> Result:
        """The result, from the inputs alone."""

    @abstractmethod
    def read(self, result: Result, work: Resolver) -> Value:
        """The value of a result that was kept."""

    def value(self, work: Resolver, report: Report) -> Value:
        """What it makes."""
        return self.read(work.stage(self.key, self.name, lambda: self.compute(work, report)), work)


class KeptResult(Kept[Result]):
    """A stage whose value is the result itself."""

    def read(self, result: Result, work: Resolver) -> Result:
        """The result that was kept."""
        return result


def _stages_in(value: object) -> Iterator["Stage[Any]"]:
    """The stages in a field: the value itself, or parts of it."""
    if isinstance(value, Stage):
        yield value
    elif isinstance(value, tuple):
        for item in value:
            yield from _stages_in(item)
    elif is_dataclass(value) and not isinstance(value, type):
        for part in fields(value):
            yield from _stages_in(getattr(value, part.name))


def walk(*roots: Stage[Any]) -> Iterator["Stage[Any]"]:
    """All stages that some depend on, themselves among them, each once."""
    seen: dict[int, Stage[Any]] = {}
    todo = list(roots)
    while todo:
        stage = todo.pop()
        if id(stage) in seen:
            continue
        seen[id(stage)] = stage
        yield stage
        todo += stage.inputs()
