"""What the checks of one operation share."""

from dataclasses import dataclass

from nephos.core.arrays import F64
from nephos.core.machine.machine import Machine
from nephos.core.plan.operation import Operation
from nephos.core.stages.setup_outcome import Outcome
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stock.gain import Gain
from nephos.core.units import Say


@dataclass(frozen=True)
class Context:
    """What the checks of one operation share: `ends` (n,) seconds from the start of the program at which each move is
    done, `gains` what the operations of the setup brought."""

    space: SetupSpace
    gains: tuple[Gain, ...]
    outcome: Outcome
    ends: F64
    machine: Machine
    mm: Say
    number: Say

    @property
    def operation(self) -> Operation:
        """The operation that is checked."""
        return self.outcome.operation

    @property
    def row(self) -> str:
        """Its row on the route sheet."""
        return str(self.operation.number)

    def at(self, move: int) -> tuple[tuple[float, float, float], float]:
        """Where and when a move ends."""
        x, y, z = map(float, self.outcome.points[move + 1])
        return (x, y, z), float(self.ends[move])
