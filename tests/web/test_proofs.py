"""What is done with a proved job: files fetched, gated by stops, told apart later; windows, meshes, programs from
elsewhere; posts; times."""

import json

import numpy as np
import pytest
import trimesh
from django.test import Client

from nephos.command.warm import small_hill
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.post.checksum import check_word
from nephos.core.post.read import read_program
from nephos.core.post.schema import post_named, shipped_posts
from nephos.core.stages.store import as_result
from nephos.web import tasks
from nephos.web.models import Cutter, Mesh, Post, RealTime, Result
from nephos.web.rows import to_be_made
from nephos.web.store import DatabaseStore
from web.shop import body_of, calculated, open_shop, send, upload

pytestmark = pytest.mark.django_db


@pytest.fixture
def shop(client: Client, monkeypatch: pytest.MonkeyPatch) -> Client:
    """A shop whose workers work at once."""
    return open_shop(client, monkeypatch, "prove_program", "cut_window_of", "export_block", "draw_outlines", "prepare")


@pytest.fixture
def job(shop: Client) -> dict:
    mesh = upload(shop, write_stl(small_hill(cells=24))).json()["id"]
    tasks.read_uploaded(mesh)
    assert Mesh.objects.get(pk=mesh).state == "ready"
    return send(shop, "/jobs", {"name": "Hill", "mesh": mesh}).json()


def changed(shop: Client, job: dict, edit) -> dict:
    plan = json.loads(json.dumps(job["plan"]))
    edit(plan)
    answer = send(shop, f"/jobs/{job['id']}/plan", {"based_on": job["version"], "plan": plan, "note": ""}, "put")
    assert answer.status_code == 200, answer.json()
    return answer.json()


def file_of(shop: Client, job: dict, number: int = 0):
    info = job["derived"]["setups"][0]
    return shop.get(f"/api/jobs/{job['id']}/program/{info['id']}/{info['programs'][number]['name']}")


def set_tabs(count: int):
    return lambda plan: plan["setups"][0]["operations"][-1]["settings"].update(tabs=count)


def check(shop: Client, job: dict, text: bytes, cutter: int = 0) -> dict:
    path = f"/api/jobs/{job['id']}/check/{job['derived']['setups'][0]['id']}?cutter={cutter}"
    return shop.post(path, text, content_type="application/octet-stream").json()


# --- posting while a stop stands --------------------------------------------------------------------------------------


def test_nothing_is_posted_while_a_stop_stands_unless_somebody_writes_down_why(shop: Client, job: dict) -> None:
    held = calculated(shop, job)
    assert file_of(shop, held).status_code == 200
    loose = changed(shop, held, set_tabs(0))
    stop = next(item for item in loose["derived"]["findings"] if item["level"] == "stop")
    assert stop["code"] == "nothing-holds" and stop["overridden"] == ""
    refused = send(shop, f"/jobs/{job['id']}/calculate")
    assert refused.status_code == 422 and "nothing holds it" in refused.json()["message"]

    def take_on(plan: dict) -> None:
        plan["overrides"] = [
            {"code": stop["code"], "row": stop["row"], "text": stop["text"], "reason": "it is held by a vacuum"}
        ]

    upon = calculated(shop, changed(shop, loose, take_on))
    shown = [item for item in upon["derived"]["findings"] if item["code"] == "nothing-holds"]
    assert [item["overridden"] for item in shown] == ["it is held by a vacuum"]
    # The proof finds that the part comes free, which is another stop and needs its own word.
    proof = [item for item in upon["derived"]["setups"][0]["findings"] if item["level"] == "stop"]
    assert [item["code"] for item in proof] == ["part-free"]
    assert "nothing is posted: the part comes free" in file_of(shop, upon).json()["message"]

    def both(plan: dict) -> None:
        plan["overrides"].append(
            {"code": "part-free", "row": proof[0]["row"], "text": proof[0]["text"], "reason": "held by a vacuum too"}
        )

    done = calculated(shop, changed(shop, upon, both))
    text = body_of(file_of(shop, done, -1))
    told = " ".join(line.strip("()") for line in text.decode().splitlines()[:20])
    assert "posted in spite of: " in told and "it is held by a vacuum" in told


