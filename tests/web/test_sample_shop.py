"""The sample shop is made by a worker, behind what people wait for, and goes on where it was broken off."""

from itertools import count
from pathlib import Path

import pytest
from procrastinate.contrib.django.models import ProcrastinateJob

from meshes import box_mesh
from nephos.command import sample
from nephos.core.errors import Refused
from nephos.core.mesh.formats.stl import write_stl
from nephos.web.deleted import delete
from nephos.web.models import Cutter as CutterRow
from nephos.web.models import Job, Mesh
from nephos.web.queues import TASKS
from nephos.web.sample_shop import ask_for_sample_shop, making, sample_shop
from nephos.web.tasks import run

pytestmark = pytest.mark.django_db

HEIGHTS = count(10, 3)
"""Each test has meshes of its own: what is known of meshes is remembered longer than a test lasts."""
HALF = ("heron-scan", "dragonfly")


@pytest.fixture(autouse=True)
def small_shop(monkeypatch, tmp_path: Path) -> None:
    """Two jobs with boxes for meshes."""

    def meshes(folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        for k, name in enumerate(HALF):
            if not (folder / f"{name}.stl").exists():
                (folder / f"{name}.stl").write_bytes(write_stl(box_mesh((0, 0, 0), (30, 20, next(HEIGHTS) + k))))

    monkeypatch.setattr(sample, "HOME", tmp_path)
    monkeypatch.setattr(sample, "make", meshes)
    monkeypatch.setattr(sample, "_JOBS", {name: sample._plain for name in HALF})
    monkeypatch.setattr("nephos.web.tasks.connections.close_all", lambda: None)


def waiting() -> int:
    return ProcrastinateJob.objects.filter(task_name__endswith="make_sample_shop", status="todo").count()


def test_the_first_start_asks_for_it_once_and_a_shop_with_jobs_never() -> None:
    assert sample_shop().state == "none"
    sample.ask_for_first_sample()
    sample.ask_for_first_sample()
    assert sample_shop().state == "waiting" and waiting() == 1
    run("make_sample_shop", {})
    sample.ask_for_first_sample()
    assert sample_shop().state == "made"
    assert sorted(Job.objects.values_list("name", flat=True)) == ["Dragonfly", "Heron scan"]


def test_a_shop_that_was_begun_empty_gets_none_until_it_is_asked_for() -> None:
    Job.objects.create(name="own", revision=1)
    sample.ask_for_first_sample()
    assert sample_shop().state == "none" and waiting() == 0
    ask_for_sample_shop()
    run("make_sample_shop", {})
    shop = sample_shop()
    assert (shop.state, shop.jobs, shop.made, shop.finished) == ("made", 2, 2, 2)
    assert Job.objects.count() == 3 and CutterRow.objects.exists()


def test_what_was_broken_off_goes_on_and_makes_nothing_twice(monkeypatch) -> None:
    def broken(mesh: Mesh, name: str) -> Job:
        raise Refused("no room")

    monkeypatch.setattr(sample, "_JOBS", {"heron-scan": sample._plain, "dragonfly": broken})
    ask_for_sample_shop()
    run("make_sample_shop", {})
    shop = sample_shop()
    assert shop.state == "failed" and "no room" in shop.reason and shop.made == 1
    monkeypatch.setattr(sample, "_JOBS", {name: sample._plain for name in HALF})
    ask_for_sample_shop()
    assert sample_shop().state == "waiting"
    run("make_sample_shop", {})
    assert sample_shop().state == "made"
    assert sorted(Job.objects.values_list("name", flat=True)) == ["Dragonfly", "Heron scan"]
    assert Mesh.objects.count() == 2


def test_a_job_is_there_whole_or_not_at_all(monkeypatch) -> None:
    """The worker is killed between the job and its place in the queue."""

    def killed(mesh: Mesh, name: str) -> Job:
        sample._plain(mesh, name)
        raise KeyboardInterrupt

    monkeypatch.setattr(sample, "_JOBS", {"heron-scan": killed})
    ask_for_sample_shop()
    with pytest.raises(KeyboardInterrupt):
        run("make_sample_shop", {})
    assert not Job.every.exists() and sample_shop().made == 0
    # The next start takes it up again.
    monkeypatch.setattr(sample, "_JOBS", {name: sample._plain for name in HALF})
    sample.ask_for_first_sample()
    run("make_sample_shop", {})
    assert Job.every.count() == 2 and sample_shop().state == "made"


def test_who_deletes_the_sample_jobs_can_have_them_made_again() -> None:
    ask_for_sample_shop()
    run("make_sample_shop", {})
    delete(Job.objects.get(name="Dragonfly"))
    ask_for_sample_shop()
    run("make_sample_shop", {})
    assert sorted(Job.objects.values_list("name", flat=True)) == ["Dragonfly", "Heron scan"]
    assert Job.every.count() == 3


def test_what_cannot_be_made_says_so_and_may_be_asked_for_again() -> None:
    ask_for_sample_shop()
    run("give_up", {"name": "make_sample_shop", "words": {}, "reason": "its process died three times"})
    assert sample_shop().state == "failed" and "died three times" in sample_shop().reason
    ask_for_sample_shop()
    assert sample_shop().state == "waiting" and sample_shop().reason == ""


def test_the_page_asks_for_it(client) -> None:
    assert client.post("/api/sample-shop", content_type="application/json").json()["state"] == "waiting"
    found = making()
    assert found is not None and found.state == "waiting" and waiting() == 1
    assert client.get("/api/sample-shop").json()["state"] == "waiting"


def test_it_waits_behind_what_people_ask_for() -> None:
    people = [kind.priority for name, kind in TASKS.items() if name in {"read_uploaded", "propose", "calculate"}]
    assert TASKS["make_sample_shop"].priority < min(people)
