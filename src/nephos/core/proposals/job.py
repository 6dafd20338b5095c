"""Proposals for a job that is there: setups and operations for each kind of job."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.findings.terrain import Shown
from nephos.core.pipeline.work import Meshes, Work
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan, Setup, parse_plan
from nephos.core.proposals.faces import Kind, proposed_faces, stock_for
from nephos.core.proposals.needed_sides import needs_front_and_back
from nephos.core.proposals.one_face import proposed_sheet
from nephos.core.proposals.rotary import proposed_rotary

FEW_CUTS = "front and back have too little to cut of their own: two faces are proposed"


@dataclass(frozen=True)
class Proposal:
    """A proposed plan, and notes for the user."""

    plan: Plan
    notes: tuple[str, ...] = ()


JOB_KINDS: dict[str, str] = {
    "one-face": "One face",
    "two-faces": "Two faces",
    "four-faces": "Four faces",
    "rotary": "Rotary",
}
"""Kinds of job that can be proposed, by key."""


def _with_room(plan: Plan, kind: Kind, shown: Sequence[Shown], cutters: Sequence[Cutter]) -> Plan:
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
    need = stock_for(size, kind, cutters, plan)
    stock = plan.stock.model_copy(
        update={
            name: max(now, more)
            for name, now, more in zip(("length", "width", "thickness"), plan.stock.size, need, strict=True)
        }
    )
    return plan.model_copy(update={"models": models, "stock": stock, "faces": None})


def proposed_job(
    plan: Plan, kind: str, meshes: Meshes, shown: Sequence[Shown], cutters: Sequence[Cutter], work: Work
) -> Proposal:
    """Setups and operations for a kind of job, in place of those that the plan has. A part whose front and back have too
    little to cut gets two faces where four are asked for, with a note.

    Raises
    ------
    Refused
        For a kind that is unknown, or cannot be done with this stock.
    """
    if kind not in JOB_KINDS:
        raise Refused(f"there is no kind of job '{kind}': use one of {', '.join(JOB_KINDS)}")
    if kind == "rotary":
        return Proposal(proposed_rotary(plan, shown, cutters, sized=False))
    if kind == "one-face":
        setup = Setup(id="a", name="Setup A · top face")
        bare = plan.model_copy(update={"setups": (setup,), "faces": None})
        operations = proposed_sheet(bare, setup, shown[0][2], cutters)
        return Proposal(bare.model_copy(update={"setups": (setup.model_copy(update={"operations": operations}),)}))
    few = kind == "four-faces" and not needs_front_and_back(plan, shown)
    chosen: Kind = "two-faces" if kind == "two-faces" or few else "four-faces"
    # As the plan will be read from the database, so that results kept now have the same keys then.
    roomy = parse_plan(_with_room(plan, chosen, shown, cutters).model_dump(mode="json"))
    placed = [
        (model, placed_model(look.support, model, roomy.stock), look)
        for model, (_, _, look) in zip([item for item in roomy.models if item.shown], shown, strict=True)
    ]
    return Proposal(proposed_faces(roomy, chosen, meshes, placed, cutters, work), (FEW_CUTS,) if few else ())
