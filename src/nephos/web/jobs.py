"""Jobs and their revisions: write, undo, redo, copy, and what can be said of a plan at once."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Max

from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.plan.edits import EditValue, apply_edit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.plan.versions import RENAMED_STRATEGIES
from nephos.core.proposals.one_face import proposed_sheet
from nephos.core.proposals.operations import proposed_operation
from nephos.web.models import Calculation, Job, Mesh, Revision
from nephos.web.models import Cutter as CutterRow
from nephos.web.summaries import known, mesh_summary_for, work_out_missing


class Stale(Exception):
    """A write was based on a version that is no longer the newest."""


def current_plan(job: Job) -> dict[str, Any]:
    """The plan document that the job stands at."""
    return Revision.objects.get(job=job, number=job.revision).plan


def _moved(job_id: int, based_on: int, move: Callable[[Job], None]) -> Job:
    """Change where a job stands, if it still stands where the writer saw it."""
    with transaction.atomic():
        job = Job.objects.select_for_update().get(pk=job_id)
        if job.version != based_on:
            raise Stale
        move(job)
        job.version += 1
        job.save()
    return job


def write_plan(job_id: int, based_on: int, document: object, note: str) -> Job:
    """Add a revision. Refused where it is no plan; :class:`Stale` where somebody else was quicker."""
    plan = parse_plan(document)
    known(plan.models)

    def add(job: Job) -> None:
        number = (Revision.objects.filter(job=job).aggregate(Max("number"))["number__max"] or 0) + 1
        Revision.objects.create(
            job=job, number=number, parent=job.revision, plan=plan.model_dump(mode="json"), note=note[:200]
        )
        job.revision, job.redo = number, []
        work_out_missing(plan)

    return _moved(job_id, based_on, add)


def edit_plan(job_id: int, based_on: int, edit: EditValue | Mapping[str, Any], note: str) -> Job:
    """Add a revision that an edit makes of the plan as it stands."""
    plan = parse_plan(current_plan(Job.objects.get(pk=job_id)))
    return write_plan(job_id, based_on, apply_edit(plan, mesh_summary_for, edit).model_dump(mode="json"), note)


def step_back(job_id: int, based_on: int) -> Job:
    """Undo: stand at the revision before. Nothing is thrown away."""

    def back(job: Job) -> None:
        parent = Revision.objects.get(job=job, number=job.revision).parent
        if parent is None:
            raise Refused("there is nothing to undo")
        job.redo, job.revision = [*job.redo, job.revision], parent

    return _moved(job_id, based_on, back)


def step_forward(job_id: int, based_on: int) -> Job:
    """Redo what was undone last."""

    def forward(job: Job) -> None:
        if not job.redo:
            raise Refused("there is nothing to do again")
        job.redo, job.revision = job.redo[:-1], job.redo[-1]

    return _moved(job_id, based_on, forward)


def _first_plan(mesh: Mesh | None) -> Plan:
    """A sensible start: stock a little larger than the model, roughing and finishing with usual cutters."""
    if mesh is None:
        return Plan(
            stock=Stock(length=260, width=190, thickness=28), setups=(FaceSetup(id="a", name="Setup A · top face"),)
        )
    unit = float(mesh.facts["unit"]["mm"])
    length, width, height = (np.asarray(mesh.facts["size"]) * unit).tolist()
    stock = Stock(length=_up(length + 24), width=_up(width + 24), thickness=max(_up(height + 7, 1), 10))
    placement = Placement(unit=unit)
    model = Model(id="m1", name=mesh.name.rsplit(".", 1)[0], mesh=mesh.digest, placement=placement)
    setup = FaceSetup(id="a", name="Setup A · top face")
    plan = Plan(stock=stock, models=(model,), setups=(setup,))
    operations = proposed_sheet(plan, setup, mesh_summary_for(model), shop_cutters())
    return plan.model_copy(update={"setups": (setup.model_copy(update={"operations": operations}),)})


def _up(value: float, step: float = 10) -> float:
    return min(float(np.ceil(value / step) * step), 10_000.0)


def shop_cutters() -> list[Cutter]:
    """The shop's cutters by number."""
    return [Cutter.model_validate(row.data) for row in CutterRow.objects.order_by("number")]


def cutters_for(plan: Plan) -> list[Cutter]:
    """Cutters by number: those of the plan as it has them, then those of the shop that it does not use."""
    used = {
        step.cutter.number: step.cutter
        for setup in plan.setups
        for operation in setup.operations
        for step in operation.steps
    }
    return list(({cutter.number: cutter for cutter in shop_cutters()} | used).values())


def new_operation(plan: Plan, key: str) -> Operation:
    """An operation with proposed settings and the next free number."""
    key = RENAMED_STRATEGIES.get(key, key)
    numbers = [step.number for setup in plan.setups for operation in setup.operations for step in operation.steps]
    return proposed_operation(plan, shop_cutters(), key, (max(numbers, default=0) // 10 + 1) * 10)


def create_job(name: str, mesh: Mesh | None, plan: Plan | None = None) -> Job:
    """A new job at its first revision."""
    with transaction.atomic():
        job = Job.objects.create(name=name)
        first = plan or _first_plan(mesh)
        Revision.objects.create(job=job, number=1, plan=first.model_dump(mode="json"), note="new")
        work_out_missing(first)
    return job


def copy_job(job: Job, name: str) -> Job:
    """A new job that begins where `job` stands."""
    copy = create_job(name, None, parse_plan(current_plan(job)))
    Job.objects.filter(pk=copy.pk).update(picture=job.picture)
    return copy


def latest_calculation(job: Job) -> Calculation | None:
    """The calculation that was asked for last."""
    return Calculation.objects.filter(job=job).order_by("-id").first()
