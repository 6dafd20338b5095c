"""What workers say when something cannot be done, and what they keep of it."""

import numpy as np
import pytest
from django.test import Client

from meshes import grid_mesh
from nephos.command.warm import small_hill
from nephos.core.errors import NotYet, Refused
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.plan.schema import parse_plan
from nephos.core.stages.space import SpaceStage
from nephos.web import tasks
from nephos.web.blobs import save_blob
from nephos.web.jobs import current_plan
from nephos.web.models import Blob, Calculation, Job, Mesh, Result
from web.shop import open_shop, send, upload

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def shop(client: Client, monkeypatch: pytest.MonkeyPatch) -> Client:
    tasks._loaded.cache_clear()
    return open_shop(client, monkeypatch, "propose", "prepare", "draw_outlines")


def facts(key: str) -> dict:
    return Result.objects.get(key=key).facts


@pytest.mark.parametrize(
    ("reason", "said", "transient"),
    [
        (Refused("the curve is open: close it"), "the curve is open: close it", False),
        (NotYet("the mesh is still being read"), "the mesh is still being read", True),
        (MemoryError(), "too large: thin it out", True),
        (ZeroDivisionError(), "by a fault of Nephos", True),
    ],
)
def test_whoever_waits_is_told_why_and_only_what_cannot_change_is_kept(
    db: None, reason: Exception, said: str, transient: bool
) -> None:
    with tasks._or_refused(["a", "b"], "export", "too large: thin it out"):
        raise reason
    for key in ("a", "b"):
        assert said in facts(key)["refused"]
        assert facts(key).get("transient", False) == transient


def test_each_fault_has_a_mark_of_its_own_that_the_log_has_too(db: None, caplog: pytest.LogCaptureFixture) -> None:
    for key in ("a", "b"):
        with tasks._or_refused([key], "export", ""):
            raise ZeroDivisionError
    marks = [facts(key)["refused"].split("(fault ")[1].split(" ")[0] for key in ("a", "b")]
    assert marks[0] != marks[1]
    assert all(mark in caplog.text for mark in marks)


