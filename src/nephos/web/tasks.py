"""What workers do: read meshes, calculate jobs. Killed in the middle, the work is taken up again."""

import logging
import secrets
import sys
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from functools import lru_cache
from importlib import import_module
from threading import Event
from typing import Any, cast

import numpy as np
from django.db import connections
from django.utils import timezone
from procrastinate.contrib.django import app

from nephos.core.answers.kept import height_map_key, outline_keys, outlines_wanted
from nephos.core.errors import Cancelled, NotYet, Refused
from nephos.core.estimate.stock_estimate import HeightMapStage
from nephos.core.mesh.curves import read_curves
from nephos.core.mesh.formats import read_mesh, write_mesh
from nephos.core.mesh.formats.gltf import write_glb
from nephos.core.mesh.model import Mesh as CoreMesh
from nephos.core.mesh.model import joined
from nephos.core.mesh.summary import summarize
from nephos.core.plan.model import Model
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.proposals.way import Job as JobAsked
from nephos.core.proposals.ways import way
from nephos.core.report.job_results import JobReports
from nephos.core.report.setup_results import Reports, setup_results
from nephos.core.setups.registry import kind_of
from nephos.core.stages.begun import begun_after, block_before
from nephos.core.stages.external_program import prove_external
from nephos.core.stages.models import placed_parts
from nephos.core.stages.of_plan import stages_of
from nephos.core.stages.outline import OutlineStage
from nephos.core.stages.prepared import prepared_key, prepared_mesh
from nephos.core.stages.run import run_plan
from nephos.core.stages.space import SpaceStage
from nephos.core.stages.store import as_result, kept
from nephos.core.stages.work import NotKept, Step, Work
from nephos.core.stock.block import Block
from nephos.core.stock.frames import shown_grid, shown_intervals, shown_top
from nephos.core.stock.window import cut_window, window_grid
from nephos.web.blobs import read_chunks
from nephos.web.collect import collect, forget_job
from nephos.web.health import full_disk, require_space
from nephos.web.jobs import Stale, current_plan, cutters_for, shop_cutters, write_plan
from nephos.web.line import ask_once, somebody_waits
from nephos.web.mesh_keys import mesh_summary_key, raw_mesh_summary_key
from nephos.web.models import Blob, Calculation, Job, Mesh, Result, Revision
from nephos.web.pictures import mesh_thumbnail, shaded
from nephos.web.queues import SAMPLE, TASKS, options_of
from nephos.web.sample_shop import stop_making
from nephos.web.store import DatabaseStore
from nephos.web.summaries import known

STORE = DatabaseStore()
SHOWN_DEVIATION = 3.0
"""Farther than this (mm) from the model, the finished block belongs to the frame in the compare."""
LOG = logging.getLogger("nephos.tasks")


CANCEL = Event()
"""Set where the task that is done now is to be broken off."""


def task(function: Callable[..., None]) -> Any:
    """Make a function a task, as `web/queues.py` describes it."""
    return app.task(**cast(Any, options_of(function.__name__)))(function)


@lru_cache(maxsize=4)
def _loaded(digest: str) -> CoreMesh:
    row = Mesh.objects.filter(digest=digest, state=Mesh.State.READY).first()
    if row is None:
        reading = Mesh.objects.filter(digest=digest, state=Mesh.State.READING).exists()
        raise NotYet(
            "the mesh is still being read: try again in a moment"
            if reading
            else "the mesh of this job is gone: import it again"
        )
    return read_mesh(row.name, b"".join(read_chunks(row.file_id)))


def _fault() -> str:
    """The sentence for an unexpected error: a full disk, or a fault of our own with its mark in the log. Call it inside
    the `except` block."""
    full = full_disk(sys.exception() or Exception())
    if full:
        LOG.error("the disk is full", exc_info=True)
        return full
    mark = secrets.token_hex(4)
    LOG.exception("fault %s", mark)
    return f"this broke off by a fault of Nephos (fault {mark} in the log): please report it"


