"""What all kinds of setup share."""

from abc import abstractmethod
from dataclasses import dataclass
from typing import Annotated, ClassVar, Self, TypeVar, cast

import numpy as np
from pydantic import Field, field_validator

from nephos.core.arrays import F64
from nephos.core.plan.clamping import KeepOut, Zero
from nephos.core.plan.operation import Operation
from nephos.core.plan.ranges import Place
from nephos.core.plan.setups.holding import Rotary
from nephos.core.plan.setups.tiling import Axis, Box
from nephos.core.plan.stock import Stock
from nephos.core.strategies.registry import SetupKind
from nephos.core.units import Units
from nephos.core.value import Value

SHARE = {"low": 0.0, "centre": 0.5, "high": 1.0}
"""Share of an extent at each of the three places of a work zero."""
OtherSetup = TypeVar("OtherSetup", bound="Setup")


@dataclass(frozen=True)
class Frame:
    """Orientation frame of a setup, in which all its geometry lies and is keyed. It does not move with the work zero.

    `matrix` : (4, 4) rigid transform from stock space. `low`, `high` : (3,) corners of what can be cut: of the turned
    stock; on a bar of its unrolled surface, whose Z is the distance from the axis. `zero` : (3,) the work zero, from
    which programs count. `radius` : mm, of the surface that is unrolled; 0 where none is.
    """

    matrix: F64
    low: F64
    high: F64
    zero: F64
    radius: float = 0.0

    @property
    def back(self) -> F64:
        """(4, 4) transform from the frame to stock space."""
        inverse: F64 = np.asarray(np.linalg.inv(self.matrix), np.float64)
        return inverse

    def box(self, low: F64, high: F64) -> tuple[F64, F64]:
        """Corners (3,) each, in the frame, of a box of stock space."""
        ends = np.array([low, high]) @ self.matrix[:3, :3].T + self.matrix[:3, 3]
        return ends.min(axis=0), ends.max(axis=0)


class Setup(Value):
    """One clamping of the stock, and the operations that are cut in it. `kind` says which of the kinds it is."""

    works_as: ClassVar[SetupKind]
    """The kind of setup whose strategies it runs."""
    can_be_tiled: ClassVar[bool] = False
    """Whether it may be cut in tiles."""
    may_be_idle: ClassVar[bool] = False
    """Whether an operation may find nothing to cut."""

    kind: str
    id: str = Field(min_length=1, max_length=40)
    name: str = Field(min_length=1, max_length=80)
    on: bool = True
    zero: Zero = Zero()
    clearance: Annotated[float, Field(gt=0, le=500)] = Field(default=5.0, description="over the stock")
    packing: Annotated[float, Field(ge=0, le=500)] = Field(default=0.0, description="between bed and stock")
    home: tuple[Place, Place] | None = Field(
        default=None, description="where the cutter is left at the end, from the zero"
    )
    keep_outs: tuple[KeepOut, ...] = ()
    operations: tuple[Operation, ...] = ()

    @field_validator("operations")
    @classmethod
    def _numbers_once(cls, value: tuple[Operation, ...]) -> tuple[Operation, ...]:
        numbers = [step.number for operation in value for step in operation.steps]
        if len(set(numbers)) != len(numbers):
            raise ValueError(
                "two operations have one number: renumber them (a finer cutter takes the number after its operation's)"
            )
        return value

    @property
    def worked(self) -> tuple[Operation, ...]:
        """The operations that are calculated, in their order: those that are on, each followed by its finer
        cutter's."""
        if not self.on:
            return ()
        return tuple(step for operation in self.operations if operation.on for step in operation.steps)

    def remade(self, kind: type[OtherSetup], **more: object) -> OtherSetup:
        """This setup as one of another kind: with the fields that both have, and `more`, which is not validated
        again."""
        shared = {name: getattr(self, name) for name in kind.model_fields if name in type(self).model_fields}
        del shared["kind"]
        return cast(OtherSetup, kind.model_construct(**(shared | more)))

    def lying(self, parted: bool = False) -> "Setup":
        """The setup with nothing but how it lies: those that lie in the same way are equal. How far it goes past the
        parting is known where the part is `parted`."""
        own = {name: getattr(self, name) for name in type(self).model_fields if name not in Setup.model_fields}
        return type(self).model_construct(id="setup", name="setup", **own)

    @property
    def rotation(self) -> F64:
        """(3, 3) rotation from stock space to the frame."""
        return np.eye(3)

    @property
    def up(self) -> F64:
        """(3,) direction of stock space that points up."""
        found: F64 = self.rotation[2]
        return found

    @abstractmethod
    def frame(self, stock: Stock) -> Frame:
        """Where the setup lies."""

    @abstractmethod
    def zero_in_words(self, units: Units = "mm") -> str:
        """What to touch off, as a sentence."""

    @property
    def side_in_words(self) -> str:
        """Which side of the stock lies up."""
        return "top"

    @property
    def past_parting(self) -> float:
        """How far (mm) cutters go past the parting of a part of several faces."""
        return 0.0

    @property
    def holding(self) -> Rotary | None:
        """What holds the stock as a bar that rotates; none where nothing does."""
        return None

    @property
    def bar_angle(self) -> float | None:
        """How far (degrees, from +Y up to +Z) a bar is rotated about X, from where A is 0, while this setup cuts it;
        none where the setup cannot say, or rotates it itself."""
        return None

    def turned_in_words(self, turn: str) -> str:
        """What hands do before this setup: the `turn` of the stock since the one before, unless the bar stays where it
        is."""
        return turn

    @property
    def parent_id(self) -> str:
        """Id of the setup of the sheet that this is a part of; its own where it is whole."""
        return self.id

    @property
    def file_labels(self) -> tuple[str, ...]:
        """What names of its files begin with."""
        return (self.parent_id,)

    def parts(self, stock: Stock) -> tuple["Setup", ...]:
        """The setups that this one is cut as, one after another: itself, or its tiles."""
        return (self,)

    def window(self, operation: Operation) -> Box | None:
        """Where (mm in the frame) the axis of an operation's cutter may be; none where it may be everywhere."""
        return None

    @property
    def own_area(self) -> Box | None:
        """What belongs to this part of a setup alone; none where the setup is whole."""
        return None

    @property
    def seams(self) -> tuple[tuple[Axis, float], ...]:
        """Axis and place of the seams that cross the board."""
        return ()

    @property
    def marks(self) -> tuple[tuple[float, float], ...]:
        """Places of the dowel holes or score marks that it makes for slides of the board."""
        return ()

    @property
    def is_last(self) -> bool:
        """Whether nothing of the setup on the sheet is cut after this."""
        return True

    @property
    def mark_size(self) -> tuple[float, float]:
        """Size (x, y) of a mark."""
        return 0.0, 0.0

    def with_operations(self, operations: tuple[Operation, ...]) -> Self:
        """The setup with other operations."""
        return self.model_copy(update={"operations": operations})
