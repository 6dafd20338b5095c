"""Under which keys the results of a plan are kept: known before anything is calculated.

A key is a hash of all that a result depends on, and the keys of earlier results are among that, so
the whole chain follows from the plan alone. What is current and what is out of date is a look-up.
"""

from dataclasses import dataclass

from nephos.core.machine.kinematics import machine_named
from nephos.core.plan.results import key_of
from nephos.core.plan.schema import Operation, Plan, Setup
from nephos.core.post.schema import post_of


@dataclass(frozen=True)
class OperationKeys:
    """Keys of the stages of one operation, and of the block that it begins with."""

    before: str
    passes: str
    path: str
    moves: str
    block: str
    frames: str
    rapids: str
    gouges: str


@dataclass(frozen=True)
class SetupKeys:
    """Keys of all results of a setup; `operations` by number, those switched on only."""

    space: str
    operations: dict[int, OperationKeys]
    compare: str
    pieces: str
    summary: str
    files: str


def space_key(plan: Plan, setup: Setup) -> str:
    """What the models in the setup's space depend on."""
    models = [[model.mesh, [step.model_dump() for step in model.steps], model.placement.model_dump(exclude={"before_repairs"}),
               model.copies.model_dump()]
              for model in plan.models if model.shown]
    stock = plan.stock.model_dump(exclude={"material", "grain"})
    return key_of("space", models, stock, setup.side, setup.zero.model_dump(), setup.packing)


def boundary_causes(plan: Plan, key: str, seen: tuple[str, ...] = ()) -> object:
    """All that a boundary depends on besides the models: itself, and what it is combined with."""
    item = next((item for item in plan.boundaries if item.id == key), None)
    if item is None or key in seen:
        return key
    return [item.model_dump(exclude={"name"}), [boundary_causes(plan, other.boundary, (*seen, key)) for other in item.combine]]


def outline_key_of(plan: Plan, setup: Setup, key: str) -> str:
    """Under which the outline of a boundary is kept, in a setup's space."""
    return key_of("outline", space_key(plan, setup), boundary_causes(plan, key))


def _operation_keys(plan: Plan, setup: Setup, operation: Operation, space: str, before: str) -> OperationKeys:
    shape = operation.cutter.model_dump(exclude={
        "number", "name", "group", "feed", "plunge_feed", "spindle", "ramp_limit", "holder", "stickout", "overall_length"})
    passes = key_of(
        "passes", space, operation.strategy, operation.settings.model_dump(), operation.boundary.model_dump(),
        boundary_causes(plan, operation.boundary.boundary), operation.cut_to, operation.cut_from, shape,
        [boundary_causes(plan, other) for other in operation.boundary.without],
        plan.tolerance, before if operation.settings.wants_block else None,
    )
    path = key_of("path", passes, before, operation.cutting_feed, operation.entering_feed, setup.clearance,
                  operation.cutter.ramp_limit)
    moves = key_of("moves", path, post_of(plan.post).of_moves(), operation.number, operation.cutter.model_dump(),
                   operation.spindle_speed, machine_named(plan.machine).model_dump())
    block = key_of("block", before, moves)
    return OperationKeys(before, passes, path, moves, block, key_of("frames", before, moves), key_of("rapids", block),
                         key_of("gouges", space, moves, plan.tolerance))


def finest_operation(operations: list[Operation]) -> Operation:
    """The operation that decides what could be reached: the smallest finisher, else the smallest cutter."""
    return min(operations, key=lambda op: (not op.strategy.startswith("finish"), op.cutter.diameter))


def setup_keys(plan: Plan, setup: Setup) -> SetupKeys:
    """All keys of a setup."""
    space = space_key(plan, setup)
    before = key_of("block", space, plan.block_pitch)
    operations = {}
    todo = list(setup.worked)
    for operation in todo:
        operations[operation.number] = _operation_keys(plan, setup, operation, space, before)
        before = operations[operation.number].block
    last = finest_operation(todo) if todo else None
    finest = last and [last.model_dump(include={"cutter", "boundary", "cut_to", "cut_from"}),
                       [boundary_causes(plan, key) for key in (last.boundary.boundary, *last.boundary.without)]]
    compare = key_of("compare", before, finest, compare_limit(plan, setup), plan.tolerance,
                     [operation.cutter.shape for operation in todo])
    summary = key_of("summary", compare, setup.name, plan.stock.material.name, setup.home, [k.moves for k in operations.values()])
    files = key_of("program", summary, post_of(plan.post).model_dump(), [operation.coolant for operation in todo],
                   [item.model_dump() for item in plan.overrides], plan.units if plan.overrides else None)
    return SetupKeys(space, operations, compare, key_of("pieces", before), summary, files)


def compare_limit(plan: Plan, setup: Setup) -> float:
    """What counts as true to the model: the tolerance and the scallop that the finest lines leave."""
    steps = [op.cutter.scallop(getattr(op.settings, "stepover", 0.0)) for op in setup.worked
             if op.strategy.startswith("finish")]
    return plan.tolerance + min(steps, default=0.0)