def test_an_override_lapses_when_the_finding_says_another_number(shop: Client, job: dict) -> None:
    plan = job["plan"]
    plan["overrides"] = [
        {
            "code": "nothing-holds",
            "row": str(plan["setups"][0]["operations"][-1]["number"]),
            "text": "it was put otherwise",
            "reason": "no matter",
        }
    ]
    loose = changed(shop, {**job, "plan": plan}, set_tabs(0))
    assert [item["overridden"] for item in loose["derived"]["findings"] if item["code"] == "nothing-holds"] == [""]


@pytest.mark.parametrize("reason", ["", "x"])
def test_an_override_without_a_reason_is_refused(shop: Client, job: dict, reason: str) -> None:
    plan = job["plan"] | {"overrides": [{"code": "a", "row": "1", "text": "t", "reason": reason}]}
    answer = send(shop, f"/jobs/{job['id']}/plan", {"based_on": job["version"], "plan": plan, "note": ""}, "put")
    assert answer.status_code == 422 and "reason" in answer.json()["message"]


# --- whose file is this -----------------------------------------------------------------------------------------------


def test_a_file_tells_later_whose_it_is(shop: Client, job: dict) -> None:
    done = calculated(shop, job)
    text = body_of(file_of(shop, done))
    assert len(check_word(text)) == 16
    assert check(shop, done, text)["state"] == "current"
    assert check(shop, done, text.replace(b"\n", b"\r\n"))["state"] == "current"
    assert check(shop, done, text.replace(b" M3", b" M4"))["state"] == "altered"
    assert check(shop, done, b"G21 G90\nG0 Z5\nG0 X1 Y1\n")["state"] == "none"
    later = calculated(shop, changed(shop, done, lambda plan: plan["setups"][0]["operations"][0].update(feed=1234)))
    said = check(shop, later, text)
    assert said["state"] == "earlier" and "Hill, revision 1" in said["words"]


def test_a_program_from_elsewhere_is_proved_in_the_background(shop: Client, job: dict) -> None:
    key = check(shop, job, b"G21 G90\nT1 M6\nG0 Z5\nX10 Y10\nG0 Z-4\nX20\nG0 Z5\n")["key"]
    facts = shop.get(f"/api/results/{key}/facts").json()["facts"]
    assert {item["code"] for item in facts["findings"]} == {"rapid-in-block", "states-missing", "no-end"} and facts[
        "moves"
    ] == 5
    # The page reads the same, typed: nothing of it is dropped on the way.
    read = shop.get(f"/api/results/{key}/external").json()["facts"]
    assert {name: value for name, value in read.items() if name not in ("findings", "parts")} == {
        name: value for name, value in facts.items() if name not in ("findings", "parts")
    }
    assert [item["text"] for item in read["findings"]] == [item["text"] for item in facts["findings"]]
    assert read["findings"][0]["place"] == facts["findings"][0]["place"] and read["findings"][0]["overridden"] == ""
    assert read["parts"][0]["cutter"] == facts["parts"][0]["cutter"]
    moves = facts["parts"][0]["moves"]
    assert shop.get(f"/api/results/{moves}/array/points").status_code == 200
    unknown = check(shop, job, b"G21 G90\nT77 M6\nG0 Z5 X1 Y1\n")["key"]
    assert "cutter 77" in shop.get(f"/api/results/{unknown}/facts").json()["facts"]["refused"]


@pytest.mark.parametrize(("text", "said"), [(b"  \n ", "empty")])
def test_a_file_that_is_none_gets_one_sentence(shop: Client, job: dict, text: bytes, said: str) -> None:
    assert said in check(shop, job, text)["message"]


# --- the block --------------------------------------------------------------------------------------------------------


def test_a_window_of_the_block_at_full_resolution(shop: Client, job: dict) -> None:
    done = calculated(shop, job)
    setup = done["derived"]["setups"][0]["id"]
    body = {"low": [23, 22], "high": [27, 25], "pitch": 0.05, "operations": 3}
    key = send(shop, f"/jobs/{job['id']}/window/{setup}", body).json()["key"]
    facts = shop.get(f"/api/results/{key}/facts").json()["facts"]
    heights = np.frombuffer(body_of(shop.get(f"/api/results/{key}/array/high")), "<f4").reshape(60, 80)
    assert (facts["nx"], facts["ny"]) == (80, 60) and 0 < heights.min() < heights.max() <= job["plan"]["stock"][
        "thickness"
    ]
    huge = send(shop, f"/jobs/{job['id']}/window/{setup}", body | {"high": [400, 400], "pitch": 0.01})
    assert huge.status_code == 422 and "make it smaller" in huge.json()["message"]


