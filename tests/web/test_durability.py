"""Nothing is lost: backups, job files, refusals that do not stick, work of killed workers."""

import asyncio
import zipfile
from pathlib import Path

import pytest
from asgiref.sync import sync_to_async
from django.db import connection
from django.test import Client
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.manager import JobManager

from nephos.command import backup
from nephos.command.machine import SetupFailed
from nephos.command.warm import small_hill
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.post.checksum import check_word
from nephos.web import tasks
from nephos.web.lost_work import take_up_lost
from nephos.web.models import Blob, Calculation, Cutter, Job, Material, Mesh, Result, Revision, Setting
from nephos.web.store import DatabaseStore
from web.durable_shop import calculate, programs
from web.shop import body_of, send, upload

pytestmark = pytest.mark.django_db(transaction=True)


def test_a_job_file_in_an_empty_shop_gives_the_same_programs(shop: Client, job: dict) -> None:
    before = programs(shop, calculate(shop, job))
    assert before
    data = body_of(shop.get(f"/api/jobs/{job['id']}/file"))
    for model in (Job, Mesh, Result, Blob):
        model.objects.all().delete()
    tasks.STORE = DatabaseStore()
    tasks._loaded.cache_clear()
    back = shop.post("/api/jobs/file", data, content_type="application/zip").json()
    # What is drawn first finds no mesh yet; that must not be remembered.
    tasks.draw_outlines(back["plan"])
    failed = calculate(shop, back)
    assert failed["calculation"]["state"] == "failed" and "still being read" in failed["calculation"]["reason"]
    tasks.read_uploaded(Mesh.objects.get().pk)
    again = calculate(shop, back)
    assert again["calculation"]["state"] == "done"
    assert programs(shop, again) == before


def test_a_fault_in_a_reader_ends_as_a_refusal(shop: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    mesh = upload(shop, write_stl(small_hill(cells=5))).json()
    monkeypatch.setattr(tasks, "read_mesh", lambda name, data: 1 / 0)
    tasks.read_uploaded(mesh["id"])
    row = Mesh.objects.get()
    assert row.state == "refused" and "fault of Nephos" in row.reason


@pytest.mark.parametrize("at", range(0, 400, 7))
def test_a_zip_with_a_flipped_byte_is_read_or_refused(at: int, tmp_path: Path) -> None:
    from nephos.core.errors import Refused
    from nephos.core.mesh.formats import read_mesh

    path = tmp_path / "flip.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_LZMA if at % 2 else zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a.stl", write_stl(small_hill(cells=4)))
    data = bytearray(path.read_bytes())
    path.unlink()
    data[at % len(data)] ^= 0x5A
    try:
        read_mesh("a.zip", bytes(data))
    except Refused as reason:
        assert str(reason)


def without_word(text: bytes) -> bytes:
    """A program without its check word, of which some digits are of the job's name."""
    return text.replace(check_word(text).encode(), b"")


def test_headers_name_the_job_as_it_is_called_now(shop: Client, job: dict) -> None:
    done = calculate(shop, job)
    (name, first), *_ = programs(shop, done).items()
    assert first.startswith(b"(job: Hill revision 2)")
    send(shop, f"/jobs/{job['id']}", {"name": "Bank check 0123456789abcdef"}, "patch")
    renamed = shop.get(f"/api/jobs/{job['id']}").json()
    second = programs(shop, renamed)[name]
    assert (
        second.startswith(b"(job: Bank check-0123456789abcdef revision 2)")
        and without_word(second).split(b"\n")[1:] == without_word(first).split(b"\n")[1:]
    )
    copy = send(shop, f"/jobs/{job['id']}/copy", {"name": "Copy"}).json()
    third = programs(shop, copy)[name]
    assert third.startswith(b"(job: Copy revision 1)")
    for text in (first, second, third):
        said = shop.post(f"/api/jobs/{copy['id']}/check/a", text, content_type="application/octet-stream").json()
        assert said["state"] == "current"
    bad = b"(G59)\n" + second.split(b"\n", 1)[1].replace(b"X", b"X1", 1)
    assert (
        shop.post(f"/api/jobs/{copy['id']}/check/a", bad, content_type="application/octet-stream").json()["state"]
        == "altered"
    )
    sneaky = b"G59\n" + second.split(b"\n", 1)[1]
    assert (
        shop.post(f"/api/jobs/{copy['id']}/check/a", sneaky, content_type="application/octet-stream").json()["state"]
        == "altered"
    )