@contextmanager
def _or_refused(keys: Iterable[str], stage: str, too_large: str) -> Iterator[None]:
    """Keep the reason why the results under `keys` cannot be made, for those who wait for them.

    Only what follows from the causes of a result is kept for good. What can change, such as memory or a mesh that is
    being read, is kept for those who wait now and dropped when the result is asked for again."""
    try:
        yield
    except NotYet as reason:
        _refuse(keys, stage, str(reason), transient=True)
    except Refused as reason:
        _refuse(keys, stage, str(reason))
    except MemoryError:
        _refuse(keys, stage, too_large, transient=True)
    except Exception:
        _refuse(keys, stage, _fault(), transient=True)


def _refuse(keys: Iterable[str], stage: str, reason: str, transient: bool = False) -> None:
    for key in keys:
        STORE.put(key, stage, as_result({"refused": reason} | ({"transient": True} if transient else {})))


def _keep_mesh_summary(key: str, mesh: CoreMesh, said: tuple[str, ...] = ()) -> dict[str, Any]:
    """Work out and keep the look of a mesh; returns its facts."""
    found = STORE.get(key)
    if found is not None:
        return found.facts
    facts, arrays = summarize(mesh, said)
    STORE.put(key, "mesh-summary", as_result(facts, **arrays))
    return facts


@task
def read_uploaded(mesh_id: int) -> None:
    """Find out what is in an uploaded mesh and make its picture."""
    row = Mesh.objects.get(pk=mesh_id)
    if row.state != Mesh.State.READING:
        return
    try:
        mesh = read_mesh(row.name, b"".join(read_chunks(row.file_id)))
        digest = mesh.digest()
        facts = _keep_mesh_summary(raw_mesh_summary_key(digest), mesh)
    except (Refused, MemoryError) as reason:
        text = str(reason) or "there is not enough memory to read this mesh: thin it out before you import it"
        Mesh.objects.filter(pk=mesh_id).update(state=Mesh.State.REFUSED, reason=text)
        return
    except Exception:
        Mesh.objects.filter(pk=mesh_id).update(state=Mesh.State.REFUSED, reason=_fault())
        return
    look = STORE.get(raw_mesh_summary_key(digest))
    thumbnail = mesh_thumbnail(look.arrays["vertices"], look.arrays["faces"]) if look else None
    # What was asked for while it was being read was refused for the time being.
    Result.objects.filter(facts__transient=True).delete()
    Mesh.objects.filter(pk=mesh_id).update(state=Mesh.State.READY, digest=digest, facts=facts, thumbnail=thumbnail)


@task
def prepare(model: dict[str, Any]) -> None:
    """Do a model's repairs and keep what can be said of the mesh after them."""
    item = Model.model_validate(model)
    key = mesh_summary_key(item)
    if STORE.get(key) is not None:
        return
    with _or_refused([key], "mesh-summary", "there is not enough memory for this repair: thin the mesh out first"):
        mesh = prepared_mesh(item, Work(STORE, _loaded))
        made = STORE.get(prepared_key(item))
        _keep_mesh_summary(key, mesh, tuple(made.facts["said"]) if made else ())


@task
def draw_outlines(plan: dict[str, Any]) -> None:
    """Work out the boundaries of a plan and its relief, so that they can be seen and estimates be made before anything
    is calculated."""
    whole = parse_plan(plan).as_cut()
    for setup in whole.setups:
        space, work = SpaceStage.of(whole, setup), Work(STORE, _loaded)
        relief = HeightMapStage(space)
        drawn = [OutlineStage.of(whole, setup, key, space) for key in outlines_wanted(whole)]
        missing = [stage.key for stage in (relief, *drawn) if STORE.get(stage.key) is None]
        if not missing:
            continue
        too_large = "there is not enough memory for this: thin the mesh out first"
        # Where one cannot be drawn the others still can; without a mesh in its place, none.
        with _or_refused(missing, "outline", too_large):
            work.of(space)
            with _or_refused([relief.key], relief.name, too_large):
                work.of(relief)
            for outline in drawn:
                with _or_refused([outline.key], outline.name, too_large):
                    work.of(outline)


def _in_setup(plan: dict[str, Any], setup: str) -> tuple[Plan, Setup]:
    whole = parse_plan(plan).as_cut()
    return whole, next(item for item in whole.setups if item.id == setup)


