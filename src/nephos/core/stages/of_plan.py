"""The graph of a plan: its stages and their order. The only place that knows the order."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from nephos.core.machine.machine import machine_of
from nephos.core.memo import Memo
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of
from nephos.core.stages.block import BlockStage, FirstBlock, NextPart, SideStage
from nephos.core.stages.canonical import digest
from nephos.core.stages.compare import CompareStage, finest_operation
from nephos.core.stages.frames import FramesStage
from nephos.core.stages.gouges import ArcGougesStage, GougesStage
from nephos.core.stages.moves import MovesStage
from nephos.core.stages.outline import OperationOutlines
from nephos.core.stages.overrun import RimStage
from nephos.core.stages.passes import PassesStage
from nephos.core.stages.path import PathStage
from nephos.core.stages.pieces import PiecesStage
from nephos.core.stages.proof_block import ProofBlockStage
from nephos.core.stages.rapids import RapidsStage
from nephos.core.stages.seen import compare_seen, operation_seen, part_seen
from nephos.core.stages.space import SpaceStage
from nephos.core.stages.stage import Stage
from nephos.core.stages.whole import SolidsStage, WholeStage
from nephos.core.stock.block import Block


@dataclass(frozen=True, eq=False)
class OperationStages:
    """The stages of one operation. `arcs` : none where the post writes no arcs."""

    operation: Operation
    before: Stage[Block]
    passes: PassesStage
    path: PathStage
    moves: MovesStage
    block: BlockStage
    frames: FramesStage
    rapids: RapidsStage
    gouges: GougesStage
    arcs: ArcGougesStage | None

    def all(self) -> Iterator[Stage[Any]]:
        """All of them."""
        yield from (self.before, self.passes, self.path, self.moves, self.block, self.frames, self.rapids, self.gouges)
        yield from () if self.arcs is None else (self.arcs,)
        yield from () if self.passes.board is None else (self.passes.board,)


@dataclass(frozen=True, eq=False)
class SetupStages:
    """The stages of a setup: `first` is the block that it begins with, `begun` the same with the assumed errors so far,
    `sides` are those cut before, `operations` are by number. `proof_block` is the last block with the assumed errors.
    Without operations that are worked out there is nothing after `first`."""

    plan: Plan
    setup: Setup
    space: SpaceStage
    first: Stage[Block]
    begun: Stage[Block]
    sides: tuple[SideStage, ...]
    operations: dict[int, OperationStages]
    earlier: "SetupStages | None" = None

    @cached_property
    def block(self) -> Stage[Block]:
        """The block after the last operation."""
        return [self.first, *(item.block for item in self.operations.values())][-1]

    @cached_property
    def last(self) -> BlockStage:
        """The block after the last operation, of which there must be one."""
        return [item.block for item in self.operations.values()][-1]

    @cached_property
    def proof_block(self) -> Stage[Block]:
        """The block of the proof."""
        if not self.operations or not kind_of(self.setup).assumed(self.plan):
            return self.block
        return ProofBlockStage(self.begun, self.last, part_seen(self.setup, self.plan.faces is not None))

    @cached_property
    def compare(self) -> CompareStage:
        """The comparison with the model."""
        plan, own = compare_seen(self.plan, self.setup)
        finest = finest_operation(list(self.setup.worked))
        gouges: list[GougesStage | ArcGougesStage] = []
        for item in self.operations.values():
            gouges += [item.gouges] if item.arcs is None else [item.gouges, item.arcs]
        return CompareStage(
            self.space,
            plan,
            own,
            OperationOutlines.of(self.plan, self.setup, finest, self.space),
            self.last,
            self.proof_block,
            tuple(gouges),
            None if self.earlier is None else self.earlier.compare,
            str(finest.number),
        )

    @cached_property
    def pieces(self) -> PiecesStage:
        """The pieces of the finished block."""
        frames = tuple(item.frames for item in self.operations.values())
        seen = tuple(operation_seen(operation, with_holder=False) for operation in self.setup.worked)
        return PiecesStage(self.space, seen, self.last, frames)

    @cached_property
    def rim(self) -> RimStage | None:
        """How low cutters have to go beside a part of several faces; none for another part."""
        parted = self.plan.faces is not None and kind_of(self.setup).has_parting
        return RimStage.of(self.plan, self.setup) if parted else None

    @cached_property
    def side(self) -> SideStage:
        """What the setup has cut, for those after it."""
        return SideStage.of(self.plan, self.setup, self.block)

    @cached_property
    def key(self) -> str:
        """A hash of all stages that the report of the setup is about."""
        moves = tuple(item.moves for item in self.operations.values())
        return digest("setup", self.compare, self.pieces, moves, self.rim)

    def all(self) -> Iterator[Stage[Any]]:
        """All stages of the setup."""
        yield from (self.space, self.first)
        for item in self.operations.values():
            yield from item.all()
        if self.operations:
            yield from (self.proof_block, self.compare, self.pieces)
            yield from () if self.rim is None else (self.rim,)


def _operation_stages(
    plan: Plan, setup: Setup, space: SpaceStage, operation: Operation, before: Stage[Block]
) -> OperationStages:
    kind = kind_of(setup)
    passes = PassesStage.of(plan, setup, space, operation, before)
    path = PathStage.of(setup, operation, passes, before)
    moves = MovesStage(path, machine_of(plan.machine), kind.axis(plan), setup.may_be_idle)
    block = BlockStage.of(setup, operation, path, before)
    arcs = plan.own_post.arcs and moves.axis is None and kind.follows_model
    return OperationStages(
        operation,
        before,
        passes,
        path,
        moves,
        block,
        FramesStage(block, moves),
        RapidsStage(block),
        GougesStage(path, path.lowered, setup.may_be_idle),
        ArcGougesStage(path) if arcs else None,
    )


def stages_of(plan: Plan) -> dict[str, SetupStages]:
    """The stages of all setups of a plan as it is cut, by the setup's id, in their order.

    A setup begins with what the setups before it that are worked out have left; a part of a setup with the block of the
    part before it."""
    # What is remembered holds the plan: its identity stays its own.
    return _GRAPHS.get(id(plan), lambda: (plan, _graph(plan)))[1]


_GRAPHS: Memo[tuple[Plan, dict[str, SetupStages]]] = Memo(16)


def _graph(plan: Plan) -> dict[str, SetupStages]:
    found: dict[str, SetupStages] = {}
    sides: list[SideStage] = []
    before: SetupStages | None = None
    spaces: dict[str, SpaceStage] = {}
    for setup in plan.setups:
        if before is not None and before.setup.parent_id != setup.parent_id:
            sides.append(before.side)
            before = None
        space = spaces.setdefault(setup.parent_id, SpaceStage.of(plan, setup))
        first: Stage[Block]
        if before is None:
            first = FirstBlock.of(plan, setup, tuple(sides))
            begun: Stage[Block] = first
        else:
            first = NextPart(before.block)
            begun = before.proof_block
        operations: dict[int, OperationStages] = {}
        block: Stage[Block] = first
        for operation in setup.worked:
            operations[operation.number] = _operation_stages(plan, setup, space, operation, block)
            block = operations[operation.number].block
        stages = SetupStages(plan, setup, space, first, begun, tuple(sides), operations, before)
        found[setup.id] = stages
        before = stages if operations else before
    return found


@dataclass(frozen=True, eq=False)
class JobStages:
    """What is made of all setups together. `setups` : those that are worked out; of a setup with tiles the last tile,
    whose block and compare are those of all."""

    plan: Plan
    setups: tuple[SetupStages, ...]

    @property
    def is_joined(self) -> bool:
        """Whether several setups leave the part."""
        return len(self.setups) > 1

    @cached_property
    def sides(self) -> tuple[SideStage, ...]:
        """What each setup has cut, with the assumed errors."""
        return tuple(SideStage.of(self.plan, item.setup, item.proof_block) for item in self.setups)

    @cached_property
    def whole(self) -> WholeStage:
        """The compare over all surfaces of the part."""
        own = [item.setup for item in self.setups]
        return WholeStage.of(self.plan, own, tuple(item.compare for item in self.setups), self.sides)

    @cached_property
    def solids(self) -> SolidsStage:
        """The finished block as solids."""
        return SolidsStage.of(self.plan, [item.setup for item in self.setups], self.setups[-1].block, self.sides)


def job_stages(plan: Plan) -> JobStages:
    """The stages of a plan as it is cut that are about all its setups."""
    worked = [stages for stages in stages_of(plan).values() if stages.operations]
    later = [item.setup.parent_id for item in worked]
    return JobStages(plan, tuple(item for k, item in enumerate(worked) if later[k] not in later[k + 1 :]))
