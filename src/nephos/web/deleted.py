"""Deleted jobs, cutters, posts and machines: kept for some days, and brought back."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone

from nephos.core.errors import Refused
from nephos.web.models import Cutter, Deletable, Job, Machine, Post

KEPT = timedelta(days=30)
"""Deleted rows can be brought back for this long."""


@dataclass(frozen=True)
class Kind:
    """A kind of row that can be brought back: its model, what a row is called, and why it cannot come back where
    another one has its place."""

    model: type[Deletable]
    name: Callable[[Any], str]
    taken: Callable[[Any], str]


KINDS: dict[str, Kind] = {
    "job": Kind(Job, lambda row: row.name, lambda _row: ""),
    "cutter": Kind(
        Cutter,
        lambda row: row.data["name"],
        lambda row: f"number {row.number} is another cutter now: give that one another number first",
    ),
    "post": Kind(
        Post,
        lambda row: row.data["title"],
        lambda row: f"there is a post '{row.key}' again: give that one another id",
    ),
    "machine": Kind(
        Machine,
        lambda row: row.data["name"],
        lambda row: f"there is a machine '{row.key}' again: give that one another id",
    ),
}


@dataclass(frozen=True)
class DeletedRow:
    """A deleted row: when it was deleted, and when it is gone for good."""

    kind: str
    id: int
    name: str
    deleted: datetime
    gone: datetime


def delete(row: Deletable) -> None:
    """Delete a row; it can be brought back for :data:`KEPT`."""
    row.deleted = timezone.now()
    row.save(update_fields=["deleted"])


def deleted_rows(kind: str) -> list[DeletedRow]:
    """The deleted rows of a kind, the last deleted first."""
    found = _kind(kind)
    rows = found.model.every.exclude(deleted=None).order_by("-deleted")
    return [DeletedRow(kind, row.pk, found.name(row), row.deleted, row.deleted + KEPT) for row in rows]


def bring_back(kind: str, row_id: int) -> None:
    """Undo the deletion of a row.

    Raises
    ------
    Refused
        Where it is gone for good, or another row has its number or id.
    """
    found = _kind(kind)
    row = found.model.every.exclude(deleted=None).filter(pk=row_id).first()
    if row is None:
        raise Refused("it is not among the deleted any more")
    try:
        with transaction.atomic():
            row.deleted = None
            row.save(update_fields=["deleted"])
    except IntegrityError:
        raise Refused(found.taken(row)) from None


def drop_old() -> int:
    """Delete for good what was deleted more than :data:`KEPT` ago; returns how many rows went."""
    gone = 0
    for kind in KINDS.values():
        old = kind.model.every.filter(deleted__lt=timezone.now() - KEPT)
        gone += old.count()
        old.delete()
    return gone


def _kind(kind: str) -> Kind:
    if kind not in KINDS:
        raise Refused(f"there is no kind '{kind}': use one of {', '.join(KINDS)}")
    return KINDS[kind]
