"""Depth in the block of suspected rapids, on a fine grid."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from nephos.core.arrays import F32
from nephos.core.parallel import Report
from nephos.core.stages.block import BlockStage
from nephos.core.stages.stage import Kept, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.stock.rapids import close_rapid_depths


@dataclass(frozen=True, eq=False)
class RapidsStage(Kept[F32]):
    """Measures how deep (mm) each suspected rapid of an operation goes into material."""

    name: ClassVar[str] = "rapids"
    version: ClassVar[int] = 2

    block: BlockStage

    def compute(self, work: Resolver, report: Report) -> Result:
        """Depths (n,) of all moves."""
        stock, cut, cuts = work.of(self.block.first), work.result(self.block), self.block.cuts(work)
        suspects, cells = np.zeros(len(cuts[1]), np.bool_), np.zeros(stock.bound.shape, np.bool_)
        suspects[cut.arrays["suspects"]] = True
        cells.reshape(-1)[cut.arrays["cells"]] = True
        history = self.block.history(work)
        return as_result({}, depths=close_rapid_depths(stock, history, cuts, suspects, cells, report))

    def read(self, result: Result, work: Resolver) -> F32:
        """The depths that were kept."""
        depths: F32 = result.arrays["depths"]
        return depths
