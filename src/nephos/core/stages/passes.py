"""The passes of an operation: what its strategy cuts, before anything links them."""

from dataclasses import dataclass
from math import inf
from typing import ClassVar

import shapely

from nephos.core.errors import NothingToCut
from nephos.core.parallel import Report
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.stages.kept_passes import passes_from, passes_result
from nephos.core.stages.outline import OperationOutlines, region_of
from nephos.core.stages.seen import operation_seen
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.space import SpaceStage
from nephos.core.stages.stage import Kept, Resolver, Stage
from nephos.core.stages.store import Result
from nephos.core.stock.block import Block
from nephos.core.strategies.following.window import passes_in_window
from nephos.core.strategies.registry import Task, strategy
from nephos.core.toolpath import Passes

Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class BoardPart:
    """The part of a board that a setup cuts, such as a tile. `window` : where the axis of the cutter may be. `own` :
    what belongs to this part alone. `seams` : that cross the board."""

    window: Box | None
    own: Box
    seams: tuple[tuple[str, float], ...]

    @classmethod
    def of(cls, setup: Setup, operation: Operation) -> "BoardPart | None":
        """The part that an operation of a setup cuts; none where the setup is whole."""
        own = setup.own_area
        if own is None:
            return None
        return cls(setup.window(operation), own, setup.seams)


@dataclass(frozen=True, eq=False)
class PassesStage(Kept[Passes]):
    """Works out the passes of an operation with its strategy.

    `operation` has nothing but what they depend on. `before` : the block that they go by; none where they go by the
    models alone. `part` : of the board; none where all of it is cut. `board` : the passes of the whole board, where
    those of a part are a piece of them."""

    name: ClassVar[str] = "passes"
    version: ClassVar[int] = 20

    space: SpaceStage
    operation: Operation
    outlines: OperationOutlines
    tolerance: float
    before: Stage[Block] | None = None
    part: BoardPart | None = None
    board: "PassesStage | None" = None

    @classmethod
    def of(
        cls, plan: Plan, setup: Setup, space: SpaceStage, operation: Operation, before: Stage[Block]
    ) -> "PassesStage":
        """The stage for an operation of a setup, on the block `before` it."""
        seen = operation_seen(operation, with_holder=plan.held_bar is not None)
        outlines = OperationOutlines.of(plan, setup, operation, space)
        block = before if operation.settings.wants_block else None
        part = BoardPart.of(setup, operation)
        board = None
        if part is not None and part.window is not None and operation.role == "finish" and block is None:
            # Lines that go by nothing but the model are alike in all parts: they are made once, and cut off at the
            # window.
            board = cls(space, seen, outlines, plan.tolerance)
        return cls(space, seen, outlines, plan.tolerance, block, part, board)

    @property
    def window(self) -> Box | None:
        """Where the axis of the cutter may be."""
        return None if self.part is None else self.part.window

    def near(self, region: shapely.Geometry) -> shapely.Geometry:
        """What of the region lies in the window. Marks are beyond the seam of the tile that makes them."""
        marks = self.operation.boundary.boundary == "marks"
        return region if self.window is None or marks else region.intersection(shapely.box(*self.window))

    def compute(self, work: Resolver, report: Report) -> Result:
        """What the strategy makes; nothing in a part of the board that has nothing to cut."""
        space, operation = work.of(self.space), self.operation
        region = region_of(space, work, operation, self.outlines)
        near, kind = self.near(region), strategy(operation.strategy)
        if self.window is not None and near.is_empty:
            return passes_result(_NONE)
        if self.board is not None and self.window is not None:
            return passes_result(passes_in_window(work.of(self.board, report), self.window))
        marks = operation.boundary.boundary == "marks"
        top = float(space.stock_high[2])
        task = Task(
            space.index,
            region if kind.goes_by_outline else near,
            floor_of(space, operation),
            None if self.before is None else _block_near(work.of(self.before), near, operation, self.window),
            operation.cutter,
            operation.settings,
            self.tolerance,
            report,
            work.of(self.outlines.boundary),
            float(space.stock_low[2]),
            inf if operation.cut_from is None else top - operation.cut_from,
            space.stock_box,
            self.window,
            None if marks or self.part is None else self.part.own,
            () if self.part is None else self.part.seams,
        )
        try:
            return passes_result(kind.make(task))
        except NothingToCut:
            if self.window is None:
                raise
            return passes_result(_NONE)

    def read(self, result: Result, work: Resolver) -> Passes:
        """The passes that were kept."""
        return passes_from(result)


_NONE = Passes((), stay_down=0.0, on_surface=False)


def floor_of(space: SetupSpace, operation: Operation) -> float:
    """The lowest that the tip of an operation's cutter may go, in the frame."""
    if operation.cut_to is None:
        return space.floor
    return max(space.floor, float(space.stock_high[2]) - operation.cut_to)


def _block_near(block: Block, near: shapely.Geometry, operation: Operation, window: Box | None) -> Block:
    """The part of a block that an operation meets in its window; all of it where there is none."""
    if window is None or near.is_empty or strategy(operation.strategy).goes_by_outline:
        return block
    x0, y0, x1, y1 = near.bounds
    reach = 2 * operation.cutter.diameter + 8 * block.grid.pitch
    return block.part((x0 - reach, y0 - reach), (x1 + reach, y1 + reach))
