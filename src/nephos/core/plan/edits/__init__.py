"""Changes of a plan that need more than writing a number: each a pure function from plan to plan.

The page's buttons, handles and fixes name them; :func:`apply_edit` does them. Because an edit is a value (`{"do":
"turn_model", "model": "m1", "axis": 2, "degrees": 90}`), a finding can carry its own path, and everything that a hand
can drag can also be typed or scripted."""

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import Any

from pydantic import ValidationError

from nephos.core.errors import Refused
from nephos.core.plan.edits.registry import EDITS, Looks
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


def apply_edit(plan: Plan, looks: Looks, edit: Mapping[str, Any]) -> Plan:
    """The plan after one edit; refuses, in plain words, what cannot be done.

    `looks` gives what is known of a model's mesh (its repairs done).
    """
    words = dict(edit)
    name = str(words.pop("do", ""))
    change: Callable[..., Plan] | None = EDITS.get(name)
    if change is None:
        raise Refused(f"there is no edit '{name}'")
    try:
        return parse_plan(change(plan, looks, **words).model_dump(mode="json"))
    except ValidationError as error:
        raise Refused("; ".join(reasons(error))) from None


__all__ = ["Looks", "apply_edit"]
