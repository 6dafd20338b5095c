"""Choosing the stock."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.plan.clamping import Zero
from nephos.core.plan.edits.position import align_model, gap_model
from nephos.core.plan.edits.registry import Looks, edit, tidy, with_placement
from nephos.core.plan.edits.turn import swap_xy
from nephos.core.plan.place import placed_model
from nephos.core.plan.ranges import Size
from nephos.core.plan.schema import Plan
from nephos.core.plan.stock import Stock

Margin = Annotated[float, Field(ge=0, le=1000)]


def box_of_models(plan: Plan, looks: Looks) -> tuple[F64, F64]:
    """The box of all models that are shown, in stock space."""
    boxes = [placed_model(looks(model).support, model, plan.stock) for model in plan.models if model.shown]
    if not boxes:
        raise Refused("the job has no model: import one first")
    return np.min([box.low for box in boxes], axis=0), np.max([box.high for box in boxes], axis=0)


def _resized(plan: Plan, looks: Looks, size: tuple[float, float, float], low: F64 | None = None) -> Plan:
    """Other stock with the models where they were relative to each other: shifted so that their box begins at `low`."""
    before, _ = box_of_models(plan, looks)
    round_bar = plan.stock.is_round
    if round_bar:
        size = (size[0], max(size[1:]), max(size[1:]))
    stock = Stock.model_validate(plan.stock.model_dump() | {"length": size[0], "width": size[1], "thickness": size[2]})
    after = plan.model_copy(update={"stock": stock})
    if low is None:
        return after
    # Aligned models moved by themselves with the stock; the rest of the path is the same for all.
    for model in plan.models:
        old = placed_model(looks(model).support, model, plan.stock).low
        new = placed_model(looks(model).support, model, stock).low
        offset = tuple(
            tidy(float(o + (old[k] - before[k] + low[k]) - new[k])) for k, o in enumerate(model.placement.offset)
        )
        after = with_placement(after, model.id, offset=offset)
    return after


@edit
def fit_stock(
    plan: Plan,
    looks: Looks,
    left: Margin = 10.0,
    right: Margin = 10.0,
    front: Margin = 10.0,
    back: Margin = 10.0,
    above: Margin = 1.0,
    below: Margin = 6.0,
) -> Plan:
    """Make the stock as large as the models with a margin at each side."""
    low, high = box_of_models(plan, looks)
    size = high - low + [left + right, front + back, above + below]
    return _resized(
        plan, looks, (tidy(float(size[0])), tidy(float(size[1])), tidy(float(size[2]))), np.array([left, front, below])
    )


@edit
def size_stock(
    plan: Plan, length: Size | None = None, width: Size | None = None, thickness: Size | None = None
) -> Plan:
    """Take stock of another length, width or thickness; of a bar, width and thickness are its diameter."""
    stock = plan.stock
    if stock.is_round:
        width = thickness = width or thickness or stock.width
    return plan.model_copy(
        update={
            "stock": Stock.model_validate(
                stock.model_dump()
                | {
                    "length": length or stock.length,
                    "width": width or stock.width,
                    "thickness": thickness or stock.thickness,
                }
            )
        }
    )


@edit
def thicken_stock(plan: Plan, model: str, thickness: Size, above: Margin = 1.0) -> Plan:
    """Take thicker stock, and put a model so far under its top."""
    return gap_model(size_stock(plan, thickness=thickness), model, above, "above")


@edit
def larger_bar(plan: Plan, model: str, diameter: Size) -> Plan:
    """Take a thicker bar, and put a model on its axis."""
    after = size_stock(plan, width=diameter)
    return align_model(align_model(after, model, 1, "centre"), model, 2, "centre")


@edit
def shape_stock(plan: Plan, kind: Literal["box", "round"]) -> Plan:
    """Take a box or a round bar."""
    stock = plan.stock
    side = max(stock.width, stock.thickness) if kind != "box" else None
    return plan.model_copy(
        update={
            "stock": Stock.model_validate(
                stock.model_dump() | {"kind": kind, "width": side or stock.width, "thickness": side or stock.thickness}
            )
        }
    )


@edit
def turn_job(plan: Plan, looks: Looks) -> Plan:
    """Turn stock and models together by a quarter, for a bed that is longer the other way."""
    stock = plan.stock
    after = plan.model_copy(
        update={
            "stock": Stock.model_validate(
                stock.model_dump()
                | {"length": stock.width, "width": stock.length, "grain": "y" if stock.grain == "x" else "x"}
            )
        }
    )
    for model in plan.models:
        after = swap_xy(after, looks, model.id)
        x, y, z = model.placement.align
        dx, dy, dz = model.placement.offset
        # A quarter to the left takes X to Y and Y to the other side of X.
        other: dict[str, str] = {"low": "high", "centre": "centre", "high": "low"}
        after = with_placement(after, model.id, align=(other[y], x, z), offset=(-dy, dx, dz))
    return after


@edit
def corner_zero(
    plan: Plan,
    setup: str,
    x: Literal["low", "centre", "high"] = "low",
    y: Literal["low", "centre", "high"] = "low",
    z: Literal["top", "bottom", "bed", "axis"] = "top",
) -> Plan:
    """Put the work zero of a setup at one of its nine points."""
    zero = Zero(x=x, y=y, z=z)
    return plan.model_copy(
        update={
            "setups": tuple(
                item.model_copy(update={"zero": zero}) if item.id == setup else item for item in plan.setups
            )
        }
    )
