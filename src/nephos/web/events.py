"""The event stream: server-sent events of new revisions, progress, read meshes and results.

Triggers in the database notify (migration 0008), so whatever process makes a change, each page hears of it. A web
process has one connection that listens, however many pages read its stream. An event names what changed, not how: the
page reads that anew. See https://html.spec.whatwg.org/multipage/server-sent-events.html for the format."""

import asyncio
import json
import logging
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from typing import Literal

import psycopg
from django.core.handlers.asgi import ASGIRequest
from django.db import connection
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from pydantic import BaseModel, ValidationError

LOG = logging.getLogger("nephos.events")
CHANNEL = "nephos"
BEAT = 10.0
"""Seconds between two signs of life. A page that hears nothing for three of them opens its stream anew."""
_MOST = 200
"""Events that wait for a slow page. When there are more, all are dropped and the page reads everything anew."""
_AGAIN = 1.0
"""Seconds between two attempts to reach the database."""


class Event(BaseModel):
    """Something that changed. `id` : of the job or the mesh; 0 where all may have changed. `version` : of the job.

    `job` : its plan, name or picture. `calculation` : the progress of a job. `mesh` : it was read. `results` :
    something was worked out. `all` : events may have been lost."""

    kind: Literal["job", "calculation", "mesh", "results", "all"]
    id: int = 0
    version: int = 0

    def line(self) -> bytes:
        """As it is sent."""
        return f"data: {json.dumps(self.model_dump())}\n\n".encode()


ALL = Event(kind="all")


class Reader:
    """The events that one page has not been sent yet. Equal ones are sent once."""

    def __init__(self) -> None:
        self._waiting: dict[tuple[str, int], Event] = {}
        self._ready = asyncio.Event()

    def put(self, event: Event) -> None:
        """Add an event."""
        self._waiting[event.kind, event.id] = event
        if len(self._waiting) > _MOST:
            self._waiting = {(ALL.kind, ALL.id): ALL}
        self._ready.set()

    async def take(self, within: float = BEAT) -> list[Event]:
        """All events that wait, as soon as there are any; none after so many seconds."""
        with suppress(TimeoutError):
            async with asyncio.timeout(within):
                await self._ready.wait()
        found, self._waiting = list(self._waiting.values()), {}
        self._ready.clear()
        return found


class Listener:
    """Listens to the database as long as there are readers."""

    def __init__(self) -> None:
        self._readers: set[Reader] = set()
        self._task: asyncio.Task[None] | None = None

    @asynccontextmanager
    async def reader(self) -> AsyncIterator[Reader]:
        """A reader of all events from now on."""
        reader = Reader()
        self._readers.add(reader)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._listen())
        try:
            yield reader
        finally:
            self._readers.discard(reader)
            if not self._readers and self._task is not None:
                self._task.cancel()

    def _tell(self, event: Event) -> None:
        for reader in self._readers:
            reader.put(event)

    async def _listen(self) -> None:
        while True:
            try:
                await self._listen_once()
            except (psycopg.Error, OSError) as error:
                LOG.warning("the database does not answer: %s", str(error).splitlines()[0] if str(error) else error)
            await asyncio.sleep(_AGAIN)

    async def _listen_once(self) -> None:
        words = {key: value for key, value in connection.get_connection_params().items() if key in _WORDS}
        async with await psycopg.AsyncConnection.connect(**words, autocommit=True) as wire:
            await wire.execute(f"LISTEN {CHANNEL}")
            # What happened before is not told again.
            self._tell(ALL)
            async for notice in wire.notifies():
                with suppress(ValidationError):
                    self._tell(Event.model_validate_json(notice.payload))


_WORDS = ("dbname", "user", "password", "host", "port")
LISTENER = Listener()


async def _lines() -> AsyncIterator[bytes]:
    yield b"retry: 1000\n\n"
    async with LISTENER.reader() as reader:
        while True:
            events = await reader.take()
            yield b"".join(event.line() for event in events) or b"event: beat\ndata:\n\n"


def event_stream(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """The stream of a page. A server that answers one request after another has none: 204 tells the page to ask
    instead."""
    if not isinstance(request, ASGIRequest):
        return HttpResponse(status=204)
    headers = {"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    return StreamingHttpResponse(_lines(), content_type="text/event-stream", headers=headers)
