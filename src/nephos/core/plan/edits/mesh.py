"""Importing models into a job, repairing and cutting them."""

from typing import Annotated, Any

from pydantic import Field

from nephos.core.errors import Refused
from nephos.core.mesh.repair.registry import Repair, repair_kind
from nephos.core.plan.edits.registry import Looks, edit, model_of, placed_in, with_model
from nephos.core.plan.edits.size import with_scale_kept
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.place import linear_of
from nephos.core.plan.schema import Plan


@edit
def add_model(plan: Plan, mesh: str, name: str, unit: Annotated[float, Field(gt=0)] = 1.0) -> Plan:
    """Import a mesh into the job, in the middle of the stock."""
    numbers = [int(model.id[1:]) for model in plan.models if model.id[1:].isdigit()]
    model = Model(
        id=f"m{max(numbers, default=0) + 1}", name=name[:120] or "model", mesh=mesh, placement=Placement(unit=unit)
    )
    return plan.model_copy(update={"models": (*plan.models, model)})


@edit
def remove_model(plan: Plan, model: str) -> Plan:
    """Take a model out of the job."""
    model_of(plan, model)
    return plan.model_copy(update={"models": tuple(item for item in plan.models if item.id != model)})


@edit
def copy_model(plan: Plan, model: str) -> Plan:
    """Add the same model once more, to be placed on its own."""
    item = model_of(plan, model)
    numbers = [int(other.id[1:]) for other in plan.models if other.id[1:].isdigit()]
    copy = item.model_copy(update={"id": f"m{max(numbers, default=0) + 1}", "name": f"{item.name[:112]}, copy"})
    return plan.model_copy(update={"models": (*plan.models, copy)})


@edit
def repair_model(plan: Plan, looks: Looks, model: str, kind: str, settings: dict[str, Any] | None = None) -> Plan:
    """Add a repair step to a model. The scale of what remains is kept; its size follows.

    A repair with a setting `normal` gets the up direction of the placed model."""
    plan = with_scale_kept(plan, looks, model)
    item = model_of(plan, model)
    settings = dict(settings or {})
    if "normal" in repair_kind(kind).settings.model_fields and "normal" not in settings:
        settings["normal"] = linear_of(item.placement)[2].tolist()
    return with_model(plan, model, steps=(*item.steps, Repair.model_validate({"kind": kind, "settings": settings})))


@edit
def drop_repair(plan: Plan, looks: Looks, model: str, step: Annotated[int, Field(ge=0)]) -> Plan:
    """Take a repair step out again. The scale is kept."""
    steps = model_of(plan, model).steps
    if step >= len(steps):
        raise Refused("that step is gone already")
    plan = with_scale_kept(plan, looks, model)
    return with_model(plan, model, steps=(*steps[:step], *steps[step + 1 :]))


@edit
def cut_off(plan: Plan, looks: Looks, model: str, height: Annotated[float, Field(gt=0)]) -> Plan:
    """Cut everything off a model that lies lower than `height` over its foot, as it lies now.

    As with all repairs the scale of what remains is kept, and its size follows.
    """
    plan = with_scale_kept(plan, looks, model)
    item, placed = model_of(plan, model), placed_in(plan, looks, model)
    if height >= float(placed.size[2]):
        raise Refused("nothing would be left above this height: lower it")
    up = linear_of(item.placement)[2]
    foot = float((looks(item).support @ up).min())
    step = Repair.model_validate(
        {
            "kind": "cut_below",
            "settings": {"normal": [float(value) for value in up], "height": foot + height / float(placed.scale[2])},
        }
    )
    return with_model(plan, model, steps=(*item.steps, step), placement=item.placement.model_copy(update={"sink": 0.0}))
