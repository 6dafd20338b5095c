"""Findings before anything is calculated: does the model fit the stock, the stock the machine, is the zero on it."""

from math import ceil

import numpy as np

from nephos.core.finding import Finding, Fix
from nephos.core.findings.faces import faces_findings
from nephos.core.machine.machine import machine_of
from nephos.core.mesh.orientation import undercut
from nephos.core.mesh.summary import UNITS, MeshSummary
from nephos.core.plan.edits.registry import tidy
from nephos.core.plan.model import Model
from nephos.core.plan.place import Placed, extent_of, linear_of
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.bar_findings import swept_findings
from nephos.core.setups.registry import kind_of
from nephos.core.units import length_in, size_in

HAIR = 1e-6
LITTLE_BELOW = 1.0
"""Less than this below the model leaves nothing for tabs or a cut-out."""
_AXES = ("X", "Y", "Z")


def _up(value: float) -> float:
    """The next half millimetre: nobody orders 27.314 mm of wood."""
    return ceil(value * 2 - 1e-9) / 2


def _fit(model: Model) -> Fix:
    return Fix("Scale it to fit", {"do": "fit_model", "model": model.id})


def _height_findings(plan: Plan, model: Model, box: Placed) -> list[Finding]:
    found = []
    mm, size = length_in(plan.units), size_in(plan.units)
    thickness = plan.stock.thickness
    above, below = float(box.high[2]) - thickness, -float(box.low[2])
    tall = float(box.high[2] - box.low[2])
    fits = tall + 1.0 <= thickness
    lower = Fix(
        f"Put it {size(1.0)} under the top", {"do": "gap_model", "model": model.id, "gap": 1.0, "side": "above"}
    )
    thicker = Fix(
        f"Make the stock {size(_up(tall + 4))} thick",
        {"do": "thicken_stock", "model": model.id, "thickness": _up(tall + 4)},
    )
    flatter = Fix(
        f"Make it {size(max(thickness - 4, 0.5))} high",
        {
            "do": "size_model",
            "model": model.id,
            "axis": 2,
            "value": max(thickness - 4, 0.5) + model.placement.sink,
            "alone": True,
        },
    )
    if above > HAIR:
        found.append(
            Finding(
                "model-above",
                "stop",
                model.id,
                f"the model is {mm(above)} higher than the stock",
                "lower it, make it flatter or the stock thicker",
                fixes=(lower,) if fits else (thicker, flatter, _fit(model)),
            )
        )
    if below > HAIR:
        found.append(
            Finding(
                "model-below",
                "stop",
                model.id,
                f"the model reaches {mm(below)} under the stock",
                "raise it, make it flatter or the stock thicker",
                fixes=(lower,) if fits else (thicker, flatter, _fit(model)),
            )
        )
    if above <= HAIR and below <= HAIR and box.low[2] < LITTLE_BELOW and plan.faces is None:
        more = _up(thickness + 4 - float(box.low[2]))
        found.append(
            Finding(
                "nothing-below",
                "caution",
                model.id,
                f"only {mm(float(box.low[2]))} is left below the model: nothing for tabs or a cut-out",
                "raise it or take thicker stock",
                fixes=(
                    Fix(
                        f"Make the stock {size(more)} thick",
                        {"do": "thicken_stock", "model": model.id, "thickness": more, "above": max(-above, 0.0)},
                    ),
                ),
            )
        )
    return found


