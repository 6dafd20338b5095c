"""A sensible route sheet for a new model, and sensible numbers for a new operation, to start from."""

from collections.abc import Sequence
from math import ceil, inf

import numpy as np

from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.cutters.feeds import working_diameter
from nephos.core.findings.reach import fitted, in_flute_layers, roughing_depth
from nephos.core.findings.terrain import Terrain, terrain_of
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.boundary import Limit
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Operation, Plan, Setup
from nephos.core.strategies.registry import strategy

_USUAL: dict[str, tuple[str, float]] = {"drill": ("drill", 5.0)}
"""The cutter that an operation is first given where it is neither roughing nor finishing: shape and diameter."""
_WALL = 0.08
"""From this share of upright surface on walls are finished by waterlines."""
_STEEP = 55.0
_LEAVE = 0.5
"""What the first roughing leaves (mm)."""
FINISH_STEPOVER = 0.1
"""Stepover of finishing as a share of the working diameter."""
_TWICE = 1.6
"""Ratio of the diameters of roughing and finishing cutter from which a second roughing is proposed."""
_COARSE = 0.1
"""How far off (mm) the coarse terrain may be."""


def nearest_cutter(cutters: Sequence[Cutter], shape: str, diameter: float) -> Cutter:
    """The shop's cutter of a shape that is nearest to a diameter; a usual one, under a free number, where it has none
    of that shape."""
    of_shape = [cutter for cutter in cutters if cutter.shape == shape]
    free = 1 + max((cutter.number for cutter in cutters), default=0)
    return min(
        of_shape,
        key=lambda cutter: abs(cutter.diameter - diameter),
        default=standard_cutter(shape, diameter, min(free, 999)),
    )


def proposed_operation(
    plan: Plan, cutters: Sequence[Cutter], key: str, number: int, cutter: Cutter | None = None, **words: object
) -> Operation:
    """An operation with settings that suit its cutter and the material; `words` are settings that are given."""
    kind = strategy(key)
    finishing = key.startswith("finish")
    cutter = cutter or nearest_cutter(cutters, *_USUAL.get(key, ("ball", 3.0) if finishing else ("flat", 6.0)))
    fields = kind.settings.model_fields
    fine = working_diameter(cutter)
    usual = {
        "stepover": round(fine * FINISH_STEPOVER if finishing else cutter.diameter * 0.4, 3),
        "stepdown": round(fine * 0.1 if finishing else cutter.diameter * min(plan.stock.material.stepdown, 0.7), 2),
        "step_x": round(cutter.diameter * 0.5, 2),
        "step_y": round(cutter.diameter * 0.5, 2),
    }
    settings = {name: value for name, value in usual.items() if name in fields} | words
    limit = Limit(boundary="silhouette") if key == "cut_out" else Limit()
    return Operation(
        number=number, strategy=key, cutter=cutter, boundary=limit, settings=kind.settings.model_validate(settings)
    )


def _wall_share(look: MeshSummary) -> float:
    """How much of the surface stands steep, as the file has it."""
    up = look.samples[:, 5]
    seen = up > 0.02
    return float(np.mean(up[seen] < np.cos(np.radians(_STEEP)))) if seen.any() else 0.0


def _is_thin(terrain: Terrain, roughing: Operation) -> bool:
    """Whether roughing finds no room at its first level already, and so at none: little stands over a relief that
    nowhere comes down to its foot. There the finishing cutter takes all."""
    whole = terrain.top - terrain.foot - _LEAVE
    stepdown = float(getattr(roughing.settings, "stepdown", inf))
    first = whole / max(ceil(whole / stepdown), 1)
    return first > roughing_depth(terrain, roughing.cutter) - _LEAVE + _COARSE


