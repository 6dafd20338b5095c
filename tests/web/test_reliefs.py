"""Built-up reliefs through the API: pieces are edited, previewed, composed by a worker, machined and taken along."""

import io
import json
from typing import Any

import numpy as np
import pytest
from django.test import Client
from PIL import Image

from nephos.core.mesh.formats.stl import write_stl
from nephos.core.plan.schema import parse_plan
from nephos.web import tasks
from nephos.web.collect import keys_of
from nephos.web.models import Job, Result
from relief_tools import small_mesh
from web.shop import body_of, calculated, coarse, open_shop, send, upload

pytestmark = pytest.mark.django_db


@pytest.fixture
def shop(client: Client, monkeypatch: pytest.MonkeyPatch) -> Client:
    """A shop whose workers work at once."""
    return open_shop(client, monkeypatch, "draw_outlines", "prepare", "export_model")


def edited(shop: Client, job: dict, status: int = 200, **edit: object) -> dict:
    answer = send(shop, f"/jobs/{job['id']}/edit", {"based_on": job["version"], "edit": edit, "note": ""})
    assert answer.status_code == status, answer.json()
    return answer.json()


def composed(shop: Client, job: dict) -> dict:
    """The job after a worker has done what is missing."""
    plan = parse_plan(job["plan"])
    for model in plan.models:
        tasks.prepare(model.model_dump(mode="json"))
    tasks.draw_outlines(job["plan"])
    return shop.get(f"/api/jobs/{job['id']}").json()


@pytest.fixture
def tray(shop: Client) -> dict:
    """A tray of 80 x 60 in a stock of 100 x 80, with a field in it."""
    job = send(shop, "/jobs", {"name": "tray"}).json()
    stock = job["plan"]["stock"] | {"length": 100.0, "width": 80.0, "thickness": 20.0}
    job = send(
        shop,
        f"/jobs/{job['id']}/plan",
        {"based_on": job["version"], "plan": job["plan"] | {"stock": stock}, "note": ""},
        "put",
    ).json()
    job = edited(shop, job, do="add_composition", name="Tray")
    return edited(shop, job, do="add_piece", model="m1", kind="offset", of="p1", name="Field")


def pieces(job: dict) -> dict[str, Any]:
    return {item["name"]: item for item in job["plan"]["models"][0]["composition"]["pieces"]}


def test_a_relief_starts_as_a_body_in_the_stock(tray: dict) -> None:
    body = pieces(tray)["Body"]
    assert body["source"] == {"kind": "rectangle", "width": 80.0, "length": 60.0, "radius": 0.0}
    assert body["height"] == 14.0
    state = tray["derived"]["models"]["m1"]
    assert state["state"] == "working" and state["size"] == pytest.approx([80, 60, 14])
    assert state["high"] == pytest.approx([90, 70, 20])


def test_a_worker_composes_it_and_the_page_finds_its_surface(shop: Client, tray: dict) -> None:
    done = composed(shop, tray)["derived"]["models"]["m1"]
    assert done["state"] == "ready" and done["facts"]["watertight"]
    answer = shop.get(f"/api/results/{done['look']}/array/vertices")
    assert answer.status_code == 200 and len(body_of(answer)) > 0


def test_a_preview_comes_as_bytes(shop: Client, tray: dict) -> None:
    composition = tray["plan"]["models"][0]["composition"]
    answer = send(shop, f"/reliefs/jobs/{tray['id']}/preview", {"model": "m1", "composition": composition})
    data = answer.content
    long = int.from_bytes(data[:4], "little")
    head = json.loads(data[4 : 4 + long])
    assert len(data) == 4 + long + 12 * head["vertices"] + 12 * head["faces"]
    vertices = np.frombuffer(data, "<f4", 3 * head["vertices"], 4 + long).reshape(-1, 3)
    assert vertices.max(axis=0).tolist() == pytest.approx([40, 30, 14])
    assert set(head["outlines"]) == {"p1", "p2"} and not head["refused"]
    assert head["gaps"][0]["pieces"] == ["p1", "p2"] and head["gaps"][0]["distance"] == pytest.approx(5.0, abs=0.01)
    # The outline of the body runs along its upper edge.
    assert {point[2] for ring in head["outlines"]["p1"] for point in ring} == {14.0}


def test_a_piece_that_cannot_be_drawn_is_named_and_the_others_are_seen(shop: Client, tray: dict) -> None:
    bow = {"vertices": [[0, 0, 0], [10, 10, 0], [10, 0, 0], [0, 10, 0]], "closed": True}
    job = edited(shop, tray, do="add_piece", model="m1", kind="path", name="Bow", source=bow)
    composition = job["plan"]["models"][0]["composition"]
    data = send(shop, f"/reliefs/jobs/{job['id']}/preview", {"model": "m1", "composition": composition}).content
    head = json.loads(data[4 : 4 + int.from_bytes(data[:4], "little")])
    assert head["faces"] > 0