def _side_findings(plan: Plan, model: Model, box: Placed) -> list[Finding]:
    found = []
    mm, chosen = length_in(plan.units), size_in(plan.units)
    size, extent = plan.stock.size, box.high - box.low
    for axis in (0, 1):
        over = max(-float(box.low[axis]), float(box.high[axis]) - size[axis])
        if over <= HAIR:
            continue
        fixes = []
        if extent[axis] <= size[axis] + HAIR:
            fixes.append(Fix("Centre it", {"do": "align_model", "model": model.id, "axis": axis, "align": "centre"}))
        else:
            if extent[0] <= size[1] and extent[1] <= size[0]:
                fixes.append(Fix("Turn it by a quarter", {"do": "swap_xy", "model": model.id}))
            fixes.append(_fit(model))
            name = ("length", "width")[axis]
            longer = _up(float(extent[axis]) + 20)
            fixes.append(
                Fix(f"Make the stock {chosen(longer)} {('long', 'wide')[axis]}", {"do": "size_stock", name: longer})
            )
        found.append(
            Finding(
                f"model-side-{_AXES[axis].lower()}",
                "stop",
                model.id,
                f"the model is {mm(over)} outside the stock along {_AXES[axis]}",
                "make it smaller, move it, or take larger stock",
                fixes=tuple(fixes),
            )
        )
    return found


def _bar_findings(plan: Plan, model: Model, box: Placed) -> list[Finding]:
    """Whether the corners of the model's box stay inside a round bar."""
    mm = length_in(plan.units)
    radius = plan.stock.width / 2
    corners = np.array([[y, z] for y in (box.low[1], box.high[1]) for z in (box.low[2], box.high[2])]) - radius
    over = float(np.linalg.norm(corners, axis=1).max()) - radius
    if over <= HAIR:
        return []
    extent = box.high - box.low
    larger = _up(float(np.hypot(extent[1], extent[2])) + 2)
    fix = Fix(
        f"Take a bar of {size_in(plan.units)(larger)}", {"do": "larger_bar", "model": model.id, "diameter": larger}
    )
    return [
        Finding(
            "model-beside-bar",
            "caution",
            model.id,
            f"corners of the model's box are {mm(over)} outside the round bar",
            "make it smaller or take a thicker bar",
            fixes=(fix,),
        )
    ]


def _mesh_findings(plan: Plan, model: Model, box: Placed, look: MeshSummary, sure: bool) -> list[Finding]:
    found = []
    mm = length_in(plan.units)
    placement = model.placement
    if not sure and not any(placement.size) and placement.unit in UNITS.values() and not model.steps:
        name = next(key for key, value in UNITS.items() if value == placement.unit)
        others = tuple(
            Fix(key, {"do": "unit_model", "model": model.id, "unit": value})
            for key, value in UNITS.items()
            if key != name
        )
        found.append(
            Finding(
                "unit-guessed",
                "note",
                model.id,
                f"the file names no unit: {name} is a guess, which makes it {mm(float(box.size.max()))} long",
                "choose another unit, or set a size",
                fixes=others,
            )
        )
    found += _loose_findings(plan, model, box, look) + _size_findings(plan, model, box)
    hidden = undercut(look, linear_of(placement), placement.sink / max(float(box.size[2]), 1e-9))
    if hidden > 0.03 and plan.faces is None and all(setup.holding is None for setup in plan.setups):
        found.append(
            Finding(
                "undercut",
                "note",
                model.id,
                f"{100 * hidden:.0f} % of the surface looks down, where a cutter from above never comes",
                "turn it another way up, or sink it deeper",
                fixes=(Fix("Sink it half", {"do": "sink_half", "model": model.id}),) if placement.sink == 0 else (),
            )
        )
    return found


TOLD = 0.005
"""A size that differs by more than this share is worth a word."""


def _loose_findings(plan: Plan, model: Model, box: Placed, look: MeshSummary) -> list[Finding]:
    """A loose piece that stands out of the rest, so that it decides the size."""
    if look.main is None:
        return []
    size = size_in(plan.units)
    main = extent_of(look.main, model.placement) * box.scale
    axis = int((1 - main / box.size).argmax())
    if main[axis] > (1 - TOLD) * box.size[axis]:
        return []
    return [
        Finding(
            "loose-piece-sizes",
            "caution",
            model.id,
            f"a loose piece lies outside the rest: {_AXES[axis]} is {size(float(box.size[axis]))} with it, "
            f"{size(float(main[axis]))} "
            "without",
            "drop the loose pieces; the scale of the rest is kept",
            fixes=(
                Fix(
                    "Drop loose pieces",
                    {
                        "do": "repair_model",
                        "model": model.id,
                        "kind": "drop_shells",
                        "settings": {"size": 1.001 * look.loose},
                    },
                ),
            ),
        )
    ]


