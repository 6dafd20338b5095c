"""Proposals for parts that are cut from several faces: setups, parting, overruns, border, tabs and operations.

They need the mesh itself, not a summary of it: where its outline runs, and how thick it is there."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil
from typing import Literal

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.findings.faces import tabs_hold
from nephos.core.findings.reach import GRIP
from nephos.core.findings.terrain import Shown, terrain_of
from nephos.core.machine.machine import machine_of
from nephos.core.plan.boundary import Limit
from nephos.core.plan.force import cutting_push, frame_width
from nephos.core.plan.joined_faces import Faces, Registration
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import Placed
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.setup import Setup
from nephos.core.proposals.coarse_cuts import coarse_removed
from nephos.core.proposals.fitting import fitted, in_flute_layers
from nephos.core.proposals.operations import (
    nearest_cutter,
    one_cutter_a_number,
    proposed_operation,
    second_rougher,
    with_stepdown_share,
    without_repeats,
)
from nephos.core.proposals.tabs import HOLD, proposed_tabs
from nephos.core.stages.models import ModelsStage
from nephos.core.stages.overrun import RimStage, smallest_overrun
from nephos.core.stages.prepared import prepared_mesh
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.space import setup_space
from nephos.core.stages.work import Meshes, Work

FRAME = 8.0
"""Width (mm) of the frame that stays round the border at least."""
_CLEAR = 1.2
"""The border is so many diameters of the largest cutter wide: it goes down with room to spare."""
_SPARE = 0.2
"""A proposed overrun is so much (mm) more than the smallest one."""
_ROUGH = 1 / 10
"""Diameter of the first roughing cutter as a share of the part's longer side."""
_LEAST_STEP = 0.2
"""For tabs that hold little, stepdowns are made smaller down to this share of the usual."""
_TRAVEL_LEFT = 2.0
"""So much (mm) of the machine's travel along Z is left unused."""
_FINISHER_GROWS = 2.5
"""Largest diameter of a finishing cutter for all faces, as a multiple of the usual one for the part."""
_SMALL_ENOUGH = 3.0
"""Diameter (mm) up to which a finishing cutter is fine enough for any part."""
_MEET = 50.0
"""Degrees about X up to which each of four faces is finished: half of a quarter turn, and a little more."""


@dataclass(frozen=True)
class _Side:
    id: str
    name: str
    side: Literal["top", "bottom", "front", "back"]


@dataclass(frozen=True)
class Sides:
    """Sides that a part is cut from. `flat` : top and underside, with border and frame all round on the plan; else the
    sides go round X, and border and frame are at the ends along X."""

    sides: tuple[_Side, ...]
    flat: bool


TWO_FACES = Sides((_Side("a", "Setup A · top face", "top"), _Side("b", "Setup B · underside", "bottom")), flat=True)
FOUR_FACES = Sides(
    (
        _Side("a", "Setup A · top face", "top"),
        _Side("b", "Setup B · front face", "front"),
        _Side("c", "Setup C · underside", "bottom"),
        _Side("d", "Setup D · back face", "back"),
    ),
    flat=False,
)


def _up(value: float, step: float = 0.1) -> float:
    return round(ceil(value / step - 1e-9) * step, 6)


def _usual_finisher(longest: float) -> float:
    """Diameter (mm) of the usual finishing ball for a part that is so long (mm)."""
    return min(max(longest / 60, 1.0), 6.0)


def _cutters(longest: float, height: float, cutters: Sequence[Cutter], room: float) -> tuple[Cutter, Cutter]:
    """A flat cutter for roughing, no thicker than the border's `room` allows, and a ball for finishing.

    The removal rate grows with the square of the diameter, but so does the material left in corners. A tenth of the
    longer side still fits between the limbs of a figure."""
    limit = max(room / _CLEAR, 1.0)
    flats = [cutter for cutter in cutters if cutter.shape == "flat" and cutter.diameter <= limit]
    rough = nearest_cutter(flats or cutters, "flat", min(max(longest * _ROUGH, 3.0), 12.0, limit))
    fine = nearest_cutter(cutters, "ball", min(_usual_finisher(longest), max(height / 2, 1.0), limit))
    return rough, fine


