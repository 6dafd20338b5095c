"""The way of making on a bar that rotates."""

from dataclasses import dataclass

from nephos.core.plan.bar_place import along_axis
from nephos.core.plan.place import placed_model
from nephos.core.plan.stock import Stock
from nephos.core.proposals.rotary import MACHINE, POST, proposed_rotary
from nephos.core.proposals.way import Job, NewMesh, Proposal, in_usual_size, new_model, new_plan


@dataclass(frozen=True)
class OnBar:
    """One rotary setup."""

    title: str = "Rotary"

    def for_job(self, job: Job) -> Proposal:
        """One rotary setup in the place of those of the job, in a bar round the model."""
        return Proposal(proposed_rotary(job.plan, job.shown, job.cutters, sized=False))

    def for_mesh(self, new: NewMesh) -> Proposal:
        """One rotary setup, in the bar that was asked for or one round the model."""
        wish, probe = new.wish, Stock(kind="round", length=1000, width=200, thickness=200)
        # Sizes along X are those of the model as it lies in the bar.
        model = in_usual_size(new, along_axis(new_model(new), new.look), probe)
        plan = new_plan(new, model, probe).model_copy(update={"post": wish.post or POST, "machine": MACHINE})
        shown = [(model, placed_model(new.look.support, model, probe), new.look)]
        return Proposal(proposed_rotary(plan, shown, new.cutters, wish.bar, wish.core, bool(wish.size_x)))
