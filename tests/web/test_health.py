"""Room on the disks, health and metrics, and what is said of a failure."""

import shutil
from pathlib import Path

import psycopg
import pytest
from django.db.utils import OperationalError
from django.test import Client

from nephos import disks
from nephos.command.warm import small_hill
from nephos.core.mesh.formats.stl import write_stl
from nephos.web import health, tasks
from nephos.web.models import Calculation, Mesh
from web.shop import send, upload

pytestmark = pytest.mark.django_db(transaction=True)


def test_with_a_full_disk_work_is_refused_before_it_begins(
    shop: Client, job: dict, monkeypatch: pytest.MonkeyPatch
) -> None:
    where = disks.Disk("of the database", Path("/var/lib/data"), 3 * 2**20)
    monkeypatch.setattr(disks, "disks", lambda: [disks.Disk("of Nephos", Path("/"), 75 * 2**30), where])
    for answer in (upload(shop, write_stl(small_hill(cells=5))), send(shop, f"/jobs/{job['id']}/calculate")):
        assert answer.status_code == 422 and "only 3 MB are free" in answer.json()["message"]
    row = Calculation.objects.create(job_id=job["id"], revision=job["revision"])
    tasks.calculate(row.pk)
    row.refresh_from_db()
    assert row.state == "failed" and "only 3 MB are free" in row.reason
    told = shop.get("/health")
    assert told.status_code == 503 and "3 MB" in told.json()["problem"] and "/var/lib/data" in told.json()["problem"]


def test_the_disk_of_the_database_is_measured_too(monkeypatch: pytest.MonkeyPatch) -> None:
    """As root the cluster lies in /var/lib, which may be another disk."""
    usage = shutil.disk_usage("/")
    monkeypatch.setattr(disks, "database_folder", lambda: Path("/var/lib/nephos/not-yet-there"))
    monkeypatch.setattr(
        shutil, "disk_usage", lambda path: usage._replace(free=5 if str(path).startswith("/var/lib") else 10**11)
    )
    assert disks.fullest() == disks.Disk("of the database", Path("/var/lib/nephos/not-yet-there"), 5)
    monkeypatch.setenv("NEPHOS_DATABASE_URL", "postgresql://nephos:x@elsewhere/nephos")
    assert health.free_bytes() == 10**11, "that of a database on another machine is not measured here"


@pytest.mark.parametrize("error", [psycopg.errors.DiskFull("could not extend file"), OSError(28, "No space left")])
def test_a_disk_that_is_full_is_named(shop: Client, monkeypatch: pytest.MonkeyPatch, error: Exception) -> None:
    from nephos.web.api import jobs

    def full(*words: object) -> None:
        try:
            raise error
        except type(error) as reason:
            raise OperationalError(str(reason)) from reason

    monkeypatch.setattr(jobs.service, "create_job", full)
    shop.raise_request_exception = False
    answer = send(shop, "/jobs", {"name": "x"})
    assert answer.status_code == 507 and "is full" in answer.json()["message"], answer.content
    monkeypatch.setattr(tasks, "read_mesh", full)
    mesh = upload(shop, write_stl(small_hill(cells=5))).json()
    tasks.read_uploaded(mesh["id"])
    assert "is full" in Mesh.objects.get().reason and "fault of Nephos" not in Mesh.objects.get().reason


def test_health_and_metrics(shop: Client) -> None:
    assert shop.get("/health").json()["database"] is True
    text = shop.get("/metrics").content.decode()
    assert "nephos_disk_free_bytes" in text and "nephos_requests_total" in text


def test_a_failure_leaves_a_trace_that_the_page_can_name(
    shop: Client, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    from nephos.web.api import jobs

    shop.raise_request_exception = False
    monkeypatch.setattr(jobs, "job_page", lambda wanted: 1 / 0)
    answer = shop.get("/api/jobs")
    number = answer.json()["request"]
    assert answer.status_code == 500 and number in answer.json()["message"] and answer.headers["X-Request-Id"] == number
    assert any(number in record.getMessage() and record.exc_info for record in caplog.records)


def test_a_database_that_is_away_is_said_so(shop: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    from django.db.utils import OperationalError

    from nephos.web.api import jobs

    def away(wanted):
        raise OperationalError("connection refused")

    monkeypatch.setattr(jobs, "job_page", away)
    answer = shop.get("/api/jobs")
    assert answer.status_code == 503 and "database does not answer" in answer.json()["message"]
