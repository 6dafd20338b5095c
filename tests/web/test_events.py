"""Pages hear of what other processes change, by one stream of events."""

import asyncio
import json
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager

import pytest
from asgiref.sync import sync_to_async
from asgiref.testing import ApplicationCommunicator
from django.core.asgi import get_asgi_application
from django.test import Client

from nephos.web import events
from nephos.web.events import Event, Listener, Reader
from nephos.web.gate import Gate
from nephos.web.models import Calculation, Job, Result


def scope(path: str) -> dict[str, object]:
    return {
        "type": "http", "http_version": "1.1", "method": "GET", "scheme": "http", "path": path, "query_string": b"",
        "raw_path": path.encode(), "headers": [(b"host", b"localhost")], "client": ("127.0.0.1", 9),
        "server": ("localhost", 8000),
    }  # fmt: skip


@asynccontextmanager
async def opened() -> AsyncIterator[Callable[[], object]]:
    """The stream as a page reads it, through all that comes before the application."""
    page = ApplicationCommunicator(Gate(get_asgi_application()), scope("/api/events"))
    await page.send_input({"type": "http.request", "body": b"", "more_body": False})
    start = await page.receive_output(10)
    assert start["status"] == 200 and (b"Content-Type", b"text/event-stream") in start["headers"]

    async def following() -> list[dict[str, object]]:
        text = (await page.receive_output(10))["body"].decode()
        return [json.loads(line[6:]) for line in text.split("\n") if line.startswith("data: {")]

    assert await following() == [], "how long to wait before the stream is opened again"
    assert await following() == [{"kind": "all", "id": 0, "version": 0}], "what happened before is not told again"
    try:
        yield following
    finally:
        await page.send_input({"type": "http.disconnect"})
        await page.wait(5)


async def heard(following, kind: str) -> dict[str, object]:
    """The next event of a kind."""
    async with asyncio.timeout(10):
        while True:
            for event in await following():
                if event["kind"] == kind:
                    return event


@pytest.mark.django_db(transaction=True)
def test_a_change_of_a_job_is_told_with_its_version_and_progress_with_its_job() -> None:
    async def check() -> None:
        async with opened() as following:
            job = await sync_to_async(Job.objects.create)(name="Otter", version=4)
            assert await heard(following, "job") == {"kind": "job", "id": job.pk, "version": 4}
            row = await sync_to_async(Calculation.objects.create)(job=job, revision=1)
            assert (await heard(following, "calculation"))["id"] == job.pk
            await sync_to_async(Calculation.objects.filter(pk=row.pk).update)(fraction=0.5)
            assert (await heard(following, "calculation"))["id"] == job.pk
            await sync_to_async(Result.objects.create)(key="moves-1", stage="moves")
            assert (await heard(following, "results"))["id"] == 0

    asyncio.run(check())


@pytest.mark.django_db(transaction=True)
def test_after_a_lost_connection_pages_read_everything_anew(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(events, "_AGAIN", 0.05)

    async def check() -> None:
        listener = Listener()
        async with listener.reader() as reader:
            assert [event.kind for event in await reader.take()] == ["all"]
            await sync_to_async(_end_listening)()
            async with asyncio.timeout(10):
                assert "all" in {event.kind for event in await reader.take()}

    asyncio.run(check())


def _end_listening() -> None:
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE query = 'LISTEN nephos'")


def test_a_slow_page_gets_one_event_in_place_of_very_many() -> None:
    async def check() -> None:
        reader = Reader()
        for k in range(50):
            reader.put(Event(kind="calculation", id=1, version=k))
        assert len(await reader.take()) == 1, "equal ones are sent once"
        for k in range(500):
            reader.put(Event(kind="job", id=k))
        assert Event(kind="all") in await reader.take()

    asyncio.run(check())


@pytest.mark.django_db
def test_a_server_without_a_stream_says_so() -> None:
    assert Client().get("/api/events").status_code == 204
