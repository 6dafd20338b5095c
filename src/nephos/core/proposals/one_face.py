"""A sensible route sheet for a model that is cut from one face."""

from collections.abc import Sequence
from math import ceil, inf

import numpy as np

from nephos.core.cutters import Cutter
from nephos.core.findings.terrain import Terrain, terrain_of
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.proposals.fitting import fitted, in_flute_layers, roughing_depth
from nephos.core.proposals.operations import nearest_cutter, one_cutter_a_number, proposed_operation

_WALL = 0.08
"""From this share of upright surface on walls are finished by waterlines."""
_STEEP = 55.0
_LEAVE = 0.5
"""What the first roughing leaves (mm)."""
_COARSE = 0.1
"""How far off (mm) the coarse terrain may be."""


def _wall_share(look: MeshSummary) -> float:
    """How much of the surface stands steep, as the file has it."""
    up = look.samples[:, 5]
    seen = up > 0.02
    return float(np.mean(up[seen] < np.cos(np.radians(_STEEP)))) if seen.any() else 0.0


def _is_thin(terrain: Terrain, roughing: Operation) -> bool:
    """Whether the stock above the relief is thinner than one stepdown, so roughing would remove nothing. Then the
    finishing cutter removes all of it."""
    whole = terrain.top - terrain.foot - _LEAVE
    stepdown = float(roughing.settings.figures.stepdown or inf)
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
        cut_out = operation.role == "cut_out"
        limited = operation if depth is None or cut_out else operation.model_copy(update={"cut_to": depth})
        done = fitted(terrain, limited, cutters)
        if done is None:
            continue
        if not cut_out:
            depth = done.cut_to
        found.append(in_flute_layers(terrain, done, roughed=bool(found)))
    return one_cutter_a_number(found)
