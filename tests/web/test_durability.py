"""Nothing gets in, nothing is lost: the gate, backups, kept results, refusals that do not stick, traces of failures."""

import asyncio
import json
import shutil
import zipfile
from datetime import timedelta
from pathlib import Path

import psycopg
import pytest
from asgiref.sync import sync_to_async
from django.conf import settings
from django.db import connection
from django.db.utils import OperationalError
from django.test import Client
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.manager import JobManager

from nephos import disks
from nephos.command import backup
from nephos.command.machine import SetupFailed
from nephos.command.sample import sample_cutters
from nephos.command.sample_relief import roundel_plan
from nephos.command.warm import small_hill
from nephos.core.machine.machine import MACHINES
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.pipeline.store import as_result
from nephos.core.post.checksum import check_word
from nephos.core.post.schema import shipped_posts
from nephos.web import collect, health, tasks
from nephos.web import jobs as service
from nephos.web.gate import Gate
from nephos.web.lost_work import take_up_lost
from nephos.web.models import Blob, Calculation, Chunk, Cutter, Job, Material, Mesh, Result, Revision, Setting
from nephos.web.store import DatabaseStore
from web.shop import body_of, send, upload

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture()
def shop(client: Client) -> Client:
    tasks.STORE = DatabaseStore()
    tasks._loaded.cache_clear()
    for cutter in sample_cutters():
        Cutter.objects.create(number=cutter.number, data=cutter.model_dump())
    return client


@pytest.fixture()
def job(shop: Client) -> dict:
    mesh = upload(shop, write_stl(small_hill(cells=30))).json()
    tasks.read_uploaded(mesh["id"])
    made = send(shop, "/jobs", {"name": "Hill", "mesh": mesh["id"]}).json()
    plan = made["plan"] | {"pitch": 1.0}
    plan["setups"][0]["operations"] = [plan["setups"][0]["operations"][-2] | {"number": 10}]
    return send(shop, f"/jobs/{made['id']}/plan", {"based_on": made["version"], "plan": plan}, "put").json()


def calculate(client: Client, job: dict) -> dict:
    state = send(client, f"/jobs/{job['id']}/calculate").json()
    tasks.calculate(state["id"])
    return client.get(f"/api/jobs/{job['id']}").json()


def programs(client: Client, job: dict) -> dict[str, bytes]:
    info = job["derived"]["setups"][0]
    return {
        item["name"]: body_of(client.get(f"/api/jobs/{job['id']}/program/{info['id']}/{item['name']}"))
        for item in info["programs"]
    }


# --- the gate ---------------------------------------------------------------------------------------------------------


def through(method: str, path: str, headers: dict[str, str], pieces: list[bytes]) -> tuple[int, int]:
    """Status and how many pieces of the body were taken in."""
    taken, sent = [], []

    async def app(scope, receive, send) -> None:
        while True:
            message = await receive()
            if not message.get("more_body"):
                break
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b""})

    waiting = list(pieces)

    async def receive() -> dict:
        taken.append(1)
        return {"type": "http.request", "body": waiting.pop(0) if waiting else b"", "more_body": bool(waiting)}

    async def send(message: dict) -> None:
        sent.append(message)

    scope = {
        "type": "http",
        "method": method,
        "path": path,
        "headers": [(k.encode(), v.encode()) for k, v in headers.items()],
    }
    asyncio.run(Gate(app)(scope, receive, send))
    if sent[0]["status"] != 200:
        named = {name.decode(): value.decode() for name, value in sent[0]["headers"]}
        assert "default-src 'self'" in named["content-security-policy"], "as every answer has"
        assert named["x-content-type-options"] == "nosniff" and named["referrer-policy"] == "no-referrer"
        assert json.loads(sent[1]["body"])["request"] == named["x-request-id"]
    return sent[0]["status"], len(taken)


OWN = {"host": "localhost:8460", "cookie": "csrftoken=abc", "x-csrftoken": "abc"}


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        (OWN | {"host": "evil.example"}, 400),
        ({"host": "localhost"}, 403),
        (OWN | {"origin": "http://evil.example"}, 403),
        (OWN | {"content-length": str(10**12)}, 413),
        (OWN | {"content-length": "x"}, 400),
        (OWN | {"host": "[::1]"}, 400),
        (OWN | {"content-length": "5", "transfer-encoding": "chunked"}, 400),
        (OWN | {"content-type": "multipart/form-data"}, 415),
    ],
)
def test_what_must_not_pass_is_turned_away_before_its_body(headers: dict, status: int) -> None:
    assert through("POST", "/api/meshes", headers, [b"x" * 1000] * 50) == (status, 0)


