"""What the API's tests share: a client of an empty shop, and how it uploads and sends."""

import json

import pytest
from django.test import Client

from nephos.command.sample import sample_cutters
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


def send(client: Client, path: str, body: object = None, method: str = "post"):
    return getattr(client, method)(f"/api{path}", json.dumps(body), content_type="application/json")


def upload(client: Client, data: bytes, name: str = "hill.stl"):
    return client.post("/api/meshes", data, content_type="application/octet-stream", headers={"X-Filename": name})


def body_of(response) -> bytes:
    return b"".join(response)
