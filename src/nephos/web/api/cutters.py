"""The shop's cutters, and the strategies with the form of their settings."""

from typing import Any

from django.db import IntegrityError, transaction
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from pydantic import ValidationError

from nephos.core.cutters import SHAPES, Cutter
from nephos.core.errors import Refused
from nephos.core.paths.registry import strategies
from nephos.core.plan.schema import reasons
from nephos.web.models import Cutter as Row

router = Router(tags=["cutters"])


class CutterRow(Schema):
    """A cutter with the number of its row."""

    id: int
    data: Cutter


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
    try:
        with transaction.atomic():
            row.save()
    except IntegrityError:
        raise Refused(f"number {cutter.number} is another cutter already: choose a free number") from None
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


@router.delete("/{int:cutter_id}", response={204: None})
def delete_cutter(request: HttpRequest, cutter_id: int) -> tuple[int, None]:
    """Take a cutter out of the list."""
    get_object_or_404(Row, pk=cutter_id).delete()
    return 204, None


@router.get("/shapes", response=dict[str, str])
def shapes(request: HttpRequest) -> dict[str, str]:
    """The shapes of cutters and what they are called."""
    return {key: kind.title for key, kind in SHAPES.items()}


@router.get("/strategies", response=list[dict[str, Any]])
def list_strategies(request: HttpRequest) -> list[dict[str, Any]]:
    """What each strategy is called and which settings it has, as a JSON schema with names and units."""
    return [{"key": item.key, "title": item.title, "summary": item.summary, "shapes": list(item.shapes),
             "schema": item.settings.model_json_schema()} for item in strategies().values()]
