"""Every request gets a number; what goes wrong in it lies in the log under that number, and the page shows it."""

import logging
import os
import secrets
import time
from collections.abc import Callable

from django.db.utils import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from prometheus_client import Counter, Histogram

from nephos.web.health import full_disk

LOG = logging.getLogger("nephos.requests")
REQUESTS = Counter("nephos_requests_total", "Requests answered", ["method", "status"])
SECONDS = Histogram("nephos_request_seconds", "Time to answer a request", buckets=(0.01, 0.03, 0.1, 0.3, 1, 3, 10))
_LOGGED = os.environ.get("NEPHOS_REQUEST_LOG") == "1"

DATABASE_DOWN = "the database does not answer; Nephos starts it again: the page continues when it is back"


def failure(request: HttpRequest, error: Exception) -> HttpResponse:
    """The answer to a request that failed, with its number; the log has the rest."""
    number = getattr(request, "number", "none")
    full = full_disk(error)
    if full:
        LOG.error("request %s %s %s: the disk is full: %s", number, request.method, request.path, error)
        return JsonResponse({"message": full, "request": number}, status=507)
    if isinstance(error, OperationalError | InterfaceError):
        LOG.error(
            "request %s %s %s: the database does not answer: %s",
            number,
            request.method,
            request.path,
            str(error).splitlines()[0],
        )
        return JsonResponse({"message": DATABASE_DOWN, "request": number}, status=503)
    LOG.error("request %s %s %s failed", number, request.method, request.path, exc_info=error)
    return JsonResponse(
        {
            "message": f"this failed by a fault of Nephos (request {number} in the log): please report it",
            "request": number,
        },
        status=500,
    )


class Trace:
    """Numbers requests, counts and times them, and logs them where NEPHOS_REQUEST_LOG is 1."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer a request."""
        request.number = secrets.token_hex(6)
        begin = time.perf_counter()
        try:
            response = self.get_response(request)
        except Exception as error:
            response = failure(request, error)
        took = time.perf_counter() - begin
        response.headers["X-Request-Id"] = request.number
        REQUESTS.labels(request.method, response.status_code).inc()
        SECONDS.observe(took)
        if _LOGGED:
            LOG.info(
                "request %s %s %s %s %.0f ms",
                request.number,
                request.method,
                request.path,
                response.status_code,
                1000 * took,
            )
        return response

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """What a view outside of the API raised."""
        return failure(request, error)
