"""Posts: those that ship, and the shop's own, with a preview while one is changed."""

import json
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from nephos.core.errors import Refused
from nephos.core.post.preview import preview
from nephos.core.post.schema import Post, checked_post, shipped_posts
from nephos.web.deleted import delete
from nephos.web.models import Post as Row
from nephos.web.rows import save_once

router = Router(tags=["posts"])


class PostListed(Schema):
    """A post, and whether it ships with the application, so that it can be copied but not changed."""

    shipped: bool
    data: Post


class PostBody(Schema):
    """A post as it is being typed."""

    data: dict[str, Any]


class PostSample(Schema):
    """The sample as the post writes it, and what is wrong; empty where nothing is."""

    text: str
    problem: str


def _kept(row: Row, data: dict[str, Any]) -> Row:
    post = checked_post(data)
    if post.id in shipped_posts():
        raise Refused(f"'{post.id}' is a post that ships with Nephos: give yours another id")
    said = preview(post).problem
    if said:
        raise Refused(f"it is not kept, as what it writes would not be certified: {said}")
    row.key, row.data = post.id, post.model_dump(mode="json")
    save_once(row, f"there is a post '{post.id}' already: give another id")
    return row


def _listed(row: Row) -> dict[str, Any]:
    return {"shipped": False, "data": row.data}


@router.get("", response=list[PostListed])
def list_posts(request: HttpRequest) -> list[dict[str, Any]]:
    """All posts, the shipped ones first."""
    shipped = [{"shipped": True, "data": post} for post in shipped_posts().values()]
    return shipped + [_listed(row) for row in Row.objects.order_by("key")]


@router.post("", response=PostListed)
def add_post(request: HttpRequest, body: PostBody) -> dict[str, Any]:
    """Add a post of the shop's own."""
    return _listed(_kept(Row(), body.data))


@router.post("/preview", response=PostSample)
def look_at_post(request: HttpRequest, body: PostBody) -> dict[str, str]:
    """What a post would write, before it is kept."""
    try:
        return preview(checked_post(body.data)).__dict__
    except Refused as reason:
        return {"text": "", "problem": str(reason)}


@router.put("/{key}", response=PostListed)
def change_post(request: HttpRequest, key: str, body: PostBody) -> dict[str, Any]:
    """Change one of the shop's own. Jobs keep it as it was when they took it."""
    return _listed(_kept(get_object_or_404(Row, key=key), body.data))


@router.delete("/{key}", response={204: None})
def delete_post(request: HttpRequest, key: str) -> tuple[int, None]:
    """Delete one of the shop's own; it can be brought back for 30 days. Jobs that took it keep it."""
    delete(get_object_or_404(Row, key=key))
    return 204, None


@router.get("/{key}/file")
def post_file(request: HttpRequest, key: str) -> HttpResponse:
    """A post as the JSON file that it is."""
    shipped = shipped_posts().get(key)
    data = shipped.model_dump(mode="json") if shipped else get_object_or_404(Row, key=key).data
    return HttpResponse(
        json.dumps(data, indent=1) + "\n",
        content_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{key}.json"'},
    )
