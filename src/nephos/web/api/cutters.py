"""The shop's cutters, and the strategies with the form of their settings."""

from typing import Any, Literal

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from pydantic import ConfigDict, Field, ValidationError

from nephos.core.cutters import SHAPES, Cutter
from nephos.core.cutters.exchange import read_cutters, to_csv, to_json
from nephos.core.cutters.feeds import chip_sum, propose
from nephos.core.errors import Refused
from nephos.core.machine.machine import Machine, machine_of
from nephos.core.materials import Material
from nephos.core.plan.schema import reasons
from nephos.core.strategies.registry import strategies
from nephos.core.units import Units
from nephos.web.deleted import delete
from nephos.web.forms import StrategyForm, strategy_form
from nephos.web.models import Cutter as Row
from nephos.web.rows import save_once

router = Router(tags=["cutters"])
_LARGEST = 1_000_000


Outline = list[tuple[float, float]]
"""Half of a cutter's section, (radius, height over the tip) in millimetres, from the tip up."""


class CutterRow(Schema):
    """A cutter with the number of its row and its section."""

    id: int
    data: Cutter
    outline: Outline

    @staticmethod
    def resolve_outline(row: Any) -> Outline:
        """Drawn by the core."""
        return Cutter.model_validate(row.data).outline()


class ShapeListed(Schema):
    """A shape's name and the dimensions that only it has."""

    title: str
    needs: list[str]


class LookBody(Schema):
    """A cutter as it is being typed, what it is to cut, and the unit to talk in."""

    data: dict[str, Any]
    material: dict[str, Any] | None = None
    machine: str | Machine = "shed-router"
    units: Units = "mm"


class CutterLook(Schema):
    """What can be said of a cutter: its section, the sum behind its feed, and what would be proposed; or what is wrong
    with it."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)

    problem: str = ""
    outline: Outline = Field(default_factory=list)
    sum: str = ""
    proposed: dict[str, float] = Field(default_factory=dict)
    proposed_sum: str = ""
    kept: list[str] = Field(default_factory=list)


class Import(Schema):
    """A table of cutters, and what happens to those whose number is taken: ask, replace, renumber or leave."""

    name: str
    text: str
    clash: Literal["ask", "replace", "renumber", "leave"] = "ask"


class Imported(Schema):
    """How many came in, and the numbers that were taken; nothing came in where it must be asked first."""

    count: int
    taken: list[int]


class CutterBody(Schema):
    """The dimensions of a cutter."""

    data: dict[str, Any]


def _checked(data: dict[str, Any]) -> Cutter:
    try:
        return Cutter.model_validate(data)
    except ValidationError as error:
        raise Refused("; ".join(reasons(error))) from None


def _save(row: Row, data: dict[str, Any]) -> Row:
    cutter = _checked(data)
    row.number, row.data = cutter.number, cutter.model_dump()
    save_once(row, f"number {cutter.number} is another cutter already: choose a free number")
    return row


@router.get("", response=list[CutterRow])
def list_cutters(request: HttpRequest) -> Any:
    """All cutters by number."""
    return Row.objects.order_by("number")


@router.post("", response=CutterRow)
def add_cutter(request: HttpRequest, body: CutterBody) -> Row:
    """Add a cutter."""
    return _save(Row(), body.data)


@router.put("/{int:cutter_id}", response=CutterRow)
def change_cutter(request: HttpRequest, cutter_id: int, body: CutterBody) -> Row:
    """Change a cutter. Jobs keep the cutter as it was when they took it."""
    return _save(get_object_or_404(Row, pk=cutter_id), body.data)


@router.post("/look", response=CutterLook)
def look_at_cutter(request: HttpRequest, body: LookBody) -> CutterLook:
    """What can be said of a cutter before it is kept."""
    try:
        cutter = _checked(body.data)
    except Refused as reason:
        return CutterLook(problem=str(reason))
    found = CutterLook(outline=cutter.outline(), sum=chip_sum(cutter.feed, cutter.flutes, cutter.spindle, body.units))
    if body.material is not None:
        p = propose(cutter, Material.model_validate(body.material), machine_of(body.machine))
        found.proposed = {"feed": p.feed, "plunge_feed": p.plunge_feed, "spindle": p.spindle}
        found.proposed_sum, found.kept = chip_sum(p.feed, cutter.flutes, p.spindle, body.units), list(p.kept)
    return found


@router.get("/file.{suffix}")
def cutters_file(request: HttpRequest, suffix: str) -> HttpResponse:
    """All cutters as a CSV or JSON file."""
    if suffix not in {"csv", "json"}:
        raise Refused("cutters are written as csv or json")
    cutters = [Cutter.model_validate(row.data) for row in Row.objects.order_by("number")]
    text, kind = (to_csv(cutters), "text/csv") if suffix == "csv" else (to_json(cutters), "application/json")
    return HttpResponse(
        text,
        content_type=f"{kind}; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="cutters.{suffix}"'},
    )


@router.post("/import", response=Imported)
def import_cutters(request: HttpRequest, body: Import) -> Imported:
    """Import a table of cutters, all of it or none."""
    if len(body.text) > _LARGEST:
        raise Refused("the table is larger than a megabyte: import it in parts")
    cutters = read_cutters(body.name, body.text.encode())
    with transaction.atomic():
        rows = {row.number: row for row in Row.objects.select_for_update()}
        taken = sorted(cutter.number for cutter in cutters if cutter.number in rows)
        if taken and body.clash == "ask":
            return Imported(count=0, taken=taken)
        used = set(rows) | {cutter.number for cutter in cutters}
        count = 0
        for cutter in cutters:
            row = rows.get(cutter.number)
            if row is not None and body.clash == "leave":
                continue
            data = cutter.model_dump()
            if row is not None and body.clash == "renumber":
                data["number"] = next((n for n in range(1, 1000) if n not in used), 0)
                if not data["number"]:
                    raise Refused("all numbers up to 999 are taken: delete some cutters first")
                used.add(data["number"])
                row = None
            _save(row or Row(), data)
            count += 1
    return Imported(count=count, taken=taken)


@router.delete("/{int:cutter_id}", response={204: None})
def delete_cutter(request: HttpRequest, cutter_id: int) -> tuple[int, None]:
    """Take a cutter out of the list; it can be brought back for 30 days."""
    delete(get_object_or_404(Row, pk=cutter_id))
    return 204, None


@router.get("/shapes", response=dict[str, ShapeListed])
def shapes(request: HttpRequest) -> dict[str, ShapeListed]:
    """The shapes of cutters, what they are called and which dimensions they have besides those of all."""
    return {key: ShapeListed(title=kind.title, needs=list(kind.needs)) for key, kind in SHAPES.items()}


@router.get("/strategies", response=list[StrategyForm])
def list_strategies(request: HttpRequest) -> list[StrategyForm]:
    """What each strategy is called and which settings it has, with names and units."""
    return [strategy_form(item) for item in strategies().values()]