@pytest.mark.parametrize(("suffix", "scale"), [(".stl", 1.0), (".glb", 1000.0)])
def test_the_proof_is_written_as_a_mesh(shop: Client, job: dict, suffix: str, scale: float) -> None:
    assert "press Calculate" in send(shop, f"/jobs/{job['id']}/block/a?suffix={suffix}").json()["message"]
    done = calculated(shop, job)
    setup = done["derived"]["setups"][0]["id"]
    volumes = []
    for alone in ("false", "true"):
        key = send(shop, f"/jobs/{job['id']}/block/{setup}?suffix={suffix}&alone={alone}").json()["key"]
        answer = shop.get(f"/api/results/{key}/file")
        assert answer["Content-Disposition"].endswith(f'{suffix}"') and "hill-" in answer["Content-Disposition"]
        mesh = trimesh.load(trimesh.util.wrap_as_stream(body_of(answer)), file_type=suffix[1:], force="mesh")
        mesh.merge_vertices()
        volumes.append(mesh.volume * scale**3)
    stock = done["plan"]["stock"]
    assert 0 < volumes[1] < volumes[0] < stock["length"] * stock["width"] * stock["thickness"]


# --- posts ------------------------------------------------------------------------------------------------------------

OWN = post_named("rs274-metric-changer").model_dump(mode="json") | {
    "id": "shed",
    "title": "Shed controller",
    "extension": "tap",
}


def test_a_post_is_made_changed_taken_by_a_job_and_deleted(shop: Client, job: dict) -> None:
    assert send(shop, "/posts", {"data": OWN}).status_code == 200
    listed = shop.get("/api/posts").json()
    assert [item["data"]["id"] for item in listed if not item["shipped"]] == ["shed"]
    assert len(listed) == 1 + len(shipped_posts())
    taken = calculated(shop, changed(shop, job, lambda plan: plan.update(post=OWN)))
    programs = taken["derived"]["setups"][0]["programs"]
    assert len(programs) == 1 and programs[0]["name"].endswith(".tap")
    reading = read_program(body_of(file_of(shop, taken)))
    assert len(set(reading.tools)) >= 2
    send(shop, "/posts/shed", {"data": OWN | {"title": "Other"}}, "put")
    again = shop.get(f"/api/jobs/{job['id']}").json()
    assert again["plan"]["post"]["title"] == "Shed controller", "a job keeps it as it was when it took it"
    assert shop.get("/api/posts/shed/file").json()["title"] == "Other"
    assert send(shop, "/posts/shed", method="delete").status_code == 204 and not Post.objects.exists()


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"decimals": 12}, "decimals must be 6 or less"),
        ({"id": "rs274-inch"}, "ships with Nephos"),
        ({"start": ["G20"]}, "would not be certified"),
        ({"start": ["G21 {speed}"]}, "{speed} is not known"),
    ],
)
def test_a_post_that_would_write_nonsense_is_not_kept(shop: Client, change: dict, said: str) -> None:
    answer = send(shop, "/posts", {"data": OWN | change})
    assert answer.status_code == 422 and said in answer.json()["message"] and not Post.objects.exists()
    assert shop.get("/api/posts").status_code == 200


def test_two_posts_of_one_name_are_refused_and_a_preview_keeps_nothing(shop: Client) -> None:
    send(shop, "/posts", {"data": OWN})
    assert "already" in send(shop, "/posts", {"data": OWN}).json()["message"]
    shown = send(shop, "/posts/preview", {"data": OWN | {"decimals": 1}}).json()
    assert shown["problem"] == "" and "M6" in shown["text"]
    assert "decimals" in send(shop, "/posts/preview", {"data": OWN | {"decimals": 0}}).json()["problem"]
    assert Post.objects.get().data["decimals"] == 3


def test_changing_what_a_post_says_around_the_moves_cuts_nothing_anew(shop: Client, job: dict) -> None:
    done = calculated(shop, job)
    keys = [item["keys"] for item in done["derived"]["setups"][0]["operations"]]
    other = changed(shop, done, lambda plan: plan.update(post="rs274-metric-pauses"))
    assert [item["keys"] for item in other["derived"]["setups"][0]["operations"]] == keys
    assert other["derived"]["setups"][0]["programs"] is None and other["derived"]["setups"][0]["summary"] is not None
    again = calculated(shop, other)
    assert len(again["derived"]["setups"][0]["programs"]) == 1


# --- times ------------------------------------------------------------------------------------------------------------


