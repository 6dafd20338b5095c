"""Old results go: what current revisions need stays, and beside it what was used lately, up to a size that the shop
sets."""

import json
import re
from collections.abc import Iterable
from datetime import timedelta
from functools import lru_cache
from typing import Any

from django.db import connection, transaction
from django.db.models import Sum
from django.utils import timezone

from nephos.core.answers.kept import outline_keys
from nephos.core.errors import Refused
from nephos.core.estimate.stock_estimate import HeightMapStage
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.report.job_results import JobReports
from nephos.core.report.setup_results import Reports
from nephos.core.stages.of_plan import stages_of
from nephos.core.stages.overrun import RimStage
from nephos.core.stages.prepared import composed_key, prepared_key
from nephos.core.stages.shadow import ShadowStage
from nephos.core.stages.stage import Stage, walk
from nephos.web.deleted import drop_old
from nephos.web.mesh_keys import mesh_summary_key, raw_mesh_summary_key
from nephos.web.models import Blob, Calculation, Job, Mesh, Result, Revision, Setting

LIMIT = 4 * 2**30
"""Bytes of results that are kept where the shop has set nothing."""
LEAST = 64 * 2**20
_LIMIT_KEY = "result-limit"
_ORPHAN = timedelta(hours=24)
"""Files that nothing refers to go after so long; an upload may still be on its path."""
_FINISHED = timedelta(hours=1)
_AT_ONCE = 200


def limit() -> int:
    """Bytes of results that are kept."""
    found = Setting.objects.filter(key=_LIMIT_KEY).values_list("value", flat=True).first()
    return int(found) if isinstance(found, int) else LIMIT


def set_limit(size: int) -> None:
    """Set how many bytes of results are kept."""
    if size < LEAST:
        raise Refused(f"{LEAST // 2**20} MB is the least that results need")
    Setting.objects.update_or_create(key=_LIMIT_KEY, defaults={"value": size})


def kept_bytes() -> int:
    """Bytes that all results take in the database."""
    return int(Result.objects.aggregate(total=Sum("size"))["total"] or 0)


def keys_of(plan: Plan) -> set[str]:
    """Keys of all results that a plan needs. Programs lie under the key of their files, with a name behind it."""
    found = {raw_mesh_summary_key(digest) for model in plan.models for digest in model.sources} | {
        mesh_summary_key(model) for model in plan.models
    }
    found |= {prepared_key(model) for model in plan.models}
    found |= {composed_key(model) for model in plan.models if model.composition is not None}
    plan = plan.as_cut()
    graph = stages_of(plan)
    job = JobReports.of(plan)
    if job is not None:
        found |= {stage.key for stage in walk(job.summary, job.findings)}
    for setup in plan.setups:
        stages = graph[setup.id]
        beside: list[Stage[Any]] = [RimStage.of(plan, setup), HeightMapStage.of(plan, setup)]
        beside += [ShadowStage.of(plan, setup, ids) for ids in ((), *((model.id,) for model in plan.models))]
        found |= {stage.key for stage in walk(*stages.all(), *beside)} | set(outline_keys(plan, setup).values())
        if stages.operations:
            reports = Reports.of(stages)
            found |= {reports.summary.key, reports.findings.key, reports.files}
    return found


def _current_plans() -> Iterable[Plan]:
    """The plans that jobs stand at, and those that are being calculated."""
    wanted = {(job.pk, job.revision) for job in Job.objects.all()}
    busy = (Calculation.State.WAITING, Calculation.State.WORKING)
    wanted |= set(Calculation.objects.filter(state__in=busy).values_list("job_id", "revision"))
    for job_id, number in wanted:
        row = Revision.objects.filter(job_id=job_id, number=number).first()
        if row is None:
            continue
        try:
            yield parse_plan(row.plan)
        except Refused:
            continue


def needed_keys() -> set[str]:
    """Keys that must stay."""
    found: set[str] = set()
    for plan in _current_plans():
        found |= keys_of(plan)
    return found


def _drop(keys: list[str]) -> None:
    for k in range(0, len(keys), _AT_ONCE):
        some = keys[k : k + _AT_ONCE]
        with transaction.atomic():
            # The rows of arrays and chunks go with the blobs.
            Blob.objects.filter(resultarray__result_id__in=some).delete()
            Result.objects.filter(key__in=some).delete()


def forget_job(job_id: int) -> int:
    """Drop the results that were made for a job that is gone, and that no other job needs; returns how many."""
    needed = needed_keys()
    keys = [
        key
        for key in Result.objects.filter(job=job_id).values_list("key", flat=True)
        if key.split("/")[0] not in needed
    ]
    _drop(keys)
    return len(keys)


def collect() -> int:
    """Drop what nobody needs; returns how many results went."""
    _drop_orphans()
    too_much = kept_bytes() - limit()
    if too_much <= 0:
        return 0
    needed = needed_keys()
    gone: list[str] = []
    for key, size in Result.objects.order_by("used").values_list("key", "size").iterator():
        if too_much <= 0:
            break
        if key.split("/")[0] in needed:
            continue
        gone.append(key)
        too_much -= size
    _drop(gone)
    return len(gone)


_DIGEST = re.compile(r"\b[0-9a-f]{64}\b")


@lru_cache(maxsize=100_000)
def _meshes_of(revision_id: int) -> frozenset[str]:
    """Digests of the meshes that a revision uses. A revision never changes."""
    document = Revision.objects.values_list("plan", flat=True).get(pk=revision_id)
    try:
        return frozenset(digest for model in parse_plan(document).models for digest in model.sources)
    except Refused:
        # Of a plan that this version cannot read, all that looks like a digest counts as used.
        return frozenset(_DIGEST.findall(json.dumps(document)))


def meshes_in_use() -> frozenset[str]:
    """Digests of the meshes that any revision of any job uses, deleted jobs among them."""
    return frozenset().union(*map(_meshes_of, Revision.objects.values_list("pk", flat=True)))


def _drop_orphans() -> None:
    """Rows deleted long ago, refused uploads, meshes that no revision uses, files that nothing refers to, and finished
    rows of the queue."""
    drop_old()
    old = timezone.now() - _ORPHAN
    doubtful = list(Mesh.objects.filter(created__lt=old).exclude(state=Mesh.State.READING))
    used = meshes_in_use() if doubtful else frozenset()
    for mesh in doubtful:
        if mesh.state == Mesh.State.REFUSED or mesh.digest not in used:
            with transaction.atomic():
                mesh.delete()
                Blob.objects.filter(pk=mesh.file_id).delete()
    Blob.objects.filter(created__lt=old, mesh__isnull=True, resultarray__isnull=True).delete()
    with connection.cursor() as cursor:
        cursor.execute(
            "DELETE FROM procrastinate_jobs WHERE status IN ('succeeded', 'failed', 'cancelled', 'aborted') AND NOT "
            "EXISTS (SELECT 1 FROM procrastinate_events e WHERE e.job_id = procrastinate_jobs.id AND e.at > %s)",
            [timezone.now() - _FINISHED],
        )
