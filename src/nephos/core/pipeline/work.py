"""One calculation: its store, its progress callback, and the seconds of each stage."""

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from nephos.core.mesh.model import Mesh
from nephos.core.parallel import Report, silent
from nephos.core.pipeline.store import Result, Store, kept

Meshes = Callable[[str], Mesh]
"""The mesh as it came, by the digest (or path) that a plan names it with."""

Stage = Literal["place", "operation", "compare", "post", "whole"]


@dataclass(frozen=True)
class Step:
    """What a calculation does now: its stage, the setup (a tile is one of its own; empty for the whole job), and the
    number of the operation."""

    stage: Stage
    setup: str = ""
    operation: int | None = None


Note = Callable[[Step, float, float], None]
"""Called with each step, and the shares of the calculation (0 to 1) that are done at its start and at its end."""


def _no_note(step: Step, low: float, high: float) -> None:
    pass


@dataclass
class Work:
    """One calculation: where results are kept, progress, and the seconds of each stage."""

    store: Store
    report: Report = silent
    seconds: dict[str, float] = field(default_factory=dict)
    note: Note = _no_note

    def stage(self, key: str, stage: str, make: Callable[[], Result]) -> Result:
        """A result from the store, or made and timed."""

        def timed() -> Result:
            begin = time.perf_counter()
            result = make()
            self.seconds[stage] = self.seconds.get(stage, 0.0) + time.perf_counter() - begin
            return result

        return kept(self.store, key, stage, timed)
