"""Changes of a plan that need more than writing a number: each a pure function from plan to plan.

The page's buttons, handles and fixes name them; :func:`apply_edit` does them. Because an edit is a value (`{"do":
"turn_model", "model": "m1", "axis": 2, "degrees": 90}`), a finding can carry its own path, and everything that a hand
can drag can also be typed or scripted."""

from collections.abc import Mapping
from functools import reduce
from importlib import import_module
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import Field, ValidationError

from nephos.core.errors import Refused
from nephos.core.plan.edits.registry import EDITS, EditValue, Looks
from nephos.core.plan.schema import Plan, parse_plan, reasons

_MODULES = (
    "turn",
    "size",
    "position",
    "mesh",
    "stock",
    "hold",
    "operations",
    "setups",
    "pieces",
    "compositions",
)
_OF_KINDS = ("bar_edits", "tile_edits")
"""Modules beside the kinds of setup that they are for."""
for _name in _MODULES:
    import_module(f"nephos.core.plan.edits.{_name}")
for _name in _OF_KINDS:
    import_module(f"nephos.core.plan.setups.{_name}")


if TYPE_CHECKING:
    AnyEdit = EditValue
else:
    AnyEdit = Annotated[reduce(or_, (item.values for item in EDITS.values())), Field(discriminator="do")]
"""An edit of any kind: a union that `do` decides."""


def apply_edit(plan: Plan, looks: Looks, edit: EditValue | Mapping[str, Any]) -> Plan:
    """The plan after one edit.

    `looks` gives what is known of a model's mesh (its repairs done).

    Raises
    ------
    Refused
        In plain words, for what cannot be done.
    """
    name = edit.do if isinstance(edit, EditValue) else str(edit.get("do", ""))
    kind = EDITS.get(name)
    if kind is None:
        raise Refused(f"there is no edit '{name}'")
    try:
        value = edit if isinstance(edit, EditValue) else kind.values.model_validate(dict(edit))
        return parse_plan(kind.apply(plan, looks, value).model_dump(mode="json"))
    except ValidationError as error:
        raise Refused("; ".join(reasons(error))) from None


__all__ = ["AnyEdit", "EditValue", "Looks", "apply_edit"]
