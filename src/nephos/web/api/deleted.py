"""Deleted jobs, cutters, posts and machines, to be brought back."""

from datetime import datetime

from django.http import HttpRequest
from ninja import Router, Schema

from nephos.web.deleted import DeletedRow, bring_back, deleted_rows

router = Router(tags=["deleted"])


class DeletedListed(Schema):
    """A deleted row, when it was deleted and when it is gone for good."""

    kind: str
    id: int
    name: str
    deleted: datetime
    gone: datetime


@router.get("/{kind}", response=list[DeletedListed])
def list_deleted(request: HttpRequest, kind: str) -> list[DeletedRow]:
    """What was deleted of a kind (job, cutter, post, machine), the last deleted first."""
    return deleted_rows(kind)


@router.post("/{kind}/{int:row_id}/restore", response={204: None})
def restore_deleted(request: HttpRequest, kind: str, row_id: int) -> tuple[int, None]:
    """Bring a deleted row back."""
    bring_back(kind, row_id)
    return 204, None