def _operations(
    plan: Plan, roughs: Sequence[Cutter], fine: Cutter, first: int, sides: Sides, border: float
) -> tuple[Operation, ...]:
    facing = {"facing": _MEET} if not sides.flat else {}
    # Lines along a rim end up to a stepover beside it; the trip round the outline takes what they leave there.
    last = first + 10 * len(roughs)
    finishing = proposed_operation(plan, (fine,), "finish_raster", last, fine, outline="on", **facing)
    # Waste between the limbs of a figure would block the later sides.
    cleared = Limit(boundary="border", contain="inside")
    if not sides.flat:
        cleared = Limit(boundary="box", contain="inside", offset=border)
    roughings = [
        proposed_operation(plan, (cutter,), "rough_offset", first + 10 * k, cutter, leave=0.4).model_copy(
            update={"boundary": cleared}
        )
        for k, cutter in enumerate(roughs)
    ]
    return (
        *roughings,
        finishing.model_copy(update={"boundary": Limit(boundary="silhouette", contain="outside")}),
    )


def _within_reach(plan: Plan, setup: Setup, shown: Sequence[Shown], cutters: Sequence[Cutter]) -> Setup:
    """A setup with cutters at which neither shank nor holder meets anything, where the shop has them."""
    terrain = terrain_of(plan, setup, shown)
    if terrain is None:
        return setup
    # A cutter that is too thick for the border does not get down beside the part.
    border = plan.faces.border if plan.faces is not None else np.inf
    cutters = [cutter for cutter in cutters if cutter.diameter <= border]
    travel = machine_of(plan.machine).travel[2] - setup.clearance - _TRAVEL_LEFT
    found = []
    for operation in setup.operations:
        done = fitted(terrain, operation, cutters) or operation
        deepest = min(done.cutter.overall_length - GRIP, travel)
        if terrain.top - terrain.foot > deepest and (done.cut_to is None or done.cut_to > deepest):
            done = done.model_copy(update={"cut_to": float(np.floor(deepest * 10) / 10)})
        found.append(in_flute_layers(terrain, done, roughed=True))
    return setup.model_copy(update={"operations": tuple(without_repeats(found))})


def _one_finisher(setups: tuple[Setup, ...], usual: float) -> tuple[Setup, ...]:
    """The setups with the same finishing cutter where possible: a surface that two sides share shows no change of
    scallop, and there is one cutter fewer to change.

    It is the largest that any side needs, up to `_FINISHER_GROWS` times the `usual` diameter (mm) for this part. A side
    that needs a larger one to get down keeps that for itself: elsewhere it would leave the details uncut."""
    allowed = [
        setup.operations[-1]
        for setup in setups
        if setup.operations[-1].cutter.diameter <= max(_FINISHER_GROWS * usual, _SMALL_ENOUGH)
    ]
    if not allowed:
        return setups
    largest = max(allowed, key=lambda operation: operation.cutter.diameter)
    found = []
    for setup in setups:
        *roughs, finish = setup.operations
        if finish.cutter.diameter < largest.cutter.diameter:
            settings = finish.settings.model_copy(update=largest.settings.model_dump(include={"stepover", "layer"}))
            finish = finish.model_copy(update={"cutter": largest.cutter, "settings": settings, "cut_to": None})
        found.append(setup.model_copy(update={"operations": (*roughs, finish)}))
    return tuple(found)


def _one_cutter_a_number(setups: tuple[Setup, ...]) -> tuple[Setup, ...]:
    """The setups with the same cutter under the same number everywhere, and their operations numbered 10, 20, …"""
    same = one_cutter_a_number([operation for setup in setups for operation in setup.operations])
    numbered = (item.model_copy(update={"number": 10 * (k + 1)}) for k, item in enumerate(same))
    return tuple(
        setup.model_copy(update={"operations": tuple(next(numbered) for _ in setup.operations)}) for setup in setups
    )


def _middle_of_rim(space: SetupSpace, work: Work, other: SetupSpace) -> float:
    """Height, in the frame of a setup, half-way between the lowest places that it and its opposite have to reach."""
    mine, theirs = (work.of(RimStage(ModelsStage.of(one.plan, one.setup), 0.0)).tip for one in (space, other))
    return (mine + float(space.stock_high[2]) - theirs) / 2


