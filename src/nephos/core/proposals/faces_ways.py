"""Ways of making from several faces."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nephos.core.cutters import Cutter
from nephos.core.findings.terrain import Shown
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.stock import Stock
from nephos.core.proposals.faces import FOUR_FACES, FRAME, TWO_FACES, Sides, proposed_faces, stock_for
from nephos.core.proposals.needed_sides import needs_front_and_back
from nephos.core.proposals.way import UNKNOWN, Job, NewMesh, Proposal, in_usual_size, new_model, new_plan, sized
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work

_FEW_CUTS = "front and back have too little to cut of their own: two faces are proposed"
_LONGEST_ALONG_X = ((0.0, 0.0, 0.0), (0.0, 0.0, 90.0), (0.0, 90.0, 0.0))
"""Turns that bring the longest of X, Y and Z along X."""


@dataclass(frozen=True)
class TwoFaces:
    """Top and underside."""

    title: str = "Two faces"

    def for_job(self, job: Job) -> Proposal:
        """Two setups, with a border and a frame round the part."""
        return Proposal(_for_job(job, TWO_FACES))

    def for_mesh(self, new: NewMesh) -> Proposal:
        """Two setups, in the stock that was asked for or one with a border and a frame."""
        return Proposal(_for_mesh(new, TWO_FACES))


@dataclass(frozen=True)
class FourFaces:
    """Top, front, underside and back; top and underside where front and back have too little to cut."""

    title: str = "Four faces"

    def for_job(self, job: Job) -> Proposal:
        """Four setups, or two with a note."""
        if needs_front_and_back(job.plan, job.shown):
            return Proposal(_for_job(job, FOUR_FACES))
        return Proposal(_for_job(job, TWO_FACES), (_FEW_CUTS,))

    def for_mesh(self, new: NewMesh) -> Proposal:
        """Four setups with the longest side along X; two with a note where no stock was asked for."""
        turn = _LONGEST_ALONG_X[int(np.argmax(new.mesh.high - new.mesh.low))]
        if new.wish.stock is None:
            probe = Stock(length=100, width=100, thickness=100)
            model = new_model(new, turn)
            bare = Plan(stock=probe, models=(model,))
            if not needs_front_and_back(bare, [(model, placed_model(new.look.support, model, probe), new.look)]):
                note = f"{_FEW_CUTS}; give the size of the stock to have four"
                return Proposal(_for_mesh(new, TWO_FACES, turn), (note,))
        return Proposal(_for_mesh(new, FOUR_FACES, turn))


def _with_room(plan: Plan, sides: Sides, shown: Sequence[Shown], cutters: Sequence[Cutter]) -> Plan:
    """The plan with its models in the middle of the stock's height, and the stock grown where it leaves no border and
    frame."""
    models = tuple(
        model.model_copy(
            update={
                "placement": model.placement.model_copy(
                    update={
                        "align": (*model.placement.align[:2], "centre"),
                        "offset": (*model.placement.offset[:2], 0.0),
                    }
                )
            }
        )
        for model in plan.models
    )
    boxes = [placed for _, placed, _ in shown]
    size = np.max([box.high for box in boxes], axis=0) - np.min([box.low for box in boxes], axis=0)
    need = stock_for(size, sides, cutters, plan)
    stock = plan.stock.model_copy(
        update={
            name: max(now, more)
            for name, now, more in zip(("length", "width", "thickness"), plan.stock.size, need, strict=True)
        }
    )
    return plan.model_copy(update={"models": models, "stock": stock, "faces": None})


def _for_job(job: Job, sides: Sides) -> Plan:
    """Setups for the sides, in the job's stock grown where it is too small."""
    # As the plan will be read from the database, so that results kept now have the same keys then.
    roomy = parse_plan(_with_room(job.plan, sides, job.shown, job.cutters).model_dump(mode="json"))
    placed = [
        (model, placed_model(look.support, model, roomy.stock), look)
        for model, (_, _, look) in zip([item for item in roomy.models if item.shown], job.shown, strict=True)
    ]
    return proposed_faces(roomy, sides, job.meshes, placed, job.cutters, job.work)


def _for_mesh(new: NewMesh, sides: Sides, turn: tuple[float, float, float] | None = None) -> Plan:
    """Setups for the sides: the model is centred in the stock, and scaled down where that leaves no border and
    frame."""
    look, cutters, probe = new.look, new.cutters, Stock(length=100, width=100, thickness=100)
    model = new_model(new, turn)
    if new.wish.stock is None:
        model = in_usual_size(new, model, probe)
    own = stock_for(placed_model(look.support, model, probe).size, sides, cutters, Plan(stock=probe))
    x, y, z = new.wish.stock or own
    centred = {"align": ("centre", "centre", "centre"), "offset": (0.0, 0.0, 0.0)}
    model = model.model_copy(update={"placement": model.placement.model_copy(update=centred)})
    plan = new_plan(new, model, Stock(length=x, width=y, thickness=z))
    size, now = np.array(plan.stock.size), placed_model(look.support, model, plan.stock).size
    small = (np.array(stock_for(now, sides, cutters, plan)) > size + 1e-9).any()
    if not new.wish.size_x and (small or now.max() < UNKNOWN):
        margin = min(10.0, float(size[:2].min()) / 8) + FRAME
        room = size - ([2 * margin, 2 * margin, 1.0] if sides.flat else [2 * margin, 4.0, 4.0])
        model = sized(model, float(now[0]) * float((room / now).min()))
        plan = plan.model_copy(update={"models": (model,)})
    shown = [(model, placed_model(look.support, model, plan.stock), look)]
    return proposed_faces(plan, sides, lambda _: new.mesh, shown, cutters, Work(MemoryStore()))
