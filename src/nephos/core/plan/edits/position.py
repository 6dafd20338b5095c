"""Placing a model in the stock."""

from typing import Literal

from nephos.core.plan.edits.registry import Looks, edit, model_of, placed_in, tidy, with_model, with_placement
from nephos.core.plan.edits.turn import Axis
from nephos.core.plan.model import Copies
from nephos.core.plan.ranges import Align
from nephos.core.plan.ranges import Place as Length
from nephos.core.plan.schema import Plan


@edit
def align_model(plan: Plan, model: str, axis: Axis, align: Align, offset: Length = 0.0) -> Plan:
    """Put a model flush with a side of the stock, or in its middle, and shift it from there."""
    placement = model_of(plan, model).placement
    aligns, offsets = list(placement.align), list(placement.offset)
    aligns[axis], offsets[axis] = align, offset
    return with_placement(plan, model, align=tuple(aligns), offset=tuple(offsets))


@edit
def corner_model(plan: Plan, model: str, x: Align, y: Align) -> Plan:
    """Put a model in a corner, at an edge or in the centre of the stock, seen from above."""
    return align_model(align_model(plan, model, 0, x), model, 1, y)


@edit
def move_model(plan: Plan, model: str, by: tuple[Length, Length, Length]) -> Plan:
    """Shift a model from where it is."""
    offset = model_of(plan, model).placement.offset
    return with_placement(plan, model, offset=tuple(tidy(a + b) for a, b in zip(offset, by, strict=True)))


@edit
def edge_model(plan: Plan, looks: Looks, model: str, axis: Axis, value: Length) -> Plan:
    """Put the low edge of a model at a typed place, from the low side of the stock."""
    low = float(placed_in(plan, looks, model).low[axis])
    by = [0.0, 0.0, 0.0]
    by[axis] = value - low
    return move_model(plan, model, (by[0], by[1], by[2]))


@edit
def gap_model(plan: Plan, model: str, gap: Length, side: Literal["above", "below"]) -> Plan:
    """Leave a gap between a model and the top or the underside of the stock."""
    return align_model(plan, model, 2, "high", -gap) if side == "above" else align_model(plan, model, 2, "low", gap)


@edit
def beside_model(plan: Plan, looks: Looks, model: str, other: str, gap: Length = 5.0) -> Plan:
    """Shift a model along X or Y, whichever is less, until its box stands beside that of another."""
    mine, theirs = placed_in(plan, looks, model), placed_in(plan, looks, other)
    paths = [
        (axis, by)
        for axis in (0, 1)
        for by in (float(theirs.high[axis] - mine.low[axis]) + gap, float(theirs.low[axis] - mine.high[axis]) - gap)
    ]
    axis, distance = min(paths, key=lambda path: abs(path[1]))
    return move_model(plan, model, (distance if axis == 0 else 0.0, distance if axis == 1 else 0.0, 0.0))


@edit
def copies_of_model(plan: Plan, model: str, copies: Copies) -> Plan:
    """Repeat a model in columns and rows."""
    model_of(plan, model)
    return with_model(plan, model, copies=copies)
