"""Meshes, edits, repairs, shelf and job files through the API, against the real database."""

import io
import json
import zipfile

import numpy as np
import pytest
from django.test import Client

from meshes import box_mesh
from nephos.command.sample import sample_cutters
from nephos.command.warm import small_hill
from nephos.core.materials import SHIPPED
from nephos.core.mesh.examine import examine
from nephos.core.mesh.formats import read_mesh
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.mesh.model import Mesh as CoreMesh
from nephos.core.mesh.model import joined
from nephos.web import summaries as looks
from nephos.web import tasks
from nephos.web.models import Blob, Cutter, Job, Mesh, Revision
from nephos.web.store import DatabaseStore
from web.shop import body_of, send, upload

pytestmark = pytest.mark.django_db(transaction=True)

SHIFT = np.array([[1.0, 0, 0, 8], [0, 1, 0, 8], [0, 0, 1, 3.2], [0, 0, 0, 1]])
SLABBED = joined([box_mesh((0, 0, 0), (40, 40, 3)), small_hill(cells=60).moved(SHIFT)])


@pytest.fixture
def shop(client: Client, monkeypatch: pytest.MonkeyPatch) -> Client:
    """An empty shop whose workers do their work at once."""
    tasks.STORE = DatabaseStore()
    tasks._loaded.cache_clear()
    looks._arrays.cache_clear()
    for cutter in sample_cutters():
        Cutter.objects.create(number=cutter.number, data=cutter.model_dump())
    # The materials come with a migration, whose rows go with the first emptied table.
    from nephos.web.models import Material

    for item in SHIPPED:
        Material.objects.get_or_create(name=item.name, defaults={"data": item.model_dump()})
    return client


def bring(shop: Client, mesh: CoreMesh, name: str = "hill.stl") -> dict:
    row = upload(shop, write_stl(mesh), name).json()
    tasks.read_uploaded(row["id"])
    return send(shop, "/jobs", {"name": "Hill", "mesh": row["id"]}).json()


@pytest.fixture
def job(shop: Client) -> dict:
    return bring(shop, SLABBED)


def edit(shop: Client, job: dict, **words) -> dict:
    """Make an edit and do the work it asks of workers."""
    answer = send(
        shop, f"/jobs/{job['id']}/edit", {"based_on": job["version"], "edit": {"model": "m1", **words}, "note": "test"}
    )
    assert answer.status_code == 200, answer.json()
    for model in answer.json()["plan"]["models"]:
        if model["steps"]:
            tasks.prepare(model)
    return shop.get(f"/api/jobs/{job['id']}").json()


def model(job: dict) -> dict:
    return job["derived"]["models"]["m1"]


def test_an_edit_is_a_revision_and_undo_takes_it_back(shop: Client, job: dict) -> None:
    after = edit(shop, job, do="turn_model", axis=0, degrees=90)
    assert after["revision"] == 2 and model(after)["size"][2] == pytest.approx(40)
    back = send(shop, f"/jobs/{job['id']}/undo", {"based_on": after["version"]}).json()
    assert back["plan"] == job["plan"] and model(back)["size"] == model(job)["size"]


def test_a_stale_edit_is_refused_and_changes_nothing(shop: Client, job: dict) -> None:
    edit(shop, job, do="swap_xy")
    late = send(shop, f"/jobs/{job['id']}/edit", {"based_on": job["version"], "edit": {"do": "swap_xy", "model": "m1"}})
    assert late.status_code == 409 and Revision.objects.count() == 2


def test_a_preview_keeps_nothing(shop: Client, job: dict) -> None:
    larger = {"do": "size_model", "model": "m1", "axis": 0, "value": 77}
    seen = send(shop, "/jobs/preview/plan", {"plan": job["plan"], "edit": larger}).json()
    assert seen["derived"]["models"]["m1"]["size"][0] == pytest.approx(77)
    assert Revision.objects.count() == 1
    refused = send(
        shop,
        "/jobs/preview/plan",
        {"plan": job["plan"], "edit": {"do": "size_model", "model": "m1", "axis": 9, "value": 7}},
    )
    assert refused.status_code == 422 and "axis" in refused.json()["message"]