def test_a_body_in_pieces_is_broken_off_at_its_limit(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(settings, "MESH_LIMIT", 10_000)
    status, taken = through("POST", "/api/meshes", OWN, [b"x" * 1000] * 5000)
    assert status == 413 and taken == 11
    assert through("POST", "/api/meshes", OWN, [b"x" * 1000] * 9)[0] == 200
    assert through("GET", "/api/jobs", {"host": "127.0.0.1:8460"}, [])[0] == 200
    assert through("GET", "/api/jobs", {"host": "testserver"}, [])[0] == (
        200 if "testserver" in settings.ALLOWED_HOSTS else 400
    )


def test_the_test_host_is_none_outside_of_tests() -> None:
    from nephos.web import settings as shipped

    assert shipped.ALLOWED_HOSTS is settings.ALLOWED_HOSTS or "testserver" not in Path(shipped.__file__).read_text()


# --- refusals that do not stick ---------------------------------------------------------------------------------------


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
def test_a_zip_with_a_flipped_byte_is_read_or_refused(at: int) -> None:
    from nephos.core.errors import Refused
    from nephos.core.mesh.formats import read_mesh

    path = Path(settings.LOGS) / "flip.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_LZMA if at % 2 else zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a.stl", write_stl(small_hill(cells=4)))
    data = bytearray(path.read_bytes())
    path.unlink()
    data[at % len(data)] ^= 0x5A
    try:
        read_mesh("a.zip", bytes(data))
    except Refused as reason:
        assert str(reason)


# --- files after renaming ---------------------------------------------------------------------------------------------


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


# --- backup -----------------------------------------------------------------------------------------------------------


def _test_url() -> str:
    found = connection.settings_dict
    return f"host={found['HOST']} port={found['PORT']} user={found['USER']} password={found['PASSWORD']} dbname={found['NAME']}"


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


# --- old results ------------------------------------------------------------------------------------------------------


