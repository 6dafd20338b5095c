"""One calculation: its store, its progress callback, and the seconds of each stage."""

import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any, Literal, TypeVar

from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.parallel import Report, silent
from nephos.core.stages.stage import Kept, Stage
from nephos.core.stages.store import Result, Store, kept

Meshes = Callable[[str], Mesh]
"""The mesh as it came, by the digest (or path) that a plan names it with."""

StepName = Literal["place", "operation", "compare", "post", "whole"]


@dataclass(frozen=True)
class Step:
    """What a calculation does now: its stage, the setup (a tile is one of its own; empty for the whole job), and the
    number of the operation."""

    stage: StepName
    setup: str = ""
    operation: int | None = None


Note = Callable[[Step, float, float], None]
"""Called with each step, and the shares of the calculation (0 to 1) that are done at its start and at its end."""


Value = TypeVar("Value")


class NotKept(Exception):
    """A result is asked for that is not kept, where nothing may be computed."""


def no_meshes(digest: str) -> Mesh:
    """Refuses all meshes: for what needs none."""
    raise Refused("the mesh of this job is gone: import it again")


def _no_note(step: Step, low: float, high: float) -> None:
    pass


@dataclass
class Work:
    """One calculation: where results are kept, progress, and the seconds of each stage."""

    store: Store
    meshes: Meshes = no_meshes
    report: Report = silent
    seconds: dict[str, float] = field(default_factory=dict)
    note: Note = _no_note
    only_kept: bool = False
    """Whether nothing that would be kept is computed: :class:`NotKept` is raised instead."""
    values: dict[str, Any] = field(default_factory=dict)
    """Values of stages that are known, by key."""

    def of(self, stage: Stage[Value], report: Report = silent) -> Value:
        """The value of a stage: known already, from the store, or computed."""
        if stage.key not in self.values:
            self.values[stage.key] = stage.value(self, report)
        found: Value = self.values[stage.key]
        return found

    def result(self, stage: Kept[Any]) -> Result:
        """What is kept of a stage, computed first where it is not."""
        return self.stage(stage.key, stage.name, lambda: stage.compute(self, silent))

    def forget(self, but: Iterable[Stage[Any]] = ()) -> None:
        """Forget the values of all stages but some."""
        kept_keys = {stage.key for stage in but}
        self.values = {key: value for key, value in self.values.items() if key in kept_keys}

    def stage(self, key: str, stage: str, make: Callable[[], Result]) -> Result:
        """A result from the store, or made and timed."""

        def timed() -> Result:
            if self.only_kept:
                raise NotKept(key)
            begin = time.perf_counter()
            result = make()
            self.seconds[stage] = self.seconds.get(stage, 0.0) + time.perf_counter() - begin
            return result

        return kept(self.store, key, stage, timed)
