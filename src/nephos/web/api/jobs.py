"""Jobs: list, open, change, undo, calculate."""

import json
from typing import Any, Literal

from django.conf import settings
from django.db import transaction
from django.db.models import Q
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.text import slugify
from ninja import Query, Router, Schema
from pydantic import Field

from nephos.core.answers.documents import DerivedAnswer, MeshAnswer
from nephos.core.answers.findings import open_stops
from nephos.core.errors import Refused
from nephos.core.machine.machine import Machine, machine_of
from nephos.core.mesh.formats.registry import formats
from nephos.core.plan.edits import AnyEdit, apply_edit
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.shelf import Fitting, Piece, fitting_pieces
from nephos.core.proposals.ways import WAYS, way
from nephos.core.stages.canonical import key_of
from nephos.web import jobs as service
from nephos.web.api.meshes import body_pieces
from nephos.web.api.results import ResultKey
from nephos.web.deleted import delete
from nephos.web.derived import derived
from nephos.web.drawings import drawing_facts
from nephos.web.health import require_space
from nephos.web.job_list import JobPage, JobsWanted, job_page, job_picture, picture_address
from nephos.web.jobfile import read_job_file, write_job_file
from nephos.web.line import ahead_of
from nephos.web.mesh_keys import EXPORT
from nephos.web.models import Calculation, Job, Mesh, Revision
from nephos.web.models import Piece as PieceRow
from nephos.web.pieces import lay_on_boards, with_curves
from nephos.web.rows import to_be_made
from nephos.web.summaries import mesh_summary_for, work_out_missing
from nephos.web.tasks import calculate as calculate_task
from nephos.web.tasks import export_model, forget_results
from nephos.web.tasks import propose as propose_task

router = Router(tags=["jobs"])
_LARGEST_DRAWING = 20 * 2**20
BUSY = (Calculation.State.WAITING, Calculation.State.WORKING)


class CalculationState(Schema):
    """Progress of a calculation: `fraction` of all, and `step` of the present stage of a setup or operation. `ahead` :
    of a waiting one, how many are done before it."""

    id: int
    revision: int
    state: Literal["waiting", "working", "done", "failed", "cancelled"]
    fraction: float
    step: float
    setup: str
    operation: int | None
    stage: Literal["", "place", "operation", "compare", "post", "whole"]
    reason: str
    elapsed: float
    left: float | None
    ahead: int
    seconds: dict[str, float]


class JobState(Schema):
    """A job as it stands, with all that follows from its plan."""

    id: int
    name: str
    version: int
    revision: int
    can_undo: bool
    can_redo: bool
    picture: str | None
    plan: Plan
    derived: DerivedAnswer
    machine: Machine
    meshes: dict[str, MeshAnswer]
    calculation: CalculationState | None


class NewJob(Schema):
    """What a new job is made of."""

    name: str = Field(min_length=1, max_length=120)
    mesh: int | None = None


class Named(Schema):
    """A new name."""

    name: str = Field(min_length=1, max_length=120)


class Change(Schema):
    """A change of a plan, with the version of the job that it was made on."""

    based_on: int
    plan: dict[str, Any]
    note: str = ""


class Edit(Schema):
    """An edit, with the version of the job that it was made on."""

    based_on: int
    edit: AnyEdit
    note: str = ""


class Step(Schema):
    """An undo or redo, with the version of the job that it was asked for on."""

    based_on: int


class BoardsWanted(Schema):
    """How far apart (mm) pieces lie on a board, with the version of the job that it was asked on."""

    based_on: int
    gap: float = Field(default=12.0, ge=0, le=1000)


class Proposal(Schema):
    """A plan to be previewed, not kept, perhaps with an edit of it."""

    plan: dict[str, Any]
    edit: AnyEdit | None = None


class PlanPreview(Schema):
    """What would follow from a plan, and the plan itself after the edit."""

    plan: Plan
    derived: DerivedAnswer


class KindWanted(Schema):
    """A kind of job that is to be proposed, with the version of the job that it was asked for on."""

    based_on: int
    kind: str