def test_a_slab_is_suggested_cut_off_and_undone(shop: Client, job: dict) -> None:
    assert model(job)["slab"] == pytest.approx(3.1, abs=0.3) and model(job)["facts"]["shells"] == 2
    after = edit(shop, job, do="cut_off", height=3.1)
    state = model(after)
    assert state["state"] == "ready" and state["facts"]["shells"] == 1 and state["size"][:2] == pytest.approx([24, 24])
    assert "cut off" in state["facts"]["said"][0]
    back = send(shop, f"/jobs/{job['id']}/undo", {"based_on": after["version"]}).json()
    assert model(back)["facts"]["shells"] == 2 and model(back)["state"] == "ready"


def test_until_a_repair_is_done_the_model_is_said_to_be_worked_on(shop: Client, job: dict) -> None:
    answer = send(
        shop,
        f"/jobs/{job['id']}/edit",
        {"based_on": 1, "edit": {"do": "repair_model", "model": "m1", "kind": "drop_shells"}},
    )
    assert answer.json()["derived"]["models"]["m1"]["state"] == "working"


def test_a_repair_that_cannot_be_done_says_so_and_stops_the_calculation_only(shop: Client, job: dict) -> None:
    after = edit(shop, job, do="repair_model", kind="drop_shells", settings={"size": 4000})
    assert model(after)["state"] == "refused" and "every piece is smaller" in model(after)["reason"]
    started = send(shop, f"/jobs/{job['id']}/calculate")
    assert started.status_code == 422 and "every piece is smaller" in started.json()["message"]
    assert model(edit(shop, after, do="drop_repair", step=0))["state"] == "ready"


def test_faults_are_kept_to_be_shown(shop: Client) -> None:
    open_box = CoreMesh(box_mesh((0, 0, 0), (30, 20, 10)).vertices, box_mesh((0, 0, 0), (30, 20, 10)).faces[2:])
    state = model(bring(shop, open_box))
    assert state["facts"]["holes"] == 1
    answer = shop.get(f"/api/results/{state['look']}/array/holes")
    assert answer["X-Shape"] == "4,2,3" and len(body_of(answer)) == 4 * 2 * 3 * 4


@pytest.mark.parametrize("suffix", [".stl", ".ply", ".3mf"])
def test_a_model_is_written_as_it_is_placed(shop: Client, job: dict, suffix: str) -> None:
    after = edit(shop, job, do="size_model", axis=0, value=60)
    key = send(shop, f"/jobs/{job['id']}/export", {"model": "m1", "suffix": suffix}).json()["key"]
    assert shop.get(f"/api/results/{key}/file").status_code == 404, "it is not there before it is written"
    assert shop.get(f"/api/results/{key}/made").json() == {"facts": None}, "and asking for it is no error"
    tasks.export_model(key, f"hill{suffix}", after["plan"], "m1")
    answer = shop.get(f"/api/results/{key}/file")
    mesh = read_mesh(f"hill{suffix}", body_of(answer))
    assert f'filename="hill{suffix}"' in answer["Content-Disposition"]
    assert mesh.low == pytest.approx(model(after)["low"], abs=1e-4) and mesh.high == pytest.approx(
        model(after)["high"], abs=1e-4
    )
    assert examine(mesh).shells == 2
    assert send(shop, f"/jobs/{job['id']}/export", {"model": "m1", "suffix": ".obj"}).status_code == 422


def test_ways_out_are_edits_that_lead_out(shop: Client, job: dict) -> None:
    tall = edit(shop, job, do="size_model", axis=2, value=60, alone=True)
    stop = next(item for item in tall["derived"]["findings"] if item["level"] == "stop")
    assert len(stop["fixes"]) >= 2
    for fix in stop["fixes"]:
        after = send(shop, f"/jobs/{job['id']}/edit", {"based_on": tall["version"], "edit": fix["edit"]}).json()
        assert not [item for item in after["derived"]["findings"] if item["level"] == "stop"], fix
        tall = send(shop, f"/jobs/{job['id']}/undo", {"based_on": after["version"]}).json()


def test_several_models_are_all_cut(shop: Client, job: dict) -> None:
    mesh = Mesh.objects.get()
    add = {"do": "add_model", "mesh": mesh.digest, "name": "second"}
    after = send(shop, f"/jobs/{job['id']}/edit", {"based_on": 1, "edit": add}).json()
    assert [item["id"] for item in after["plan"]["models"]] == ["m1", "m2"]
    assert "models-overlap" in {item["code"] for item in after["derived"]["findings"]}
    gone = send(
        shop, f"/jobs/{job['id']}/edit", {"based_on": after["version"], "edit": {"do": "remove_model", "model": "m1"}}
    ).json()
    assert list(gone["derived"]["models"]) == ["m2"]


