"""Tiles and pieces through the API: what the page reads, the files of each tile, boards for pieces that find no
room."""

import io
import zipfile

import numpy as np
import pytest
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext

from meshes import box_mesh, grid_mesh
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.plan.schema import parse_plan
from nephos.web import tasks
from nephos.web.collect import keys_of
from nephos.web.models import Job, Result
from web.shop import body_of, calculated, coarse, open_shop, send, upload

pytestmark = pytest.mark.django_db


@pytest.fixture
def shop(client: Client, monkeypatch: pytest.MonkeyPatch) -> Client:
    """A shop whose workers work at once."""
    return open_shop(client, monkeypatch, "export_block", "draw_outlines", "prepare", "prove_program", "cut_window_of")


def opened(shop: Client, mesh: object, name: str = "board") -> dict:
    """A new job with a mesh."""
    uploaded = upload(shop, write_stl(mesh), f"{name}.stl").json()["id"]
    tasks.read_uploaded(uploaded)
    made = send(shop, "/jobs", {"name": name, "mesh": uploaded}).json()
    return shop.get(f"/api/jobs/{made['id']}").json()


def edited(shop: Client, job: dict, **edit: object) -> dict:
    answer = send(shop, f"/jobs/{job['id']}/edit", {"based_on": job["version"], "edit": edit, "note": ""})
    assert answer.status_code == 200, answer.json()
    tasks.draw_outlines(answer.json()["plan"])
    return answer.json()


@pytest.fixture
def board(shop: Client) -> dict:
    x, y = np.meshgrid(np.linspace(0, 900, 121), np.linspace(0, 30, 11))
    return coarse(shop, opened(shop, grid_mesh(x, y, 3 + np.sin(x / 25))))


def test_a_board_that_is_too_long_is_tiled_by_the_fix_of_its_finding(shop: Client, board: dict) -> None:
    finding = next(item for item in board["derived"]["findings"] if item["code"] == "beyond-travel")
    assert finding["level"] == "stop"
    fix = next(item for item in finding["fixes"] if item["label"] == "Cut in tiles")
    tiled = edited(shop, board, **fix["edit"])
    assert not [item for item in tiled["derived"]["findings"] if item["level"] == "stop"]
    tiles = tiled["derived"]["setups"]
    assert [item["id"] for item in tiles] == ["a.1", "a.2"] and {item["whole"] for item in tiles} == {"a"}
    assert tiles[1]["turn"]["slide"] and "slide the board" in tiles[1]["turn"]["words"]
    assert tiles[1]["zero"].startswith("the seam, ")
    costs = tiled["derived"]["seam_costs"]["a"]
    assert len(costs["at"]) == len(costs["cost"]) > 50
    # Costs of a tile are its share of those of the whole board.
    first, second = (item["operations"][0] for item in tiles)
    assert first["estimate"]["seconds"] + second["estimate"]["seconds"] < 1.1 * first["all_tiles"]["seconds"]
    moved = edited(shop, tiled, do="move_seam", setup="a", seam=1, at=10.0)
    assert "tile-beyond-travel" in {item["code"] for item in moved["derived"]["findings"]}


def test_each_tile_is_calculated_posted_looked_at_and_checked(shop: Client, board: dict) -> None:
    tiled = edited(shop, board, do="cut_in_tiles", setup="a", count=2)
    done = calculated(shop, tiled)
    first, last = done["derived"]["setups"]
    assert not first["summary"]["partial"] and last["summary"]["partial"]
    names = zipfile.ZipFile(io.BytesIO(body_of(shop.get(f"/api/jobs/{done['id']}/programs.zip")))).namelist()
    assert len(names) == len(first["programs"]) + len(last["programs"]) and len(set(names)) == len(names)
    name = last["programs"][0]["name"]
    text = body_of(shop.get(f"/api/jobs/{done['id']}/program/a.2/{name}"))
    assert b"tile 2 of 2" in text
    said = shop.post(f"/api/jobs/{done['id']}/check/a.2", text, content_type="application/octet-stream").json()
    assert said["state"] == "current"
    proved = shop.get(f"/api/results/{said['key']}/facts").json()["facts"]
    assert "refused" not in proved and not [f for f in proved["findings"] if f["level"] == "stop"]
    key = send(shop, f"/jobs/{done['id']}/block/a.2?suffix=.stl").json()["key"]
    assert len(body_of(shop.get(f"/api/results/{key}/file"))) > 1000
    spot = {"low": [440.0, 10.0], "high": [460.0, 20.0], "pitch": 0.2, "operations": 2}
    seen = send(shop, f"/jobs/{done['id']}/window/a.2", spot).json()["key"]
    assert "refused" not in shop.get(f"/api/results/{seen}/facts").json()["facts"]
    # All that was made belongs to the plan: nothing of it is dropped while it is needed.
    needed = keys_of(parse_plan(done["plan"]))
    kept = {key.split("/")[0] for key in Result.objects.filter(job=done["id"]).values_list("key", flat=True)}
    assert not kept - needed


