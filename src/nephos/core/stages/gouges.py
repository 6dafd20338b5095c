"""Where an operation goes into the model: along its moves, and along the arcs that a post writes in their place."""

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from nephos.core.arrays import F64
from nephos.core.parallel import Report
from nephos.core.plan.setups.setup import Setup
from nephos.core.post.arcs import with_arcs
from nephos.core.post.read import read_program
from nephos.core.post.schema import shipped_posts
from nephos.core.post.write import write_program
from nephos.core.setups.registry import kind_of
from nephos.core.stages.moves import LEADS, with_leads
from nephos.core.stages.path import PathStage
from nephos.core.stages.programs import step_of
from nephos.core.stages.stage import Kept, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.surface.gouge import Gouge, gouges_along


class _Gouges(Kept[tuple[Gouge, ...]]):
    def read(self, result: Result, work: Resolver) -> tuple[Gouge, ...]:
        """The gouges that were kept, the deepest first."""
        return tuple(
            Gouge((x, y, z), depth, int(move))
            for (x, y, z, depth), move in zip(result.arrays["places"].tolist(), result.arrays["moves"], strict=True)
        )


def _as_kept(found: tuple[Gouge, ...], moves: list[int]) -> Result:
    places = np.array([[*item.place, item.depth] for item in found]).reshape(-1, 4)
    return as_result({}, places=places, moves=np.array(moves, np.int64))


@dataclass(frozen=True, eq=False)
class GougesStage(_Gouges):
    """Measures how deep the moves of an operation go into the model. `lowered` : the part of a setup that lowers paths,
    which are held against the model where they were before."""

    name: ClassVar[str] = "gouges"
    version: ClassVar[int] = 2

    path: PathStage
    lowered: Setup | None
    may_be_idle: bool

    def compute(self, work: Resolver, report: Report) -> Result:
        """`places` (n, 4) x, y, z, depth, and the numbers of the `moves`."""
        passes = self.path.passes
        points, kinds, _ = with_leads(work.of(self.path), self.may_be_idle)
        on_model: F64 = points if self.lowered is None else kind_of(self.lowered).on_model(points, kinds)
        index, profile = work.of(passes.space).index, passes.operation.cutter.profile
        found = gouges_along(index, on_model, profile, passes.tolerance, report)
        return _as_kept(found, [item.move for item in found])


@dataclass(frozen=True, eq=False)
class ArcGougesStage(_Gouges):
    """Measures how deep arcs go into the model that are written in the place of moves."""

    name: ClassVar[str] = "arcs"
    version: ClassVar[int] = 2

    path: PathStage

    def compute(self, work: Resolver, report: Report) -> Result:
        """As for moves; each gouge with the last move that its arc stands for."""
        passes, path = self.path.passes, work.of(self.path)
        operation, tolerance = passes.operation, passes.tolerance
        post = shipped_posts()["rs274-metric-arcs"].model_copy(update={"decimals": 4})
        arcs = with_arcs(path, tolerance)
        program = write_program(post, "part", [], [replace(step_of(operation, path, tolerance), arcs=arcs)], 0.0)
        reading = read_program(program.text)
        index = work.of(passes.space).index
        found = gouges_along(index, reading.points, operation.cutter.profile, tolerance, report)
        at = np.searchsorted(program.move_lines[0], reading.lines[[item.move for item in found]])
        moves = arcs.ends[np.minimum(at, len(arcs.ends) - 1)] + LEADS
        return _as_kept(found, moves.tolist())