def test_real_times_correct_what_is_shown(shop: Client, job: dict) -> None:
    before = shop.get(f"/api/jobs/{job['id']}").json()["derived"]["setups"][0]["time"]
    assert (
        before["entries"] == 0
        and before["factor"] == 1
        and before["total"] == before["moves"] + before["changes"] + before["waits"]
    )
    for real in (1100, 1200, 1150):
        answer = send(shop, "/times/shed-router", {"job": "Hill", "calculated": 1000, "real": real})
    assert answer.json()["factor"] == pytest.approx(1.15)
    time = shop.get(f"/api/jobs/{job['id']}").json()["derived"]["setups"][0]["time"]
    assert (time["low"], time["factor"], time["high"], time["entries"]) == (1.1, 1.15, 1.2, 3)
    first = answer.json()["entries"][-1]["id"]
    assert send(shop, f"/times/shed-router/{first}", method="delete").json()["low"] == pytest.approx(1.15)
    assert RealTime.objects.count() == 2


@pytest.mark.parametrize(
    "body",
    [
        {"job": "Hill", "calculated": 1000, "real": 0},
        {"job": "", "calculated": 1, "real": 1},
        {"job": "H", "calculated": 1},
    ],
)
def test_a_time_that_is_none_is_refused(shop: Client, body: dict) -> None:
    assert send(shop, "/times/shed-router", body).status_code == 422 and not RealTime.objects.exists()
    assert send(shop, "/times/no-such-machine", {"job": "H", "calculated": 1, "real": 1}).status_code == 422


# --- what goes wrong is told ------------------------------------------------------------------------------------------


def test_whoever_waits_for_a_result_is_told_why_there_will_be_none(
    shop: Client, job: dict, monkeypatch: pytest.MonkeyPatch
) -> None:
    setup = job["derived"]["setups"][0]["id"]
    body = {"low": [23, 22], "high": [27, 25], "pitch": 0.1, "operations": 3}
    key = send(shop, f"/jobs/{job['id']}/window/{setup}", body).json()["key"]
    assert "press Calculate first" in shop.get(f"/api/results/{key}/facts").json()["facts"]["refused"]

    def out_of_memory(*_: object, **__: object) -> None:
        raise MemoryError

    monkeypatch.setattr(tasks, "cut_window", out_of_memory)
    done = calculated(shop, job)
    key = send(shop, f"/jobs/{job['id']}/window/{setup}", body | {"pitch": 0.2}).json()["key"]
    assert "not enough memory" in shop.get(f"/api/results/{key}/facts").json()["facts"]["refused"]
    monkeypatch.setattr(tasks, "cut_window", lambda *_: 1 / 0)
    tasks.cut_window_of(
        key="window-test", plan=done["plan"], setup=setup, low=[23, 22], high=[27, 25], pitch=0.3, operations=1
    )
    assert "a fault of Nephos" in shop.get("/api/results/window-test/facts").json()["facts"]["refused"]
    assert tasks.STORE.get("window-test") is None, "who works it out tries again"


def test_what_was_refused_once_is_tried_again_when_it_is_asked_for_again(shop: Client, job: dict) -> None:
    """The operations were not calculated when a close look was asked for; then they are, and it is there."""
    done = calculated(shop, job)
    setup = done["derived"]["setups"][0]["id"]
    body = {"low": [10, 10], "high": [14, 14], "pitch": 0.1, "operations": 1}
    key = send(shop, f"/jobs/{job['id']}/window/{setup}", body).json()["key"]
    Result.objects.filter(pk=key).delete()
    tasks.STORE.put(key, "window", as_result({"refused": "this broke off"}))
    assert shop.get(f"/api/results/{key}/facts").json()["facts"]["refused"] == "this broke off"
    assert send(shop, f"/jobs/{job['id']}/window/{setup}", body).json()["key"] == key
    facts = shop.get(f"/api/results/{key}/facts").json()["facts"]
    assert facts["nx"] == 40 and facts["ny"] == 40
    first = Result.objects.get(pk=key).facts
    send(shop, f"/jobs/{job['id']}/window/{setup}", body)
    assert Result.objects.get(pk=key).facts == first, "what is there is not made again"