def _size_findings(plan: Plan, model: Model, box: Placed) -> list[Finding]:
    """A size that was set and is another one after repairs."""
    before = model.placement.before_repairs
    if before is None:
        return []
    axis = int(np.abs(box.size / np.array(before) - 1).argmax())
    if abs(box.size[axis] / before[axis] - 1) < TOLD:
        return []
    size, name = size_in(plan.units), _AXES[axis]
    return [
        Finding(
            "size-after-repair",
            "note",
            model.id,
            f"the repairs changed the size: {name} was {size(before[axis])} and is {size(float(box.size[axis]))}; the "
            "scale was kept",
            "set the size again if it is to be the old one",
            fixes=(
                Fix(
                    f"Set {name} to {size(before[axis])}",
                    {"do": "size_model", "model": model.id, "axis": axis, "value": tidy(before[axis])},
                ),
                Fix("Keep this size", {"do": "accept_size", "model": model.id}),
            ),
        )
    ]


def _apart(plan: Plan, placed: dict[str, Placed]) -> list[Finding]:
    found = []
    mm = length_in(plan.units)
    shown = [model for model in plan.models if model.shown and model.id in placed]
    for k, model in enumerate(shown):
        for other in shown[:k]:
            a, b = placed[model.id], placed[other.id]
            common = np.minimum(a.high, b.high)[:2] - np.maximum(a.low, b.low)[:2]
            if (common > HAIR).all():
                found.append(
                    Finding(
                        "models-overlap",
                        "note",
                        model.id,
                        f"its box and that of {other.name} share {mm(float(common.min()))}",
                        "move one of them, unless they are meant to be joined",
                        fixes=(Fix("Put it beside", {"do": "beside_model", "model": model.id, "other": other.id}),),
                    )
                )
    return found


def _tiled_along(plan: Plan, axis: str) -> bool:
    """Whether all setups that are on have seams across an axis of the stock."""
    on = [setup for setup in plan.setups if setup.on]
    return bool(on) and all(any(across == axis for across, _ in setup.seams) for setup in on)


def _machine_findings(plan: Plan) -> list[Finding]:
    found = []
    mm = length_in(plan.units)
    machine = machine_of(plan.machine)
    size = plan.stock.size
    turned = size[1] <= machine.travel[0] and size[0] <= machine.travel[1]
    for axis, name in enumerate(_AXES):
        if (axis == 0 and _tiled_along(plan, "x")) or (axis == 1 and _tiled_along(plan, "y")):
            # Each tile is checked on its own.
            continue
        if size[axis] > machine.travel[axis]:
            side = ("length", "width", "thickness")[axis]
            shorter = Fix(
                f"Take it {size_in(plan.units)(machine.travel[axis])} {('long', 'wide', 'thick')[axis]}",
                {"do": "size_stock", side: machine.travel[axis]},
            )
            fix: tuple[Fix, ...] = (
                (Fix("Turn the job by a quarter", {"do": "turn_job"}),) if axis < 2 and turned else (shorter,)
            )
            face = next((setup for setup in plan.setups if setup.on and setup.can_be_tiled), None)
            if axis < 2 and face is not None:
                cut = {"do": "cut_in_tiles", "setup": face.id, "axis": ("x", "y")[axis]}
                fix = (Fix("Cut in tiles", cut), *fix)
            found.append(
                Finding(
                    "beyond-travel",
                    "stop" if axis < 2 else "caution",
                    "stock",
                    f"the stock is {mm(size[axis] - machine.travel[axis])} longer along {name} "
                    f"than the {machine.name} travels",
                    "cut it in tiles, take smaller stock or another machine" if axis < 2 else "take another machine",
                    fixes=fix,
                )
            )
    return found


