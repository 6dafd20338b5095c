"""Under which keys the results of a plan are kept: known before anything is calculated.

A key is a hash of all that a result depends on, and the keys of earlier results are among that, so
the whole chain follows from the plan alone. What is current and what is out of date is a look-up.
"""

from nephos.core.machine.machine import machine_of
from nephos.core.pipeline.key_sets import OperationKeys, SetupKeys
from nephos.core.pipeline.store import key_of
from nephos.core.plan.model import Model
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of


def source_cause(model: Model) -> object:
    """What a model's mesh depends on before its repairs: its digest, or the pieces of its composition whatever they
    are called."""
    if model.composition is None:
        return model.mesh
    document = model.composition.model_dump(mode="json")
    return document | {"pieces": [{k: v for k, v in item.items() if k != "name"} for item in document["pieces"]]}


def models_key(plan: Plan, setup: Setup) -> str:
    """What the models in the orientation frame of a setup depend on. Where the zero is does not matter there."""
    models = [
        [
            source_cause(model),
            [step.model_dump() for step in model.steps],
            model.placement.model_dump(exclude={"before_repairs"}),
            model.copies.model_dump(),
        ]
        for model in plan.models
        if model.shown
    ]
    stock = plan.stock.model_dump(exclude={"material", "grain"})
    turned = setup.rotation.round(12).tolist()
    return key_of("space", models, stock, turned, *kind_of(setup).space_causes(plan))


def space_key(plan: Plan, setup: Setup) -> str:
    """What the surface that cutters are dropped on depends on: the models, and what stays standing beside them."""
    faces = plan.faces
    if faces is None:
        return models_key(plan, setup)
    return key_of("space", models_key(plan, setup), faces.model_dump(exclude={"registration"}), setup.past_parting)


def shadow_key(models: str, ids: tuple[str, ...]) -> str:
    """Under which the outline of some models (all, where no `ids` are given) is kept, by their key in a setup."""
    return key_of("shadow", models, ids)


def boundary_causes(plan: Plan, key: str, seen: tuple[str, ...] = ()) -> object:
    """All that a boundary depends on besides the models: itself, and what it is combined with."""
    item = next((item for item in plan.boundaries if item.id == key), None)
    if key in {"border", "dowels"} and plan.faces is not None:
        return [key, plan.faces.border if key == "border" else plan.faces.registration.model_dump()]
    if item is None or key in seen:
        return key
    return [
        item.model_dump(exclude={"name"}),
        [boundary_causes(plan, other.boundary, (*seen, key)) for other in item.combine],
    ]


def outline_key_of(plan: Plan, setup: Setup, key: str) -> str:
    """Under which the outline of a boundary is kept, in a setup's space."""
    marks = marks_of(setup) if key == "marks" else []
    return key_of("outline", space_key(plan, setup), boundary_causes(plan, key), *marks)


def marks_of(setup: Setup) -> list[object]:
    """What the marks for the slides depend on that a setup makes: their places and their size."""
    return [setup.marks, setup.mark_size] if setup.marks else []


_NO_SHAPE = {"number", "name", "group", "feed", "plunge_feed", "spindle"}
"""What a cutter is called and how it is driven: no part of its shape."""


def _operation_keys(plan: Plan, setup: Setup, operation: Operation, space: str, before: str) -> OperationKeys:
    shape = operation.cutter.model_dump(exclude=_NO_SHAPE | {"ramp_limit", "holder", "stickout", "overall_length"})
    whole = key_of(
        "passes",
        space,
        operation.strategy,
        operation.settings.model_dump(),
        operation.boundary.model_dump(),
        boundary_causes(plan, operation.boundary.boundary),
        operation.cut_to,
        operation.cut_from,
        shape,
        [boundary_causes(plan, other) for other in operation.boundary.without],
        plan.tolerance,
        before if operation.settings.wants_block else None,
        # On a bar chuck and tailstock keep off shank and holder too, and so say how far the paths go.
        *([operation.cutter.bodies] if plan.held_bar is not None else []),
    )
    passes = whole
    if setup.own_area is not None:
        passes = key_of("passes", whole, setup.window(operation), *kind_of(setup).path_causes())
    path = key_of(
        "path",
        passes,
        before,
        operation.cutting_feed,
        operation.entering_feed,
        setup.clearance,
        operation.cutter.ramp_limit,
    )
    moves = key_of("moves", path, machine_of(plan.machine).model_dump(), kind_of(setup).axis(plan))
    block = key_of("block", before, path, operation.cutter.model_dump(exclude=_NO_SHAPE))
    return OperationKeys(
        before,
        whole,
        passes,
        path,
        moves,
        block,
        key_of("frames", block, moves),
        key_of("rapids", block),
        key_of("gouges", space, path, shape, plan.tolerance),
        key_of("arcs", space, path, shape, plan.tolerance),
    )


