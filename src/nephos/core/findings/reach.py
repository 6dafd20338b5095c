"""How deep cutters get before shank or holder meets model or stock: known from samples of the surface, before anything
is calculated."""

from collections.abc import Sequence

import numpy as np

from nephos.core.finding import Finding, Fix
from nephos.core.findings.bar_terrain import BarTerrain
from nephos.core.findings.terrain import SLACK, Shown, Terrain
from nephos.core.memo import Memo
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of
from nephos.core.units import length_in, size_in

GRIP = 15.0
"""What a collet holds of a cutter at least, mm."""
_KNOWN: Memo[list[Finding]] = Memo(64)


_TERRAINS: "Memo[Terrain | None]" = Memo(32)


AnyTerrain = Terrain | BarTerrain


def floor_of(terrain: AnyTerrain, operation: Operation) -> float:
    """How low an operation goes."""
    level = operation.settings.level_over(terrain.bottom)
    if level is not None:
        return level
    return terrain.foot if operation.cut_to is None else max(terrain.foot, terrain.top - operation.cut_to)


def reached(terrain: AnyTerrain, operation: Operation, wary: bool = False) -> tuple[float, float, str] | None:
    """How low an operation goes, how low it could without shank or holder meeting anything, and what would; none where
    nothing would."""
    zone = terrain.zone(operation.boundary, operation.cutter)
    if zone is None:
        return None
    floor = floor_of(terrain, operation)
    level = operation.settings.level_over(terrain.bottom)
    if level is not None:
        zone = zone & ~terrain.covered
    lowest, which = terrain.lowest_tip(operation.cutter, zone, level, wary)
    return (floor, lowest, which) if lowest > floor + SLACK else None


def _longer(terrain: AnyTerrain, operation: Operation) -> float | None:
    """Smallest stickout that lets an operation reach its depth; none if the cutter is too short."""
    most = operation.cutter.overall_length - GRIP
    for share in (0.25, 0.5, 0.75, 1.0):
        length = float(np.floor(operation.cutter.reach + share * (most - operation.cutter.reach)))
        if length <= operation.cutter.reach:
            continue
        cutter = operation.cutter.model_copy(update={"stickout": length})
        if reached(terrain, operation.model_copy(update={"cutter": cutter})) is None:
            return length
    return None


def reach_findings(plan: Plan, setup: Setup, shown: Sequence[Shown]) -> list[Finding]:
    """Operations whose shank or holder will meet model or stock, and what of the model no operation gets down to, each
    with what can be done."""
    # Asked at every keystroke; most change nothing that matters here.
    lying = (
        setup.rotation.tobytes(),
        setup.past_parting,
        plan.faces and plan.faces.model_dump_json(include={"parting", "parting_y", "border"}),
        plan.model_dump_json(include={"models": {"__all__": {"mesh", "steps", "placement", "copies"}}, "stock": True}),
        tuple(model.id for model, _, _ in shown),
    )
    matters = tuple(
        (
            o.number,
            o.strategy,
            o.cutter.model_dump_json(),
            o.boundary.model_dump_json(),
            o.cut_to,
            o.settings.model_dump_json(include={"skin", "through"}),
        )
        for o in setup.worked
    )
    return _KNOWN.get(
        (setup.id, plan.units, lying, matters, _of_several(plan)),
        lambda: _found(plan, setup, shown, _TERRAINS.get(lying, lambda: kind_of(setup).terrain(plan, shown))),
    )


