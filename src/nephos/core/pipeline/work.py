"""One calculation: its store, its progress callback, and the seconds of each stage."""

import time
from collections.abc import Callable
from dataclasses import dataclass, field

from nephos.core.mesh.model import Mesh
from nephos.core.parallel import Report, silent
from nephos.core.pipeline.store import Result, Store, kept

Meshes = Callable[[str], Mesh]
"""The mesh as it came, by the digest (or path) that a plan names it with."""

Note = Callable[[str, float, float], None]
"""Called with the name of a step and the shares of the whole (0 to 1) at its start and end."""


@dataclass
class Work:
    """One calculation: where results are kept, progress, and the seconds of each stage."""

    store: Store
    report: Report = silent
    seconds: dict[str, float] = field(default_factory=dict)
    note: "Note" = lambda text, low, high: None

    def stage(self, key: str, stage: str, make: Callable[[], Result]) -> Result:
        """A result from the store, or made and timed."""

        def timed() -> Result:
            begin = time.perf_counter()
            result = make()
            self.seconds[stage] = self.seconds.get(stage, 0.0) + time.perf_counter() - begin
            return result

        return kept(self.store, key, stage, timed)
