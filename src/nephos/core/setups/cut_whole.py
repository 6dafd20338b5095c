"""What all kinds of setup share that are cut in one piece, with paths on the model itself."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from nephos.core.arrays import F64, U8
from nephos.core.cutters import Cutter
from nephos.core.finding import Finding
from nephos.core.plan.place import Placed
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.seams import SeamStep
from nephos.core.setups.turn_over import turned_over
from nephos.core.stock.block import Block
from nephos.core.stock.compare import Comparison
from nephos.core.toolpath import Toolpath


@dataclass(frozen=True)
class CutWhole:
    """The part of :class:`nephos.core.setups.kind.SetupKind` that does not know of parts of a board."""

    setup: Setup

    def posted_path(self, path: Toolpath) -> Toolpath:
        """The path itself."""
        return path

    def on_model(self, points: F64, kinds: U8) -> F64:
        """The points themselves."""
        return points

    @property
    def follows_model(self) -> bool:
        """Paths follow the model everywhere."""
        return True

    def assumed(self, plan: Plan) -> list[object]:
        """None: the stock is not slid."""
        return []

    def proof_block(self, begun: Block, cuts: Sequence[tuple[Cutter, F64, U8]]) -> Block:
        """Not asked for: no error is assumed."""
        return begun

    def seam_steps(self, plan: Plan, block: Block, proof_block: Block, found: Comparison) -> tuple[SeamStep, ...]:
        """None: it is cut in one piece."""
        return ()

    def plan_findings(self, plan: Plan, boxes: list[Placed]) -> list[Finding]:
        """None of this kind alone."""
        return []

    def part_answer(self, plan: Plan) -> dict[str, Any] | None:
        """None: it is cut whole."""
        return None

    def share_of(self, low: F64, high: F64) -> float:
        """All of it."""
        return 1.0

    @property
    def is_first_part(self) -> bool:
        """It is the only part."""
        return True

    def turn_answer(self, plan: Plan, before: Setup) -> dict[str, Any]:
        """How the stock is turned since the setup before."""
        return turned_over(plan, before, self.setup)