@task
def read_drawing(key: str, name: str, blob: int) -> None:
    """Read the closed curves of a drawing; they are fetched under `key`."""
    with _or_refused([key], "drawing", "there is not enough memory to read this drawing: simplify it"):
        found = read_curves(name, b"".join(read_chunks(blob)))
        STORE.put(
            key,
            "drawing",
            as_result({"curves": [curve.tolist() for curve in found.curves], "notes": list(found.notes)}),
        )
    Blob.objects.filter(pk=blob).delete()


@task
def export_model(key: str, name: str, plan: dict[str, Any], model: str) -> None:
    """Write a model as it is placed, in millimetres from the stock's low corner, to a file to be fetched under
    `key`."""
    whole = parse_plan(plan)
    item = next(other for other in whole.models if other.id == model)
    with _or_refused([key], "export", "there is not enough memory to write this file"):
        mesh = joined(placed_parts(whole, item, prepared_mesh(item, Work(STORE, _loaded))))
        STORE.put(key, "export", as_result({"name": name}, file=np.frombuffer(write_mesh(name, mesh), np.uint8)))


@task
def prove_program(key: str, plan: dict[str, Any], setup: str, blob: int, usual: int, after: int = 0) -> None:
    """Prove a program from a file against the stock of a setup as its operations up to `after` leave it; what is found
    lies under `key`."""
    whole, item = _in_setup(plan, setup)
    with _or_refused([key], "external", "there is not enough memory to prove this file: use a coarser pitch"):
        begun = begun_after(whole, item, after, STORE)
        if begun is None and after:
            raise NotYet(
                f"operation {after} is not calculated as the job is now: press Calculate first, or check the program "
                "on the stock as the setup begins"
            )
        text = b"".join(read_chunks(blob))
        prove_external(whole, item, _loaded, text, cutters_for(whole), usual, Work(STORE), after, begun)
    Blob.objects.filter(pk=blob).delete()


def _block_before(plan: Plan, setup: Setup) -> Block:
    """The block that a setup begins with, from what is kept of the setups before it."""
    block = block_before(plan, setup, STORE)
    if block is None:
        raise Refused("an earlier setup is not up to date any more: press Calculate first")
    return block


@task
def propose(key: str, job_id: int, based_on: int, kind: str, calculated: bool = False) -> None:
    """Propose setups and operations for a kind of job, and keep them as a new revision, to be `calculated` at once;
    what came of it is fetched under `key`."""
    with _or_refused([key], "whole", "there is not enough memory for this: thin the mesh out first"):
        plan = parse_plan(current_plan(Job.objects.get(pk=job_id)))
        items = known(plan.models)
        shown = [
            (model, placed_model(items[model.id].summary.support, model, plan.stock), items[model.id].summary)
            for model in plan.models
            if model.shown and model.id in items
        ]
        if not shown:
            raise Refused("the job has no model yet: add one first")
        proposed = way(kind).for_job(JobAsked(plan, shown, shop_cutters(), _loaded, Work(STORE)))
        try:
            document = proposed.plan.model_dump(mode="json")
            write_plan(job_id, based_on, document, f"propose {way(kind).title.lower()}")
        except Stale:
            raise Refused("the job was changed meanwhile: propose again") from None
        if calculated:
            job = Job.objects.get(pk=job_id)
            row = Calculation.objects.create(job=job, revision=job.revision)
            # Only the sample shop asks for that.
            calculate_sample(row)
        STORE.put(key, "whole", as_result({"done": True, "notes": list(proposed.notes)}))


@task
def cut_window_of(
    key: str, plan: dict[str, Any], setup: str, low: list[float], high: list[float], pitch: float, operations: int
) -> None:
    """Cut a window of the block at full resolution with the moves of the first so many operations."""
    whole, item = _in_setup(plan, setup)
    with _or_refused([key], "window", "there is not enough memory for this window: make it smaller"):
        grid = window_grid((low[0], low[1]), (high[0], high[1]), pitch)
        block = _block_before(whole, item)
        cuts = []
        for operation in item.worked[:operations]:
            moves = STORE.get(stages_of(whole)[item.id].operations[operation.number].moves.key)
            if moves is None:
                raise Refused("the operations are not up to date any more: press Calculate first")
            cuts.append((moves.arrays["points"], operation.cutter.profile))
        heights = cut_window(shown_top(block, grid), float(block.low.min()), grid, cuts, shown_intervals(block, grid))
        STORE.put(key, "window", as_result(grid.facts(), high=heights))