_OPEN = 0.2
"""A mesh whose openings are larger than this share of its box's side is an open sheet, no solid with a few holes."""


def _refuse_open(shown: Sequence[Shown], work: Work) -> None:
    """Refuse meshes without an underside, such as scans from above: from behind they would be milled hollow.

    The area vectors of a closed surface add up to nothing (Gauss); of an open sheet they add up to its opening."""
    for model, _, _ in shown:
        mesh = prepared_mesh(model, work)
        corners = mesh.vertices[mesh.faces]
        opening = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]).sum(axis=0) / 2
        size = mesh.high - mesh.low
        faces = np.array([size[1] * size[2], size[0] * size[2], size[0] * size[1]])
        if (np.abs(opening) > _OPEN * np.maximum(faces, 1e-9)).any():
            raise Refused(
                f"'{model.name}' is open on one side, as scans are: cut from several faces it would be milled hollow "
                "from behind. Give it an underside (repair: Flat back) or a wall (repair: Hollow the back), or cut "
                "it from one face"
            )


def proposed_faces(
    plan: Plan, sides: Sides, meshes: Meshes, shown: Sequence[Shown], cutters: Sequence[Cutter], work: Work
) -> Plan:
    """The plan with setups for several faces, and all that they share.

    Raises
    ------
    Refused
        Where the stock leaves no border and no frame round the part; with the size that would.
    """
    if plan.stock.is_round:
        raise Refused("a part of several faces is cut from a board: take a box as stock")
    work.meshes = meshes
    _refuse_open(shown, work)
    boxes = [placed for _, placed, _ in shown]
    low, high = np.min([box.low for box in boxes], axis=0), np.max([box.high for box in boxes], axis=0)
    size = np.array(plan.stock.size)
    around = float(np.minimum(low, size - high)[:2].min()) if sides.flat else float(min(low[0], size[0] - high[0]))
    frame = min(FRAME, around / 3)
    longest = float((high - low)[:2].max())
    rough, fine = _cutters(longest, float((high - low)[2]), cutters, around - frame)
    if sides.flat:
        # A long part needs a wide frame; the border comes first.
        wide = _CLEAR * max(rough.diameter, fine.diameter) + 1.0
        frame = max(frame, min(_frame(plan, rough, longest + 2 * wide, float(size[2])), around - wide))
    border = round(min(_CLEAR * max(rough.diameter, fine.diameter) + 1.0, around - frame), 1)
    if border < max(rough.diameter, fine.diameter):
        need = (high - low)[:2] + 2 * (_CLEAR * max(rough.diameter, fine.diameter) + FRAME)
        raise Refused(
            f"there are {max(around, 0):.1f} mm of stock round the part, too little for a border for the cutters and a "
            f"frame: take stock of {need[0]:.0f} x {need[1]:.0f} mm or more, or a smaller part"
        )
    second = second_rougher(rough, fine, cutters)
    roughs = [rough] if second is None else [rough, second]
    setups = tuple(
        FaceSetup(id=side.id, name=side.name, side=side.side, overrun=max(fine.radius, 0.5), operations=())
        for side in sides.sides
    )
    setups = tuple(
        setup.model_copy(
            update={"operations": _operations(plan, roughs, fine, 10 + 10 * k * (len(roughs) + 1), sides, border)}
        )
        for k, setup in enumerate(setups)
    )
    bare = plan.model_copy(update={"setups": setups, "faces": None})
    spaces: dict[str, SetupSpace] = {setup.side: setup_space(bare, setup, work) for setup in setups}
    parting = _middle_of_rim(spaces["top"], work, spaces["bottom"])
    parting_y = None
    if not sides.flat:
        # From the front, heights count from the back of the stock.
        parting_y = round(float(size[1]) - _middle_of_rim(spaces["front"], work, spaces["back"]), 2)
    tabs = proposed_tabs(bare, work, (spaces["top"], spaces["bottom"]), not sides.flat, border, boxes)
    if not tabs:
        raise Refused(
            "the part has no thickness along its outline for tabs to hold it: an open mesh has a front only; fill its "
            "underside or hollow its back first (Mesh and repair)"
        )
    faces = Faces(
        parting=round(parting, 2),
        parting_y=parting_y,
        border=border,
        tabs=tabs,
        registration=Registration(inset=max(round(frame / 2, 1), 1.0)),
    )
    whole = bare.model_copy(update={"faces": faces})
    usual = _usual_finisher(longest)
    # The overrun follows from the finishing cutter, and which cutter reaches down there from the overrun.
    for _ in range(2):
        whole = _with_overruns(whole, spaces, work)
        fit = tuple(_within_reach(whole, setup, shown, cutters) for setup in whole.setups)
        fit = tuple(_within_reach(whole, setup, shown, cutters) for setup in _one_finisher(fit, usual))
        whole = whole.model_copy(update={"setups": _one_cutter_a_number(fit)})
    whole = _without_idle(_with_overruns(whole, spaces, work), shown)
    return Plan.model_validate(_as_tabs_hold(whole, boxes).model_dump())