def test_a_refusal_is_not_remembered_by_a_worker() -> None:
    one, other = DatabaseStore(), DatabaseStore()
    one.put("window-a", "window", as_result({"refused": "no"}))
    assert one.get("window-a").facts == {"refused": "no"}
    assert to_be_made("window-a") and one.get("window-a") is None, "taken back by another process"
    other.put("window-a", "window", as_result({"nx": 3}))
    assert one.get("window-a").facts == {"nx": 3} and not to_be_made("window-a")


@pytest.mark.parametrize(
    "path", ["program/a/none.nc", "program/zz/a.nc", "window/zz", "block/zz?suffix=.stl", "check/zz"]
)
def test_what_is_not_there_is_said_so(shop: Client, job: dict, path: str) -> None:
    address = f"/api/jobs/{job['id']}/{path}"
    body = json.dumps({"low": [0, 0], "high": [5, 5], "pitch": 0.1, "operations": 1})
    answer = (
        shop.get(address) if path.startswith("program") else shop.post(address, body, content_type="application/json")
    )
    assert answer.status_code in (404, 422) and (answer.status_code == 404 or answer.json()["message"])


@pytest.mark.parametrize(
    "change", [{"pitch": 0}, {"pitch": 5}, {"low": [1]}, {"low": ["a", 1]}, {"operations": -1}, {"high": [11, 10]}]
)
def test_a_window_that_is_none_is_refused(shop: Client, job: dict, change: dict) -> None:
    body = {"low": [10, 10], "high": [14, 13], "pitch": 0.05, "operations": 1} | change
    if "high" in change:
        body["low"] = [11, 10]
    assert send(shop, f"/jobs/{job['id']}/window/{job['derived']['setups'][0]['id']}", body).status_code == 422


# --- a finer cutter, files cut to size --------------------------------------------------------------------------------


def test_a_finishing_goes_on_with_a_finer_cutter(shop: Client, job: dict) -> None:
    balls = sorted(
        (row.data for row in Cutter.objects.all() if row.data["shape"] == "ball"), key=lambda cutter: cutter["diameter"]
    )
    fine, coarse = balls[0], balls[-1]

    def go_on(plan: dict) -> None:
        plan["setups"][0]["operations"][1].update(cutter=coarse, fine=fine)

    now = changed(shop, job, go_on)
    rows = now["derived"]["setups"][0]["operations"]
    assert [(row["number"], row["parent"]) for row in rows] == [(10, 10), (20, 20), (21, 20), (30, 30)]
    assert rows[2]["cutter"]["number"] == fine["number"] and rows[2]["estimate"]["seconds"] >= 0
    assert now["derived"]["setups"][0]["time"]["changes"] == 3 * 90
    done = calculated(shop, now)
    assert [row["state"] for row in done["derived"]["setups"][0]["operations"]] == ["current"] * 4
    numbers = [program["numbers"] for program in done["derived"]["setups"][0]["programs"]]
    assert numbers == [[10], [20], [21], [30]]
    clash = json.loads(json.dumps(done["plan"]))
    clash["setups"][0]["operations"][2]["number"] = 21
    answer = send(shop, f"/jobs/{job['id']}/plan", {"based_on": done["version"], "plan": clash, "note": ""}, "put")
    assert answer.status_code == 422 and "the number after" in answer.json()["message"]


