"""What a person waits for goes first, and the page says what is before it."""

import json

import pytest

from nephos.web.line import ahead_of
from nephos.web.queues import SAMPLE, TASKS
from nephos.web.tasks import calculate, draw_outlines, read_uploaded


@pytest.mark.django_db
def test_an_import_goes_before_outlines_and_waits_for_what_was_asked_before() -> None:
    draw_outlines.defer(plan={})
    read_uploaded.defer(mesh_id=1)
    read_uploaded.defer(mesh_id=2)
    assert [ahead_of("read_uploaded", json.dumps({"mesh_id": k})) for k in (1, 2)] == [0, 1]
    assert ahead_of("draw_outlines", json.dumps({"plan": {}})) == 2
    assert ahead_of("read_uploaded", json.dumps({"mesh_id": 7})) == 0, "what does not wait has nothing before it"


@pytest.mark.django_db
def test_the_job_of_a_person_goes_before_those_of_the_sample_shop() -> None:
    calculate.configure(priority=SAMPLE, lock="job-1").defer(calculation_id=1)
    calculate.configure(lock="job-2").defer(calculation_id=2)
    assert ahead_of("calculate", json.dumps({"calculation_id": 2})) == 0
    assert ahead_of("calculate", json.dumps({"calculation_id": 1})) == 1


def test_dropping_what_nobody_needs_comes_last() -> None:
    least = min(kind.priority for kind in TASKS.values())
    assert {name for name, kind in TASKS.items() if kind.priority == least} == {"collect_results", "forget_results"}
    assert SAMPLE < TASKS["draw_outlines"].priority < TASKS["calculate"].priority < TASKS["read_uploaded"].priority
