"""What holds the stock: clamps and screws that the cutter must not meet."""

from collections.abc import Callable

import numpy as np

from nephos.core.errors import Refused
from nephos.core.plan.clamping import KeepOut
from nephos.core.plan.edits.registry import Looks, edit, placed_in, tidy
from nephos.core.plan.ranges import Size
from nephos.core.plan.schema import Plan

_Change = Callable[[KeepOut], KeepOut | None]


def _with_keep_out(plan: Plan, setup: str, key: str, change: _Change) -> Plan:
    """The plan with one keep-out changed, or left out where `change` gives none."""
    found = [item for item in plan.setups if item.id == setup for keep in item.keep_outs if keep.id == key]
    if not found:
        raise Refused("that clamp is no longer in the job")
    kept = tuple(
        changed for item in found[0].keep_outs if (changed := change(item) if item.id == key else item) is not None
    )
    return plan.model_copy(
        update={
            "setups": tuple(
                item.model_copy(update={"keep_outs": kept}) if item.id == setup else item for item in plan.setups
            )
        }
    )


@edit
def drop_keep_out(plan: Plan, setup: str, keep_out: str) -> Plan:
    """Take a clamp or screw off the stock."""
    return _with_keep_out(plan, setup, keep_out, lambda _item: None)


@edit
def clear_keep_out(plan: Plan, looks: Looks, setup: str, keep_out: str, gap: Size = 5.0) -> Plan:
    """Move a clamp or screw out of the boxes of all models, the shortest path along X or Y."""
    seen = next((item for item in plan.setups if item.id == setup), None)
    matrix = np.eye(4) if seen is None else seen.frame(plan.stock).matrix
    placed = [placed_in(plan, looks, model.id) for model in plan.models if model.shown]
    ends = [np.array([box.low, box.high]) @ matrix[:3, :3].T + matrix[:3, 3] for box in placed]

    def moved(item: KeepOut) -> KeepOut:
        half = np.array(item.half) + gap
        low = np.array([box.min(axis=0)[:2] for box in ends]) - half
        high = np.array([box.max(axis=0)[:2] for box in ends]) + half
        at = np.array(item.at)
        # Beside each box there are four places; the nearest one that lies in no other box is it.
        places = np.concatenate(
            [[[x, at[1]] for x in (*low[:, 0], *high[:, 0])], [[at[0], y] for y in (*low[:, 1], *high[:, 1])]]
        )
        inside = np.any(np.all((places[:, None] > low + 1e-9) & (places[:, None] < high - 1e-9), axis=2), axis=1)
        free = places[~inside]
        x, y = free[int(np.hypot(*(free - at).T).argmin())]
        return item.model_copy(update={"at": (tidy(float(x)), tidy(float(y)))})

    return _with_keep_out(plan, setup, keep_out, moved)
