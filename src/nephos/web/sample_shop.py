"""State of the sample shop. A worker makes it after the first start, or when the page asks for it."""

from typing import Literal

from ninja import Schema
from procrastinate.contrib.django.models import ProcrastinateJob
from pydantic import BaseModel, Field

from nephos.web.line import ask_once
from nephos.web.models import Setting
from nephos.web.queues import SAMPLE, task_name

_KEY, _TASK = "sample-shop", "make_sample_shop"


class SampleShop(Schema):
    """What has been made of the sample shop. `state` : `none` before it is asked for. `jobs` : how many jobs it will
    have; `made` of them exist, and `finished` are calculated. `step` : what is made now; `reason` : why it stopped."""

    state: Literal["none", "waiting", "making", "made", "failed"]
    jobs: int
    made: int
    finished: int
    step: str
    reason: str


class Making(BaseModel):
    """What is kept of it. `rows` : ids of its jobs by the names of their meshes."""

    state: Literal["waiting", "making", "made", "failed"] = "waiting"
    jobs: int = 0
    rows: dict[str, int] = Field(default_factory=dict)
    step: str = ""
    reason: str = ""


def making() -> Making | None:
    """As it is kept; none before the sample shop was asked for."""
    value = Setting.objects.filter(key=_KEY).values_list("value", flat=True).first()
    return None if value is None else Making.model_validate(value)


def note(found: Making) -> None:
    """Keep how far it is."""
    Setting.objects.update_or_create(key=_KEY, defaults={"value": found.model_dump()})


def sample_shop() -> SampleShop:
    """How far the sample shop is."""
    found = making()
    if found is None:
        return SampleShop(state="none", jobs=0, made=0, finished=0, step="", reason="")
    # A proposal has its job calculated before it ends, so each unfinished job has one task.
    busy = ProcrastinateJob.objects.filter(priority=SAMPLE, status__in=("todo", "doing"))
    waiting = busy.exclude(task_name=task_name(_TASK)).count()
    made = len(found.rows)
    return SampleShop(
        state=found.state,
        jobs=found.jobs,
        made=made,
        finished=max(made - waiting, 0),
        step=found.step,
        reason=found.reason,
    )


def ask_for_sample_shop(again: bool = False) -> None:
    """Have the sample shop made, unless that is under way; `again` : also then, as after a stop of Nephos."""
    found = making()
    if found is not None and found.state in {"waiting", "making"} and not again:
        return
    note((found or Making()).model_copy(update={"state": "waiting", "reason": ""}))
    ask_once(_TASK, _TASK)


def stop_making(reason: str) -> None:
    """Keep why it was not made; what there is of it stays."""
    found = making() or Making()
    note(found.model_copy(update={"state": "failed", "reason": f"the sample shop could not be made: {reason}"}))