def _without_idle(plan: Plan, shown: Sequence[Shown]) -> Plan:
    """The plan without the first roughing of a later side where the sides before it leave nothing for that, such as on
    the last of four. A finisher that follows no roughing goes in layers."""
    volumes = coarse_removed(plan, shown)
    first, *later = plan.setups
    setups = [first]
    for setup in later:
        operations = setup.operations
        if volumes.get(operations[0].number) == 0.0:
            operations = operations[1:]
        terrain = terrain_of(plan, setup, shown)
        if len(operations) == 1 and terrain is not None:
            operations = (in_flute_layers(terrain, operations[0], roughed=False),)
        setups.append(setup.model_copy(update={"operations": operations}))
    return plan.model_copy(update={"setups": _one_cutter_a_number(tuple(setups))})


def _as_tabs_hold(plan: Plan, boxes: Sequence[Placed]) -> Plan:
    """The plan with smaller stepdowns once the part hangs in its tabs, where these do not hold the push of the cutters:
    a thin part has no room for stronger ones."""
    if plan.faces is None:
        return plan
    allowed = tabs_hold(plan, plan.faces, boxes) / HOLD

    def gentler(operation: Operation) -> Operation:
        share = allowed / max(cutting_push(plan, operation), 1e-9)
        return with_stepdown_share(operation, min(max(share, _LEAST_STEP), 1.0))

    first, *later = plan.setups
    held = (setup.model_copy(update={"operations": tuple(map(gentler, setup.operations))}) for setup in later)
    return plan.model_copy(update={"setups": (first, *held)})


def _with_overruns(plan: Plan, spaces: dict[str, SetupSpace], work: Work) -> Plan:
    """The plan with the smallest overruns, and a little more."""
    found, by_id = [], {space.setup.id: space for space in spaces.values()}
    for setup in plan.setups:
        space = SetupSpace(**{**vars(by_id[setup.id]), "setup": setup})
        need, _ = smallest_overrun(SetupSpace(**{**vars(space), "plan": plan}), work)
        found.append(setup.model_copy(update={"overrun": _up(need + _SPARE)}))
    return plan.model_copy(update={"setups": tuple(found)})


def _frame(plan: Plan, rough: Cutter, longest: float, height: float) -> float:
    """Width (mm) of a frame round a part and its border, `longest` mm long: wide enough not to bend."""
    push = cutting_push(plan, proposed_operation(plan, (rough,), "rough_offset", 10, rough))
    return max(FRAME, ceil(frame_width(plan.stock.material, push, longest, height)))


def stock_for(size: F64, sides: Sides, cutters: Sequence[Cutter], plan: Plan) -> tuple[float, float, float]:
    """Stock (x, y, z in mm) that a part of `size` (3,) is cut from with a border and a frame all round, of the material
    of a plan's stock."""
    rough, fine = _cutters(float(size[:2].max()), float(size[2]), cutters, 100.0)
    border = _CLEAR * max(rough.diameter, fine.diameter) + 1.0
    frame = _frame(plan, rough, float(size[:2].max()) + 2 * border, float(size[2])) if sides.flat else FRAME
    around = 2 * (border + frame)
    across = around if sides.flat else 6.0
    return (
        _up(float(size[0]) + around, 1.0),
        _up(float(size[1]) + across, 1.0),
        _up(float(size[2]) + (3.0 if sides.flat else 6.0), 1.0),
    )