@task
def export_block(key: str, name: str, plan: dict[str, Any], setup: str, alone: bool) -> None:
    """Write the proof as a mesh, in millimetres from the work zero."""
    whole, item = _in_setup(plan, setup)
    with _or_refused([key], "export", "there is not enough memory to write this file"):
        stages, work = stages_of(whole)[item.id], Work(STORE, only_kept=True)
        try:
            done, sorting = work.of(stages.proof_block), work.of(stages.pieces)
        except NotKept:
            raise Refused("the block is not kept any more: press Calculate first") from None
        mesh = kind_of(item).block_mesh(done.only(sorting.arrays["sorting"] == 1) if alone else done)
        data = write_glb(mesh) if name.endswith(".glb") else write_mesh(name, mesh)
        STORE.put(key, "export", as_result({"name": name}, file=np.frombuffer(data, np.uint8)))


@task
def export_whole(key: str, name: str, whole: str) -> None:
    """Write the block after all setups as a mesh, in millimetres from the stock's low corner."""
    with _or_refused([key], "export", "there is not enough memory to write this file"):
        solid = STORE.get(whole)
        if solid is None:
            raise Refused("the whole part is not kept any more: press Calculate first")
        mesh = CoreMesh(solid.arrays["vertices"].astype(np.float64), solid.arrays["faces"].astype(np.int32))
        data = write_glb(mesh) if name.endswith(".glb") else write_mesh(name, mesh)
        STORE.put(key, "export", as_result({"name": name}, file=np.frombuffer(data, np.uint8)))


class _PutAside(Exception):
    """A calculation of the sample shop stops at a stage, as somebody waits for another one."""


def calculate_sample(row: Calculation) -> None:
    """Have a job of the sample shop calculated: after what people ask for, and put aside for it between stages."""
    words = {"calculation_id": row.pk, "sample": True}
    calculate.configure(priority=SAMPLE, lock=f"job-{row.job_id}").defer(**words)


class _Progress:
    """Writes progress at most four times a second, and looks whether to stop. What it writes never goes back. `sample`
    : the calculation is put aside at the next step where somebody waits for another one."""

    def __init__(self, calculation_id: int, sample: bool = False) -> None:
        self.id, self.sample = calculation_id, sample
        self.told = 0.0
        self.now = Step("place")
        self.low, self.high = 0.0, 1.0
        self.most = 0.0

    def note(self, step: Step, low: float, high: float) -> None:
        if self.sample and somebody_waits("calculate", SAMPLE):
            raise _PutAside
        self.now, self.low, self.high = step, low, high
        self.told = 0.0
        self(low)

    def __call__(self, fraction: float) -> None:
        if CANCEL.is_set():
            raise Cancelled
        self.most = max(self.most, min(fraction, 1.0))
        now = time.monotonic()
        if now - self.told < 0.25:
            return
        self.told = now
        step = min(max((self.most - self.low) / max(self.high - self.low, 1e-9), 0.0), 1.0)
        Calculation.objects.filter(pk=self.id).update(
            fraction=self.most,
            step=step,
            setup=self.now.setup,
            operation=self.now.operation,
            stage=self.now.stage,
            updated=timezone.now(),
        )
        if Calculation.objects.filter(pk=self.id, cancel=True).exists():
            raise Cancelled


@task
def collect_results(timestamp: int = 0) -> None:
    """Drop results and files that nobody needs (every ten minutes, and after calculations)."""
    collect()


@task
def forget_results(job_id: int) -> None:
    """Drop the results of a job that was deleted."""
    forget_job(job_id)


def collect_soon() -> None:
    """Have a worker drop what nobody needs, unless it waits to be done."""
    ask_once("collect_results", "collect_results")


