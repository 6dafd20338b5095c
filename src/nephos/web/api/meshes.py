"""Meshes: import, look at."""

import json
from collections.abc import Iterator
from pathlib import PurePath
from typing import Any
from urllib.parse import unquote

from django.conf import settings
from django.db import transaction
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from nephos.core.errors import Refused
from nephos.core.mesh.formats import check_name
from nephos.web.blobs import CHUNK, save_blob
from nephos.web.health import require_space
from nephos.web.line import ahead_of
from nephos.web.models import Mesh
from nephos.web.tasks import read_uploaded

router = Router(tags=["meshes"])


class MeshState(Schema):
    """A mesh and what is known of it."""

    id: int
    name: str
    state: str
    reason: str
    facts: dict[str, Any]
    digest: str
    ahead: int

    @staticmethod
    def resolve_ahead(row: Any) -> int:
        """How many tasks are done before it is read."""
        return ahead_of("read_uploaded", json.dumps({"mesh_id": row.pk})) if row.state == Mesh.State.READING else 0


def body_pieces(request: HttpRequest, limit: int) -> Iterator[bytes]:
    """The raw body piece by piece; refused as soon as it is larger than `limit` bytes."""
    total = 0
    while piece := request.read(CHUNK):
        total += len(piece)
        if total > limit:
            raise Refused(f"the file is larger than {limit // 2**20} MB: thin it out before you import it")
        yield piece


@router.post("", response=MeshState)
def upload(request: HttpRequest) -> Mesh:
    """Take in a file as the raw body, its name in X-Filename (percent-encoded). Reading it is a worker's work."""
    name = PurePath(unquote(request.headers.get("X-Filename", ""))).name[:200]
    limit = settings.MESH_LIMIT
    check_name(name)
    require_space("an upload")
    if int(request.headers.get("Content-Length") or 0) > limit:
        raise Refused(f"the file is larger than {limit // 2**20} MB: thin it out before you import it")
    with transaction.atomic():
        blob = save_blob(body_pieces(request, limit))
        if blob.size == 0:
            raise Refused("the file is empty: export it again from where it came from")
        mesh = Mesh.objects.create(name=name, file=blob)
        read_uploaded.defer(mesh_id=mesh.pk)
    return mesh


@router.get("/{int:mesh_id}", response=MeshState)
def watch(request: HttpRequest, mesh_id: int) -> Mesh:
    """How far the reading of a mesh is."""
    return get_object_or_404(Mesh, pk=mesh_id)