def test_a_mesh_is_read_once_however_often_it_is_asked_for(shop: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    mesh = upload(shop, write_stl(small_hill(cells=10))).json()
    tasks.read_uploaded(mesh["id"])
    monkeypatch.setattr(tasks, "read_mesh", lambda *_: pytest.fail("it is read a second time"))
    tasks.read_uploaded(mesh["id"])
    assert Mesh.objects.get(pk=mesh["id"]).state == "ready"


def test_a_mesh_without_memory_for_it_is_refused_with_what_to_do(shop: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    def too_large(*_: object) -> None:
        raise MemoryError

    mesh = upload(shop, write_stl(small_hill(cells=10))).json()
    monkeypatch.setattr(tasks, "read_mesh", too_large)
    tasks.read_uploaded(mesh["id"])
    row = Mesh.objects.get(pk=mesh["id"])
    assert row.state == "refused" and "thin it out" in row.reason


def test_what_waited_for_a_mesh_is_tried_again_once_it_is_read(shop: Client) -> None:
    with tasks._or_refused(["waits"], "outline", ""):
        raise NotYet("the mesh is still being read")
    mesh = upload(shop, write_stl(small_hill(cells=10))).json()
    tasks.read_uploaded(mesh["id"])
    assert not Result.objects.filter(key="waits").exists()


def test_a_job_whose_mesh_is_gone_says_so(shop: Client, job: dict) -> None:
    plan = current_plan(Job.objects.get(pk=job["id"]))
    Mesh.objects.all().delete()
    tasks._loaded.cache_clear()
    tasks.export_model("out", "hill.stl", plan, plan["models"][0]["id"])
    assert "import it again" in facts("out")["refused"] and facts("out")["transient"]


def test_a_calculation_whose_mesh_is_gone_fails_with_a_sentence(shop: Client, job: dict) -> None:
    row = Calculation.objects.create(job_id=job["id"], revision=job["revision"])
    Mesh.objects.all().delete()
    tasks._loaded.cache_clear()
    tasks.STORE = type(tasks.STORE)()
    Result.objects.all().delete()
    tasks.calculate(row.pk)
    row.refresh_from_db()
    assert row.state == "failed" and "import it again" in row.reason


def test_a_fault_in_a_calculation_is_marked_and_the_job_is_as_before(
    shop: Client, job: dict, monkeypatch: pytest.MonkeyPatch
) -> None:
    def breaks(*_: object, **__: object) -> None:
        raise ZeroDivisionError

    monkeypatch.setattr(tasks, "run_plan", breaks)
    row = Calculation.objects.create(job_id=job["id"], revision=job["revision"])
    tasks.calculate(row.pk)
    row.refresh_from_db()
    assert row.state == "failed" and "in the log" in row.reason
    assert shop.get(f"/api/jobs/{job['id']}").json()["plan"] == job["plan"]


def test_a_finished_calculation_is_not_done_again(shop: Client, job: dict, monkeypatch: pytest.MonkeyPatch) -> None:
    row = Calculation.objects.create(job_id=job["id"], revision=job["revision"], state="done")
    monkeypatch.setattr(tasks, "run_plan", lambda *_, **__: pytest.fail("it is done a second time"))
    tasks.calculate(row.pk)


def test_a_job_without_a_model_cannot_be_proposed_for(shop: Client, job: dict) -> None:
    empty = send(
        shop, f"/jobs/{job['id']}/plan", {"based_on": job["version"], "plan": job["plan"] | {"models": []}}, "put"
    ).json()
    tasks.propose("asked", job["id"], empty["version"], "two-faces")
    assert "add one first" in facts("asked")["refused"]


def test_an_outline_that_is_there_is_not_drawn_again(shop: Client, job: dict, monkeypatch: pytest.MonkeyPatch) -> None:
    plan = current_plan(Job.objects.get(pk=job["id"]))
    tasks.draw_outlines(plan)
    monkeypatch.setattr(SpaceStage, "value", lambda *_: pytest.fail("it is drawn a second time"))
    tasks.draw_outlines(plan)


def test_a_program_that_is_refused_says_why_where_it_is_asked_for(shop: Client, job: dict) -> None:
    plan = current_plan(Job.objects.get(pk=job["id"]))
    blob = save_blob(iter([b"G21 G90\nM3 S9000\nG1 X1 Y1 Z-1 F500\nM30\n"]))
    assert shop.get("/api/results/proof/external").json() == {"facts": None}
    tasks.prove_program("proof", plan, "a", blob.pk, 77)
    found = shop.get("/api/results/proof/external").json()["facts"]
    assert list(found) == ["refused"]
    assert not Blob.objects.filter(pk=blob.pk).exists()


def test_a_mesh_is_written_in_the_place_that_it_has_on_the_stock(shop: Client, job: dict) -> None:
    from nephos.core.mesh.formats import read_mesh
    from nephos.web.blobs import read_chunks

    plan = current_plan(Job.objects.get(pk=job["id"]))
    tasks.export_model("out", "hill.stl", plan, plan["models"][0]["id"])
    row = Result.objects.get(key="out").arrays.get(name="file")
    mesh = read_mesh("hill.stl", b"".join(read_chunks(row.blob_id)))
    stock = parse_plan(plan).stock
    middle = (mesh.low + mesh.high)[:2] / 2
    assert middle == pytest.approx([stock.length / 2, stock.width / 2], abs=1e-3)
    assert mesh.high[2] <= stock.thickness + 1e-6


def test_an_open_sheet_is_refused_for_two_faces_with_what_to_do(shop: Client) -> None:
    x, y = np.meshgrid(np.linspace(0, 30, 31), np.linspace(0, 20, 21))
    sheet = grid_mesh(x, y, 2 + np.sin(x / 4))
    uploaded = upload(shop, write_stl(sheet)).json()["id"]
    tasks.read_uploaded(uploaded)
    made = send(shop, "/jobs", {"name": "Sheet", "mesh": uploaded}).json()
    tasks.propose("asked", made["id"], made["version"], "two-faces")
    said = facts("asked")["refused"]
    assert ":" in said and not facts("asked").get("transient")
