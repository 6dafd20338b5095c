"""A calculation of the sample shop is put aside between stages when a person asks for another one."""

import pytest
from django.test import Client
from procrastinate.contrib.django.models import ProcrastinateJob

from nephos.command.warm import small_hill
from nephos.core.mesh.formats.stl import write_stl
from nephos.web import tasks
from nephos.web.line import somebody_waits
from nephos.web.models import Calculation, Job
from nephos.web.queues import SAMPLE
from web.shop import send, upload

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def row(shop: Client) -> Calculation:
    """A calculation of a small job, with nothing else in the queue."""
    ProcrastinateJob.objects.filter(status="todo").update(status="succeeded")
    mesh = upload(shop, write_stl(small_hill(cells=40))).json()
    tasks.read_uploaded(mesh["id"])
    made = send(shop, "/jobs", {"name": "Hill", "mesh": mesh["id"]}).json()
    job = Job.objects.get(pk=made["id"])
    return Calculation.objects.create(job=job, revision=job.revision)


def in_queue() -> list[tuple[int, bool]]:
    waiting = ProcrastinateJob.objects.filter(task_name=tasks.calculate.name, status="todo")
    return [(item.priority, bool(item.args.get("sample"))) for item in waiting]


def test_it_is_put_aside_after_a_stage_and_goes_on_from_there(row: Calculation, monkeypatch) -> None:
    asked: list[str] = []
    original = tasks._Progress.note

    def counted(self, step, low, high) -> None:
        asked.append(step.stage)
        # Somebody presses Calculate while the second operation is worked out.
        if len(asked) == 4:
            tasks.calculate.defer(calculation_id=0)
        original(self, step, low, high)

    monkeypatch.setattr(tasks._Progress, "note", counted)
    tasks.calculate(row.pk, sample=True)
    row.refresh_from_db()
    assert row.state == Calculation.State.WAITING and 0 < row.fraction < 1
    assert (SAMPLE, True) in in_queue()
    ProcrastinateJob.objects.filter(priority__gt=SAMPLE).update(status="succeeded")
    begun = list(asked)
    tasks.calculate(row.pk, sample=True)
    row.refresh_from_db()
    assert row.state == Calculation.State.DONE
    assert len(begun) == 4 and len(asked) > 8


def test_what_a_person_asked_for_is_never_put_aside(row: Calculation) -> None:
    tasks.calculate.defer(calculation_id=0)
    tasks.calculate(row.pk)
    row.refresh_from_db()
    assert row.state == Calculation.State.DONE


def test_another_sample_job_is_no_reason(row: Calculation) -> None:
    tasks.calculate_sample(row)
    assert not somebody_waits("calculate", SAMPLE)
    tasks.calculate.defer(calculation_id=0)
    assert somebody_waits("calculate", SAMPLE)


def test_one_that_cannot_begin_yet_is_no_reason(row: Calculation) -> None:
    """Another worker has the job under way: put aside for it, the sample would be taken up at once, over and over."""
    tasks.calculate.configure(lock="job-7").defer(calculation_id=1)
    ProcrastinateJob.objects.filter(status="todo", lock="job-7").update(status="doing")
    tasks.calculate.configure(lock="job-7").defer(calculation_id=2)
    tasks.calculate.configure(schedule_in={"seconds": 60}).defer(calculation_id=3)
    assert not somebody_waits("calculate", SAMPLE)
    ProcrastinateJob.objects.filter(status="doing", lock="job-7").update(status="succeeded")
    assert somebody_waits("calculate", SAMPLE)
