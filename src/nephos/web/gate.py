"""What comes before everything else: requests that must not be answered are turned away before a byte of their body is
kept.

The framework writes a body to disk before it looks at the request. So host, origin, token and size are looked
at here first, on the bare ASGI messages; the framework checks them again after that.
"""

import asyncio
import json
import logging
import secrets
from collections.abc import Awaitable, Callable
from http.cookies import CookieError, SimpleCookie
from typing import Any

from django.conf import settings

from nephos.web.guard import HEADERS

LOG = logging.getLogger("nephos.requests")
Message = dict[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[Message, Receive, Send], Awaitable[None]]

SAFE = {"GET", "HEAD", "OPTIONS", "TRACE"}
SMALL = 24 * 2**20
"""Bytes of a body that is no file (a plan with drawn curves)."""
_FILES = ("/api/meshes", "/api/jobs/file")
_PROGRAM = 66 * 2**20
_WAITS = "/api/jobs/curves"
"""This request blocks on a worker, so it does not use a concurrency slot."""


AT_ONCE = 2
"""So many answers about jobs are worked out at one time in a process: more threads only wait for one another."""


class TooLarge(Exception):
    """A body that goes on past its limit."""


def limit_for(path: str) -> int:
    """Bytes that the body of a request to `path` may have."""
    if path in _FILES:
        return int(settings.MESH_LIMIT)
    return _PROGRAM if path.startswith("/api/jobs/") and "/check/" in path else SMALL


def _refusal(headers: dict[str, str], method: str, path: str) -> tuple[int, str] | None:
    """Why a request is turned away, and with which status; none where it may pass."""
    name = headers.get("host", "").rsplit(":", 1)[0].lower() if "]" not in headers.get("host", "") else headers["host"]
    if name not in settings.ALLOWED_HOSTS:
        return 400, "Nephos answers to localhost only"
    if method in SAFE:
        return None
    if "transfer-encoding" in headers and "content-length" in headers:
        return 400, "a request has a length or is sent in pieces, not both"
    try:
        token = SimpleCookie(headers.get("cookie", "")).get("csrftoken")
    except CookieError:
        token = None
    if token is None or not headers.get("x-csrftoken"):
        return 403, "this request does not come from the page of Nephos: reload the page"
    if headers.get("content-type", "").lower().startswith("multipart/"):
        return 415, "Nephos takes no forms: send JSON, or the bytes of a file"
    origin = headers.get("origin")
    if origin and origin.split("://", 1)[-1] != headers.get("host"):
        return 403, "this page is of another site and may not do that"
    length = headers.get("content-length", "0")
    if not length.isdecimal():
        return 400, "the length of the request is no number"
    if int(length) > limit_for(path):
        return 413, f"the file is larger than {limit_for(path) // 2**20} MB: thin it out before you import it"
    return None


async def _answer(send: Send, status: int, text: str) -> None:
    number = secrets.token_hex(6)
    LOG.info("request %s turned away with %d: %s", number, status, text)
    body = json.dumps({"message": text, "request": number}).encode()
    more = {"X-Request-Id": number, **HEADERS}
    await send(
        {
            "type": "http.response.start",
            "status": status,
            "headers": [
                (b"content-type", b"application/json"),
                (b"content-length", str(len(body)).encode()),
                (b"connection", b"close"),
                *((name.lower().encode(), value.encode()) for name, value in more.items()),
            ],
        }
    )
    await send({"type": "http.response.body", "body": body})


class Gate:
    """Wraps an ASGI application."""

    def __init__(self, app: App) -> None:
        self.app = app
        self.turn = asyncio.Semaphore(AT_ONCE)

    async def __call__(self, scope: Message, receive: Receive, send: Send) -> None:
        """Turn a request away, or pass it on with its body counted."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = {key.decode("latin-1").lower(): value.decode("latin-1") for key, value in scope["headers"]}
        refusal = _refusal(headers, scope["method"], scope["path"])
        if refusal:
            await _answer(send, *refusal)
            return
        limit, total, begun = limit_for(scope["path"]), 0, False

        async def counted() -> Message:
            nonlocal total
            message = await receive()
            total += len(message.get("body", b""))
            if total > limit:
                raise TooLarge
            return message

        async def watched(message: Message) -> None:
            nonlocal begun
            begun = True
            await send(message)

        try:
            if scope["path"].startswith("/api/jobs") and limit == SMALL and scope["path"] != _WAITS:
                async with self.turn:
                    await self.app(scope, counted, watched)
            else:
                await self.app(scope, counted, watched)
        except TooLarge:
            if not begun:
                await _answer(
                    send, 413, f"the file is larger than {limit // 2**20} MB: thin it out before you import it"
                )