def proposed_sheet(plan: Plan, setup: Setup, look: MeshSummary, cutters: Sequence[Cutter]) -> tuple[Operation, ...]:
    """Rough, rough again, finish and cut-out for the first model of a plan, in a setup.

    Cutters follow the model's size (about a twenty-fifth of its longest side for roughing, an eightieth for finishing),
    what the shop has, and how much of the surface is steep; a thin relief needs no second roughing, one that lies on
    the underside cannot be cut out."""
    box = placed_model(look.support, plan.models[0], plan.stock)
    longest, height = float(box.size[:2].max()), float(box.size[2])
    rough = nearest_cutter(cutters, "flat", min(max(longest / 25, 3.0), 12.0))
    fine = nearest_cutter(cutters, "ball", min(max(longest / 80, 1.0), 6.0))
    middle = nearest_cutter(cutters, "ball", (rough.diameter + fine.diameter) / 2)
    roughing = proposed_operation(plan, cutters, "rough_offset", 10, rough, leave=_LEAVE)
    terrain = terrain_of(plan, setup, [(plan.models[0], box, look)])
    thin = terrain is not None and _is_thin(terrain, roughing)
    found = [] if thin else [roughing]
    if not thin and height > rough.diameter and fine.diameter < middle.diameter < rough.diameter:
        found.append(
            proposed_operation(
                plan,
                cutters,
                "rough_offset",
                20,
                middle,
                leave=0.3,
                stepdown=round(middle.diameter / 3, 2),
                stepover=round(middle.diameter * 0.3, 2),
            )
        )
    finishing = proposed_operation(plan, cutters, "finish_raster", 30, fine)
    if _wall_share(look) > _WALL:
        # Waterlines after a raster over all of it would go through air nearly all the time.
        finishing = proposed_operation(
            plan, cutters, "finish_steep_shallow", 30, fine, stepdown=round(fine.diameter * 0.1, 2)
        )
    if thin and terrain is not None and terrain.top - float(terrain.heights[terrain.covered].min()) > fine.diameter / 2:
        layered = finishing.settings.model_copy(update={"layer": round(fine.diameter / 2, 2)})
        finishing = finishing.model_copy(update={"settings": layered})
    found.append(finishing)
    if float(box.low[2]) > 0.5:
        flats = [cutter for cutter in cutters if cutter.shape == "flat"]
        longest_flutes = max((cutter.flute_length for cutter in flats), default=0.0)
        enough = min(plan.stock.thickness - 5, longest_flutes)
        through = nearest_cutter([cutter for cutter in flats if cutter.flute_length >= enough] or cutters, "flat", 6.0)
        found.append(proposed_operation(plan, cutters, "cut_out", 50, through))
    found = _within_reach(terrain, found, cutters)
    return tuple(operation.model_copy(update={"number": 10 * (k + 1)}) for k, operation in enumerate(found))


def one_cutter_a_number(operations: Sequence[Operation]) -> list[Operation]:
    """The operations with the same cutter wherever they use the same cutter number: the one with the longest stickout."""
    farthest: dict[int, Cutter] = {}
    for operation in operations:
        before = farthest.get(operation.cutter.number)
        if before is None or operation.cutter.reach > before.reach:
            farthest[operation.cutter.number] = operation.cutter
    return [item.model_copy(update={"cutter": farthest[item.cutter.number]}) for item in operations]


def with_stepdown_share(operation: Operation, share: float) -> Operation:
    """The operation with its stepdown multiplied by `share`; unchanged if it has no stepdown or `share` is 1."""
    stepdown = getattr(operation.settings, "stepdown", None)
    if stepdown is None or share == 1.0:
        return operation
    settings = operation.settings.model_copy(update={"stepdown": round(stepdown * share, 2)})
    return operation.model_copy(update={"settings": settings})


def without_repeats(operations: Sequence[Operation]) -> list[Operation]:
    """The operations without a second roughing that follows one by a cutter no larger, and goes no deeper: it would find
    nothing. It comes about where the only cutters long enough are large ones."""
    found: list[Operation] = []
    for operation in operations:
        before = found[-1] if found else None
        if (
            before is None
            or not (before.strategy == operation.strategy == "rough_offset")
            or before.cutter.diameter > operation.cutter.diameter
            or (before.cut_to or inf) < (operation.cut_to or inf)
        ):
            found.append(operation)
    return found


def second_rougher(rough: Cutter, fine: Cutter, cutters: Sequence[Cutter]) -> Cutter | None:
    """The cutter for a second roughing; none if the first roughing cutter is small enough for finishing."""
    if rough.diameter < _TWICE * fine.diameter:
        return None
    second = nearest_cutter(cutters, "flat", (rough.diameter * fine.diameter) ** 0.5)
    return second if second.diameter < 0.8 * rough.diameter else None


def _within_reach(terrain: Terrain | None, operations: list[Operation], cutters: Sequence[Cutter]) -> list[Operation]:
    """The operations with cutters and depths at which neither shank nor holder meets anything; those that cannot be
    done are left out.

    None goes deeper than the one before it has cleared. A finisher that finds more material than its flutes are long
    goes in layers."""
    if terrain is None:
        return operations
    found: list[Operation] = []
    depth: float | None = None
    for operation in operations:
        cut_out = operation.strategy == "cut_out"
        limited = operation if depth is None or cut_out else operation.model_copy(update={"cut_to": depth})
        done = fitted(terrain, limited, cutters)
        if done is None:
            continue
        if not cut_out:
            depth = done.cut_to
        found.append(in_flute_layers(terrain, done, roughed=bool(found)))
    return one_cutter_a_number(found)