def test_an_assumed_error_shows_in_the_summary_and_posts_the_same_text(shop: Client, board: dict) -> None:
    tiled = edited(shop, board, do="cut_in_tiles", setup="a", count=2)
    done = calculated(shop, tiled)
    before = {item["name"]: item["size"] for part in done["derived"]["setups"] for item in part["programs"]}
    wrong = edited(shop, done, do="assume_slide_error", setup="a", tile=2, change={"dz": -0.3})
    assert wrong["derived"]["setups"][0]["programs"], "the first tile is not touched by it"
    again = calculated(shop, wrong)
    last = again["derived"]["setups"][-1]
    assert last["tile"]["assumed"] and last["summary"]["steps"][0]["mean"] == pytest.approx(-0.3, abs=0.02)
    assert "step-at-seam" in {item["code"] for item in last["findings"]}
    after = {item["name"]: item["size"] for part in again["derived"]["setups"] for item in part["programs"]}
    assert after == before


def test_a_piece_keeps_to_an_outline_and_the_rest_goes_on_further_boards(shop: Client) -> None:
    job = opened(shop, box_mesh((0, 0, 0), (120, 90, 8)))
    boundary = {"id": "b1", "name": "half", "source": "rectangle", "at": [40.0, 57.0], "size": [40.0, 60.0]}
    plan = job["plan"] | {"boundaries": [boundary]}
    job = send(shop, f"/jobs/{job['id']}/plan", {"based_on": job["version"], "plan": plan, "note": ""}, "put").json()
    for name in ("one", "two", "three"):
        shown = next(model["id"] for model in job["plan"]["models"] if not model["steps"])
        job = edited(shop, job, do="take_piece", model=shown, boundary="b1", name=name)
        for model in job["plan"]["models"]:
            tasks.prepare(model)
    refused = send(shop, f"/jobs/{job['id']}/boards", {"based_on": job["version"], "gap": 60.0})
    assert refused.status_code == 422 and "fits" in refused.json()["message"]
    answer = send(shop, f"/jobs/{job['id']}/boards", {"based_on": job["version"], "gap": 20.0})
    assert answer.status_code == 200, answer.json()
    made = answer.json()
    assert len(made) > 1 and Job.objects.get(pk=made[1]).name == "board, board 2"
    shown = []
    for key in made:
        found = shop.get(f"/api/jobs/{key}").json()["plan"]["models"]
        shown += [model["name"] for model in found if model["shown"]]
    assert sorted(shown) == ["one", "three", "two"], "each piece lies on one board"


def _queries_of_a_preview(shop: Client, job: dict) -> int:
    # With another tolerance nothing of the answer is cached.
    job["plan"]["tolerance"] = 0.0123
    with CaptureQueriesContext(connection) as found:
        body = {"plan": job["plan"], "edit": None}
        send(shop, "/jobs/preview/plan", body)
    return len(found)


def test_a_board_of_many_tiles_is_previewed_in_the_queries_of_one(shop: Client, board: dict) -> None:
    two = edited(shop, board, do="cut_in_tiles", setup="a", count=2)
    few = _queries_of_a_preview(shop, two)
    many = edited(shop, two, do="change_tiles", setup="a", change={"seams_x": [4.0, 8.0, 12.0, 16.0, 20.0]})
    assert len(many["derived"]["setups"]) == 6
    assert _queries_of_a_preview(shop, many) <= few
