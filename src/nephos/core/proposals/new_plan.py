"""The plan that is proposed for a mesh alone, as `./nephos cut MODEL --kind …` has it: size, stock, setups, operations."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nephos.core.cutters import Cutter
from nephos.core.machine.machine import machine_of
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import MeshSummary, quick_look
from nephos.core.pipeline.store import MemoryStore
from nephos.core.pipeline.work import Work
from nephos.core.plan.bar_place import along_axis
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Model, Placement, Plan, Setup, Stock
from nephos.core.proposals.faces import FRAME, KINDS, Kind, proposed_faces, stock_for
from nephos.core.proposals.job import FEW_CUTS, Proposal
from nephos.core.proposals.needed_sides import needs_front_and_back
from nephos.core.proposals.one_face import proposed_sheet
from nephos.core.proposals.rotary import MACHINE, POST, proposed_rotary

_AROUND = 12.0
"""Stock (mm) round a model that is cut from one face, where none is given."""
_UNKNOWN = 10.0
"""A model smaller than this (mm) comes in another unit: it is made to fit the stock."""
_USUAL = 150.0
"""Longest side (mm) that a model is given where neither a size nor a stock is given."""


@dataclass(frozen=True)
class Wish:
    """What is asked for; none where it is left to the proposal. Lengths in mm.

    `size_x` : of the model along X. `stock` : x, y, z. `bed` : the machine's travel along X and Y. `bar` : diameter and
    length, `core` : diameter. `turn` : degrees about X, Y and Z. `gap_above` : stock over the model."""

    kind: str
    pitch: float
    tolerance: float
    post: str | None = None
    size_x: float | None = None
    stock: tuple[float, float, float] | None = None
    bed: tuple[float, float] | None = None
    bar: tuple[float, float] | None = None
    core: float | None = None
    turn: tuple[float, float, float] = (0.0, 0.0, 0.0)
    gap_above: float = 0.0


def _turned(mesh: Mesh, turn: tuple[float, float, float], kind: str, look: MeshSummary) -> Placement:
    """The placement of a model: for four faces with its longest axis along X."""
    if kind == "four-faces" and not any(turn):
        longest = int(np.argmax(mesh.high - mesh.low))
        turn = ((0.0, 0.0, 0.0), (0.0, 0.0, 90.0), (0.0, 90.0, 0.0))[longest]
    return Placement(turn=turn, unit=look.unit)


def proposed_plan(wish: Wish, mesh: Mesh, cutters: Sequence[Cutter]) -> Proposal:
    """The plan for a mesh, by the kind of job, the stock and the size that were asked for.

    Raises
    ------
    Refused
        Where that cannot be done with this stock or size.
    """
    kind, look, notes = wish.kind, quick_look(mesh), tuple[str, ...]()
    placement = _turned(mesh, wish.turn, kind, look)
    if wish.size_x:
        placement = placement.model_copy(update={"size": (wish.size_x, None, None)})
    model = Model(id="m1", name="model", mesh="model", placement=placement)
    probe = Stock(length=100, width=100, thickness=100)
    size = placed_model(look.support, model, probe).size
    if kind == "rotary":
        return Proposal(_of_bar(wish, model, look, cutters))
    if kind == "four-faces" and wish.stock is None:
        bare = Plan(stock=probe, models=(model,))
        if not needs_front_and_back(bare, [(model, placed_model(look.support, model, probe), look)]):
            kind, notes = "two-faces", (f"{FEW_CUTS}; give the size of the stock to have four",)
    if wish.stock is None:
        if not wish.size_x and float(size.max()) < _UNKNOWN:
            share = _USUAL / float(size.max())
            model = _sized(model, float(size[0]) * share)
            size = size * share
        x, y, z = (
            stock_for(size, kind, cutters, Plan(stock=probe))
            if kind in KINDS
            else (size + np.array([2 * _AROUND, 2 * _AROUND, 6.0])).tolist()
        )
    else:
        x, y, z = wish.stock
    plan = Plan(
        stock=Stock(length=x, width=y, thickness=z),
        models=(model,),
        pitch=wish.pitch,
        tolerance=wish.tolerance,
        post=wish.post or "rs274-metric",
    )
    if kind in KINDS:
        return Proposal(_of_faces(plan, kind, mesh, look, cutters, bool(wish.size_x)), notes)
    whole = _of_one_face(plan, look, cutters, bool(wish.size_x), wish.gap_above)
    return Proposal(_in_tiles(whole, look, wish.bed) if kind == "tiles" else whole)


def _in_tiles(plan: Plan, look: MeshSummary, bed: tuple[float, float] | None) -> Plan:
    """The plan cut in tiles along each axis on which the stock is longer than the machine; along X where it is on
    none."""
    machine = machine_of(plan.machine)
    if bed is not None:
        axes = tuple(
            axis.model_copy(update={"travel": bed[k]}) if k < 2 else axis for k, axis in enumerate(machine.axes)
        )
        machine = machine.model_copy(update={"axes": axes, "bed": None})
        plan = plan.model_copy(update={"machine": machine})
    longer = [axis for k, axis in enumerate(("x", "y")) if plan.stock.size[k] > machine.travel[k]]
    for axis in longer:
        plan = apply_edit(plan, lambda _: look, {"do": "cut_in_tiles", "setup": "top", "axis": axis})
    return plan if longer else apply_edit(plan, lambda _: look, {"do": "cut_in_tiles", "setup": "top", "count": 2})


def _of_bar(wish: Wish, model: Model, look: MeshSummary, cutters: Sequence[Cutter]) -> Plan:
    """One rotary setup, in the bar that was asked for or one round the model."""
    probe = Stock(kind="round", length=1000, width=200, thickness=200)
    # Sizes along X are those of the model as it lies in the bar.
    model = along_axis(model, look)
    size = placed_model(look.support, model, probe).size
    sized = bool(wish.size_x)
    if not sized and float(size.max()) < _UNKNOWN:
        model = _sized(model, float(size[0]) * _USUAL / float(size.max()))
    plan = Plan(
        stock=probe,
        models=(model,),
        pitch=wish.pitch,
        tolerance=wish.tolerance,
        post=wish.post or POST,
        machine=MACHINE,
    )
    shown = [(model, placed_model(look.support, model, probe), look)]
    return proposed_rotary(plan, shown, cutters, wish.bar, wish.core, sized)


def _sized(model: Model, size_x: float) -> Model:
    return model.model_copy(update={"placement": model.placement.model_copy(update={"size": (size_x, None, None)})})


def _fits(plan: Plan, look: MeshSummary, around: float, over: float) -> bool:
    size = placed_model(look.support, plan.models[0], plan.stock).size
    room = np.array(plan.stock.size) - [2 * around, 2 * around, over]
    return bool((size <= room + 1e-9).all() and size.max() >= _UNKNOWN)


def _of_one_face(plan: Plan, look: MeshSummary, cutters: Sequence[Cutter], sized: bool, above: float) -> Plan:
    setup = Setup(id="top", name="Setup A, top face")
    plan = plan.model_copy(update={"setups": (setup,)})
    if not sized and not _fits(plan, look, 0.0, above + 3.0):
        fit = {"do": "fit_model", "model": "m1", "margin": 8.0, "above": above, "below": 3.0}
        plan = apply_edit(plan, lambda _: look, fit)
    operations = proposed_sheet(plan, setup, look, cutters)
    return plan.model_copy(update={"setups": (setup.model_copy(update={"operations": operations}),)})


def _of_faces(plan: Plan, kind: Kind, mesh: Mesh, look: MeshSummary, cutters: Sequence[Cutter], sized: bool) -> Plan:
    """Centred in the stock, and scaled down where the stock leaves no border and frame."""
    centred = {"align": ("centre", "centre", "centre"), "offset": (0.0, 0.0, 0.0)}
    model = plan.models[0]
    plan = plan.model_copy(
        update={"models": (model.model_copy(update={"placement": model.placement.model_copy(update=centred)}),)}
    )
    size = np.array(plan.stock.size)
    now = placed_model(look.support, plan.models[0], plan.stock).size
    small = (np.array(stock_for(now, kind, cutters, plan)) > size + 1e-9).any()
    if not sized and (small or now.max() < _UNKNOWN):
        margin = min(10.0, float(size[:2].min()) / 8) + FRAME
        room = size - ([2 * margin, 2 * margin, 1.0] if kind == "two-faces" else [2 * margin, 4.0, 4.0])
        share = float((room / now).min())
        plan = plan.model_copy(update={"models": (_sized(plan.models[0], float(now[0]) * share),)})
    shown = [(plan.models[0], placed_model(look.support, plan.models[0], plan.stock), look)]
    work = Work(MemoryStore())
    return proposed_faces(plan, kind, lambda _: mesh, shown, cutters, work)
