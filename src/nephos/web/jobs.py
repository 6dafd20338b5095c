"""Jobs and their revisions: write, undo, redo, copy, and what can be said of a plan at once."""

from collections.abc import Callable
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Max

from nephos.core.cutters import Cutter
from nephos.core.cutters.feeds import chip_sum, propose
from nephos.core.errors import Refused
from nephos.core.machine.kinematics import machine_named
from nephos.core.mesh.attitude import slab_height, undercut
from nephos.core.paths.cut_out import CutOutSettings, shown_tabs
from nephos.core.paths.estimate import Ground
from nephos.core.paths.registry import strategy
from nephos.core.plan.checks import operation_findings
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.fit import placement_findings
from nephos.core.plan.ground import ground_of
from nephos.core.plan.keys import setup_keys
from nephos.core.plan.place import Placed, linear_of, placed_model, to_setup, zero_in_words
from nephos.core.plan.proposed import proposed_operation, proposed_sheet
from nephos.core.plan.schema import Model, Operation, Placement, Plan, Setup, Stock, parse_plan
from nephos.core.units import number_in
from nephos.web.looks import Known, draw_missing, known, look_for, outline_keys, outline_rims, prepare_missing
from nephos.web.models import Calculation, Job, Mesh, Result, Revision
from nephos.web.models import Cutter as CutterRow


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
    known(plan)

    def add(job: Job) -> None:
        number = (Revision.objects.filter(job=job).aggregate(Max("number"))["number__max"] or 0) + 1
        Revision.objects.create(job=job, number=number, parent=job.revision, plan=plan.model_dump(mode="json"), note=note[:200])
        job.revision, job.redo = number, []
        prepare_missing(plan)
        draw_missing(plan)

    return _moved(job_id, based_on, add)


def edit_plan(job_id: int, based_on: int, edit: dict[str, Any], note: str) -> Job:
    """Add a revision that an edit makes of the plan as it stands."""
    plan = parse_plan(current_plan(Job.objects.get(pk=job_id)))
    return write_plan(job_id, based_on, apply_edit(plan, look_for, edit).model_dump(mode="json"), note)


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


def _first_plan(name: str, mesh: Mesh | None) -> Plan:
    """A sensible start: stock a little larger than the model, roughing and finishing with usual cutters."""
    if mesh is None:
        return Plan(stock=Stock(length=260, width=190, thickness=28), setups=(Setup(id="a", name="Setup A · top face"),))
    unit = float(mesh.facts["unit"]["mm"])
    length, width, height = (np.asarray(mesh.facts["size"]) * unit).tolist()
    stock = Stock(length=_up(length + 24), width=_up(width + 24), thickness=max(_up(height + 7, 1), 10))
    placement = Placement(unit=unit)
    model = Model(id="m1", name=mesh.name.rsplit(".", 1)[0], mesh=mesh.digest, placement=placement)
    plan = Plan(stock=stock, models=(model,), setups=(Setup(id="a", name="Setup A · top face"),))
    operations = proposed_sheet(plan, look_for(model), shop_cutters())
    return plan.model_copy(update={"setups": (plan.setups[0].model_copy(update={"operations": operations}),)})


def _up(value: float, step: float = 10) -> float:
    return min(float(np.ceil(value / step) * step), 10_000.0)


def shop_cutters() -> list[Cutter]:
    """The shop's cutters by number."""
    return [Cutter.model_validate(row.data) for row in CutterRow.objects.order_by("number")]


