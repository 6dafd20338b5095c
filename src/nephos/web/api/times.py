"""What jobs really took on a machine, by which its calculated times are corrected."""

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from pydantic import Field

from nephos.core.errors import Refused
from nephos.core.machine.job_time import calibrate
from nephos.core.machine.machine import MACHINES
from nephos.web.models import Machine, RealTime

router = Router(tags=["times"])


class Entry(Schema):
    """A run: which job it was, the seconds that were calculated and those that it took."""

    job: str = Field(min_length=1, max_length=120)
    calculated: float = Field(gt=0, le=1e7, allow_inf_nan=False)
    real: float = Field(gt=0, le=1e7, allow_inf_nan=False)


class Entered(Entry):
    """An entry with the number of its row and its day."""

    id: int
    entered: datetime


class Times(Schema):
    """All entries of a machine, and what follows: real times are `factor` times the calculated ones, `low` to
    `high`."""

    entries: list[Entered]
    factor: float
    low: float
    high: float


def _known(machine: str) -> str:
    """The id of a machine of the list; refuses another one."""
    if machine not in MACHINES and not Machine.objects.filter(key=machine).exists():
        raise Refused(f"there is no machine '{machine}' in the list: add it on the Machines page first")
    return machine


def _times(machine: str) -> dict[str, Any]:
    rows = list(RealTime.objects.filter(machine=machine).order_by("-entered"))
    found = calibrate([(row.calculated, row.real) for row in rows])
    return {"entries": rows, "factor": found.factor, "low": found.low, "high": found.high}


@router.get("/{machine}", response=Times)
def list_times(request: HttpRequest, machine: str) -> dict[str, Any]:
    """What was entered for a machine."""
    return _times(_known(machine))


@router.post("/{machine}", response=Times)
def enter_time(request: HttpRequest, machine: str, body: Entry) -> dict[str, Any]:
    """Enter what a run took."""
    RealTime.objects.create(machine=_known(machine), **body.dict())
    return _times(machine)


@router.delete("/{machine}/{int:row_id}", response=Times)
def delete_time(request: HttpRequest, machine: str, row_id: int) -> dict[str, Any]:
    """Take an entry out, such as of a run that was broken off."""
    get_object_or_404(RealTime, pk=row_id, machine=machine).delete()
    return _times(machine)
