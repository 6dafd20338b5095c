"""The shop's materials and the pieces of stock on its shelf; the repairs that a mesh can be given."""

from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from pydantic import BaseModel, ValidationError

from nephos.core.errors import Refused
from nephos.core.materials import Material
from nephos.core.mesh.formats.registry import formats
from nephos.core.mesh.repair.registry import repairs
from nephos.core.plan.schema import reasons
from nephos.core.plan.shelf import Piece
from nephos.web.forms import RepairForm, repair_form
from nephos.web.models import Material as MaterialRow
from nephos.web.models import Piece as PieceRow
from nephos.web.rows import save_once

router = Router(tags=["shelf"])


class MaterialListed(Schema):
    """A material with the number of its row."""

    id: int
    data: Material


class PieceListed(Schema):
    """A piece on the shelf with the number of its row."""

    id: int
    data: Piece


class Formats(Schema):
    """The suffixes of the files that are read, and of those that are written."""

    read: list[str]
    written: list[str]


class ShelfBody(Schema):
    """The fields of a material or piece."""

    data: dict[str, Any]


def _checked(kind: type[BaseModel], data: dict[str, Any]) -> dict[str, Any]:
    try:
        return kind.model_validate(data).model_dump()
    except ValidationError as error:
        raise Refused("; ".join(reasons(error))) from None


def _save_material(row: MaterialRow, data: dict[str, Any]) -> MaterialRow:
    row.data = _checked(Material, data)
    row.name = row.data["name"]
    save_once(row, f"there is a material called '{row.name}' already: give another name")
    return row


@router.get("/materials", response=list[MaterialListed])
def list_materials(request: HttpRequest) -> Any:
    """All materials, as the table lists them."""
    return MaterialRow.objects.order_by("data__group", "name")


@router.post("/materials", response=MaterialListed)
def add_material(request: HttpRequest, body: ShelfBody) -> MaterialRow:
    """Add a material."""
    return _save_material(MaterialRow(), body.data)


@router.put("/materials/{int:row_id}", response=MaterialListed)
def change_material(request: HttpRequest, row_id: int, body: ShelfBody) -> MaterialRow:
    """Change a material. Jobs keep it as it was when they took it."""
    return _save_material(get_object_or_404(MaterialRow, pk=row_id), body.data)


@router.delete("/materials/{int:row_id}", response={204: None})
def delete_material(request: HttpRequest, row_id: int) -> tuple[int, None]:
    """Take a material out of the table."""
    get_object_or_404(MaterialRow, pk=row_id).delete()
    return 204, None


@router.get("/pieces", response=list[PieceListed])
def list_pieces(request: HttpRequest) -> Any:
    """All pieces, the oldest first."""
    return PieceRow.objects.order_by("id")


@router.post("/pieces", response=PieceListed)
def add_piece(request: HttpRequest, body: ShelfBody) -> PieceRow:
    """Put a piece on the shelf."""
    return PieceRow.objects.create(data=_checked(Piece, body.data))


@router.put("/pieces/{int:row_id}", response=PieceListed)
def change_piece(request: HttpRequest, row_id: int, body: ShelfBody) -> PieceRow:
    """Change a piece."""
    row = get_object_or_404(PieceRow, pk=row_id)
    row.data = _checked(Piece, body.data)
    row.save()
    return row


@router.delete("/pieces/{int:row_id}", response={204: None})
def delete_piece(request: HttpRequest, row_id: int) -> tuple[int, None]:
    """Take a piece off the shelf."""
    get_object_or_404(PieceRow, pk=row_id).delete()
    return 204, None


@router.get("/repairs", response=list[RepairForm])
def list_repairs(request: HttpRequest) -> list[RepairForm]:
    """The repairs with the form of their settings."""
    return [repair_form(kind) for kind in repairs().values()]


@router.get("/formats", response=Formats)
def list_formats(request: HttpRequest) -> Formats:
    """The suffixes of mesh files."""
    known = formats()
    return Formats(read=sorted(known), written=sorted(suffix for suffix, item in known.items() if item.write))
