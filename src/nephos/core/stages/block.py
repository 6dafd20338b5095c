"""The block: before the first cut of a setup, and after each operation."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.parallel import Report
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of
from nephos.core.stages.moves import with_leads
from nephos.core.stages.path import PathStage
from nephos.core.stages.seen import block_seen, cutter_seen
from nephos.core.stages.stage import Kept, Resolver, Stage
from nephos.core.stages.store import Result, as_result
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.cut import cut_block
from nephos.core.stock.passed_on import Side
from nephos.core.stock.rapids import Cuts


@dataclass(frozen=True, eq=False)
class FirstBlock(Stage[Block]):
    """The stock as a setup begins with it: cut by the sides before. `plan` : stock and pitch. `setup` : how it lies."""

    name: ClassVar[str] = "first"
    version: ClassVar[int] = 1

    plan: Plan
    setup: Setup
    sides: tuple["SideStage", ...]

    @classmethod
    def of(cls, plan: Plan, setup: Setup, sides: tuple["SideStage", ...]) -> "FirstBlock":
        """The stage for a setup of a plan."""
        return cls(block_seen(plan), setup.lying(), sides)

    def value(self, work: Resolver, report: Report) -> Block:
        """Columns or rays of what is left."""
        return kind_of(self.setup).first_block(self.plan, tuple(work.of(side) for side in self.sides))


@dataclass(frozen=True, eq=False)
class NextPart(Stage[Block]):
    """The block that the next part of a setup begins with, such as its next tile: no move is recorded on it yet."""

    name: ClassVar[str] = "next"
    version: ClassVar[int] = 1

    after: Stage[Block]

    def value(self, work: Resolver, report: Report) -> Block:
        """The block of the part before."""
        block = work.of(self.after)
        return replace(block, touched=np.full_like(block.touched, -1))


@dataclass(frozen=True, eq=False)
class SideStage(Stage[Side]):
    """What a setup has cut, for those after it."""

    name: ClassVar[str] = "side"
    version: ClassVar[int] = 1

    plan: Plan
    setup: Setup
    last: Stage[Block]

    @classmethod
    def of(cls, plan: Plan, setup: Setup, last: Stage[Block]) -> "SideStage":
        """The stage for a setup of a plan, whose last block is `last`."""
        return cls(block_seen(plan), setup.lying(), last)

    def value(self, work: Resolver, report: Report) -> Side:
        """A height field, or rays."""
        return kind_of(self.setup).side(self.plan, work.of(self.last))


@dataclass(frozen=True, eq=False)
class BlockStage(Kept[Block]):
    """Cuts the block with an operation. Where it is one of a part of the board, only the piece is kept that it can
    change."""

    name: ClassVar[str] = "block"
    version: ClassVar[int] = 13

    before: Stage[Block]
    path: PathStage
    cutter: Cutter
    in_part: bool
    may_be_idle: bool

    @classmethod
    def of(cls, setup: Setup, operation: Operation, path: PathStage, before: Stage[Block]) -> "BlockStage":
        """The stage for an operation of a setup."""
        cutter = cutter_seen(operation.cutter, with_holder=True)
        return cls(before, path, cutter, setup.own_area is not None, setup.may_be_idle)

    def earlier(self) -> Iterator["BlockStage"]:
        """The operations of the setup before this one, the last of them first."""
        before = self.before
        while isinstance(before, BlockStage):
            yield before
            before = before.before

    def chain(self) -> list["BlockStage"]:
        """The operations of the setup up to this one, in their order."""
        return [self, *self.earlier()][::-1]

    @property
    def first(self) -> Stage[Block]:
        """The block that the setup begins with."""
        return self.chain()[0].before

    def cuts(self, work: Resolver) -> Cuts:
        """Points, kinds and profile that it is cut with."""
        points, kinds, _ = with_leads(work.of(self.path), self.may_be_idle)
        return points, kinds, self.cutter.profile

    def history(self, work: Resolver) -> list[Cuts]:
        """The cuts of the operations before this one, in their order."""
        return [stage.cuts(work) for stage in self.chain()[:-1]]

    def compute(self, work: Resolver, report: Report) -> Result:
        """The block after the cut; how deep each move cut (`depths`, mm), what above the flutes met material
        (`struck`), and rapids that may have been in it (`suspects`), with the `cells` where."""
        block, (points, kinds, _) = work.of(self.before), self.cuts(work)
        done = sum(len(earlier[1]) for earlier in self.history(work))
        cut = cut_block(block, points, kinds, done, self.cutter, report)
        where = _swept(points, self.cutter, block.grid) if self.in_part else None
        kept = cut.block if where is None else cut.block.part(*where)
        facts: dict[str, object] = {"struck": [list(item) for item in cut.struck]}
        return as_result(
            facts if where is None else facts | {"part": where},
            depths=cut.depths,
            suspects=np.flatnonzero(cut.suspects),
            cells=np.flatnonzero(cut.cells),
            **block_arrays(kept),
        )

    def read(self, result: Result, work: Resolver) -> Block:
        """The block that was kept: all of it, or a piece over the one before."""
        if "part" in result.facts:
            low, high = result.facts["part"]
            return work.of(self.before).with_part((low[0], low[1]), (high[0], high[1]), result.arrays)
        return block_from(work.of(self.first), result)


def block_arrays(block: Block) -> dict[str, np.ndarray]:
    """A block as it is kept, to be read by :func:`block_from`."""
    found = {"low": block.low, "high": block.high, "touched": block.touched, "bound": block.bound}
    return found if block.field is None else found | {"field": block.field}


def block_from(like: Block, result: Result) -> Block:
    """The block whose arrays were kept, over the grid of another one of its setup."""
    a = result.arrays
    return replace(
        like, low=a["low"], high=a["high"], touched=a["touched"], bound=a["bound"], field=a.get("field", like.field)
    )


def _swept(points: F64, cutter: Cutter, grid: Grid) -> tuple[tuple[float, float], tuple[float, float]]:
    """Corners of what moves (n + 1, 3) can change in a block, within its grid; a few columns where there are none."""
    widest = max([cutter.radius, *(radius for _, radius, _ in cutter.bodies)])
    known = points[np.isfinite(points).all(axis=1), :2]
    if not len(known):
        known = np.array([[grid.x0, grid.y0]])
    reach = widest + 2 * grid.pitch
    low = np.maximum(known.min(axis=0) - reach, [grid.x0 - grid.pitch, grid.y0 - grid.pitch])
    high = np.minimum(known.max(axis=0) + reach, [grid.xs[-1] + grid.pitch, grid.ys[-1] + grid.pitch])
    return (float(low[0]), float(low[1])), (float(high[0]), float(high[1]))
