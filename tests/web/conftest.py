"""A shop with the sample's cutters, and a small job in it; tests that need others have their own."""

import pytest
from django.test import Client

from nephos.command.sample import sample_cutters
from nephos.command.warm import small_hill
from nephos.core.mesh.formats.stl import write_stl
from nephos.web import tasks
from nephos.web.models import Cutter
from nephos.web.store import DatabaseStore
from web.shop import send, upload


@pytest.fixture
def shop(client: Client) -> Client:
    tasks.STORE = DatabaseStore()
    tasks._loaded.cache_clear()
    for cutter in sample_cutters():
        Cutter.objects.create(number=cutter.number, data=cutter.model_dump())
    return client


@pytest.fixture
def job(shop: Client) -> dict:
    mesh = upload(shop, write_stl(small_hill(cells=30))).json()
    tasks.read_uploaded(mesh["id"])
    made = send(shop, "/jobs", {"name": "Hill", "mesh": mesh["id"]}).json()
    plan = made["plan"] | {"pitch": 1.0}
    plan["setups"][0]["operations"] = [plan["setups"][0]["operations"][-2] | {"number": 10}]
    return send(shop, f"/jobs/{made['id']}/plan", {"based_on": made["version"], "plan": plan}, "put").json()
