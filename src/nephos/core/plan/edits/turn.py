"""Turning and mirroring a model. Its size in millimetres turns with it."""

from typing import Annotated

import numpy as np
from pydantic import Field

from nephos.core.arrays import F64
from nephos.core.mesh.orientation import best_orientation
from nephos.core.plan.edits.registry import Looks, edit, model_of, tidy, with_placement
from nephos.core.plan.model import Placement
from nephos.core.plan.place import extent_of, linear_of, scale_of
from nephos.core.plan.schema import Plan
from nephos.core.rotation import angles_of, turn_onto, turning

Axis = Annotated[int, Field(ge=0, le=2)]
Degrees = Annotated[float, Field(ge=-3600, le=3600, allow_inf_nan=False)]
Direction = tuple[float, float, float]


def _is_quarter(turn: F64) -> bool:
    return bool(np.isin(np.round(np.abs(turn), 12), (0.0, 1.0)).all())


def _sizes_after(old: Placement, new: Placement, turn: F64, support: F64) -> dict[str, object]:
    """The sizes that leave every millimetre of the model as long as it was.

    A quarter turn hands the typed numbers on as they are. Any other turn keeps the scale along each axis.
    """
    if _is_quarter(turn):
        source = np.abs(turn).argmax(axis=1)
        before = old.before_repairs
        return {
            "size": tuple(old.size[k] for k in source),
            "factors": tuple(old.factors[k] for k in source),
            "before_repairs": before and tuple(before[k] for k in source),
        }
    scale = scale_of(old, extent_of(support, old))
    extent = extent_of(support, new)
    if np.ptp(scale) < 1e-9 * scale.max():
        if not any(old.size):
            return {}
        first = next(k for k in range(3) if old.size[k])
        return {
            "size": tuple(tidy(float(scale[k] * extent[k])) if k == first else None for k in range(3)),
            "linked": True,
            "factors": (1.0, 1.0, 1.0),
            "before_repairs": None,
        }
    return {"size": tuple(tidy(float(value)) for value in scale * extent), "before_repairs": None}


def turned(plan: Plan, looks: Looks, model: str, turn: F64) -> Plan:
    """The plan with a model turned by a rotation (3, 3) of the stock's space."""
    item = model_of(plan, model)
    old = item.placement
    flip = np.diag([-1.0 if m else 1.0 for m in old.mirror])
    # turn . flip . R = flip . (flip . turn . flip . R), and what stands in brackets is a rotation again.
    new = old.model_copy(update={"turn": angles_of(flip @ turn @ linear_of(old))})
    return with_placement(plan, model, turn=new.turn, **_sizes_after(old, new, turn, looks(item).support))


@edit
def turn_model(plan: Plan, looks: Looks, model: str, axis: Axis, degrees: Degrees) -> Plan:
    """Turn a model about an axis of the stock."""
    angles = [0.0, 0.0, 0.0]
    angles[axis] = degrees
    return turned(plan, looks, model, turning(*angles))


@edit
def set_turn(plan: Plan, looks: Looks, model: str, angles: tuple[Degrees, Degrees, Degrees]) -> Plan:
    """Turn a model so that its angles are these."""
    placement = model_of(plan, model).placement
    flip = np.diag([-1.0 if m else 1.0 for m in placement.mirror])
    after = turned(plan, looks, model, flip @ turning(*angles) @ turning(*placement.turn).T @ flip)
    return with_placement(after, model, turn=angles)


@edit
def lay_flat(plan: Plan, looks: Looks, model: str, normal: Direction) -> Plan:
    """Turn a model so that a face, whose direction in the stock's space is `normal`, lies on the bed."""
    return turned(plan, looks, model, turn_onto(np.asarray(normal, np.float64), np.array([0.0, 0.0, -1.0])))


@edit
def best_way_up(plan: Plan, looks: Looks, model: str) -> Plan:
    """Turn a model the path that shows most of it to the cutter, its longer side along the stock's."""
    item = model_of(plan, model)
    return turned(
        plan,
        looks,
        model,
        best_orientation(looks(item), linear_of(item.placement), plan.stock.length >= plan.stock.width),
    )


@edit
def mirror_model(plan: Plan, model: str, axis: Axis) -> Plan:
    """Mirror a model along an axis of the stock."""
    mirror = list(model_of(plan, model).placement.mirror)
    mirror[axis] = not mirror[axis]
    return with_placement(plan, model, mirror=tuple(mirror))


@edit
def swap_xy(plan: Plan, looks: Looks, model: str) -> Plan:
    """Turn a model by a quarter about Z."""
    return turn_model(plan, looks, model, 2, 90.0)
