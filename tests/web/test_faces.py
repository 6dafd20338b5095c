"""Jobs of several setups through the API: proposed, edited, calculated, looked at, posted."""

import io
import zipfile

import numpy as np
import pytest
import trimesh
from django.test import Client

from meshes import ellipsoid
from nephos.command.sample import sample_cutters
from nephos.web import tasks
from nephos.web.models import Result
from web.shop import body_of, calculated, coarse, open_shop, proposed, send

pytestmark = pytest.mark.django_db


@pytest.fixture
def shop(client: Client, monkeypatch: pytest.MonkeyPatch) -> Client:
    """A shop whose workers work at once."""
    return open_shop(
        client, monkeypatch, "cut_window_of", "export_block", "export_whole", "draw_outlines", "prepare", "propose"
    )


@pytest.fixture
def job(shop: Client) -> dict:
    return proposed(shop, "Egg", ellipsoid((26, 16, 8), 24), "two-faces")


def edited(shop: Client, job: dict, **edit: object) -> dict:
    answer = send(shop, f"/jobs/{job['id']}/edit", {"based_on": job["version"], "edit": edit})
    assert answer.status_code == 200, answer.json()
    return answer.json()


def test_two_faces_are_proposed_with_all_that_they_share(job: dict) -> None:
    plan, derived = job["plan"], job["derived"]
    assert [setup["side"] for setup in plan["setups"]] == ["top", "bottom"]
    assert len(plan["faces"]["tabs"]) >= 3 and plan["faces"]["border"] > 4
    turn = derived["setups"][1]["turn"]
    assert derived["setups"][0]["turn"] is None and turn["axis"] == "x" and "half a turn" in turn["words"]
    assert derived["faces"]["hold"] > 0
    assert not [finding for finding in derived["findings"] if finding["level"] == "stop"]


def test_a_flat_part_asked_for_from_four_faces_gets_two_and_it_is_said(shop: Client) -> None:
    """On a job that has setups already, in inches; undo brings these back."""
    flat = proposed(shop, "Leaf", ellipsoid((40, 24, 3), 24), "one-face")
    answer = send(
        shop,
        f"/jobs/{flat['id']}/plan",
        {"based_on": flat["version"], "plan": flat["plan"] | {"units": "in"}, "note": ""},
        "put",
    ).json()
    asked = send(shop, f"/jobs/{flat['id']}/propose", {"based_on": answer["version"], "kind": "four-faces"}).json()
    facts = shop.get(f"/api/results/{asked['key']}/facts").json()["facts"]
    assert facts["done"] and "two faces are proposed" in facts["notes"][0]
    now = shop.get(f"/api/jobs/{flat['id']}").json()
    assert [setup["side"] for setup in now["plan"]["setups"]] == ["top", "bottom"] and now["plan"]["units"] == "in"
    back = send(shop, f"/jobs/{flat['id']}/undo", {"based_on": now["version"]}).json()
    assert back["plan"]["setups"] == answer["plan"]["setups"]


def test_the_whole_part_is_kept_after_all_setups(shop: Client, job: dict) -> None:
    done = calculated(shop, coarse(shop, job))
    whole = done["derived"]["whole"]
    assert whole["compare"]["gouge_max"] <= 0.01
    assert len(whole["pieces"]) == 1, "the part hangs in its frame"
    assert set(done["derived"]["faces"]["smallest"]) == {"a", "b"}
    assert done["derived"]["setups"][1]["summary"]["partial"] is True
    facts = shop.get(f"/api/results/{whole['key']}/facts").json()
    points, faces = (facts["arrays"][name]["shape"][0] for name in ("vertices", "faces"))
    body = body_of(shop.get(f"/api/results/{whole['key']}/array/vertices"))
    assert len(body) == 12 * points and faces > 1000
    archive = zipfile.ZipFile(io.BytesIO(body_of(shop.get(f"/api/jobs/{job['id']}/programs.zip"))))
    letters = {name.split("_")[1][0] for name in archive.namelist()}
    assert letters == {"A", "B"}, "files of both setups"


def test_the_whole_part_is_written_as_a_closed_mesh(shop: Client, job: dict) -> None:
    answer = send(shop, f"/jobs/{job['id']}/whole?suffix=.stl")
    assert answer.status_code == 422 and "Calculate" in answer.json()["message"]
    done = calculated(shop, coarse(shop, job))
    answer = send(shop, f"/jobs/{done['id']}/whole?suffix=.stl")
    mesh = trimesh.load(io.BytesIO(body_of(shop.get(f"/api/results/{answer.json()['key']}/file"))), file_type="stl")
    assert mesh.is_watertight
    assert mesh.volume == pytest.approx(done["derived"]["whole"]["pieces"][0]["volume"], rel=1e-3)


def test_a_change_in_the_second_setup_keeps_the_first_current(shop: Client, job: dict) -> None:
    done = calculated(shop, coarse(shop, job))
    changed = edited(shop, done, do="change_setup", setup="b", change={"clearance": 8.0})
    states = [[item["state"] for item in setup["operations"]] for setup in changed["derived"]["setups"]]
    assert set(states[0]) == {"current"} and "out of date" in states[1]
    assert changed["derived"]["whole"] is None