def _test_url() -> str:
    found = connection.settings_dict
    words = {"host": "HOST", "port": "PORT", "user": "USER", "password": "PASSWORD", "dbname": "NAME"}
    return " ".join(f"{word}={found[name]}" for word, name in words.items())


@pytest.mark.parametrize("results", [False, True])
def test_a_backup_brings_everything_back(shop: Client, job: dict, tmp_path: Path, results: bool) -> None:
    done = calculate(shop, job)
    before = programs(shop, done)
    Setting.objects.create(key="x", value=[1])
    file = tmp_path / "shop.zip"
    about = backup.write_backup(file, results, _test_url())
    assert backup.read_about(file) == about and "mesh" in about["tables"]
    counts = {model: model.objects.count() for model in (Job, Revision, Cutter, Mesh, Setting)}
    # What came with the tables, such as the first materials, and what was added since are replaced.
    Setting.objects.create(key="later", value=[1])
    Material.objects.get_or_create(name="later", data={})
    for model in (Calculation, Revision, Job, Cutter):
        model.objects.all().delete()
    backup.fill(file, about, _test_url())
    tasks.STORE = DatabaseStore()
    tasks._loaded.cache_clear()
    assert {model: model.objects.count() for model in counts} == counts
    assert (Result.objects.count() > 0) == results
    if not results:
        tasks.read_uploaded(Mesh.objects.get().pk)
        calculate(shop, job)
    assert programs(shop, shop.get(f"/api/jobs/{job['id']}").json()) == before
    assert send(shop, "/jobs", {"name": "One more"}).status_code == 200, "and numbers go on from there"


def test_a_damaged_backup_is_refused_and_changes_nothing(shop: Client, job: dict, tmp_path: Path) -> None:
    file = tmp_path / "shop.zip"
    backup.write_backup(file, url=_test_url())
    data = bytearray(file.read_bytes())
    data[len(data) // 2] ^= 0xFF
    file.write_bytes(bytes(data))
    with pytest.raises(SetupFailed, match="damaged"):
        backup.read_about(file)
    (tmp_path / "no.zip").write_bytes(b"no zip")
    with pytest.raises(SetupFailed, match="no backup"):
        backup.read_about(tmp_path / "no.zip")
    assert Job.objects.count() == 1


def test_a_mesh_whose_summary_an_older_version_made_is_read_again(
    shop: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    upload(shop, write_stl(small_hill()))
    mesh = Mesh.objects.get()
    tasks.read_uploaded(mesh.pk)
    job = send(shop, "/jobs", {"name": "A hill", "mesh": mesh.pk}).json()
    Result.objects.all().delete()
    again = shop.get(f"/api/jobs/{job['id']}").json()
    assert again["derived"]["models"]["m1"]["state"] == "reading"
    monkeypatch.setattr(tasks, "STORE", DatabaseStore())
    tasks.read_uploaded(mesh.pk)
    assert shop.get(f"/api/jobs/{job['id']}").json()["derived"]["models"]["m1"]["state"] == "ready"


async def lost_with_a_twin() -> tuple[int, int, list[tuple[str, str]]]:
    """A worker is killed while it draws and calculates; meanwhile the same drawing was asked for once more."""
    worker = app.with_connector(app.connector.get_worker_connector())
    async with worker.open_async():
        manager = JobManager(worker.connector)
        draw = app.configure_task("nephos.web.tasks.draw_outlines", queue="mesh", queueing_lock="o", lock="o")
        work = app.configure_task("nephos.web.tasks.calculate", queue="calculate", lock="job-1")
        await sync_to_async(draw.defer)(plan={})
        await sync_to_async(work.defer)(calculation_id=1)
        killed = await manager.register_worker()
        for queue in ("mesh", "calculate"):
            assert await manager.fetch_job([queue], killed) is not None
        await sync_to_async(draw.defer)(plan={})
        first = await take_up_lost(manager, -1.0)
        again = await take_up_lost(manager, -1.0)
        rows = await sync_to_async(list)(ProcrastinateJob.objects.values_list("task_name", "status"))
        return first, again, sorted((name.rsplit(".", 1)[1], status) for name, status in rows)


@pytest.mark.django_db(transaction=True)
def test_work_that_waits_already_does_not_keep_other_lost_work_from_being_taken_up() -> None:
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM procrastinate_jobs")
    first, again, rows = asyncio.run(lost_with_a_twin())
    assert (first, again) == (1, 0)
    assert rows == [("calculate", "todo"), ("draw_outlines", "failed"), ("draw_outlines", "todo")]
