"""Jobs and their revisions: write, undo, redo, copy, and what can be said of a plan at once."""

from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Max

from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.errors import Refused
from nephos.core.machine.kinematics import machine_named
from nephos.core.paths.estimate import Ground
from nephos.core.paths.registry import strategy
from nephos.core.plan.checks import operation_findings, placement_findings
from nephos.core.plan.keys import setup_keys
from nephos.core.plan.pipeline import placed_models
from nephos.core.plan.place import Placed, to_setup, zero_in_words
from nephos.core.plan.schema import Model, Operation, Placement, Plan, Setup, Stock, parse_plan
from nephos.web.models import Calculation, Job, Mesh, Result, Revision
from nephos.web.models import Cutter as CutterRow


class Stale(Exception):
    """A write was based on a version that is no longer the newest."""


def current_plan(job: Job) -> dict[str, Any]:
    """The plan document that the job stands at."""
    return Revision.objects.get(job=job, number=job.revision).plan


def supports(plan: Plan) -> dict[str, np.ndarray]:
    """The spanning points of the plan's meshes."""
    digests = {model.mesh for model in plan.models}
    rows = Mesh.objects.filter(digest__in=digests, state=Mesh.State.READY)
    found = {row.digest: np.asarray(row.support) for row in rows}
    missing = digests - set(found)
    if missing:
        raise Refused("the mesh of this job is gone: bring it in again")
    return found


def write_plan(job_id: int, based_on: int, document: object, note: str) -> Job:
    """Add a revision. Refused where it is no plan; :class:`Stale` where somebody else was quicker."""
    plan = parse_plan(document)
    supports(plan)
    with transaction.atomic():
        job = Job.objects.select_for_update().get(pk=job_id)
        if job.version != based_on:
            raise Stale
        number = (Revision.objects.filter(job=job).aggregate(Max("number"))["number__max"] or 0) + 1
        Revision.objects.create(job=job, number=number, parent=job.revision, plan=plan.model_dump(mode="json"), note=note[:200])
        job.revision, job.redo, job.version = number, [], job.version + 1
        job.save()
    return job


def step_back(job_id: int, based_on: int) -> Job:
    """Undo: stand at the revision before. Nothing is thrown away."""
    with transaction.atomic():
        job = Job.objects.select_for_update().get(pk=job_id)
        if job.version != based_on:
            raise Stale
        parent = Revision.objects.get(job=job, number=job.revision).parent
        if parent is None:
            raise Refused("there is nothing to undo")
        job.redo, job.revision, job.version = [*job.redo, job.revision], parent, job.version + 1
        job.save()
    return job


def step_forward(job_id: int, based_on: int) -> Job:
    """Redo what was undone last."""
    with transaction.atomic():
        job = Job.objects.select_for_update().get(pk=job_id)
        if job.version != based_on:
            raise Stale
        if not job.redo:
            raise Refused("there is nothing to do again")
        job.redo, job.revision, job.version = job.redo[:-1], job.redo[-1], job.version + 1
        job.save()
    return job


def _first_plan(name: str, mesh: Mesh | None) -> Plan:
    """A sensible start: stock a little larger than the model, roughing and finishing with usual cutters."""
    if mesh is None:
        return Plan(stock=Stock(length=260, width=190, thickness=28), setups=(Setup(id="a", name="Setup A · top face"),))
    size = np.asarray(mesh.facts["size"])
    scale = float(200 / size[:2].max()) if size.max() > 2000 or size.max() < 20 else 1.0
    placement = Placement(size_x=round(float(size[0] * scale), 3))
    length, width, height = (size * scale).tolist()
    stock = Stock(length=_up(length + 24), width=_up(width + 24), thickness=max(_up(height + 7, 1), 10))
    model = Model(id="m1", name=mesh.name.rsplit(".", 1)[0], mesh=mesh.digest, placement=placement)
    return Plan(stock=stock, models=(model,), setups=(
        Setup(id="a", name="Setup A · top face", operations=first_operations()),
    ))


def _up(value: float, step: float = 10) -> float:
    return float(np.ceil(value / step) * step)


def shop_cutters() -> list[Cutter]:
    """The shop's cutters by number."""
    return [Cutter.model_validate(row.data) for row in CutterRow.objects.order_by("number")]


def _pick(shape: str, diameter: float) -> Cutter:
    of_shape = [cutter for cutter in shop_cutters() if cutter.shape == shape]
    return min(of_shape, key=lambda cutter: abs(cutter.diameter - diameter), default=standard_cutter(shape, diameter))


