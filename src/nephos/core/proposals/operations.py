"""Sensible numbers for a new operation, and which cutters follow each other."""

from collections.abc import Sequence
from math import inf

from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.cutters.feeds import working_diameter
from nephos.core.plan.boundary import Limit
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.strategies.registry import strategy

_USUAL: dict[str, tuple[str, float]] = {"drill": ("drill", 5.0)}
"""The cutter that an operation is first given where it is neither roughing nor finishing: shape and diameter."""
FINISH_STEPOVER = 0.1
"""Stepover of finishing as a share of the working diameter."""
_TWICE = 1.6
"""Ratio of the diameters of roughing and finishing cutter from which a second roughing is proposed."""


def nearest_cutter(cutters: Sequence[Cutter], shape: str, diameter: float) -> Cutter:
    """The shop's cutter of a shape that is nearest to a diameter; a usual one, under a free number, where it has none
    of that shape."""
    of_shape = [cutter for cutter in cutters if cutter.shape == shape]
    free = 1 + max((cutter.number for cutter in cutters), default=0)
    return min(
        of_shape,
        key=lambda cutter: abs(cutter.diameter - diameter),
        default=standard_cutter(shape, diameter, min(free, 999)),
    )


def proposed_operation(
    plan: Plan, cutters: Sequence[Cutter], key: str, number: int, cutter: Cutter | None = None, **words: object
) -> Operation:
    """An operation with settings that suit its cutter and the material; `words` are settings that are given."""
    kind = strategy(key)
    finishing = kind.role == "finish"
    cutter = cutter or nearest_cutter(cutters, *_USUAL.get(key, ("ball", 3.0) if finishing else ("flat", 6.0)))
    fields = kind.settings.model_fields
    fine = working_diameter(cutter)
    usual = {
        "stepover": round(fine * FINISH_STEPOVER if finishing else cutter.diameter * 0.4, 3),
        "stepdown": round(fine * 0.1 if finishing else cutter.diameter * min(plan.stock.material.stepdown, 0.7), 2),
        "step_x": round(cutter.diameter * 0.5, 2),
        "step_y": round(cutter.diameter * 0.5, 2),
    }
    settings = {name: value for name, value in usual.items() if name in fields} | words
    limit = Limit(boundary="silhouette") if key == "cut_out" else Limit()
    return Operation(
        number=number, strategy=key, cutter=cutter, boundary=limit, settings=kind.settings.model_validate(settings)
    )


def one_cutter_a_number(operations: Sequence[Operation]) -> list[Operation]:
    """The operations with the same cutter wherever they use the same cutter number: the one with the longest
    stickout."""
    farthest: dict[int, Cutter] = {}
    for operation in operations:
        before = farthest.get(operation.cutter.number)
        if before is None or operation.cutter.reach > before.reach:
            farthest[operation.cutter.number] = operation.cutter
    return [item.model_copy(update={"cutter": farthest[item.cutter.number]}) for item in operations]


def with_stepdown_share(operation: Operation, share: float) -> Operation:
    """The operation with its stepdown multiplied by `share`; unchanged if it has no stepdown or `share` is 1."""
    stepdown = operation.settings.figures.stepdown
    if stepdown is None or share == 1.0:
        return operation
    settings = operation.settings.model_copy(update={"stepdown": round(stepdown * share, 2)})
    return operation.model_copy(update={"settings": settings})


def without_repeats(operations: Sequence[Operation]) -> list[Operation]:
    """The operations without a second roughing that follows one by a cutter no larger, and goes no deeper: it would
    remove nothing. This happens if only the large cutters are long enough."""
    found: list[Operation] = []
    for operation in operations:
        before = found[-1] if found else None
        if (
            before is None
            or not (before.role == operation.role == "rough")
            or before.cutter.diameter > operation.cutter.diameter
            or (before.cut_to or inf) < (operation.cut_to or inf)
        ):
            found.append(operation)
    return found


def second_rougher(rough: Cutter, fine: Cutter, cutters: Sequence[Cutter]) -> Cutter | None:
    """The cutter for a second roughing; none if the first roughing cutter is small enough for finishing."""
    if rough.diameter < _TWICE * fine.diameter:
        return None
    second = nearest_cutter(cutters, "flat", (rough.diameter * fine.diameter) ** 0.5)
    return second if second.diameter < 0.8 * rough.diameter else None
