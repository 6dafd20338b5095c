"""The comparison of a finished block with the model."""

from dataclasses import asdict, dataclass, replace
from math import ceil
from typing import Any, ClassVar

import numpy as np

from nephos.core.cutters.profile import Profile
from nephos.core.errors import Refused
from nephos.core.parallel import Report
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.kind import CompareTask
from nephos.core.setups.registry import kind_of
from nephos.core.stages.block import BlockStage
from nephos.core.stages.canonical import said
from nephos.core.stages.gouges import ArcGougesStage, GougesStage
from nephos.core.stages.outline import OperationOutlines, region_of
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.space import SpaceStage, space_of
from nephos.core.stages.stage import Kept, Resolver, Stage
from nephos.core.stages.store import Result, as_result
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.compare import Comparison, laid_over, normals_of
from nephos.core.stock.gain import gains
from nephos.core.stock.worst import most_left, worst_gouges
from nephos.core.surface.chart import chart_of
from nephos.core.surface.gouge import Gouge
from nephos.core.surface.index import SurfaceIndex
from nephos.core.surface.reach import touched_by_ball

BALLS = (6.0, 4.0, 3.0, 2.0, 1.5, 1.0, 0.5)
"""Diameters (mm) of balls that are tried in corners that no cutter of the job reaches."""
_SAMPLES = 2000
_FAR_OFF = 20.0
"""With an assumed error cuts may be this deep (mm) in the model."""
_STEEP = 0.5
"""Cosine of the slope from which on ground counts as a wall: 60 degrees."""


def finest_operation(operations: list[Operation]) -> Operation:
    """The operation that decides what could be reached: the smallest finisher, else the smallest cutter; one that makes
    marks only where there is no other."""
    return min(
        operations,
        key=lambda op: (op.role != "finish", op.boundary.boundary == "marks", op.cutter.diameter),
    )


def compare_limit(tolerance: float, setup: Setup) -> float:
    """What counts as true to the model: the tolerance and the scallop that the finest lines leave, mm."""
    steps = [op.cutter.scallop(op.settings.figures.stepover or 0.0) for op in setup.worked if op.role == "finish"]
    return tolerance + min(steps, default=0.0)


@dataclass(frozen=True, eq=False)
class CompareStage(Kept[Comparison]):
    """Measures what is left and what is gouged.

    `plan` and `setup` have nothing but what it depends on. `outlines` : of the operation that decides what could be
    reached. `proof_block` : the finished block, with assumed errors. `gouges` : along the moves of all operations.
    `earlier` : the comparison of the part of the setup that was cut before."""

    name: ClassVar[str] = "compare"
    version: ClassVar[int] = 11

    space: SpaceStage
    plan: Plan
    setup: Setup
    outlines: OperationOutlines
    last: BlockStage
    proof_block: Stage[Block]
    gouges: tuple[GougesStage | ArcGougesStage, ...]
    earlier: "CompareStage | None"
    finest_number: str = said()

    def compute(self, work: Resolver, report: Report) -> Result:
        """The comparison with the worst places, and what each operation brought.

        Raises
        ------
        Refused
            Where nothing of the model lies within the boundary, or the block is too coarse.
        """
        space, tolerance = space_of(work.of(self.space), self.plan, self.setup), self.plan.tolerance
        kind, todo = kind_of(self.setup), list(self.setup.worked)
        finest, limit, block = finest_operation(todo), compare_limit(tolerance, self.setup), work.of(self.proof_block)
        profiles = [operation.cutter.profile for operation in todo if operation.cutter.shape != "drill"]
        gouges = sorted((item for stage in self.gouges for item in work.of(stage)), key=lambda item: -item.depth)
        with_errors = self.proof_block is not self.last
        # Measured on the columns: the block is another than the moves make, or than the model.
        measured = with_errors or not kind.follows_model
        deepest = _FAR_OFF if measured else gouges[0].depth if gouges else tolerance / 4
        region = region_of(space, work, finest, self.outlines)
        cutters = profiles or [finest.cutter.profile]
        c = kind.compared(space, CompareTask(block, region, cutters, limit, deepest, report))
        self._check(c, block)
        deep = float(-np.nanmin(c.deviation, initial=0.0)) if measured else 0.0
        along_moves = gouges[0].depth if gouges else 0.0
        if not measured:
            c = c if gouges else replace(c, gouge=0.0)
        else:
            c = replace(c, gouge=deep if with_errors or deep > limit else along_moves)
        facts = _figures(space, c, block, self._blocks(work), cutters, gouges, tolerance)
        c = c if self.earlier is None else laid_over(work.of(self.earlier), c)
        steps = kind.seam_steps(self.plan, work.of(self.last), block, c)
        facts |= {"steps": [asdict(item) for item in steps], "gouge": c.gouge}
        return as_result(
            c.grid.facts() | facts, deviation=c.deviation, reachable=c.reachable.astype(np.uint8), under=c.under
        )

    def _blocks(self, work: Resolver) -> list[Block]:
        """The block before the first operation, and after each."""
        stages = self.last.chain()
        return [work.of(stages[0].before), *(work.of(stage) for stage in stages)]

    def _check(self, c: Comparison, block: Block) -> None:
        if 0 < min(c.deviation.shape) < 2:
            raise Refused(
                f"the block's pitch of {block.grid.pitch:g} mm is as coarse as the part: set a finer pitch in the "
                "accuracy of the stock"
            )
        if not c.deviation.size:
            raise Refused(
                f"nothing of the model lies where operation {self.finest_number} goes: move the model, or give the "
                "operation another boundary"
            )

    def read(self, result: Result, work: Resolver) -> Comparison:
        """The comparison that was kept."""
        f, a = result.facts, result.arrays
        return Comparison(
            Grid.from_facts(f), a["deviation"], a["reachable"].astype(bool), f["limit"], a["under"], f["gouge"]
        )


