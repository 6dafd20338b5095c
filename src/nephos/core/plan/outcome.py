"""What is known of operations and setups after they were worked out."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64
from nephos.core.paths.toolpath import Toolpath
from nephos.core.plan.keys import OperationKeys, SetupKeys
from nephos.core.plan.schema import Operation
from nephos.core.plan.space import SetupSpace
from nephos.core.post.write import Program
from nephos.core.stock.block import Block
from nephos.core.stock.compare import Comparison


@dataclass(frozen=True)
class Outcome:
    """What is known of one operation after it was worked out.

    `points` (n + 1, 3), `kinds` (n,), `seconds` (n,) are the moves read back from the posted text;
    the first ones may begin at coordinates that are not yet known (not a number). `struck` names what above the flutes
    met material, how deep (mm) and in which move.
    """

    operation: Operation
    points: F64
    kinds: np.ndarray  # type: ignore[type-arg]
    feeds: np.ndarray  # type: ignore[type-arg]
    seconds: F64
    path: Toolpath
    rapid_depth: np.ndarray  # type: ignore[type-arg]
    struck: tuple[tuple[str, float, int], ...]
    keys: OperationKeys

    @property
    def total_seconds(self) -> float:
        """Machining time of the operation."""
        return float(self.seconds.sum())


@dataclass(frozen=True)
class SetupOutcome:
    """What is known of a setup after all its operations."""

    space: SetupSpace
    outcomes: tuple[Outcome, ...]
    block: Block
    comparison: Comparison
    keys: SetupKeys
    programs: tuple[Program, ...]
