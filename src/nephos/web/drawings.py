"""Drawings (SVG, DXF) that are imported as boundaries: a worker reads them, the request waits for it."""

import time
from hashlib import sha256
from pathlib import PurePath
from typing import Any

from nephos.core.errors import Refused
from nephos.core.mesh.curves import check_drawing_name
from nephos.core.stages.canonical import key_of
from nephos.web.blobs import save_blob
from nephos.web.models import Result
from nephos.web.rows import to_be_made
from nephos.web.tasks import read_drawing

WAIT = 12.0
"""Seconds that a request waits; a reader is stopped after 8."""
_EVERY = 0.05


def ask_worker(key: str, name: str, blob: int) -> None:
    """Have a worker read a drawing."""
    read_drawing.defer(key=key, name=name, blob=blob)


def drawing_facts(name: str, data: bytes) -> dict[str, Any]:
    """`curves` and `notes` of a drawing.

    Raises
    ------
    Refused
        Where the file holds no curve that can be used, or where no worker has read it in time.
    """
    check_drawing_name(name)
    key = key_of("drawing", 2, sha256(data).hexdigest(), PurePath(name).suffix.lower())
    if to_be_made(key):
        ask_worker(key, name, save_blob([data]).pk)
    end = time.monotonic() + WAIT
    while time.monotonic() < end:
        facts = Result.objects.filter(key=key).values_list("facts", flat=True).first()
        if facts is not None and "refused" in facts:
            raise Refused(facts["refused"])
        if facts is not None:
            return dict(facts)
        time.sleep(_EVERY)
    raise Refused(f"{name} is still waiting to be read: import it again in a moment")
