"""The block of the proof: with the errors that are assumed for slides of the board."""

from dataclasses import dataclass
from typing import ClassVar

from nephos.core.parallel import Report
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of
from nephos.core.stages.block import BlockStage, block_arrays, block_from
from nephos.core.stages.stage import Kept, Resolver, Stage
from nephos.core.stages.store import Result, as_result
from nephos.core.stock.block import Block


@dataclass(frozen=True, eq=False)
class ProofBlockStage(Kept[Block]):
    """Cuts a part of the board again as it lies with the assumed error. `begun` : the block with the errors before.
    `last` : the block without any. `setup` : the part, with nothing but how it lies on the board."""

    name: ClassVar[str] = "assumed"
    version: ClassVar[int] = 2

    begun: Stage[Block]
    last: BlockStage
    setup: Setup

    def compute(self, work: Resolver, report: Report) -> Result:
        """The block after all operations of the part."""
        cuts = [(stage.cutter, *stage.cuts(work)[:2]) for stage in self.last.chain()]
        return as_result({}, **block_arrays(kind_of(self.setup).proof_block(work.of(self.begun), cuts)))

    def read(self, result: Result, work: Resolver) -> Block:
        """The block that was kept."""
        return block_from(work.of(self.last), result)
