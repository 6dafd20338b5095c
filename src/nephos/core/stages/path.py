"""The path of an operation: its passes without air, linked, on the grid of the text."""

from dataclasses import dataclass, replace
from typing import ClassVar

from nephos.core.linking.air_cuts import NOTHING, without_air, without_finished
from nephos.core.linking.link import THROUGH_AIR, LinkTask, link
from nephos.core.linking.pass_order import in_short_order
from nephos.core.linking.slope_feed import with_slope_feeds
from nephos.core.parallel import Report, part
from nephos.core.plan.clamping import Zero
from nephos.core.plan.operation import Operation
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of
from nephos.core.stages.outline import region_of
from nephos.core.stages.passes import PassesStage, floor_of
from nephos.core.stages.stage import Kept, Resolver, Stage
from nephos.core.stages.store import Result, as_result
from nephos.core.stock.block import Block
from nephos.core.strategies.registry import strategy
from nephos.core.toolpath import Passes, Toolpath

GRID = 0.001
"""Grid (mm) of the ends of moves: the resolution of a metric program."""
_LIFT_SECONDS = 0.8
"""Longest time in air that a finishing pass keeps: a retract and a new entry take as long."""


@dataclass(frozen=True, eq=False)
class PathStage(Kept[Toolpath]):
    """Links the passes of an operation over the block before it. Feeds in mm/min, `clearance` (mm) over the stock, and
    `ramp_limit` in degrees. `lowered` : the part of a setup that lowers paths on the model."""

    name: ClassVar[str] = "path"
    version: ClassVar[int] = 17

    passes: PassesStage
    before: Stage[Block]
    cutting_feed: float
    entering_feed: float
    clearance: float
    ramp_limit: float
    lowered: Setup | None

    @classmethod
    def of(cls, setup: Setup, operation: Operation, passes: PassesStage, before: Stage[Block]) -> "PathStage":
        """The stage for an operation of a setup, on the block `before` it."""
        return cls(
            passes,
            before,
            operation.cutting_feed,
            operation.entering_feed,
            setup.clearance,
            operation.cutter.ramp_limit,
            None if kind_of(setup).follows_model else setup.model_copy(update=_NOT_LOWERING),
        )

    def compute(self, work: Resolver, report: Report) -> Result:
        """The path, from the clearance to the clearance."""
        operation, own = self.passes.operation, self.passes.part
        space, block = work.of(self.passes.space), work.of(self.before)
        near = self.passes.near(region_of(space, work, operation, self.passes.outlines))
        kept = self._only_what_cuts(work.of(self.passes), block)
        path = link(
            kept,
            LinkTask(
                space.index,
                near,
                block,
                operation.cutter.profile,
                operation.settings.figures.leave,
                floor_of(space, operation),
                self.cutting_feed,
                self.entering_feed,
                float(space.stock_high[2]) + self.clearance,
                self.passes.tolerance,
                max(self.ramp_limit, 0.5),
                # In a tile links run where the lines of the whole board go on.
                self.passes.window if self.passes.board is not None else None,
                0.0 if own is None else operation.cutter.scallop(operation.settings.figures.stepover or 0.0),
            ),
            part(report, 0.0, 1.0),
        )
        path = path if self.lowered is None else kind_of(self.lowered).posted_path(path)
        path = with_slope_feeds(path.on_grid(GRID), self.entering_feed, space.frame.radius)
        return as_result({}, points=path.points, kinds=path.kinds, feeds=path.feeds)

    def _only_what_cuts(self, whole: Passes, block: Block) -> Passes:
        """The passes without their stretches in air."""
        operation = self.passes.operation
        cutter, on_bar = operation.cutter, block.grid.unrolled
        if strategy(operation.strategy).skips_air:
            least = THROUGH_AIR * cutter.diameter
            worth = max(operation.settings.figures.minimum, NOTHING)
            kept = without_air(whole.passes, block, cutter.profile, least, worth)
            # What waits for what over the seam of a bar is not known there: its passes keep their order.
            return replace(whole, passes=kept if on_bar else in_short_order(kept, cutter.diameter, least))
        if whole.on_surface and block.has_gaps and not on_bar:
            # Earlier setups may have finished this surface from other sides.
            least = self.cutting_feed / 60 * _LIFT_SECONDS
            # Lines that tiles share end at their seams.
            ends = cutter.diameter if self.passes.part is None else least
            kept = without_finished(whole.passes, block, cutter.profile, least, self.passes.tolerance, ends)
            return replace(whole, passes=kept)
        return whole

    def read(self, result: Result, work: Resolver) -> Toolpath:
        """The path that was kept."""
        return Toolpath(**result.arrays)


_NOT_LOWERING: dict[str, object] = {"id": "part", "name": "part", "zero": Zero(), "operations": (), "keep_outs": ()}