def test_the_shelf_keeps_materials_and_pieces(shop: Client, job: dict) -> None:
    names = [row["data"]["name"] for row in shop.get("/api/shelf/materials").json()]
    assert {"lime", "oak", "brass", "aluminium", "HDPE", "wax", "foam", "acrylic"} <= set(names)
    added = send(shop, "/shelf/materials", {"data": {"name": "pear", "colour": "#AA8866"}})
    assert added.status_code == 200
    assert "already" in send(shop, "/shelf/materials", {"data": {"name": "pear"}}).json()["message"]
    assert "colour" in send(shop, "/shelf/materials", {"data": {"name": "plum", "colour": "red"}}).json()["message"]
    row = added.json()["id"]
    assert (
        send(shop, f"/shelf/materials/{row}", {"data": {"name": "pear wood"}}, "put").json()["data"]["name"]
        == "pear wood"
    )
    assert shop.delete(f"/api/shelf/materials/{row}").status_code == 204

    small = {"name": "stub", "material": "lime", "length": 20, "width": 20, "thickness": 20}
    for data in (small, small | {"name": "board", "length": 300, "width": 60}):
        assert send(shop, "/shelf/pieces", {"data": data}).status_code == 200
    assert "thickness" in send(shop, "/shelf/pieces", {"data": small | {"thickness": 0}}).json()["message"]
    assert [item["piece"]["name"] for item in shop.get(f"/api/jobs/{job['id']}/pieces").json()] == ["board"]
    ids = [item["id"] for item in shop.get("/api/shelf/pieces").json()]
    assert send(shop, f"/shelf/pieces/{ids[0]}", {"data": small | {"count": 4}}, "put").json()["data"]["count"] == 4
    assert (
        shop.delete(f"/api/shelf/pieces/{ids[0]}").status_code == 204 and len(shop.get("/api/shelf/pieces").json()) == 1
    )


def job_file(shop: Client, job: dict) -> bytes:
    return body_of(shop.get(f"/api/jobs/{job['id']}/file"))


def read_back(shop: Client, data: bytes):
    return shop.post("/api/jobs/file", data, content_type="application/octet-stream")


def programs(shop: Client, job: dict) -> dict[str, bytes]:
    state = send(shop, f"/jobs/{job['id']}/calculate").json()
    tasks.calculate(state["id"])
    now = shop.get(f"/api/jobs/{job['id']}").json()
    info = now["derived"]["setups"][0]
    assert info["summary"], now["calculation"]
    names = [item["name"] for item in info["programs"]]
    return {name: body_of(shop.get(f"/api/jobs/{job['id']}/program/{info['id']}/{name}")) for name in names}


def test_a_job_file_gives_the_same_programs_to_the_byte(shop: Client, job: dict) -> None:
    after = edit(shop, edit(shop, job, do="cut_off", height=3.1), do="size_model", axis=0, value=30)
    written = programs(shop, after)
    data = job_file(shop, after)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        about = json.loads(archive.read("job.json"))
        assert about["format"] == "nephos-job" and json.loads(archive.read("plan.json")) == after["plan"]
        (name,) = about["meshes"].values()
        assert archive.read(name) == write_stl(SLABBED), "the mesh lies in it as it came"
        assert {cutter["number"] for cutter in json.loads(archive.read("cutters.json"))} == {2, 3, 6}

    # Into a shop that has nothing.
    Job.objects.all().delete()
    Mesh.objects.all().delete()
    from nephos.web.models import Result

    Result.objects.all().delete()
    tasks.STORE = DatabaseStore()
    tasks._loaded.cache_clear()
    looks._arrays.cache_clear()
    Cutter.objects.all().delete()
    came = read_back(shop, data).json()
    assert (
        came["name"] == "Hill"
        and came["revision"] == after["revision"]
        and came["derived"]["models"]["m1"]["state"] == "reading"
    )
    tasks.read_uploaded(Mesh.objects.get().pk)
    for item in came["plan"]["models"]:
        tasks.prepare(item)
    assert programs(shop, came) == written
    assert set(Cutter.objects.values_list("number", flat=True)) == {2, 3, 6}


