"""A model and its bar in a rotary setup."""

from typing import Annotated, Any

import numpy as np
from pydantic import Field

from nephos.core.errors import Refused
from nephos.core.plan.bar_place import Centre, along_axis, centred, placed_points, resized, swept_diameter
from nephos.core.plan.edits.registry import Looks, edit, model_of, tidy
from nephos.core.plan.edits.setups import setup_named
from nephos.core.plan.model import Model
from nephos.core.plan.place import placed_model
from nephos.core.plan.ranges import Size
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.holding import Rotary
from nephos.core.plan.setups.rotary import RotarySetup
from nephos.core.plan.stock import Stock

Id = Annotated[str, Field(min_length=1, max_length=40)]
Allowance = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]


def _with(plan: Plan, model: Model) -> Plan:
    return plan.model_copy(update={"models": tuple(model if item.id == model.id else item for item in plan.models)})


def _aside(plan: Plan, model: Model, looks: Looks) -> float:
    """How far (mm) the middle of a model lies along X from that of the bar."""
    box = placed_model(looks(model).support, model, plan.stock)
    return float(box.low[0] + box.high[0]) / 2 - plan.stock.length / 2


@edit
def set_rotary(plan: Plan, setup: Id, change: dict[str, Any]) -> Plan:
    """Change chuck, tailstock or core of a rotary setup."""
    found = setup_named(plan, setup)
    if not isinstance(found, RotarySetup):
        raise Refused("this setup's part does not rotate: it has no chuck and no core")
    rotary = Rotary.model_validate(found.rotary.model_dump() | change)
    changed = found.model_copy(update={"rotary": rotary})
    return plan.model_copy(update={"setups": tuple(changed if item.id == setup else item for item in plan.setups)})


@edit
def along_bar(plan: Plan, looks: Looks, model: Id) -> Plan:
    """Turn a model with its longest side along the bar, and centre it on the axis."""
    found = model_of(plan, model)
    turned = found.model_copy(update={"placement": found.placement.model_copy(update={"turn": (0.0, 0.0, 0.0)})})
    along = along_axis(turned, looks(found))
    return _with(plan, centred(along, looks(found), plan.stock))


@edit
def centre_on_axis(plan: Plan, looks: Looks, model: Id, by: Centre = "circle") -> Plan:
    """Bring a model onto the axis: by the smallest circle round it seen along the bar, by its box, or by the middle of
    its volume."""
    found = model_of(plan, model)
    return _with(plan, centred(found, looks(found), plan.stock, tidy(_aside(plan, found, looks)), by))


@edit
def fit_bar(plan: Plan, looks: Looks, model: Id, allowance: Allowance = 0.5) -> Plan:
    """Centre a model on the axis and scale it so that it sweeps the bar less the allowance (mm) all round."""
    found, stock = model_of(plan, model), plan.stock
    look = looks(found)
    free = centred(found, look, stock)
    across = min(stock.width, stock.thickness) - 2 * allowance
    points = placed_points(free, look, stock)
    length = float(np.ptp(points[:, 0]))
    share = min(across / swept_diameter(free, look, stock), (stock.length - 2 * allowance) / length)
    if share <= 0:
        raise Refused("the allowance is larger than the bar: make it smaller")
    return _with(plan, centred(resized(free, look, stock, share), look, stock))


@edit
def set_bar(plan: Plan, diameter: Size, length: Size | None = None) -> Plan:
    """Take another round bar; models stay as far from its axis and from its middle as they were."""
    stock = Stock.model_validate(
        plan.stock.model_dump()
        | {"kind": "round", "width": diameter, "thickness": diameter, "length": length or plan.stock.length}
    )
    return plan.model_copy(update={"stock": stock})
