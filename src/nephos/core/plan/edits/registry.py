"""What an edit is, and what edits share."""

from collections.abc import Callable
from dataclasses import dataclass
from inspect import Parameter, signature
from typing import Any, Literal, TypeVar, get_type_hints

from pydantic import BaseModel, ConfigDict, create_model

from nephos.core.errors import Refused
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.place import Placed, placed_model
from nephos.core.plan.schema import Plan

Looks = Callable[[Model], MeshSummary]
"""What is known of a model's mesh, its repairs done."""


class EditValue(BaseModel):
    """Base of all edits: its name under `do`, and its words."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    do: str


@dataclass(frozen=True)
class Edit:
    """A kind of edit: the model of its values, and the function that makes it. `with_looks` : the function asks for
    what is known of meshes."""

    values: type[EditValue]
    change: Callable[..., Plan]
    with_looks: bool

    def apply(self, plan: Plan, looks: Looks, value: EditValue) -> Plan:
        """The plan after an edit."""
        words = {name: getattr(value, name) for name in type(value).model_fields if name != "do"}
        return self.change(plan, looks, **words) if self.with_looks else self.change(plan, **words)


EDITS: dict[str, Edit] = {}
"""All kinds of edit, by name."""

Change = TypeVar("Change", bound=Callable[..., Plan])


def edit(change: Change) -> Change:
    """Make a function an edit under its own name.

    Its first argument is the plan. A second one that is called `looks` is given what is known of meshes. All others are
    the words of the edit: their types and defaults make the model that values of the edit are checked by."""
    name, hints = change.__name__, get_type_hints(change, include_extras=True)
    own = list(signature(change).parameters.values())[1:]
    with_looks = bool(own) and own[0].name == "looks"
    fields: dict[str, Any] = {
        word.name: (hints[word.name], ... if word.default is Parameter.empty else word.default)
        for word in own[with_looks:]
    }
    title = "".join(part.capitalize() for part in name.split("_"))
    # A field of a literal that is known at run time alone: no type checker can follow it.
    fields = {"do": (Literal[name], ...)} | fields
    model = create_model(title, __base__=EditValue, __doc__=change.__doc__, **fields)
    EDITS[name] = Edit(model, change, with_looks)
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