def test_many_edits_keep_to_a_size(shop: Client, job: dict, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(collect, "LEAST", 1)
    done = calculate(shop, job)
    collect.set_limit(3 * collect.kept_bytes())
    largest, plan = 0, done["plan"]
    for k in range(15):
        plan["setups"][0]["operations"][0]["settings"]["stepover"] = 1.0 + 0.04 * k
        row = service.write_plan(job["id"], Job.objects.get().version, plan, "stepover")
        run = Calculation.objects.create(job=row, revision=row.revision)
        tasks.calculate(run.pk)
        run.refresh_from_db()
        assert run.state == "done"
        if k % 5 == 4:
            tasks.collect_results()
            largest = max(largest, collect.kept_bytes())
    assert largest <= collect.limit() and Result.objects.count() < 300
    assert programs(shop, shop.get(f"/api/jobs/{job['id']}").json()), "what the job needs is there"
    assert Chunk.objects.count() <= Blob.objects.count() and Blob.objects.count() <= 8 * Result.objects.count()


def test_deleting_a_job_takes_its_results_and_old_files_along(shop: Client, job: dict) -> None:
    other = send(shop, f"/jobs/{job['id']}/copy", {"name": "Copy"}).json()
    calculate(shop, job)
    send(shop, f"/jobs/{job['id']}", None, "delete")
    collect.forget_job(job["id"])
    assert programs(shop, shop.get(f"/api/jobs/{other['id']}").json()), "the copy needs the same results"
    send(shop, f"/jobs/{other['id']}", None, "delete")
    collect.forget_job(job["id"])
    assert not Result.objects.filter(stage__in=("block", "path", "moves", "program")).exists()
    refused = upload(shop, b"no mesh at all").json()
    tasks.read_uploaded(refused["id"])
    collect.collect()
    assert Mesh.objects.count() == 2, "what came today may still be wanted"
    Mesh.objects.update(created=timezone.now() - timedelta(days=2))
    collect.collect()
    assert Mesh.objects.count() == 1, "deleted jobs can be brought back, so their mesh stays"
    Job.every.update(deleted=timezone.now() - timedelta(days=31))
    collect.collect()
    assert not Mesh.objects.exists() and not Job.every.exists()
    Blob.objects.update(created=timezone.now() - timedelta(days=2))
    collect.collect()
    assert set(Blob.objects.values_list("pk", flat=True)) == set(
        Result.objects.values_list("arrays__blob", flat=True)
    ) - {None}


def test_what_a_running_calculation_needs_stays(shop: Client, job: dict, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(collect, "LEAST", 1)
    done = calculate(shop, job)
    plan = done["plan"]
    plan["setups"][0]["operations"][0]["settings"]["stepover"] = 0.9
    changed = send(shop, f"/jobs/{job['id']}/plan", {"based_on": done["version"], "plan": plan}, "put").json()
    Calculation.objects.create(job_id=job["id"], revision=done["revision"], state="working")
    keys = set(Result.objects.values_list("key", flat=True))
    collect.set_limit(1)
    collect.collect()
    assert set(Result.objects.values_list("key", flat=True)) == keys
    Calculation.objects.all().delete()
    collect.collect()
    assert set(Result.objects.values_list("key", flat=True)) < keys and changed["revision"] > done["revision"]


# --- room, health, traces ---------------------------------------------------------------------------------------------


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


# --- deleted rows -----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["cutter", "post", "machine"])
def test_what_was_deleted_from_the_shop_comes_back(shop: Client, kind: str) -> None:
    bodies = {
        "cutter": sample_cutters()[0].model_dump() | {"number": 400, "name": "kept"},
        "post": {**shipped_posts()["rs274-metric"].model_dump(mode="json"), "id": "own-post", "title": "kept"},
        "machine": {**MACHINES["shed-router"].model_dump(mode="json"), "id": "own", "name": "kept"},
    }
    made = send(shop, f"/{kind}s", {"data": bodies[kind]})
    assert made.status_code == 200, made.json()
    address = f"/{kind}s/{made.json()['id'] if kind == 'cutter' else bodies[kind]['id']}"
    assert send(shop, address, None, "delete").status_code == 204
    listed = shop.get(f"/api/deleted/{kind}").json()
    assert [row["name"] for row in listed] == ["kept"]
    back = f"/deleted/{kind}/{listed[0]['id']}/restore"
    # Its number or id can be taken meanwhile; then it is said, and nothing is lost.
    again = send(shop, f"/{kind}s", {"data": bodies[kind]})
    assert again.status_code == 200, "and its number is free"
    refused = send(shop, back)
    assert refused.status_code == 422 and "give that one another" in refused.json()["message"]
    address = f"/{kind}s/{again.json()['id'] if kind == 'cutter' else bodies[kind]['id']}"
    assert send(shop, address, None, "delete").status_code == 204
    assert send(shop, back).status_code == 204
    assert "kept" in shop.get(f"/api/{kind}s").content.decode()
    assert len(shop.get(f"/api/deleted/{kind}").json()) == 1
    assert send(shop, back).status_code == 422, "a second time it is there already"


def test_a_deleted_job_comes_back_with_its_revisions(shop: Client, job: dict) -> None:
    before = shop.get(f"/api/jobs/{job['id']}").json()
    assert send(shop, f"/jobs/{job['id']}", None, "delete").status_code == 204
    assert shop.get(f"/api/jobs/{job['id']}").status_code == 404
    (row,) = shop.get("/api/deleted/job").json()
    assert row["name"] == "Hill" and row["gone"][:10] > row["deleted"][:10]
    Mesh.objects.update(created=timezone.now() - timedelta(days=2))
    collect.collect()
    assert send(shop, f"/deleted/job/{row['id']}/restore").status_code == 204
    after = shop.get(f"/api/jobs/{job['id']}").json()
    assert after["plan"] == before["plan"] and after["can_undo"]
    assert shop.get("/api/deleted/nothing").status_code == 422


def test_the_mesh_of_a_relief_stays_while_any_revision_uses_it(shop: Client) -> None:
    moth = upload(shop, write_stl(small_hill(cells=12)), "moth.stl").json()
    tasks.read_uploaded(moth["id"])
    cutters = {cutter.number: cutter for cutter in sample_cutters()}
    service.create_job("Roundel", None, roundel_plan(Mesh.objects.get().digest, cutters))
    Mesh.objects.update(created=timezone.now() - timedelta(days=2))
    collect.collect()
    assert Mesh.objects.count() == 1
    # A plan that this version cannot read keeps all that looks like a mesh of it.
    collect._meshes_of.cache_clear()
    row = Revision.objects.get()
    row.plan = row.plan | {"schema_version": 999}
    row.save()
    collect.collect()
    assert Mesh.objects.count() == 1


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


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("post", "/jobs", {"name": "a\x00b"}),
        ("post", "/jobs", {"name": "\ud800"}),
        ("get", "/results/%00/facts", None),
        ("get", "/results/a%00b/array/x", None),
        ("post", "/jobs/1/check/a?cutter=99999999999999999999999", None),
        ("post", "/jobs/1/window/a", {"low": [float("nan"), 0], "high": [1, 1], "pitch": 0.1, "operations": 1}),
        ("get", "/jobs/99999999999999999999999", None),
        ("get", "/times/%00", None),
        ("put", "/storage", {"limit": -1}),
        (
            "post",
            "/jobs/preview/plan",
            {"plan": {"schema_version": 1, "stock": {"length": 9}, "models": [{"placement": 3}]}},
        ),
        ("post", "/jobs/preview/plan", {"plan": {"schema_version": 1, "setups": [{"operations": [{"number": "x"}]}]}}),
        ("post", "/jobs/preview/plan", {"plan": {"schema_version": True}}),
    ],
)
def test_what_no_database_takes_is_refused(shop: Client, method: str, path: str, body: object) -> None:
    shop.raise_request_exception = False
    answer = send(shop, path, body, method) if body is not None else getattr(shop, method)(f"/api{path}")
    assert 400 <= answer.status_code < 500, answer.content[:200]