def new_operation(plan: Plan, key: str) -> Operation:
    """An operation with proposed settings and the next free number."""
    numbers = [operation.number for setup in plan.setups for operation in setup.operations]
    return proposed_operation(plan, shop_cutters(), key, (max(numbers, default=0) // 10 + 1) * 10)


def create_job(name: str, mesh: Mesh | None, plan: Plan | None = None) -> Job:
    """A new job at its first revision."""
    with transaction.atomic():
        job = Job.objects.create(name=name)
        first = plan or _first_plan(name, mesh)
        Revision.objects.create(job=job, number=1, plan=first.model_dump(mode="json"), note="new")
        prepare_missing(first)
        draw_missing(first)
    return job


def copy_job(job: Job, name: str) -> Job:
    """A new job that begins where `job` stands."""
    copy = create_job(name, None, parse_plan(current_plan(job)))
    Job.objects.filter(pk=copy.pk).update(picture=job.picture)
    return copy


def _operation_state(operation: Operation, done: dict[str, dict[str, Any]], blocked: str, keys: Any) -> dict[str, Any]:
    if not operation.on:
        return {"state": "off"}
    if blocked:
        return {"state": "blocked", "reason": blocked}
    mine = keys.operations[operation.number]
    facts = done.get(mine.moves)
    if facts is None or mine.block not in done or mine.frames not in done:
        return {"state": "out of date"}
    return {"state": "current", "seconds": facts["seconds"], "moves": facts["moves"],
            "keys": {"moves": mine.moves, "frames": mine.frames}}


def _feeds(plan: Plan, operation: Operation) -> dict[str, Any]:
    """The sum behind an operation's feed, what would be proposed for the material, and which numbers are its own."""
    cutter = operation.cutter
    p = propose(cutter, plan.stock.material, machine_named(plan.machine))
    own = [name for name in ("feed", "plunge_feed", "spindle") if getattr(operation, name) not in (None, getattr(cutter, name))]
    return {"sum": chip_sum(operation.cutting_feed, cutter.flutes, operation.spindle_speed, plan.units), "own": own, "kept": p.kept,
            "proposed": {"feed": p.feed, "plunge_feed": p.plunge_feed, "spindle": p.spindle},
            "proposed_sum": chip_sum(p.feed, cutter.flutes, p.spindle, plan.units)}


def _tabs(operation: Operation, outline: str | None) -> list[dict[str, Any]]:
    """Where the tabs of a cut-out stand on its drawn outline: number of the outline, share of its length, place in the setup."""
    if not isinstance(operation.settings, CutOutSettings) or outline is None:
        return []
    arrays = outline_rims(outline)
    return [{"outline": k, "share": share, "at": at} for k, share, at in shown_tabs(*arrays, operation.settings, operation.cutter)]


def _model_state(model: Model, box: Placed, item: Known) -> dict[str, Any]:
    """A model as it lies, what is known of its mesh, and what might be done to it."""
    linear = linear_of(model.placement)
    return {
        "state": item.state, "reason": item.reason, "look": item.key, "facts": item.facts,
        "low": box.low.tolist(), "high": box.high.tolist(), "size": box.size.tolist(), "scale": box.scale.tolist(),
        "matrices": box.matrices.tolist(), "percent": float(100 * box.scale[0] / item.look.unit),
        "slab": slab_height(item.look, linear, float(box.scale[2])) if item.state == "ready" else None,
        "undercut": undercut(item.look, linear, model.placement.sink / max(float(box.size[2]), 1e-9)),
    }


def derived(plan: Plan) -> dict[str, Any]:
    """What follows from a plan without calculating: boxes, findings, estimates, what is up to date."""
    items = known(plan)
    placed = {model.id: placed_model(items[model.id].look.support, model, plan.stock) for model in plan.models if model.id in items}
    sure = {key: bool(item.facts["unit"]["sure"]) for key, item in items.items()}
    findings = placement_findings(plan, placed, {key: item.look for key, item in items.items()}, sure)
    models = {model.id: _model_state(model, placed[model.id], items[model.id]) if model.id in items else {"state": "reading"}
              for model in plan.models}
    stops = [finding for finding in findings if finding.level == "stop"]
    shown = [(model, placed[model.id], items[model.id].look) for model in plan.models if model.shown and model.id in placed]
    blocked = stops[0].text if stops else "" if shown else "the job has no model yet"
    refused = next((item.reason for item in items.values() if item.state == "refused"), "")
    blocked = blocked or refused
    setups = []
    for setup in plan.setups:
        findings += operation_findings(plan, setup)
        keys = setup_keys(plan, setup)
        wanted = [key for k in keys.operations.values() for key in (k.moves, k.block, k.frames)]
        done = dict(Result.objects.filter(key__in=[*wanted, keys.summary]).values_list("key", "facts"))
        outlines = outline_keys(plan, setup)
        drawn = dict(Result.objects.filter(key__in=outlines.values()).values_list("key", "facts"))
        operations = []
        for operation in setup.operations:
            kind = strategy(operation.strategy)
            item = {"number": operation.number, "title": kind.title, "summary": kind.summary,
                    "line": f"{operation.cutter.name} · {kind.describe(operation.settings, operation.cutter, number_in(plan.units))}",
                    "outline": operation.cutter.outline(), "feeds": _feeds(plan, operation),
                    **_operation_state(operation, done, blocked, keys)}
            boundary = outlines.get(operation.boundary.boundary)
            item["tabs"] = _tabs(operation, boundary if boundary in drawn and "loops" in drawn[boundary] else None)
            if shown:
                ground = ground_of(plan, setup, operation, shown, drawn.get(outlines.get(operation.boundary.boundary, "")))
                estimate = kind.estimate(operation.settings, operation.cutter, 0.0, ground)
                item["estimate"] = estimate.__dict__
                item["curve"] = _curve(operation, ground)
            operations.append(item)
        summary = done.get(keys.summary)
        setups.append({
            "id": setup.id, "zero": zero_in_words(setup, plan.units), "matrix": to_setup(plan.stock, setup).tolist(),
            "outlines": {name: {"key": key, **drawn[key]} if key in drawn else None for name, key in outlines.items()},
            "operations": operations, "summary_key": keys.summary if summary else None, "summary": summary,
            "compare_key": keys.compare if summary else None,
        })
        findings_after = summary["findings_in" if plan.units == "in" else "findings"] if summary else []
        setups[-1]["findings"] = findings_after
    return {"models": models, "findings": [finding.as_dict() for finding in findings], "setups": setups,
            "pitch": plan.block_pitch}


def _curve(operation: Operation, ground: Ground) -> list[list[float]]:
    """Seconds over stepover, for the small drawing that shows what a finer step costs."""
    kind = strategy(operation.strategy)
    stepover = getattr(operation.settings, "stepover", None)
    if not stepover:
        return []
    points = []
    for share in np.geomspace(0.02, 0.6, 24):
        value = float(share * operation.cutter.diameter)
        settings = operation.settings.model_copy(update={"stepover": value})
        points.append([round(value, 4), round(kind.estimate(settings, operation.cutter, 0.0, ground).seconds, 1)])
    return points


def latest_calculation(job: Job) -> Calculation | None:
    """The calculation that was asked for last."""
    return Calculation.objects.filter(job=job).order_by("-id").first()