class CurvesFound(Schema):
    """Closed curves of a file, and what is to be said of it."""

    curves: list[list[tuple[float, float]]]
    notes: list[str]


class ExportWanted(Schema):
    """A model to be written as a file."""

    model: str
    suffix: str


def calculation_state(row: Calculation | None) -> dict[str, Any] | None:
    """A calculation as it is sent, with the time left where it can be told."""
    if row is None:
        return None
    elapsed = (row.updated - row.started).total_seconds() if row.started else 0.0
    left = elapsed * (1 - row.fraction) / row.fraction if row.state == "working" and row.fraction > 0.05 else None
    return {
        "id": row.pk,
        "revision": row.revision,
        "state": row.state,
        "fraction": row.fraction,
        "step": row.step,
        "setup": row.setup,
        "operation": row.operation,
        "stage": row.stage,
        "reason": row.reason,
        "elapsed": elapsed,
        "left": left,
        "ahead": ahead_of("calculate", json.dumps({"calculation_id": row.pk})) if row.state == "waiting" else 0,
        "seconds": row.seconds,
    }


def job_state(job: Job) -> dict[str, Any]:
    """All that the workspace needs to know of a job."""
    revision = Revision.objects.get(job=job, number=job.revision)
    plan = parse_plan(revision.plan)
    digests = [digest for model in plan.models for digest in model.sources]
    meshes = {
        row.digest: {"facts": row.facts, "name": row.name}
        for row in Mesh.objects.filter(digest__in=digests)
        if row.facts
    }
    return {
        "id": job.pk,
        "name": job.name,
        "version": job.version,
        "revision": job.revision,
        "can_undo": revision.parent is not None,
        "can_redo": bool(job.redo),
        "picture": picture_address(job.pk),
        "plan": plan,
        "derived": derived(plan),
        "machine": machine_of(plan.machine),
        "meshes": meshes,
        "calculation": calculation_state(service.latest_calculation(job)),
    }


@router.get("", response=JobPage)
def list_jobs(request: HttpRequest, wanted: Query[JobsWanted]) -> JobPage:
    """A page of the jobs, the one that was worked on last first."""
    return job_page(wanted)


@router.get("/{int:job_id}/picture")
def picture(request: HttpRequest, job_id: int) -> HttpResponse:
    """The picture of a job as PNG. With a mark (`v`) in its address it is always the same, and is kept by browsers."""
    found = job_picture(job_id)
    if found is None:
        raise Http404("this job has no picture yet")
    kept = "private, max-age=31536000, immutable" if "v" in request.GET else "no-store"
    return HttpResponse(found, content_type="image/png", headers={"Cache-Control": kept})


@router.post("", response=JobState)
def new_job(request: HttpRequest, body: NewJob) -> dict[str, Any]:
    """Make a job, around a mesh where one is named."""
    mesh = get_object_or_404(Mesh, pk=body.mesh, state=Mesh.State.READY) if body.mesh else None
    return job_state(service.create_job(body.name, mesh))


@router.get("/{int:job_id}", response=JobState)
def open_job(request: HttpRequest, job_id: int) -> dict[str, Any]:
    """A job as it stands; what is not known of it any more, as after an update of Nephos, is worked out again."""
    job = get_object_or_404(Job, pk=job_id)
    work_out_missing(parse_plan(service.current_plan(job)))
    return job_state(job)


@router.patch("/{int:job_id}", response=JobState)
def rename_job(request: HttpRequest, job_id: int, body: Named) -> dict[str, Any]:
    """Give a job another name."""
    job = get_object_or_404(Job, pk=job_id)
    job.name = body.name
    job.save(update_fields=["name", "updated"])
    return job_state(job)


@router.delete("/{int:job_id}", response={204: None})
def delete_job(request: HttpRequest, job_id: int) -> tuple[int, None]:
    """Delete a job; it can be brought back with all its revisions for 30 days. Its results are calculated again
    then."""
    job = get_object_or_404(Job, pk=job_id)
    Calculation.objects.filter(job=job).update(cancel=True)
    delete(job)
    forget_results.defer(job_id=job_id)
    return 204, None


