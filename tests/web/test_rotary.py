"""A bar through the API: proposed, its chuck and core edited, calculated, looked at, saved and posted."""

import numpy as np
import pytest
import trimesh
from django.test import Client

from meshes import ellipsoid
from nephos.core.post.read import read_program
from web.shop import body_of, calculated, coarse, open_shop, proposed, send

pytestmark = pytest.mark.django_db


@pytest.fixture()
def shop(client: Client, monkeypatch: pytest.MonkeyPatch) -> Client:
    """A shop whose workers work at once."""
    return open_shop(client, monkeypatch, "export_block", "draw_outlines", "prepare", "propose")


@pytest.fixture()
def job(shop: Client) -> dict:
    return coarse(shop, proposed(shop, "Egg", ellipsoid((9, 12, 25), 24), "rotary"))


def test_a_bar_is_proposed_with_chuck_tailstock_and_core(job: dict) -> None:
    plan, bar = job["plan"], job["derived"]["setups"][0]["bar"]
    assert plan["stock"]["kind"] == "round" and plan["stock"]["width"] >= 24
    assert bar["radius"] == plan["stock"]["width"] / 2 and bar["core"] > 0 and bar["chuck"] == "left"
    assert plan["post"] == "rs274-rotary-a" and plan["machine"] == "rotary-router"
    assert not [finding for finding in job["derived"]["findings"] if finding["level"] == "stop"]


def test_strategies_say_in_which_setups_they_are_cut(shop: Client) -> None:
    kinds = {item["key"]: item["kinds"] for item in shop.get("/api/cutters/strategies").json()}
    assert kinds["finish_helix"] == ["rotary"] and kinds["finish_waterline"] == ["face"]
    assert kinds["finish_raster"] == ["face", "rotary"]


def test_a_bar_is_calculated_saved_and_posted(shop: Client, job: dict) -> None:
    edit = {"do": "set_rotary", "setup": "bar", "change": {"core": 6.0, "chuck": "right"}}
    answer = send(shop, f"/jobs/{job['id']}/edit", {"based_on": job["version"], "edit": edit})
    assert answer.status_code == 200, answer.json()
    done = calculated(shop, answer.json())
    summary = done["derived"]["setups"][0]["summary"]
    assert summary["compare"]["gouge_max"] <= 0.01
    text = body_of(shop.get(f"/api/jobs/{job['id']}/program/bar/{done['derived']['setups'][0]['programs'][0]['name']}"))
    reading = read_program(text)
    assert np.isfinite(reading.angles[1:]).any() and reading.inverse.any()
    assert b"chuck on the right" in text
    key = send(shop, f"/jobs/{job['id']}/block/bar?suffix=.stl").json()["key"]
    saved = trimesh.load(trimesh.util.wrap_as_stream(body_of(shop.get(f"/api/results/{key}/file"))), file_type="stl")
    assert saved.is_watertight and saved.extents[0] == pytest.approx(done["plan"]["stock"]["length"], abs=0.5)
    refused = send(
        shop, f"/jobs/{job['id']}/window/bar", {"low": [1, 1], "high": [5, 5], "pitch": 0.1, "operations": 1}
    )
    assert "no close look" in refused.json()["message"]


def test_a_core_that_is_no_number_is_refused_in_words(shop: Client, job: dict) -> None:
    edit = {"do": "set_rotary", "setup": "bar", "change": {"core": -1}}
    answer = send(shop, f"/jobs/{job['id']}/edit", {"based_on": job["version"], "edit": edit})
    assert answer.status_code in {400, 409, 422} and "core" in str(answer.json())