def test_a_form_is_none_of_the_bodies_that_are_taken(shop: Client) -> None:
    shop.raise_request_exception = False
    for address in ("/api/jobs", "/api/meshes", "/api/jobs/file", "/api/cutters/import", "/api/posts/preview"):
        answer = shop.post(address, b"a=b", content_type="multipart/form-data")
        assert 400 <= answer.status_code < 500, (address, answer.content[:200])


def test_a_job_file_whose_revision_is_no_number_is_refused(shop: Client, job: dict, tmp_path: Path) -> None:
    data = body_of(shop.get(f"/api/jobs/{job['id']}/file"))
    (tmp_path / "a.zip").write_bytes(data)
    for change in ({"revision": True}, {"version": True}, {"revision": 1.5}, {"revision": "1"}):
        with zipfile.ZipFile(tmp_path / "a.zip") as source, zipfile.ZipFile(tmp_path / "b.zip", "w") as target:
            for item in source.infolist():
                text = source.read(item)
                if item.filename == "job.json":
                    text = json.dumps(json.loads(text) | change).encode()
                target.writestr(item.filename, text)
        answer = shop.post("/api/jobs/file", (tmp_path / "b.zip").read_bytes(), content_type="application/zip")
        assert answer.status_code == 422, change


def test_the_description_of_the_api_says_what_is_sent() -> None:
    from nephos.web.api import api

    found = api.get_openapi_schema()["components"]["schemas"]
    assert found["Operation"]["properties"]["settings"]["additionalProperties"] is True
    assert "outline" in found["CutterLook"]["required"]


@pytest.mark.parametrize(
    "data",
    [b"number,diameter,name\n1,3," + b"x" * 200_000, b"number,diameter\r1,3\r\r\n\r2,4", b'number,diameter\n"1\n,3'],
)
def test_odd_cutter_lists_are_refused_or_read(shop: Client, data: bytes) -> None:
    shop.raise_request_exception = False
    for path in ("/api/cutters/file?name=a.csv", "/api/cutters/import?name=a.csv"):
        assert shop.post(path, data, content_type="text/csv").status_code < 500


def test_a_result_that_was_kept_counts_its_size(shop: Client) -> None:
    import numpy as np

    tasks.STORE.put("k", "block", as_result({}, a=np.random.default_rng(1).random(10_000)))
    row = Result.objects.get(pk="k")
    assert 70_000 < row.size < 90_000 and collect.kept_bytes() == row.size
    assert json.loads(shop.get("/api/storage").content)["kept"] == pytest.approx(row.size / 2**20, abs=0.06)


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