def test_the_line_of_a_move_is_found_in_the_file_that_it_went_to(shop: Client, job: dict) -> None:
    small = OWN | {"most_lines": 400}
    done = calculated(shop, changed(shop, job, lambda plan: plan.update(post=small)))
    info = done["derived"]["setups"][0]
    assert len(info["programs"]) > 2
    texts = {
        item["name"]: body_of(file_of(shop, done, k)).decode().splitlines() for k, item in enumerate(info["programs"])
    }
    zero = info["zero_at"]
    for row in info["operations"]:
        moves = np.frombuffer(body_of(shop.get(f"/api/results/{row['keys']['moves']}/array/points")), "<f8").reshape(
            -1, 3
        )
        for move in (2, row["moves"] // 2, row["moves"] - 1):
            told = shop.get(f"/api/results/{info['files_key']}/line/{row['number']}/{move}").json()
            line = texts[told["file"]][told["line"] - 1]
            assert line == told["text"]
            # The words of the line are where the move ends.
            for word in line.split():
                if word[0] in "XYZ":
                    assert float(word[1:]) == pytest.approx(
                        moves[move + 1]["XYZ".index(word[0])] - zero["XYZ".index(word[0])], abs=1e-9
                    )
    assert shop.get(f"/api/results/{info['files_key']}/line/10/{10**8}").status_code == 404


def test_posting_survives_undo_and_redo(shop: Client, job: dict) -> None:
    done = calculated(shop, job)
    text = body_of(file_of(shop, done))
    other = calculated(shop, changed(shop, done, lambda plan: plan.update(post="rs274-inch")))
    assert b"G20" in body_of(file_of(shop, other))
    back = send(shop, f"/jobs/{job['id']}/undo", {"based_on": other["version"]}).json()
    assert body_of(file_of(shop, back)) == text, "what was posted then is there at once"
    assert check(shop, back, text)["state"] == "current"


def test_a_post_that_is_wrong_in_a_plan_is_refused_with_its_reason(shop: Client, job: dict) -> None:
    plan = job["plan"] | {"post": OWN | {"decimals": 40}}
    answer = send(shop, f"/jobs/{job['id']}/plan", {"based_on": job["version"], "plan": plan, "note": ""}, "put")
    assert answer.status_code == 422 and "decimals" in answer.json()["message"]
    unknown = job["plan"] | {"post": "no-such-post"}
    answer = send(shop, f"/jobs/{job['id']}/plan", {"based_on": job["version"], "plan": unknown, "note": ""}, "put")
    assert answer.status_code == 422 and "there is no post 'no-such-post'" in answer.json()["message"]
    assert shop.get(f"/api/jobs/{job['id']}").json()["plan"]["post"] == "rs274-metric", "the job still opens"


def test_a_second_file_is_proved_on_what_the_files_before_it_leave(shop: Client, job: dict) -> None:
    """On uncut stock the finisher's rapids, which go low over what roughing cleared, would be a false stop."""
    done = calculated(shop, job)
    numbers = [item["number"] for item in done["derived"]["setups"][0]["operations"]]
    text = body_of(file_of(shop, done, 1))
    said = check(shop, job, text)
    before = max(number for number in numbers if number < int(text.split(b"(op: ")[1].split(b" ")[0]))
    assert (said["state"], said["after"]) == ("current", before)
    facts = shop.get(f"/api/results/{said['key']}/facts").json()["facts"]
    assert not [item for item in facts["findings"] if item["level"] == "stop"], facts["findings"]
    address = f"/api/jobs/{job['id']}/check/{done['derived']['setups'][0]['id']}?after=0"
    other = shop.post(address, text, content_type="application/octet-stream").json()
    assert other["after"] == 0 and other["key"] != said["key"], "and it can be chosen"
    raw = b"G21 G90 G17 G40 G49 G94 G54\nT1 M6\nS18000 M3\nG4 P4\nN50 G0 Z5\nN60 X10 Y10\nN70 G0 Z-4\nN80 X20\nG0 Z5\nM5\nM30\n"  # noqa: E501
    key = check(shop, job, raw)["key"]
    (stop,) = [
        item for item in shop.get(f"/api/results/{key}/facts").json()["facts"]["findings"] if item["level"] == "stop"
    ]
    assert stop["code"] == "rapid-in-block" and stop["text"].endswith("(N70, line 7)")


def test_files_are_not_fetched_before_a_new_clamp_is_looked_at(shop: Client, job: dict) -> None:
    held = calculated(shop, job)
    assert file_of(shop, held).status_code == 200
    name = held["derived"]["setups"][0]["programs"][0]["name"]

    def clamped(plan: dict) -> None:
        clamp = {"id": "k", "name": "clamp", "at": [6.0, 25.0], "size": [10.0, 10.0, 40.0], "foot": 0.0}
        plan["setups"][0]["keep_outs"] = [clamp]

    later = changed(shop, held, clamped)
    info = later["derived"]["setups"][0]
    assert info["programs"] is None and info["findings"] == [], "no verdict that is older than the clamp"
    refused = shop.get(f"/api/jobs/{job['id']}/program/{info['id']}/{name}")
    assert refused.status_code == 422 and "calculate it first" in refused.json()["message"]
    assert shop.get(f"/api/jobs/{job['id']}/programs.zip").status_code == 422
    before = set(Result.objects.values_list("key", flat=True))
    again = calculated(shop, later)
    assert "keep-out-hit" in {item["code"] for item in again["derived"]["setups"][0]["findings"]}
    stages = {row.stage for row in Result.objects.exclude(key__in=before)}
    assert stages == {"findings"}, "and nothing else is worked out for it"
    assert "goes" in shop.get(f"/api/jobs/{job['id']}/program/{info['id']}/{name}").json()["message"]