def test_a_section_says_whether_a_cutter_fits(shop: Client, tray: dict) -> None:
    job = edited(
        shop, tray, do="change_piece", model="m1", piece="p2", change={"shape": {"kind": "slant", "angle": 80}}
    )
    composition = job["plan"]["models"][0]["composition"]
    cutters = {item["data"]["number"]: item["data"] for item in shop.get("/api/cutters").json()}
    ask = {"composition": composition, "start": [-45, 0], "end": [45, 0]}
    plain = send(shop, "/reliefs/section", ask).json()
    assert max(plain["height"]) == 14.0 and plain["left"] is None
    assert plain["piece"][len(plain["piece"]) // 2] == "p2"
    ball = send(shop, "/reliefs/section", ask | {"cutter": cutters[4]}).json()
    # A ball of 3 mm radius in the corner of an 80 degree wall leaves r (1 / cos 40 - 1) across it.
    assert not ball["fits"] and 0.3 < ball["left"] < 3.0
    flat = send(shop, "/reliefs/section", ask | {"cutter": cutters[3]}).json()
    # A flat one comes along the wall with its edge, and into the corner.
    assert flat["fits"] and flat["left"] < 0.02
    no = send(shop, "/reliefs/section", ask | {"end": [-45, 0]})
    assert no.status_code == 422 and "no length" in no.json()["message"]


def test_what_a_cutter_leaves_of_the_whole_relief_comes_as_a_picture(shop: Client, tray: dict) -> None:
    composition = tray["plan"]["models"][0]["composition"]
    cutters = {item["data"]["number"]: item["data"] for item in shop.get("/api/cutters").json()}
    data = send(shop, "/reliefs/reach", {"composition": composition, "cutter": cutters[4]}).content
    long = int.from_bytes(data[:4], "little")
    head = json.loads(data[4 : 4 + long])
    left = np.frombuffer(data, np.uint8, offset=4 + long).reshape(head["ny"], head["nx"])
    assert 0 <= head["share"] < 1
    assert abs(left.max() * head["unit"] - min(head["most"], 255 * head["unit"])) <= head["unit"]


def test_pieces_are_ordered_copied_aligned_spaced_and_taken_out(shop: Client, tray: dict) -> None:
    job = tray
    for x in (-20.0, 0.0, 15.0):
        job = edited(shop, job, do="add_piece", model="m1", kind="circle", source={"diameter": 8.0})
        key = job["plan"]["models"][0]["composition"]["pieces"][-1]["id"]
        job = edited(shop, job, do="change_piece", model="m1", piece=key, change={"at": [x, 3.0]})
    assert list(pieces(job)) == ["Body", "Field", "Circle", "Circle 2", "Circle 3"]
    job = edited(shop, job, do="space_pieces", model="m1", pieces=["p3", "p4", "p5"], along="x")
    assert [pieces(job)[name]["at"][0] for name in ("Circle", "Circle 2", "Circle 3")] == pytest.approx([-20, -2.5, 15])
    job = edited(shop, job, do="align_pieces", model="m1", pieces=["p3"], how="front")
    assert pieces(job)["Circle"]["at"] == pytest.approx([-20, -26])
    job = edited(shop, job, do="order_piece", model="m1", piece="p5", to=0)
    assert next(iter(pieces(job))) == "Circle 3"
    job = edited(shop, job, do="copy_piece", model="m1", piece="p3")
    assert "Circle, copy" in pieces(job)
    no = edited(shop, job, 422, do="remove_piece", model="m1", piece="p1")
    assert "follows the outline of 'Body'" in no["message"]
    job = edited(shop, job, do="remove_piece", model="m1", piece="p2")
    assert "Field" not in pieces(job)
    back = send(shop, f"/jobs/{job['id']}/undo", {"based_on": job["version"]}).json()
    assert "Field" in pieces(back)


def test_a_mesh_is_set_in_and_goes_along_in_the_job_file(shop: Client, tray: dict) -> None:
    uploaded = upload(shop, write_stl(small_mesh()), "bump.stl").json()["id"]
    tasks.read_uploaded(uploaded)
    digest = shop.get(f"/api/meshes/{uploaded}").json()["digest"]
    job = edited(shop, tray, do="add_piece", model="m1", kind="mesh", mesh=digest, name="Bump")
    job = composed(shop, job)
    assert job["derived"]["models"]["m1"]["state"] == "ready"
    assert job["meshes"][digest]["name"] == "bump.stl"
    data = body_of(shop.get(f"/api/jobs/{job['id']}/file"))
    Job.objects.all().delete()
    again = shop.post("/api/jobs/file", data, content_type="application/zip").json()
    assert again["plan"]["models"] == job["plan"]["models"]
    assert again["derived"]["models"]["m1"]["state"] == "ready"


def test_a_piece_limits_an_operation_and_results_are_kept(shop: Client, tray: dict) -> None:
    job = edited(shop, tray, do="change_piece", model="m1", piece="p2", change={"combine": "subtract", "height": 4.0})
    job = edited(shop, job, do="add_piece_boundary", model="m1", piece="p2")
    assert job["plan"]["boundaries"][0]["name"] == "Field"
    job = coarse(shop, job)
    flat = next(item["data"] for item in shop.get("/api/cutters").json() if item["data"]["number"] == 3)
    operation = {
        "number": 10,
        "strategy": "rough_offset",
        "cutter": flat,
        "boundary": {"boundary": "b1", "contain": "inside"},
        "settings": {"stepdown": 2.0, "stepover": 2.0, "leave": 0.0, "ramp_angle": 5.0},
    }
    setups = [job["plan"]["setups"][0] | {"operations": [operation]}]
    plan = job["plan"] | {"setups": setups}
    job = send(shop, f"/jobs/{job['id']}/plan", {"based_on": job["version"], "plan": plan, "note": ""}, "put").json()
    job = calculated(shop, composed(shop, job))
    info = job["derived"]["setups"][0]
    assert info["operations"][0]["state"] == "current"
    assert not [item for item in info["findings"] if item["level"] == "stop"]
    outline = info["outlines"]["b1"]
    # The field is the body less 5 mm all round.
    assert outline["area"] == pytest.approx(70 * 50, rel=1e-3)
    wanted = keys_of(parse_plan(job["plan"]))
    assert {row.key for row in Result.objects.filter(stage__in=("composed", "mesh-summary"))} <= wanted


def test_a_relief_is_saved_as_a_16_bit_picture(shop: Client, tray: dict) -> None:
    job = composed(shop, tray)
    answer = send(shop, f"/jobs/{job['id']}/export", {"model": "m1", "suffix": ".png"})
    assert answer.status_code == 200, answer.json()
    data = body_of(shop.get(f"/api/results/{answer.json()['key']}/file"))
    picture = Image.open(io.BytesIO(data))
    grey = np.asarray(picture)
    assert grey.dtype == np.uint16 and grey.max() == 65535
    assert float(picture.text["height_mm"]) == pytest.approx(14.0)
    middle = grey[grey.shape[0] // 2, grey.shape[1] // 2] / 65535 * 14.0
    assert middle == pytest.approx(14.0 - pieces(tray)["Field"]["height"], abs=0.001)


def test_what_can_be_chosen_is_told(shop: Client) -> None:
    forms = shop.get("/api/reliefs/forms").json()
    assert forms["shapes"]["slant"]["fields"]["angle"]["measure"] == "angle"
    assert forms["sources"]["circle"]["fields"]["diameter"]["title"] == "Diameter"
    assert set(forms["combine"]) == {
        "add",
        "subtract",
        "higher",
        "lower",
        "replace",
        "blend",
        "scale",
        "smooth",
        "despeck",
    }
    assert forms["fonts"]


def test_another_kind_of_outline_starts_from_something_that_can_be_drawn(shop: Client, tray: dict) -> None:
    job = tray
    for kind in ("circle", "ellipse", "polygon", "drawn", "path", "lettering", "offset", "rectangle"):
        job = edited(shop, job, do="change_piece", model="m1", piece="p2", change={"source": {"kind": kind}})
        assert pieces(job)["Field"]["source"]["kind"] == kind
        data = send(
            shop,
            f"/reliefs/jobs/{job['id']}/preview",
            {"model": "m1", "composition": job["plan"]["models"][0]["composition"]},
        ).content
        head = json.loads(data[4 : 4 + int.from_bytes(data[:4], "little")])
        assert not head["refused"], (kind, head["refused"])
    no = edited(shop, job, 422, do="add_piece", model="m1", kind="spiral")
    assert "there is no outline of the kind 'spiral'" in no["message"]


def test_a_piece_of_a_relief_is_taken_out_of_it(shop: Client, tray: dict) -> None:
    """What lies inside a boundary becomes a model of its own, which is the same relief cut along it."""
    job = composed(shop, tray)
    curves = [[[30.0, 20.0], [60.0, 20.0], [60.0, 50.0], [30.0, 50.0]]]
    boundary = {"id": "b1", "name": "half", "source": "drawn", "curves": [{"points": curves[0]}]}
    plan = job["plan"] | {"boundaries": [boundary]}
    job = send(shop, f"/jobs/{job['id']}/plan", {"based_on": job["version"], "plan": plan, "note": ""}, "put").json()
    job = edited(shop, job, do="take_piece", model="m1", boundary="b1", name="Half")
    whole, half = job["plan"]["models"]
    assert not whole["shown"] and half["composition"] == whole["composition"]
    done = composed(shop, job)["derived"]["models"][half["id"]]
    assert done["state"] == "ready" and done["size"][:2] == pytest.approx([30, 30], abs=1e-3)
