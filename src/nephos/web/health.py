"""Is everything there: database, worker, room on the disk."""

import errno
import os
import time
from dataclasses import asdict, dataclass
from math import ceil
from typing import Any, cast

import psycopg
from django.db import connection
from django.db.utils import Error
from django.http import HttpRequest, HttpResponse, JsonResponse
from prometheus_client import CONTENT_TYPE_LATEST, REGISTRY, CollectorRegistry, Gauge, generate_latest
from prometheus_client.multiprocess import MultiProcessCollector

from nephos.core.errors import Refused
from nephos.disks import LEAST_FREE, fullest
from nephos.web.queues import QUEUES

SILENT = 20.0
"""A worker that was not heard of for so many seconds is not there."""

_FREE = Gauge("nephos_disk_free_bytes", "Bytes free on the disk of Nephos", multiprocess_mode="mostrecent")
_WAITING = Gauge("nephos_queue_waiting", "Tasks that wait for a worker", multiprocess_mode="mostrecent")
_WORKERS = Gauge("nephos_workers", "Workers that were heard of lately", multiprocess_mode="mostrecent")


@dataclass(frozen=True)
class Health:
    """What was found; `problem` is empty where all is well, else a sentence."""

    database: bool
    worker: bool
    free_megabytes: int
    waiting: int
    problem: str


def free_bytes() -> int:
    """Bytes free on the disk with the least room."""
    return fullest().free


def require_space(what: str) -> None:
    """Refuse work that writes much while a disk is nearly full, before anything breaks."""
    disk = fullest()
    if disk.free < LEAST_FREE:
        raise Refused(
            f"only {disk.free // 2**20} MB are free on the disk {disk.title} ({disk.folder}): {what} needs "
            f"{LEAST_FREE // 2**20} MB; delete files, or lower the size of kept results"
        )


def full_disk(error: BaseException) -> str:
    """The sentence for an error that a full disk caused, in us or in the database; empty for any other error."""
    cause: BaseException | None = error
    while cause is not None:
        if isinstance(cause, psycopg.errors.DiskFull) or getattr(cause, "errno", None) in {errno.ENOSPC, errno.EDQUOT}:
            disk = fullest()
            return (
                f"the disk {disk.title} ({disk.folder}) is full: nothing was changed; delete files there, or lower the "
                "size of kept results, and try again"
            )
        cause = cause.__cause__ or cause.__context__
    return ""


def _queue() -> tuple[int, int]:
    """How many tasks wait, and how many workers were heard of lately. A worker registers once for each queue."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT count(*) FROM procrastinate_jobs WHERE status = 'todo'")
        waiting = int(cursor.fetchone()[0])
        cursor.execute(
            "SELECT count(*) FROM procrastinate_workers WHERE last_heartbeat > now() - make_interval(secs => %s)",
            [SILENT],
        )
        return waiting, ceil(int(cursor.fetchone()[0]) / len(QUEUES))


_started = time.monotonic()


def health() -> Health:
    """How it stands now."""
    disk = fullest()
    free, scarce = disk.free, ""
    if free < LEAST_FREE:
        scarce = (
            f"only {free // 2**20} MB are free on the disk {disk.title} ({disk.folder}): uploads and calculations wait "
            "until there is more"
        )
    try:
        waiting, workers = _queue()
    except Error:
        return Health(False, False, free // 2**20, 0, scarce or "the database does not answer: it is started again")
    problem = scarce
    if not problem and not workers and time.monotonic() - _started > SILENT:
        problem = "no worker runs: nothing is calculated until one does"
    return Health(True, workers > 0, free // 2**20, waiting, problem)


def health_view(request: HttpRequest) -> HttpResponse:
    """`/health`: 200 where all is well, else 503 with what is wrong; the page asks with `?page` and is answered with
    200 always."""
    found = health()
    return JsonResponse(asdict(found), status=503 if found.problem and "page" not in request.GET else 200)


def metrics_view(request: HttpRequest) -> HttpResponse:
    """`/metrics`: for Prometheus."""
    _FREE.set(free_bytes())
    try:
        waiting, workers = _queue()
    except Error:
        waiting = workers = 0
    _WAITING.set(waiting)
    _WORKERS.set(workers)
    registry = REGISTRY
    if "PROMETHEUS_MULTIPROC_DIR" in os.environ:
        registry = CollectorRegistry()
        # Its constructor is untyped.
        cast(Any, MultiProcessCollector)(registry)
    return HttpResponse(generate_latest(registry), content_type=CONTENT_TYPE_LATEST)
