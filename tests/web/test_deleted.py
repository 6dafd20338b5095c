"""What is deleted, brought back, collected and kept."""

import json
from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone

from nephos.command.sample import sample_cutters
from nephos.command.sample_relief import roundel_plan
from nephos.command.warm import small_hill
from nephos.core.machine.machine import MACHINES
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.post.schema import shipped_posts
from nephos.core.stages.store import as_result
from nephos.web import collect, tasks
from nephos.web import jobs as service
from nephos.web.models import Blob, Calculation, Chunk, Job, Mesh, Result, Revision
from web.durable_shop import calculate, programs
from web.shop import send, upload

pytestmark = pytest.mark.django_db(transaction=True)


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


def test_a_result_that_was_kept_counts_its_size(shop: Client) -> None:
    import numpy as np

    tasks.STORE.put("k", "block", as_result({}, a=np.random.default_rng(1).random(10_000)))
    row = Result.objects.get(pk="k")
    assert 70_000 < row.size < 90_000 and collect.kept_bytes() == row.size
    assert json.loads(shop.get("/api/storage").content)["kept"] == pytest.approx(row.size / 2**20, abs=0.06)