def packed(**files: object) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in files.items():
            archive.writestr(name.replace("_dot_", "."), data if isinstance(data, bytes) else json.dumps(data))
    return out.getvalue()


ABOUT = {"format": "nephos-job", "version": 1, "name": "x", "revision": 1, "meshes": {}}
PLAN = {"schema_version": 2, "stock": {"length": 1, "width": 1, "thickness": 1}}
FOX = PLAN | {"models": [{"id": "m", "name": "fox", "mesh": "d"}]}


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"no zip", "no zip archive"),
        (packed(a_dot_txt="x"), "holds no job.json"),
        (packed(job_dot_json={"format": "x"}), "another kind"),
        (packed(job_dot_json=ABOUT | {"version": 9}), "newer Nephos"),
        (packed(job_dot_json=ABOUT | {"revision": "x"}), "damaged"),
        (packed(job_dot_json=ABOUT), "holds no plan.json"),
        (packed(job_dot_json=ABOUT, plan_dot_json=b"{"), "plan.json in this job file is damaged"),
        (packed(job_dot_json=ABOUT, plan_dot_json={"stock": 4}), "stock"),
        (packed(job_dot_json=ABOUT, plan_dot_json=FOX), "mesh of fox is missing"),
        (packed(job_dot_json=ABOUT | {"meshes": {"d": "meshes/fox.stl"}}, plan_dot_json=FOX), "fox.stl is missing"),
        (packed(job_dot_json=ABOUT | {"meshes": {"d": "../../fox.exe"}}, plan_dot_json=FOX), "not of a kind"),
    ],
)
def test_a_broken_job_file_is_refused_and_leaves_nothing(shop: Client, data: bytes, said: str) -> None:
    answer = read_back(shop, data)
    assert answer.status_code == 422 and said in answer.json()["message"]
    assert not Job.objects.exists() and not Mesh.objects.exists() and not Blob.objects.exists()


def test_a_mesh_that_was_never_read_to_the_end_is_read_at_the_next_start(shop: Client) -> None:
    from procrastinate.contrib.django.models import ProcrastinateJob

    row = upload(shop, write_stl(small_hill(cells=10))).json()
    looks.read_again()
    looks.read_again()
    assert (
        ProcrastinateJob.objects.filter(task_name__endswith="read_uploaded", queueing_lock=f"mesh-{row['id']}").count()
        == 1
    )


def test_repairs_and_formats_are_listed_for_the_page(shop: Client) -> None:
    kinds = {item["key"]: item for item in shop.get("/api/shelf/repairs").json()}
    # A hole is measured on the file, a wall on the finished part.
    assert kinds["close_holes"]["schema"]["properties"]["size"]["length"] == "file"
    assert kinds["hollow_back"]["schema"]["properties"]["wall"]["length"] == "part"
    assert ".glb" in shop.get("/api/shelf/formats").json()["read"]


def test_a_wall_stays_as_thick_as_it_was_typed_when_the_model_is_sized_afterwards(shop: Client) -> None:
    """As a user does it: size, hollow the back, size again, undo; what is said of the wall is true each time."""
    job = bring(shop, joined([box_mesh((0, 0, 0), (40, 30, 12))]))
    job = edit(shop, job, do="repair_model", kind="hollow_back", settings={"wall": 4.0, "rim": 6.0})
    before = model(job)
    assert "wall of {4 mm}" in before["facts"]["said"][0]
    job = edit(shop, job, do="size_model", axis=0, value=100)
    state = model(job)
    assert state["state"] == "ready" and state["size"] == pytest.approx([100, 75, 30])
    assert "wall of {4 mm}" in state["facts"]["said"][0]
    tasks.export_model("hollowed", "box.stl", job["plan"], "m1")
    mesh = read_mesh("box.stl", body_of(shop.get("/api/results/hollowed/file")))
    top = mesh.high[2]
    pit = mesh.vertices[(mesh.vertices[:, 2] > mesh.low[2] + 1) & (mesh.vertices[:, 2] < top - 1)]
    assert top - pit[:, 2].max() == pytest.approx(4.0, abs=0.01)
    back = send(shop, f"/jobs/{job['id']}/undo", {"based_on": job["version"]}).json()
    assert model(back)["state"] == "ready" and model(back)["facts"] == before["facts"]
