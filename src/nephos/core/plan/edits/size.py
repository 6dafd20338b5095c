"""Sizing a model."""

from typing import Annotated

import numpy as np
from pydantic import Field

from nephos.core.errors import Refused
from nephos.core.plan.edits.registry import Looks, edit, model_of, placed_in, tidy, with_placement
from nephos.core.plan.edits.turn import Axis
from nephos.core.plan.ranges import Size
from nephos.core.plan.schema import Plan

Percent = Annotated[float, Field(gt=0, le=1_000_000, allow_inf_nan=False)]


def _scaled(plan: Plan, looks: Looks, model: str, ratio: float, exact: dict[int, float] | None = None) -> Plan:
    """All sizes times `ratio`; `exact` gives the numbers of axes as they were typed."""
    placed, placement = placed_in(plan, looks, model), model_of(plan, model).placement
    exact = exact or {}
    scale = placed.scale
    if np.ptp(scale) < 1e-9 * scale.max():
        axis = next(iter(exact), 0)
        value = exact.get(axis, tidy(float(placed.size[axis] * ratio)))
        size = tuple(value if k == axis else None for k in range(3))
    else:
        size = tuple(exact.get(k, tidy(float(placed.size[k] * ratio))) for k in range(3))
    return with_placement(plan, model, size=size, linked=True, sink=tidy(placement.sink * ratio), before_repairs=None)


@edit
def size_model(plan: Plan, looks: Looks, model: str, axis: Axis, value: Size, alone: bool = False) -> Plan:
    """Give a model a size along one axis; the others follow in proportion, or stay as they are (`alone`)."""
    placed = placed_in(plan, looks, model)
    if alone:
        size = tuple(value if k == axis else tidy(float(placed.size[k])) for k in range(3))
        sink = model_of(plan, model).placement.sink
        return with_placement(
            plan,
            model,
            size=size,
            sink=min(sink, tidy(float(value) * 0.999)) if axis == 2 else sink,
            before_repairs=None,
        )
    return _scaled(plan, looks, model, value / float(placed.size[axis]), {axis: value})


@edit
def percent_model(plan: Plan, looks: Looks, model: str, percent: Percent) -> Plan:
    """Size a model to a percentage of what its file says, keeping its proportions."""
    placed = placed_in(plan, looks, model)
    return _scaled(plan, looks, model, percent / 100 * looks(model_of(plan, model)).unit / float(placed.scale[0]))


@edit
def unit_model(plan: Plan, model: str, unit: Size) -> Plan:
    """Say how many millimetres one unit of the file stands for; the model takes the size that follows."""
    return with_placement(
        plan,
        model,
        unit=unit,
        factors=(1.0, 1.0, 1.0),
        size=(None, None, None),
        linked=True,
        sink=0.0,
        before_repairs=None,
    )


@edit
def true_proportions(plan: Plan, looks: Looks, model: str) -> Plan:
    """Make Y and Z follow X again."""
    placed = placed_in(plan, looks, model)
    return with_placement(
        plan, model, factors=(1.0, 1.0, 1.0), size=(tidy(float(placed.size[0])), None, None), linked=True
    )


def with_scale_kept(plan: Plan, looks: Looks, model: str) -> Plan:
    """The plan with a model held to its scale instead of to sizes, before a repair changes what there is to size.

    The sizes that were set are remembered, so that they can be offered again.
    """
    placed, placement = placed_in(plan, looks, model), model_of(plan, model).placement
    scale = placed.scale
    before = placement.before_repairs
    if any(placement.size):
        before = (float(placed.size[0]), float(placed.size[1]), float(placed.size[2]))
    return with_placement(
        plan,
        model,
        unit=float(scale[0]),
        factors=tuple(float(value / scale[0]) for value in scale),
        size=(None, None, None),
        before_repairs=before,
    )


@edit
def accept_size(plan: Plan, model: str) -> Plan:
    """Take the size that a model has after its repairs for the right one."""
    return with_placement(plan, model, before_repairs=None)


@edit
def fit_model(
    plan: Plan,
    looks: Looks,
    model: str,
    margin: Annotated[float, Field(ge=0, le=500)] = 5.0,
    above: Annotated[float, Field(ge=0, le=500)] = 1.0,
    below: Annotated[float, Field(ge=0, le=500)] = 3.0,
) -> Plan:
    """Scale a model, in proportion, to the largest that fits the stock with a margin all round, and centre it."""
    placed = placed_in(plan, looks, model)
    item = model_of(plan, model)
    gaps = np.array([item.copies.gap[0] * (item.copies.columns - 1), item.copies.gap[1] * (item.copies.rows - 1), 0.0])
    counts = np.array([item.copies.columns, item.copies.rows, 1])
    room = (np.array(plan.stock.size) - [2 * margin, 2 * margin, above + below] - gaps) / counts
    size = placed.size - [0.0, 0.0, item.placement.sink]
    if (room <= 0).any():
        raise Refused("the stock is too small for these margins: take larger stock")
    fitted = _scaled(plan, looks, model, float((room / size).min()))
    return with_placement(fitted, model, align=("centre", "centre", "high"), offset=(0.0, 0.0, -above))


@edit
def sink_model(plan: Plan, looks: Looks, model: str, depth: Annotated[float, Field(ge=0, le=10_000)]) -> Plan:
    """Sink the foot of a model away, so that a whole figure becomes a relief."""
    if depth >= float(placed_in(plan, looks, model).size[2]):
        raise Refused("the whole model would be sunk away: give less")
    return with_placement(plan, model, sink=depth)


@edit
def sink_half(plan: Plan, looks: Looks, model: str) -> Plan:
    """Sink a model to half its height: a full-round figure becomes a relief."""
    return sink_model(plan, looks, model, tidy(float(placed_in(plan, looks, model).size[2] / 2)))
