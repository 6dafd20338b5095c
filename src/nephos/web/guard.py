"""Keeps other sites out: Host and Origin are checked, and a strict content policy is sent."""

from collections.abc import Callable
from urllib.parse import urlsplit

from django.core.exceptions import DisallowedHost
from django.http import HttpRequest, HttpResponse, JsonResponse

CONTENT_POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' blob: data:; "
    "font-src 'self'; connect-src 'self'; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; "
    "form-action 'self'; frame-ancestors 'none'"
)

HEADERS = {
    "Content-Security-Policy": CONTENT_POLICY,
    "Referrer-Policy": "no-referrer",
    "X-Content-Type-Options": "nosniff",
}
"""Headers of every answer, those to requests that are turned away among them."""


class OriginGuard:
    """Refuses requests that another site's page sends, and adds the headers to answers."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Check a request and pass it on."""
        try:
            host = request.get_host()
        except DisallowedHost:
            return JsonResponse({"message": "Nephos answers to localhost only"}, status=400)
        origin = request.headers.get("Origin")
        if origin and urlsplit(origin).netloc != host:
            return JsonResponse({"message": "this page is of another site and may not do that"}, status=403)
        response = self.get_response(request)
        for name, value in HEADERS.items():
            response.headers.setdefault(name, value)
        return response
