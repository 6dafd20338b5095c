"""What an edit is, and what edits share."""

from collections.abc import Callable
from typing import Any

from pydantic import ConfigDict, validate_call

from nephos.core.errors import Refused
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.place import Placed, placed_model
from nephos.core.plan.schema import Plan

Looks = Callable[[Model], MeshSummary]
"""What is known of a model's mesh, its repairs done."""

EDITS: dict[str, Callable[..., Plan]] = {}


def edit(change: Callable[..., Plan]) -> Callable[..., Plan]:
    """Make a function an edit under its own name; its arguments are checked when it is called."""
    EDITS[change.__name__] = validate_call(config=ConfigDict(arbitrary_types_allowed=True))(change)
    return change


def model_of(plan: Plan, key: str) -> Model:
    """The model with that id."""
    for model in plan.models:
        if model.id == key:
            return model
    raise Refused("that model is no longer in the job")


def with_model(plan: Plan, key: str, **change: Any) -> Plan:
    """The plan with fields of one model changed."""
    model_of(plan, key)
    return plan.model_copy(
        update={"models": tuple(model.model_copy(update=change) if model.id == key else model for model in plan.models)}
    )


def with_placement(plan: Plan, key: str, **change: Any) -> Plan:
    """The plan with fields of one model's placement changed."""
    placement: Placement = model_of(plan, key).placement.model_copy(update=change)
    return with_model(plan, key, placement=placement)


def placed_in(plan: Plan, looks: Looks, key: str) -> Placed:
    """Where a model lies."""
    model = model_of(plan, key)
    return placed_model(looks(model).support, model, plan.stock)


def tidy(value: float) -> float:
    """A length without the last digits that arithmetic leaves."""
    return round(value, 9)
