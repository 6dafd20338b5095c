"""How much room calculated results take, and how much they may."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from nephos.web.collect import kept_bytes, limit, set_limit
from nephos.web.health import free_bytes
from nephos.web.tasks import collect_soon

router = Router(tags=["storage"])


class Storage(Schema):
    """Megabytes that results take, that they may take, and that are free on the disk."""

    kept: float
    limit: float
    free: float


class KeptLimit(Schema):
    """Megabytes that results may take."""

    limit: Annotated[float, Field(gt=0, le=10_000_000, allow_inf_nan=False)]


def _storage() -> Storage:
    return Storage(
        kept=round(kept_bytes() / 2**20, 1), limit=round(limit() / 2**20, 1), free=round(free_bytes() / 2**20, 1)
    )


@router.get("", response=Storage)
def storage(request: HttpRequest) -> Storage:
    """How it stands."""
    return _storage()


@router.put("", response=Storage)
def change_limit(request: HttpRequest, body: KeptLimit) -> Storage:
    """Let results take more or less; what is too much then goes, the longest unused first."""
    set_limit(int(body.limit * 2**20))
    collect_soon()
    return _storage()