def _setup_findings(plan: Plan, setup: Setup, placed: dict[str, Placed]) -> list[Finding]:
    found = []
    mm = length_in(plan.units)
    size = setup.frame(plan.stock).high
    at = setup.zero.at
    if at is not None and any(value < -HAIR or value > side + HAIR for value, side in zip(at, size, strict=True)):
        fixes = (Fix("Front left corner, top", {"do": "corner_zero", "setup": setup.id}),)
        found.append(
            Finding(
                "zero-off-stock",
                "caution",
                "stock",
                "the work zero is not on the stock: there is nothing to touch off there",
                "choose a corner or the centre",
                fixes=fixes,
            )
        )
    if setup.zero.z == "bed" and setup.up[2] < 1 - 1e-9:
        found.append(
            Finding(
                "zero-on-bed",
                "note",
                "stock",
                "the zero is on the bed: it must be found again after turning the stock over",
                "measure from the same bed in each setup",
                fixes=(
                    Fix(
                        "Zero on the stock's underside",
                        {"do": "corner_zero", "setup": setup.id, "x": setup.zero.x, "y": setup.zero.y, "z": "bottom"},
                    ),
                ),
            )
        )
    matrix = setup.frame(plan.stock).matrix
    for item in setup.keep_outs:
        half = np.array(item.half)
        low, high = np.array(item.at) - half, np.array(item.at) + half
        for model in plan.models:
            box = placed.get(model.id)
            if box is None or not model.shown:
                continue
            ends = np.array([box.low, box.high]) @ matrix[:3, :3].T + matrix[:3, 3]
            model_low, model_high = ends.min(axis=0), ends.max(axis=0)
            common = np.minimum(model_high[:2], high) - np.maximum(model_low[:2], low)
            if (common > HAIR).all() and item.foot + item.size[2] > model_low[2]:
                spot = (*item.at, item.foot + item.size[2])
                found.append(
                    Finding(
                        "keep-out-on-model",
                        "stop",
                        "stock",
                        f"{item.name} is {mm(float(common.min()))} inside {model.name}",
                        "move it, or hold the stock some other way",
                        (float(spot[0]), float(spot[1]), float(spot[2])),
                        fixes=(
                            Fix("Move it clear", {"do": "clear_keep_out", "setup": setup.id, "keep_out": item.id}),
                            Fix("Take it away", {"do": "drop_keep_out", "setup": setup.id, "keep_out": item.id}),
                        ),
                    )
                )
    return found


def placement_findings(
    plan: Plan,
    placed: dict[str, Placed],
    looks: dict[str, MeshSummary] | None = None,
    sure: dict[str, bool] | None = None,
) -> list[Finding]:
    """What can be said at once of models, stock, zero and keep-outs.

    `looks` and `sure` (whether the file names its unit), by model id, add what can be said of the meshes themselves.
    """
    found: list[Finding] = []
    for model in plan.models:
        if not model.shown or model.id not in placed:
            continue
        box = placed[model.id]
        if any(setup.holding is not None for setup in plan.setups):
            found += swept_findings(plan, model, box, (looks or {}).get(model.id))
        else:
            found += _height_findings(plan, model, box) + _side_findings(plan, model, box)
            if plan.stock.is_round:
                found += _bar_findings(plan, model, box)
        if looks and model.id in looks:
            found += _mesh_findings(plan, model, box, looks[model.id], (sure or {}).get(model.id, True))
    found += _apart(plan, placed) + _machine_findings(plan)
    boxes = [placed[model.id] for model in plan.models if model.shown and model.id in placed]
    found += faces_findings(plan, boxes)
    for setup in plan.setups:
        found += _setup_findings(plan, setup, placed) + kind_of(setup).plan_findings(plan, boxes)
    return found