def test_the_block_of_the_second_setup_is_written_as_it_is(shop: Client, job: dict) -> None:
    done = calculated(shop, coarse(shop, job))
    answer = send(shop, f"/jobs/{done['id']}/block/b?suffix=.stl&alone=false")
    file = body_of(shop.get(f"/api/results/{answer.json()['key']}/file"))
    mesh = trimesh.load(io.BytesIO(file), file_type="stl")
    stock = done["plan"]["stock"]
    assert mesh.volume < 0.8 * stock["length"] * stock["width"] * stock["thickness"]
    window = send(
        shop,
        f"/jobs/{done['id']}/window/b",
        {"low": [30, 25], "high": [34, 29], "pitch": 0.1, "operations": 2},
    )
    assert shop.get(f"/api/results/{window.json()['key']}/facts").json()["facts"]["nx"] > 20


def test_setups_are_added_copied_moved_switched_off_and_taken_out(shop: Client, job: dict) -> None:
    job = edited(shop, job, do="add_setup", side="front")
    assert [setup["id"] for setup in job["plan"]["setups"]] == ["a", "b", "c"]
    assert job["plan"]["setups"][2]["name"] == "Setup C · front side"
    job = edited(shop, job, do="copy_setup", setup="a")
    numbers = [o["number"] for setup in job["plan"]["setups"] for o in setup["operations"]]
    assert len(set(numbers)) == len(numbers), "a copy has numbers of its own"
    job = edited(shop, job, do="move_setup", setup="c", by=-1)
    assert [setup["id"] for setup in job["plan"]["setups"]] == ["a", "d", "c", "b"]
    job = edited(shop, job, do="change_setup", setup="d", change={"on": False})
    assert not job["plan"]["setups"][1]["on"]
    for key in ("d", "c", "b"):
        job = edited(shop, job, do="remove_setup", setup=key)
    assert job["plan"]["faces"] is None, "one setup shares nothing"
    answer = send(
        shop, f"/jobs/{job['id']}/edit", {"based_on": job["version"], "edit": {"do": "remove_setup", "setup": "a"}}
    )
    assert answer.status_code == 422 and "one setup at least" in answer.json()["message"]


def test_tabs_are_added_changed_and_taken_out(shop: Client, job: dict) -> None:
    before = len(job["plan"]["faces"]["tabs"])
    job = edited(shop, job, do="add_face_tab", at=[40.0, 20.0, 10.0], angle=90.0)
    fresh = job["plan"]["faces"]["tabs"][-1]
    assert len(job["plan"]["faces"]["tabs"]) == before + 1 and fresh["angle"] == 90
    job = edited(shop, job, do="change_face_tab", tab=fresh["id"], change={"shape": "round", "thickness": 5.0})
    assert job["plan"]["faces"]["tabs"][-1]["shape"] == "round"
    job = edited(shop, job, do="drop_face_tab", tab=fresh["id"])
    assert len(job["plan"]["faces"]["tabs"]) == before


def test_dowels_are_drilled_into_the_bed_in_the_first_setup(shop: Client, job: dict) -> None:
    drill = next(cutter for cutter in sample_cutters() if cutter.shape == "drill").model_dump(mode="json")
    job = edited(shop, job, do="change_faces", change={"registration": {"by": "dowels", "diameter": 5.0, "inset": 3.0}})
    job = edited(shop, job, do="drill_dowels", setup="a", cutter=drill | {"name": "5 mm drill", "diameter": 5.0})
    first = job["plan"]["setups"][0]["operations"][0]
    assert first["strategy"] == "drill" and first["boundary"]["boundary"] == "dowels"
    assert "two dowels of 5 mm" in job["derived"]["setups"][1]["turn"]["found"]


def test_a_proposal_on_an_older_version_is_told(shop: Client, job: dict) -> None:
    answer = send(shop, f"/jobs/{job['id']}/propose", {"based_on": job["version"] - 1, "kind": "two-faces"})
    assert answer.status_code == 409
    answer = send(shop, f"/jobs/{job['id']}/propose", {"based_on": job["version"], "kind": "seven-faces"})
    assert answer.status_code == 422 and "no kind of job" in answer.json()["message"]


def test_a_registration_error_tells_its_step_before_anything_is_cut(shop: Client, job: dict) -> None:
    change = {"registration": {"dx": 0.3, "dy": 0.4, "rotation": 0.0}}
    job = edited(shop, job, do="change_faces", change=change)
    assert job["derived"]["faces"]["step"] == pytest.approx(0.5)
    assert "registration-step" in {finding["code"] for finding in job["derived"]["findings"]}


def test_what_is_kept_of_a_whole_part_is_not_collected(shop: Client, job: dict) -> None:
    done = calculated(shop, coarse(shop, job))
    tasks.collect_results()
    assert Result.objects.filter(key=done["derived"]["whole"]["key"]).exists()
    assert np.isfinite(done["derived"]["whole"]["ridge"])


def test_two_numbers_of_the_registration_typed_at_once_are_both_kept(shop: Client, job: dict) -> None:
    job = edited(shop, job, do="change_faces", change={"registration": {"dx": 0.1}})
    job = edited(shop, job, do="change_faces", change={"registration": {"rotation": 0.05}})
    registration = job["plan"]["faces"]["registration"]
    assert registration["dx"] == 0.1 and registration["rotation"] == 0.05