@router.post("/{int:job_id}/copy", response=JobState)
def copy_job(request: HttpRequest, job_id: int, body: Named) -> dict[str, Any]:
    """Make a new job that begins where this one stands."""
    return job_state(service.copy_job(get_object_or_404(Job, pk=job_id), body.name))


@router.put("/{int:job_id}/plan", response=JobState)
def change_plan(request: HttpRequest, job_id: int, body: Change) -> dict[str, Any]:
    """Keep a changed plan as a new revision."""
    get_object_or_404(Job, pk=job_id)
    return job_state(service.write_plan(job_id, body.based_on, body.plan, body.note))


@router.post("/{int:job_id}/undo", response=JobState)
def undo(request: HttpRequest, job_id: int, body: Step) -> dict[str, Any]:
    """Go back to the revision before."""
    get_object_or_404(Job, pk=job_id)
    return job_state(service.step_back(job_id, body.based_on))


@router.post("/{int:job_id}/redo", response=JobState)
def redo(request: HttpRequest, job_id: int, body: Step) -> dict[str, Any]:
    """Do again what was undone."""
    get_object_or_404(Job, pk=job_id)
    return job_state(service.step_forward(job_id, body.based_on))


@router.post("/{int:job_id}/edit", response=JobState)
def edit_job(request: HttpRequest, job_id: int, body: Edit) -> dict[str, Any]:
    """Keep what an edit makes of the plan as a new revision."""
    get_object_or_404(Job, pk=job_id)
    plan = parse_plan(service.current_plan(get_object_or_404(Job, pk=job_id)))
    return job_state(service.edit_plan(job_id, body.based_on, with_curves(plan, body.edit), body.note))


@router.post("/{int:job_id}/boards", response=list[int])
def boards(request: HttpRequest, job_id: int, body: BoardsWanted) -> list[int]:
    """Lay the pieces of a job out on its board; for those that find no room further jobs are made, one a board."""
    get_object_or_404(Job, pk=job_id)
    return lay_on_boards(job_id, body.based_on, body.gap)


@router.get("/kinds", response=dict[str, str])
def job_kinds(request: HttpRequest) -> dict[str, str]:
    """Kinds of job that can be proposed, by key, with their titles."""
    return {key: item.title for key, item in WAYS.items()}


@router.post("/{int:job_id}/propose", response=ResultKey)
def propose_kind(request: HttpRequest, job_id: int, body: KindWanted) -> ResultKey:
    """Have setups and operations proposed for a kind of job; the answer names where it is said that they are there.
    They become a new revision."""
    job = get_object_or_404(Job, pk=job_id)
    way(body.kind)
    if job.version != body.based_on:
        raise service.Stale
    key = key_of("propose", 1, job.pk, job.version, job.revision, body.kind)
    if to_be_made(key):
        propose_task.defer(key=key, job_id=job.pk, based_on=body.based_on, kind=body.kind)
    return ResultKey(key=key)


@router.post("/preview/plan", response=PlanPreview)
def preview(request: HttpRequest, body: Proposal) -> dict[str, Any]:
    """What would follow from a plan, without keeping it: for numbers that are being typed or dragged."""
    plan = parse_plan(body.plan)
    if body.edit is not None:
        plan = apply_edit(plan, mesh_summary_for, with_curves(plan, body.edit))
    return {"plan": plan, "derived": derived(plan)}


@router.post("/{int:job_id}/export", response=ResultKey)
def export(request: HttpRequest, job_id: int, body: ExportWanted) -> ResultKey:
    """Have a model written as it is placed; the answer names where it will be found."""
    job = get_object_or_404(Job, pk=job_id)
    document = service.current_plan(job)
    model = next((item for item in parse_plan(document).models if item.id == body.model), None)
    written = sorted(suffix for suffix, item in formats().items() if item.write)
    if model is None or body.suffix not in written:
        raise Refused(f"that model is not in the job, or cannot be written so: use {', '.join(written)}")
    key = key_of("export", EXPORT, document["stock"], model.model_dump(), body.suffix)
    if to_be_made(key):
        export_model.defer(key=key, name=f"{model.name}{body.suffix}", plan=document, model=model.id)
    return ResultKey(key=key)