def finest_operation(operations: list[Operation]) -> Operation:
    """The operation that decides what could be reached: the smallest finisher, else the smallest cutter; one that makes
    marks only where there is no other."""
    return min(
        operations,
        key=lambda op: (op.role != "finish", op.boundary.boundary == "marks", op.cutter.diameter),
    )


def reported_causes(plan: Plan, setup: Setup) -> list[object]:
    """All of a plan that the report and the findings of a setup may read, besides its clamps: more than they do, so
    that no verdict is older than what it is about."""
    return [
        setup.model_dump(mode="json", exclude={"operations", "keep_outs", "tiles"}),
        [operation.model_dump(mode="json", exclude={"on", "shown", "coolant", "fine"}) for operation in setup.worked],
        plan.stock.model_dump(mode="json"),
        machine_of(plan.machine).model_dump(mode="json"),
        plan.faces and plan.faces.model_dump(mode="json", exclude={"registration"}),
        plan.tolerance,
        plan.block_pitch,
        [model.id for model in plan.models if model.shown],
        plan.held_bar and plan.held_bar.model_dump(mode="json"),
        plan.own_post.rotary and plan.own_post.rotary.model_dump(mode="json"),
    ]


def _keys_of(plan: Plan, setup: Setup, after: str | None) -> SetupKeys:
    """Keys of a setup that begins with the block `after` the one before it; none where it is the first."""
    space = space_key(plan, setup)
    before = key_of("block", space, plan.block_pitch, after)
    operations = {}
    todo = list(setup.worked)
    for operation in todo:
        operations[operation.number] = _operation_keys(plan, setup, operation, space, before)
        before = operations[operation.number].block
    last = finest_operation(todo) if todo else None
    finest = last and [
        last.model_dump(include={"cutter", "boundary", "cut_to", "cut_from"}),
        [boundary_causes(plan, key) for key in (last.boundary.boundary, *last.boundary.without)],
    ]
    causes, errors = kind_of(setup).compare_causes(plan), kind_of(setup).assumed(plan)
    shown = key_of("assumed", before, errors) if errors else before
    compare = key_of(
        "compare",
        before,
        *causes,
        errors,
        finest,
        compare_limit(plan, setup),
        plan.tolerance,
        [operation.cutter.shape for operation in todo],
        plan.own_post.arcs,
    )
    moves = [k.moves for k in operations.values()]
    # When a piece comes free is a share of an operation's time.
    pieces = key_of("pieces", before, moves)
    summary = key_of("summary", compare, pieces, moves, reported_causes(plan, setup))
    findings = key_of("findings", summary, [item.model_dump(mode="json") for item in setup.keep_outs])
    files = key_of(
        "program",
        summary,
        plan.own_post.model_dump(),
        [operation.coolant for operation in todo],
        # Files name the stops that were overridden, as they are found now.
        [[item.model_dump() for item in plan.overrides], plan.units, findings] if plan.overrides else None,
    )
    return SetupKeys(space, operations, before, shown, compare, pieces, summary, findings, files)


def plan_keys(plan: Plan) -> dict[str, SetupKeys]:
    """Keys of all setups of a plan, by id. They chain: a setup begins with the block that the one before it left."""
    found: dict[str, SetupKeys] = {}
    after: str | None = None
    for setup in plan.setups:
        found[setup.id] = _keys_of(plan, setup, after)
        after = found[setup.id].block if setup.worked else after
    return found


def setup_keys(plan: Plan, setup: Setup) -> SetupKeys:
    """All keys of one setup, which may be another version of one of the plan's."""
    before = [item for item in plan.setups[: next((k for k, s in enumerate(plan.setups) if s.id == setup.id), 0)]]
    last = next((item for item in reversed(before) if item.worked), None)
    return _keys_of(plan, setup, setup_keys(plan, last).block if last else None)


def compare_limit(plan: Plan, setup: Setup) -> float:
    """What counts as true to the model: the tolerance and the scallop that the finest lines leave."""
    steps = [op.cutter.scallop(op.settings.figures.stepover or 0.0) for op in setup.worked if op.role == "finish"]
    return plan.tolerance + min(steps, default=0.0)
