"""Changes of the route sheet."""

from collections.abc import Callable
from typing import Annotated

from pydantic import Field

from nephos.core.errors import Refused
from nephos.core.plan.edits.registry import edit
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan

Number = Annotated[int, Field(ge=1, le=9999)]
Length = Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)]
NotNegative = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]


def free_cutter_number(plan: Plan) -> int:
    """The lowest cutter number that no operation of the job uses."""
    used = {step.cutter.number for setup in plan.setups for operation in setup.operations for step in operation.steps}
    return next(number for number in range(1, 1000) if number not in used)


def operation_of(plan: Plan, setup: str, number: int) -> Operation:
    """The operation with that number."""
    for item in plan.setups:
        for operation in item.operations:
            if item.id == setup and operation.number == number:
                return operation
    raise Refused(f"operation {number} is no longer in the job")


def with_operations(plan: Plan, setup: str, operations: tuple[Operation, ...]) -> Plan:
    """The plan with other operations in a setup."""
    return plan.model_copy(
        update={
            "setups": tuple(
                item.model_copy(update={"operations": operations}) if item.id == setup else item for item in plan.setups
            )
        }
    )


@edit
def renumber_cutter(plan: Plan, setup: str, operation: Number) -> Plan:
    """Give an operation's cutter a number that nothing else in the job uses; operations with the very same cutter keep
    it together."""
    steps = [step for item in plan.setups if item.id == setup for whole in item.operations for step in whole.steps]
    old = next((step.cutter for step in steps if step.number == operation), None)
    if old is None:
        raise Refused(f"operation {operation} is no longer in the job")
    fresh = old.model_copy(update={"number": free_cutter_number(plan)})
    for item in plan.setups:
        plan = with_operations(
            plan,
            item.id,
            tuple(
                other.model_copy(
                    update={
                        "cutter": fresh if other.cutter == old else other.cutter,
                        "fine": fresh if other.fine == old else other.fine,
                    }
                )
                for other in item.operations
            ),
        )
    return plan


def _changed(plan: Plan, setup: str, number: int, change: Callable[[Operation], Operation]) -> Plan:
    """The plan with one operation changed."""
    operation_of(plan, setup, number)
    operations = next(item for item in plan.setups if item.id == setup).operations
    return with_operations(plan, setup, tuple(change(item) if item.number == number else item for item in operations))


@edit
def stick_out(plan: Plan, setup: str, operation: Number, length: Length) -> Plan:
    """Let an operation's cutter stand out of its holder so far; all operations with the very same cutter follow."""
    old = operation_of(plan, setup, operation).cutter
    if length > old.overall_length:
        raise Refused(f"the stickout cannot be {length:g} mm: the cutter is {old.overall_length:g} mm long")
    longer = old.model_copy(update={"stickout": length})
    for item in plan.setups:
        plan = with_operations(
            plan,
            item.id,
            tuple(
                other.model_copy(
                    update={
                        "cutter": longer if other.cutter == old else other.cutter,
                        "fine": longer if other.fine == old else other.fine,
                    }
                )
                for other in item.operations
            ),
        )
    return plan


@edit
def cut_to_depth(plan: Plan, setup: str, operation: Number, depth: Length) -> Plan:
    """Let an operation go no deeper than `depth` under the top of the stock."""
    return _changed(
        plan, setup, operation, lambda item: Operation.model_validate(item.model_dump() | {"cut_to": depth})
    )


@edit
def set_layer(plan: Plan, setup: str, operation: Number, depth: Length) -> Plan:
    """Let a finishing operation go down in layers of `depth`."""

    return _with_setting(plan, setup, operation, "layer", depth, "does not go down in layers")


@edit
def set_minimum(plan: Plan, setup: str, operation: Number, minimum: NotNegative) -> Plan:
    """Set the minimum stock of a roughing operation (mm): where less stands at the cutter's side it does not go."""
    return _with_setting(plan, setup, operation, "minimum", minimum, "has no minimum stock")


def _with_setting(plan: Plan, setup: str, number: int, name: str, value: float, lacks: str) -> Plan:
    """A plan with one setting of an operation changed; refused, with what it `lacks`, where it has no such setting."""

    def change(item: Operation) -> Operation:
        if name not in type(item.settings).model_fields:
            raise Refused(f"operation {number} {lacks}")
        return item.model_copy(update={"settings": item.settings.model_copy(update={name: value})})

    return _changed(plan, setup, number, change)


@edit
def copy_settings(plan: Plan, setup: str, source: Number, target: Number) -> Plan:
    """Give an operation the settings of another: all that both have, and the boundary; its cutter and its kind stay."""
    given, taking = operation_of(plan, setup, source), operation_of(plan, setup, target)
    mine, theirs = type(taking.settings).model_fields, type(given.settings).model_fields
    # One word may mean another thing elsewhere: only settings of the same kind go over.
    shared = {
        name: value
        for name, value in given.settings.model_dump().items()
        if name in mine and mine[name].annotation == theirs[name].annotation
    }
    settings = type(taking.settings).model_validate(taking.settings.model_dump() | shared)
    changed = taking.model_copy(
        update={"settings": settings, "boundary": given.boundary, "cut_to": given.cut_to, "cut_from": given.cut_from}
    )
    operations = next(item for item in plan.setups if item.id == setup).operations
    return with_operations(plan, setup, tuple(changed if item.number == target else item for item in operations))