def _figures(
    space: SetupSpace,
    c: Comparison,
    block: Block,
    blocks: list[Block],
    cutters: list[Profile],
    gouges: list[Gouge],
    tolerance: float,
) -> dict[str, Any]:
    """What is known of a comparison besides the map: worst places, gains, balls that would reach more, steep walls."""
    rows, columns = block.grid.window((c.grid.x0, c.grid.y0), (c.grid.xs[-1], c.grid.ys[-1]))
    inside, normals = np.isfinite(c.deviation), normals_of(c.under, c.grid.pitch)
    steep = inside & (normals[..., 2] < _STEEP) & c.reachable & (c.deviation > c.limit)
    brought = gains(
        # Kept by place in the order: a new number changes nothing here.
        list(range(len(blocks) - 1)),
        [item.volume for item in blocks],
        [item.top for item in blocks[1:]],
        c.grid.pitch,
        (rows, columns),
        c.under,
        inside,
        c.limit,
    )
    worst = (*worst_gouges(gouges, tolerance), *most_left(c, block.top[rows, columns]))
    return {
        "limit": c.limit,
        "worst": [asdict(item) for item in worst],
        "gains": [asdict(item) for item in brought],
        "balls": _balls_that_would(space, c, normals, cutters, tolerance),
        "walls": float(steep.sum() / max(inside.sum(), 1)),
    }


def _balls_that_would(
    space: SetupSpace, c: Comparison, normals: np.ndarray, cutters: list[Profile], tolerance: float
) -> list[tuple[float, float]]:
    """Diameters of balls, and the share of what no cutter reaches that each would reach; none on a bar."""
    index = space.index
    corners = np.flatnonzero((np.isfinite(c.deviation) & ~c.reachable & (c.deviation > c.limit)).ravel())
    if chart_of(index).is_round or not isinstance(index, SurfaceIndex) or not len(corners):
        return []
    chosen = corners[:: ceil(len(corners) / _SAMPLES)]
    j, i = np.divmod(chosen, c.grid.nx)
    points = np.column_stack([c.grid.xs[i], c.grid.ys[j], c.under[j, i].astype(np.float64)])
    finest = min(2 * (cutter.corner or cutter.radius) for cutter in cutters)
    found = [
        (d, touched_by_ball(index, points, normals[j, i], d / 2, space.floor, max(c.limit, tolerance)))
        for d in BALLS
        if d < finest
    ]
    return [(d, round(share, 3)) for d, share in found]
