"""A bar through the API: proposed, its chuck and core edited, calculated, looked at, saved and posted."""

import numpy as np
import pytest
import trimesh
from django.test import Client

from meshes import ellipsoid
from nephos.core.post.read import read_program
from web.shop import body_of, calculated, coarse, open_shop, proposed, send

pytestmark = pytest.mark.django_db


@pytest.fixture
def shop(client: Client, monkeypatch: pytest.MonkeyPatch) -> Client:
    """A shop whose workers work at once."""
    return open_shop(client, monkeypatch, "export_block", "export_whole", "draw_outlines", "prepare", "propose")


@pytest.fixture
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


def test_a_face_on_the_bar_begins_with_what_the_rotation_left(shop: Client, job: dict) -> None:
    """A flat is cut after the bar was turned: its block, the whole part and both files are there; the bar is not
    calculated again."""
    plan = job["plan"]
    plan["setups"][0]["operations"][1]["settings"]["leave"] = 0.3
    left = send(shop, f"/jobs/{job['id']}/plan", {"based_on": job["version"], "plan": plan, "note": "leave"}, "put")
    first = calculated(shop, left.json())
    edit = {"do": "add_setup", "side": "angle", "angle": 60.0}
    added = send(shop, f"/jobs/{job['id']}/edit", {"based_on": first["version"], "edit": edit}).json()
    plan = added["plan"]
    length, width = plan["stock"]["length"], plan["stock"]["width"]
    plan["boundaries"] = [
        {
            "id": "flat",
            "name": "Flat",
            "source": "rectangle",
            "setup": "b",
            "at": [length / 2, width / 2],
            "size": [18, 10],
        }
    ]
    ball = plan["setups"][0]["operations"][1]
    finish = {"number": 90, "strategy": "finish_raster", "cutter": ball["cutter"], "settings": {"stepover": 0.5}}
    limited = {"boundary": {"boundary": "flat", "contain": "inside"}, "cut_to": width / 2}
    plan["setups"][1]["operations"] = [finish | limited]
    kept = send(shop, f"/jobs/{job['id']}/plan", {"based_on": added["version"], "plan": plan, "note": "flat"}, "put")
    assert kept.status_code == 200, kept.json()
    done = calculated(shop, kept.json())
    bar, face = done["derived"]["setups"]
    assert bar["summary_key"] == first["derived"]["setups"][0]["summary_key"]
    assert face["summary"]["compare"]["gouge_max"] <= 0.01 and face["programs"]
    assert "at the height of the bar's axis" in face["zero"]
    assert not [item for item in face["findings"] if item["level"] == "stop"]
    # A face saves its own block; the part after both setups is one solid.
    key = send(shop, f"/jobs/{job['id']}/whole?suffix=.stl").json()["key"]
    data = body_of(shop.get(f"/api/results/{key}/file"))
    whole = trimesh.load(trimesh.util.wrap_as_stream(data), file_type="stl")
    assert whole.is_watertight and whole.volume > 0
    assert whole.extents[0] == pytest.approx(length, abs=0.5)


def test_a_model_says_what_it_sweeps_of_the_bar(shop: Client, job: dict) -> None:
    model = job["plan"]["models"][0]["id"]
    swept = job["derived"]["models"][model]["swept"]
    assert 20 < swept <= job["plan"]["stock"]["width"]
    edit = {"do": "fit_bar", "model": model, "allowance": 1.0}
    fitted = send(shop, f"/jobs/{job['id']}/edit", {"based_on": job["version"], "edit": edit}).json()
    assert fitted["derived"]["models"][model]["swept"] == pytest.approx(job["plan"]["stock"]["width"] - 2, abs=0.05)