@task
def calculate(calculation_id: int, sample: bool = False) -> None:
    """Work out the plan of a calculation's revision, from where earlier results leave off. One of the `sample` shop
    gives way to others: what it has made so far is kept."""
    row = Calculation.objects.get(pk=calculation_id)
    if row.cancel or row.state not in {Calculation.State.WAITING, Calculation.State.WORKING}:
        Calculation.objects.filter(pk=row.pk, cancel=True).update(state=Calculation.State.CANCELLED)
        return
    Calculation.objects.filter(pk=row.pk).update(state=Calculation.State.WORKING, started=timezone.now())
    progress = _Progress(row.pk, sample)
    work = Work(STORE, _loaded, progress, note=progress.note)
    try:
        require_space("a calculation")
        plan = parse_plan(Revision.objects.get(job_id=row.job_id, number=row.revision).plan).as_cut()
        title, graph = f"{row.job.name}, revision {row.revision}", stages_of(plan)
        with STORE.made_for(row.job_id):
            for done in run_plan(plan, _loaded, work, title):
                reports = Reports.of(graph[done.space.setup.id])
                for key, stage, make in setup_results(done, reports, work, title):
                    kept(STORE, key, stage, make)
            work.note(Step("whole"), 0.99, 1.0)
            job = JobReports.of(plan)
            if job is not None:
                work.result(job.findings)
                work.result(job.summary)
            grid = shown_grid(done.block.grid)
            Job.objects.filter(pk=row.job_id).update(picture=shaded(shown_top(done.block, grid), grid.pitch))
    except Cancelled:
        Calculation.objects.filter(pk=row.pk).update(state=Calculation.State.CANCELLED)
    except _PutAside:
        Calculation.objects.filter(pk=row.pk).update(state=Calculation.State.WAITING)
        calculate_sample(row)
    except (Refused, MemoryError) as reason:
        text = str(reason) or "there is not enough memory for this: use a coarser pitch"
        Calculation.objects.filter(pk=row.pk).update(state=Calculation.State.FAILED, reason=text)
    except Exception:
        Calculation.objects.filter(pk=row.pk).update(state=Calculation.State.FAILED, reason=_fault())
    else:
        Calculation.objects.filter(pk=row.pk).update(
            state=Calculation.State.DONE,
            fraction=1.0,
            step=1.0,
            seconds={k: round(v, 3) for k, v in work.seconds.items()},
        )
        collect_soon()


def run(name: str, words: dict[str, Any]) -> None:
    """Do a task that the queue names; or give one up whose process died each time: `words` say which, and why."""
    if name not in {*TASKS, GIVE_UP}:
        raise ValueError(f"there is no task '{name}'")
    module = globals() if name == GIVE_UP else vars(import_module(TASKS[name].module))
    try:
        module[name](**words)
    finally:
        connections.close_all()


GIVE_UP = "give_up"


def give_up(name: str, words: dict[str, Any], reason: str) -> None:
    """Tell those who wait for a task that it cannot be done."""
    if name == "calculate":
        busy = (Calculation.State.WAITING, Calculation.State.WORKING)
        row = Calculation.objects.filter(pk=words["calculation_id"], state__in=busy)
        row.update(state=Calculation.State.FAILED, reason=reason)
    elif name == "read_uploaded":
        row = Mesh.objects.filter(pk=words["mesh_id"], state=Mesh.State.READING)
        row.update(state=Mesh.State.REFUSED, reason=reason)
    elif name == "make_sample_shop":
        stop_making(reason)
    elif name == "prepare":
        _refuse([mesh_summary_key(Model.model_validate(words["model"]))], "mesh-summary", reason, transient=True)
    elif name == "draw_outlines":
        plan = parse_plan(words["plan"]).as_cut()
        for setup in plan.setups:
            keys = [*outline_keys(plan, setup).values(), height_map_key(plan, setup)]
            _refuse([key for key in keys if STORE.get(key) is None], "outline", reason, transient=True)
    elif "key" in words:
        _refuse([words["key"]], "refused", reason, transient=True)