def _found(plan: Plan, setup: Setup, shown: Sequence[Shown], terrain: Terrain | None) -> list[Finding]:
    if terrain is None:
        return []
    mm, size = length_in(plan.units), size_in(plan.units)
    found = _uncut_findings(plan, setup, shown, terrain)
    for operation in setup.worked:
        told = reached(terrain, operation)
        if told is None:
            continue
        floor, lowest, which = told
        deep, goes = max(terrain.top - lowest, 0.0), terrain.top - floor
        fixes = []
        longer = _longer(terrain, operation) if which == "holder" else None
        own = any(operation.number == whole.number for whole in setup.operations)
        if longer is not None and own:
            fixes.append(
                Fix(
                    f"Stickout {size(longer)}",
                    {"do": "stick_out", "setup": setup.id, "operation": operation.number, "length": longer},
                )
            )
        if deep > 1.0 and own and operation.role != "cut_out":
            depth = float(np.floor(deep * 10 - 1) / 10)
            fixes.append(
                Fix(
                    f"Cut to {size(depth)} only",
                    {"do": "cut_to_depth", "setup": setup.id, "operation": operation.number, "depth": depth},
                )
            )
        if not _of_several(plan):
            fixes += _model_fixes(plan, shown, goes - deep, size)
        found.append(
            Finding(
                "reach",
                "caution",
                str(operation.number),
                f"it goes {mm(goes)} deep, but the {which} of this cutter meets the stock or the model from "
                f"{mm(deep)} on",
                "use a longer cutter, or make the model lower: flatter, sunk deeper or lying down",
                fixes=tuple(fixes),
            )
        )
    return found


def _of_several(plan: Plan) -> bool:
    """Whether the part is cut in several setups."""
    return len({item.parent_id for item in plan.setups if item.worked}) > 1


def _uncut_findings(plan: Plan, setup: Setup, shown: Sequence[Shown], terrain: Terrain) -> list[Finding]:
    """How much of the model lies deeper than any operation goes."""
    cutting = [operation for operation in setup.worked if operation.role != "cut_out"]
    above = min((floor_of(terrain, operation) for operation in cutting), default=terrain.foot) - terrain.foot
    if above <= SLACK:
        return []
    mm = length_in(plan.units)
    deepest = max(cutting, key=lambda operation: operation.cut_to or 0.0)
    if _of_several(plan):
        # Uncut surface of the finished part is checked after the calculation (findings/faces.py).
        return [
            Finding(
                "not-deep-enough",
                "note",
                str(deepest.number),
                f"no operation of this side goes deeper than {mm(terrain.top - terrain.foot - above)}: the rest is "
                "left to the other sides",
                "use longer cutters if the other sides do not reach it",
            )
        ]
    return [
        Finding(
            "not-deep-enough",
            "caution",
            str(deepest.number),
            f"no operation goes deeper than {mm(terrain.top - terrain.foot - above)}: the lowest {mm(above)} of the "
            "model stay uncut",
            "use longer cutters and cut deeper, or make the model lower: flatter, sunk deeper or lying down",
            fixes=tuple(_model_fixes(plan, shown, above, size_in(plan.units))),
        )
    ]


def _model_fixes(plan: Plan, shown: Sequence[Shown], by: float, size: object) -> list[Fix]:
    """Paths to make a model lower by `by` mm where there is one only: lying down, flatter, sunk."""
    if len(shown) != 1 or not callable(size):
        return []
    model, placed, look = shown[0]
    high = float(placed.size[2]) - model.placement.sink
    fixes = []
    lying = apply_edit(plan, lambda _: look, {"do": "best_way_up", "model": model.id})
    if float(placed_model(look.support, lying.models[0], plan.stock).size[2]) < high - by:
        fixes.append(Fix("Lay it down", {"do": "best_way_up", "model": model.id}))
    if high - by > 1.0:
        flat = float(np.floor(high - by))
        fixes.append(
            Fix(
                f"Make it {size(flat)} high",
                {"do": "size_model", "model": model.id, "axis": 2, "value": flat + model.placement.sink, "alone": True},
            )
        )
        sink = float(np.ceil(model.placement.sink + by))
        fixes.append(Fix(f"Sink it {size(sink)}", {"do": "sink_model", "model": model.id, "depth": sink}))
    return fixes
