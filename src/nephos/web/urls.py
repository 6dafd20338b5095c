"""Addresses: the API, and the page for everything else."""

from django.http import HttpRequest, HttpResponse
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from nephos.home import ROOT
from nephos.web.api import api
from nephos.web.events import event_stream
from nephos.web.health import health_view, metrics_view


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    """The one page of the application."""
    index = ROOT / "frontend" / "dist" / "index.html"
    if not index.exists():
        return HttpResponse("The page is not built yet: run ./nephos start", status=503)
    return HttpResponse(index.read_bytes(), content_type="text/html")


urlpatterns = [
    path("health", health_view),
    path("metrics", metrics_view),
    path("api/events", event_stream),
    path("api/", api.urls),
    re_path(r"^(?!api/|static/).*$", page),
]