def first_operations() -> tuple[Operation, ...]:
    """Roughing and finishing as proposed for a new model."""
    rough, finish = _pick("flat", 6), _pick("ball", 3)
    return (new_operation("rough_rings", 10, rough), new_operation("finish_lines", 20, finish))


def new_operation(key: str, number: int, cutter: Cutter | None = None) -> Operation:
    """An operation with proposed settings for its cutter."""
    kind = strategy(key)
    roughing = kind.uses_block
    cutter = cutter or (_pick("flat", 6) if roughing else _pick("ball", 3))
    settings: dict[str, float] = {"stepover": round(cutter.diameter * (0.4 if roughing else 0.1), 3)}
    if roughing:
        settings["stepdown"] = round(cutter.diameter / 2, 2)
    return Operation(number=number, strategy=key, cutter=cutter, settings=kind.settings.model_validate(settings))


def create_job(name: str, mesh: Mesh | None, plan: Plan | None = None) -> Job:
    """A new job at its first revision."""
    with transaction.atomic():
        job = Job.objects.create(name=name)
        first = plan or _first_plan(name, mesh)
        Revision.objects.create(job=job, number=1, plan=first.model_dump(mode="json"), note="new")
    return job


def copy_job(job: Job, name: str) -> Job:
    """A new job that begins where `job` stands."""
    copy = create_job(name, None, parse_plan(current_plan(job)))
    Job.objects.filter(pk=copy.pk).update(picture=job.picture)
    return copy


def _ground(plan: Plan, setup: Setup, operation: Operation, placed: list[Placed]) -> Ground:
    """The cheap geometry that an estimate works on."""
    matrix = to_setup(plan.stock, setup)
    corners = np.concatenate([[box.low, box.high] for box in placed]) @ matrix[:3, :3].T + matrix[:3, 3]
    stock = np.array([[0, 0, 0], plan.stock.size]) @ matrix[:3, :3].T + matrix[:3, 3]
    low, high = corners.min(axis=0), corners.max(axis=0)
    if operation.boundary.kind == "stock":
        width, height = (np.abs(stock[1] - stock[0]) + 2 * (operation.boundary.margin or 0))[:2]
    else:
        margin = operation.cutter.radius if operation.boundary.margin is None else operation.boundary.margin
        width, height = np.maximum(high - low + 2 * margin, 1)[:2]
    machine = machine_named(plan.machine)
    return Ground(
        width=float(width), height=float(height), depth=float(max(stock[:, 2].max() - low[2], 0.1)),
        relief=float(high[2] - low[2]), top=float(stock[:, 2].max()), feed=operation.cutting_feed,
        plunge_feed=operation.entering_feed, acceleration=min(machine.acceleration[:2]),
    )


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


def derived(plan: Plan) -> dict[str, Any]:
    """What follows from a plan without calculating: boxes, findings, estimates, what is up to date."""
    placed = placed_models(plan, supports(plan).__getitem__)
    findings = placement_findings(plan, placed)
    models = {
        key: {"low": box.low.tolist(), "high": box.high.tolist(), "size": (box.high - box.low).tolist(),
              "matrix": box.matrix.tolist()} for key, box in placed.items()
    }
    stops = [finding for finding in findings if finding.level == "stop"]
    shown = [placed[model.id] for model in plan.models if model.shown]
    blocked = stops[0].text if stops else "" if shown else "the job has no model yet"
    setups = []
    for setup in plan.setups:
        findings += operation_findings(plan, setup)
        keys = setup_keys(plan, setup)
        wanted = [key for k in keys.operations.values() for key in (k.moves, k.block, k.frames)]
        done = dict(Result.objects.filter(key__in=[*wanted, keys.summary]).values_list("key", "facts"))
        operations = []
        for operation in setup.operations:
            kind = strategy(operation.strategy)
            item = {"number": operation.number, "title": kind.title, "summary": kind.summary,
                    "line": f"{operation.cutter.name} · {kind.describe(operation.settings, operation.cutter)}",
                    **_operation_state(operation, done, blocked, keys)}
            if shown:
                ground = _ground(plan, setup, operation, shown)
                estimate = kind.estimate(operation.settings, operation.cutter, 0.0, ground)
                item["estimate"] = estimate.__dict__
                item["curve"] = _curve(operation, ground)
            operations.append(item)
        summary = done.get(keys.summary)
        setups.append({
            "id": setup.id, "zero": zero_in_words(setup), "matrix": to_setup(plan.stock, setup).tolist(),
            "operations": operations, "summary_key": keys.summary if summary else None, "summary": summary,
            "compare_key": keys.compare if summary else None,
        })
        findings_after = summary["findings"] if summary else []
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
