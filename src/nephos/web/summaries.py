"""What is known of the models of a plan: kept results of workers, and what is still being worked out."""

from functools import lru_cache

import numpy as np

from nephos.core.answers.kept import KnownModel, ModelState, height_map_key, outline_keys
from nephos.core.errors import Refused
from nephos.core.estimate.stock_estimate import DrawnHeightMap
from nephos.core.mesh.model import box_mesh
from nephos.core.mesh.summary import MeshSummary, quick_look, summarize
from nephos.core.plan.model import Model
from nephos.core.plan.schema import Plan
from nephos.core.relief.composition import Composition
from nephos.web.line import ask_once
from nephos.web.mesh_keys import kept_arrays, mesh_summary_key, raw_mesh_summary_key
from nephos.web.models import Mesh, Result
from nephos.web.reliefs import stand_in

_NO_LOOK = quick_look(box_mesh())
_NO_FACTS = summarize(box_mesh())[0]
"""Of a composition of which nothing can be drawn."""


@lru_cache(maxsize=64)
def _arrays(key: str, unit: float, loose: float) -> MeshSummary:
    found = kept_arrays(key, ("support", "samples", "main"))
    return MeshSummary(found["support"], found["samples"], unit, found["main"], loose)


def _from_row(row: Result, state: ModelState, reason: str = "") -> KnownModel:
    return KnownModel(
        row.key,
        state,
        reason,
        row.facts,
        _arrays(row.key, float(row.facts["unit"]["mm"]), float(row.facts["loose_size"])),
    )


def known(among: tuple[Model, ...]) -> dict[str, KnownModel]:
    """What is known of each model, by its id.

    A model whose mesh is still being read is left out; one whose mesh is gone is refused.
    """
    models = {model.id: model for model in among}
    digests = {digest for model in among for digest in model.sources}
    wanted = {mesh_summary_key(model) for model in among} | {raw_mesh_summary_key(digest) for digest in digests}
    rows = {row.key: row for row in Result.objects.filter(key__in=wanted)}
    waiting = set()
    if any(raw_mesh_summary_key(digest) not in rows for digest in digests):
        states = dict(Mesh.objects.filter(digest__in=digests).values_list("digest", "state"))
        waiting = {digest for digest, state in states.items() if state != Mesh.State.REFUSED}
    found = {}
    for key, model in models.items():
        missing = [digest for digest in model.sources if raw_mesh_summary_key(digest) not in rows]
        if missing:
            if waiting.issuperset(missing):
                continue
            raise Refused("the mesh of this job is gone: import it again")
        own = rows.get(mesh_summary_key(model))
        if model.composition is not None and (own is None or "refused" in own.facts):
            found[key] = _composed_meanwhile(model.composition, own)
            continue
        raw = rows.get(raw_mesh_summary_key(model.mesh))
        if own is None:
            assert raw is not None
            found[key] = _from_row(raw, "working")
        elif "refused" in own.facts:
            assert raw is not None
            found[key] = _from_row(raw, "refused", own.facts["refused"])
        else:
            found[key] = _from_row(own, "ready")
    return found


def _composed_meanwhile(composition: Composition, own: Result | None) -> KnownModel:
    """What is known of a composition that no worker has composed yet, or that cannot be: its preview."""
    reason = own.facts["refused"] if own is not None else ""
    try:
        facts, look = stand_in(composition)
    except Refused as why:
        facts, look = _NO_FACTS, _NO_LOOK
        reason = reason or str(why)
    return KnownModel("", "refused" if reason else "working", reason, facts, look)


def mesh_summary_for(model: Model) -> MeshSummary:
    """The summary of one model's mesh, for edits."""
    one = known((model,))
    if model.id not in one:
        raise Refused("the mesh is still being read: try again in a moment")
    return one[model.id].summary


def _prepare_missing(plan: Plan) -> None:
    """Have workers do the repairs that no result is kept of yet."""
    for model in plan.models:
        if (model.steps or model.composition is not None) and not Result.objects.filter(
            key=mesh_summary_key(model)
        ).exists():
            ask_once("prepare", mesh_summary_key(model), model=model.model_dump(mode="json"))


@lru_cache(maxsize=16)
def drawn_height_map(key: str) -> DrawnHeightMap:
    """A height map that is kept."""
    return DrawnHeightMap.of_result(key, Result.objects.get(key=key).facts, kept_arrays(key, ("z", "levels", "areas")))


@lru_cache(maxsize=64)
def outline_rims(key: str) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Of a drawn boundary: points (n, 2) of its outer outlines, where each ends, and how thick the part is there."""
    found = kept_arrays(key, ("rims", "rim_ends", "rim_heights"))
    return found["rims"], found["rim_ends"], found["rim_heights"]


def _draw_missing(plan: Plan) -> None:
    """Have workers work out the outlines and reliefs that no result is kept of yet."""
    keys = {
        key
        for setup in plan.as_cut().setups
        for key in (*outline_keys(plan, setup).values(), height_map_key(plan, setup))
    }
    if plan.models and Result.objects.filter(key__in=keys).count() < len(keys):
        ask_once("draw_outlines", f"outlines-{min(keys)}", plan=plan.model_dump(mode="json"))


def _read_missing(digests: set[str]) -> None:
    """Have workers read the meshes again of which no summary is kept, as after an update of Nephos."""
    kept = set(Result.objects.filter(key__in=map(raw_mesh_summary_key, digests)).values_list("key", flat=True))
    lost = [digest for digest in digests if raw_mesh_summary_key(digest) not in kept]
    for mesh in Mesh.objects.filter(digest__in=lost, state=Mesh.State.READY):
        Mesh.objects.filter(pk=mesh.pk).update(state=Mesh.State.READING)
        ask_once("read_uploaded", f"mesh-{mesh.pk}", mesh_id=mesh.pk)


def work_out_missing(plan: Plan) -> None:
    """Have workers work out what is shown of a plan before it is calculated, and not known yet or no more."""
    _read_missing({digest for model in plan.models for digest in model.sources})
    _prepare_missing(plan)
    _draw_missing(plan)


def read_again() -> None:
    """Have workers read the meshes that nobody has read to the end, such as those of an older version."""
    for mesh in Mesh.objects.filter(state=Mesh.State.READING):
        ask_once("read_uploaded", f"mesh-{mesh.pk}", mesh_id=mesh.pk)
