"""Ways of making from one face: whole, or in tiles on a machine that is shorter than the board."""

from dataclasses import dataclass

import numpy as np

from nephos.core.errors import Refused
from nephos.core.machine.machine import machine_of
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.proposals.one_face import proposed_sheet
from nephos.core.proposals.way import UNKNOWN, Job, NewMesh, Proposal, in_usual_size, new_model, new_plan

_AROUND = 12.0
"""Stock (mm) round a model that is cut from one face, where none is given."""
_UNDER = 6.0
"""Height (mm) of the stock more than that of the model, where none is given."""


@dataclass(frozen=True)
class OneFace:
    """The top face alone."""

    title: str = "One face"

    def for_job(self, job: Job) -> Proposal:
        """One setup from the top."""
        setup = FaceSetup(id="a", name="Setup A · top face")
        bare = job.plan.model_copy(update={"setups": (setup,), "faces": None})
        operations = proposed_sheet(bare, setup, job.shown[0][2], job.cutters)
        return Proposal(bare.model_copy(update={"setups": (setup.with_operations(operations),)}))

    def for_mesh(self, new: NewMesh) -> Proposal:
        """One setup from the top, in the stock that was asked for or one round the model."""
        model, wish = new_model(new), new.wish
        probe = Stock(length=100, width=100, thickness=100)
        if wish.stock is None:
            model = in_usual_size(new, model, probe)
            size = placed_model(new.look.support, model, probe).size
        x, y, z = wish.stock or (size + np.array([2 * _AROUND, 2 * _AROUND, _UNDER])).tolist()
        setup = FaceSetup(id="top", name="Setup A, top face")
        plan = new_plan(new, model, Stock(length=x, width=y, thickness=z)).model_copy(update={"setups": (setup,)})
        if not wish.size_x and not _fits(plan, new.look, wish.gap_above + 3.0):
            fit = {"do": "fit_model", "model": "m1", "margin": 8.0, "above": wish.gap_above, "below": 3.0}
            plan = apply_edit(plan, lambda _: new.look, fit)
        operations = proposed_sheet(plan, setup, new.look, new.cutters)
        return Proposal(plan.model_copy(update={"setups": (setup.with_operations(operations),)}))


@dataclass(frozen=True)
class InTiles:
    """The top face, in tiles along each axis on which the stock is longer than the machine."""

    title: str = "Tiles"

    def for_job(self, job: Job) -> Proposal:
        """Not proposed: a setup that is there is cut in tiles."""
        raise Refused("cut a setup in tiles instead: its operations stay as they are")

    def for_mesh(self, new: NewMesh) -> Proposal:
        """The proposal for one face, cut in tiles; along X where the machine is longer than the stock on both axes."""
        plan, bed = OneFace().for_mesh(new).plan, new.wish.bed
        machine = machine_of(plan.machine)
        if bed is not None:
            axes = tuple(
                axis.model_copy(update={"travel": bed[k]}) if k < 2 else axis for k, axis in enumerate(machine.axes)
            )
            machine = machine.model_copy(update={"axes": axes, "bed": None})
            plan = plan.model_copy(update={"machine": machine})
        longer = [axis for k, axis in enumerate(("x", "y")) if plan.stock.size[k] > machine.travel[k]]
        cut = {"do": "cut_in_tiles", "setup": "top"}
        for axis in longer:
            plan = apply_edit(plan, lambda _: new.look, cut | {"axis": axis})
        return Proposal(plan if longer else apply_edit(plan, lambda _: new.look, cut | {"count": 2}))


def _fits(plan: Plan, look: MeshSummary, over: float) -> bool:
    """Whether the model is no larger than the stock, with `over` mm above and below it."""
    size = placed_model(look.support, plan.models[0], plan.stock).size
    room = np.array(plan.stock.size) - [0.0, 0.0, over]
    return bool((size <= room + 1e-9).all() and size.max() >= UNKNOWN)