@router.get("/{int:job_id}/pieces", response=list[Fitting])
def pieces(request: HttpRequest, job_id: int) -> list[Fitting]:
    """The pieces on the shelf that the job could be cut from."""
    plan = parse_plan(service.current_plan(get_object_or_404(Job, pk=job_id)))
    return fitting_pieces(plan, mesh_summary_for, [Piece.model_validate(row.data) for row in PieceRow.objects.all()])


@router.get("/{int:job_id}/file")
def job_file(request: HttpRequest, job_id: int) -> FileResponse:
    """The job as one open file."""
    job = get_object_or_404(Job, pk=job_id)
    return FileResponse(
        write_job_file(job),
        as_attachment=True,
        filename=f"{slugify(job.name) or 'job'}.nephos.zip",
        content_type="application/zip",
    )


@router.post("/file", response=JobState)
def read_file(request: HttpRequest) -> dict[str, Any]:
    """Make a job of a job file, sent as the raw body."""
    require_space("a job file")
    return job_state(read_job_file(request, settings.MESH_LIMIT))


@router.get("/{int:job_id}/operation/{strategy}", response=Operation)
def propose_operation(request: HttpRequest, job_id: int, strategy: str) -> Operation:
    """An operation of a strategy with proposed settings and the next free number."""
    plan = parse_plan(service.current_plan(get_object_or_404(Job, pk=job_id)))
    return service.new_operation(plan, strategy)


@router.post("/curves", response=CurvesFound)
def read_curve_file(request: HttpRequest, name: str) -> CurvesFound:
    """The closed curves of an SVG or DXF file, sent as the raw body, in millimetres from the low corner of the
    stock."""
    return CurvesFound(**drawing_facts(name, b"".join(body_pieces(request, _LARGEST_DRAWING))))


@router.post("/{int:job_id}/calculate", response=CalculationState)
def start_calculation(request: HttpRequest, job_id: int) -> dict[str, Any] | None:
    """Work out the job as it stands; a calculation of an older state is stopped."""
    job = get_object_or_404(Job, pk=job_id)
    running = Calculation.objects.filter(job=job, state__in=BUSY, cancel=False)
    same = running.filter(revision=job.revision).first()
    if same:
        return calculation_state(same)
    found = derived(parse_plan(service.current_plan(job)))
    stops = open_stops(found.findings)
    if stops:
        raise Refused(f"{stops[0].text}: {stops[0].advice}")
    refused = next((model.reason for model in found.models.values() if model.state == "refused"), "")
    if refused:
        raise Refused(f"{refused}; take that repair out or change it")
    require_space("a calculation")
    with transaction.atomic():
        running.update(cancel=True)
        row = Calculation.objects.create(job=job, revision=job.revision)
        # Calculations of one job come one after the other; those of different jobs side by side, where there are
        # workers.
        calculate_task.configure(lock=f"job-{job.pk}").defer(calculation_id=row.pk)
    return calculation_state(row)


@router.get("/{int:job_id}/calculation", response=CalculationState | None)
def watch_calculation(request: HttpRequest, job_id: int) -> dict[str, Any] | None:
    """How far the latest calculation is."""
    return calculation_state(service.latest_calculation(get_object_or_404(Job, pk=job_id)))


@router.post("/{int:job_id}/cancel", response=CalculationState | None)
def cancel_calculation(request: HttpRequest, job_id: int) -> dict[str, Any] | None:
    """Stop what is being calculated; what is done so far is kept."""
    job = get_object_or_404(Job, pk=job_id)
    Calculation.objects.filter(Q(job=job) & Q(state__in=BUSY)).update(cancel=True)
    Calculation.objects.filter(job=job, state=Calculation.State.WAITING).update(state=Calculation.State.CANCELLED)
    return calculation_state(service.latest_calculation(job))
