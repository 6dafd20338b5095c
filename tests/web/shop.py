"""What the API's tests share: a client of an empty shop, and how it uploads and sends."""

import json

import pytest
from django.test import Client

from nephos.command.sample import sample_cutters
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.mesh.model import Mesh
from nephos.web import tasks
from nephos.web.models import Calculation, Cutter
from nephos.web.store import DatabaseStore


def open_shop(client: Client, monkeypatch: pytest.MonkeyPatch, *names: str) -> Client:
    """A shop with the sample's cutters, where these tasks are done as soon as they are asked for."""
    tasks.STORE = DatabaseStore()
    for name in names:
        task = getattr(tasks, name)
        monkeypatch.setattr(task, "defer", lambda task=task, **words: task(**words), raising=False)
    for cutter in sample_cutters():
        Cutter.objects.create(number=cutter.number, data=cutter.model_dump())
    return client


def calculated(shop: Client, job: dict) -> dict:
    """The job after a calculation that went well."""
    answer = send(shop, f"/jobs/{job['id']}/calculate")
    assert answer.status_code == 200, answer.json()
    tasks.calculate(answer.json()["id"])
    assert Calculation.objects.get(pk=answer.json()["id"]).state == "done"
    return shop.get(f"/api/jobs/{job['id']}").json()


def proposed(shop: Client, name: str, mesh: Mesh, kind: str) -> dict:
    """A new job with what is proposed for a kind of job."""
    uploaded = upload(shop, write_stl(mesh), f"{name}.stl").json()["id"]
    tasks.read_uploaded(uploaded)
    made = send(shop, "/jobs", {"name": name, "mesh": uploaded}).json()
    answer = send(shop, f"/jobs/{made['id']}/propose", {"based_on": made["version"], "kind": kind})
    assert answer.status_code == 200, answer.json()
    assert shop.get(f"/api/results/{answer.json()['key']}/facts").json()["facts"] == {"done": True, "notes": []}
    return shop.get(f"/api/jobs/{made['id']}").json()


def coarse(shop: Client, job: dict) -> dict:
    """The job with a coarser block, which is calculated sooner."""
    plan = job["plan"] | {"pitch": 0.5}
    answer = send(shop, f"/jobs/{job['id']}/plan", {"based_on": job["version"], "plan": plan, "note": ""}, "put")
    assert answer.status_code == 200, answer.json()
    return answer.json()


def send(client: Client, path: str, body: object = None, method: str = "post"):
    return getattr(client, method)(f"/api{path}", json.dumps(body), content_type="application/json")


def upload(client: Client, data: bytes, name: str = "hill.stl"):
    return client.post("/api/meshes", data, content_type="application/octet-stream", headers={"X-Filename": name})


def body_of(response) -> bytes:
    return b"".join(response)
