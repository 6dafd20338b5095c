"""Frames: the block as it is at moments of an operation."""

from dataclasses import dataclass
from typing import ClassVar

from nephos.core.parallel import Report
from nephos.core.stages.block import BlockStage
from nephos.core.stages.moves import MovesStage
from nephos.core.stages.stage import Kept, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.stock.block import Grid
from nephos.core.stock.frames import MOMENTS, Frames, record_frames, shown_grid, shown_intervals, shown_top


@dataclass(frozen=True, eq=False)
class FramesStage(Kept[Frames]):
    """Records when each column of the block is cut, and how deep."""

    name: ClassVar[str] = "frames"
    version: ClassVar[int] = 4

    block: BlockStage
    moves: MovesStage

    def compute(self, work: Resolver, report: Report) -> Result:
        """The moments of each column."""
        before, moves = work.of(self.block.before), work.of(self.moves)
        grid = shown_grid(before.grid)
        frames = record_frames(
            shown_top(before, grid),
            grid,
            moves.points,
            moves.kinds,
            moves.seconds,
            self.block.cutter.profile,
            shown_intervals(before, grid),
        )
        facts = grid.facts() | {"moments": frames.moments}
        return as_result(facts, start=frames.start, moment=frames.moment, height=frames.height)

    def read(self, result: Result, work: Resolver) -> Frames:
        """The frames that were kept."""
        a = result.arrays
        return Frames(Grid.from_facts(result.facts), a["start"], a["moment"], a["height"], MOMENTS)
