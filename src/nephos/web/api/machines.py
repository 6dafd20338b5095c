"""Machines: those that ship, and the shop's own."""

import json
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from nephos.core.errors import Refused
from nephos.core.machine.machine import MACHINES, Machine, checked_machine
from nephos.web.deleted import delete
from nephos.web.models import Machine as Row
from nephos.web.rows import save_once

router = Router(tags=["machines"])


class MachineListed(Schema):
    """A machine, and whether it ships with the application, so that it can be copied but not changed."""

    shipped: bool
    data: Machine


class MachineData(Schema):
    """The fields of a machine."""

    data: dict[str, Any]


def _kept(row: Row, data: dict[str, Any]) -> Row:
    machine = checked_machine(data)
    if machine.id in MACHINES:
        raise Refused(f"'{machine.id}' is a machine that ships with Nephos: give yours another id")
    row.key, row.data = machine.id, machine.model_dump(mode="json")
    save_once(row, f"there is a machine '{machine.id}' already: give another id")
    return row


def _listed(row: Row) -> dict[str, Any]:
    return {"shipped": False, "data": row.data}


@router.get("", response=list[MachineListed])
def list_machines(request: HttpRequest) -> list[dict[str, Any]]:
    """All machines, the shipped ones first."""
    shipped = [{"shipped": True, "data": machine} for machine in MACHINES.values()]
    return shipped + [_listed(row) for row in Row.objects.order_by("key")]


@router.post("", response=MachineListed)
def add_machine(request: HttpRequest, body: MachineData) -> dict[str, Any]:
    """Add a machine of the shop."""
    return _listed(_kept(Row(), body.data))


@router.put("/{key}", response=MachineListed)
def change_machine(request: HttpRequest, key: str, body: MachineData) -> dict[str, Any]:
    """Change one of the shop's own. Jobs keep it as it was when they took it."""
    return _listed(_kept(get_object_or_404(Row, key=key), body.data))


@router.delete("/{key}", response={204: None})
def delete_machine(request: HttpRequest, key: str) -> tuple[int, None]:
    """Delete one of the shop's own; it can be brought back for 30 days. Jobs that took it keep it."""
    delete(get_object_or_404(Row, key=key))
    return 204, None


@router.get("/{key}/file")
def machine_file(request: HttpRequest, key: str) -> HttpResponse:
    """A machine as a JSON file."""
    shipped = MACHINES.get(key)
    data = shipped.model_dump(mode="json") if shipped else get_object_or_404(Row, key=key).data
    return HttpResponse(
        json.dumps(data, indent=1) + "\n",
        content_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{key}.json"'},
    )
