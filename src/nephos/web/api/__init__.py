"""The API, one router a subject. Its OpenAPI document makes the page's TypeScript types."""

from django.core.exceptions import BadRequest
from django.db.utils import DataError
from django.http import HttpRequest, HttpResponse
from django.http.multipartparser import MultiPartParserError
from ninja.errors import ValidationError as RequestInvalid
from ninja.security import APIKeyCookie

from nephos.core.errors import Refused
from nephos.core.plain_errors import plain_message
from nephos.core.plan.edits.registry import EDITS
from nephos.web.api import (
    cutters,
    deleted,
    jobs,
    machines,
    meshes,
    posts,
    proofs,
    reliefs,
    results,
    sample_shop,
    shelf,
    storage,
    times,
)
from nephos.web.api.description import Described
from nephos.web.jobs import Stale
from nephos.web.trace import failure


class OwnPage(APIKeyCookie):
    """Lets the application's own page in: anybody may read, a change needs the page's CSRF token."""

    param_name = "csrftoken"

    def authenticate(self, request: HttpRequest, key: str | None) -> str:
        """There are no accounts: whoever gets past the CSRF check is the shop."""
        return "shop"


api = Described(title="Nephos", version="1", docs_url=None, auth=OwnPage(csrf=True))
api.add_router("/jobs", jobs.router)
api.add_router("/meshes", meshes.router)
api.add_router("/cutters", cutters.router)
api.add_router("/jobs", proofs.router)
api.add_router("/machines", machines.router)
api.add_router("/posts", posts.router)
api.add_router("/times", times.router)
api.add_router("/results", results.router)
api.add_router("/reliefs", reliefs.router)
api.add_router("/shelf", shelf.router)
api.add_router("/storage", storage.router)
api.add_router("/sample-shop", sample_shop.router)
api.add_router("/deleted", deleted.router)


@api.exception_handler(Refused)
def refused(request: HttpRequest, reason: Refused) -> HttpResponse:
    """Bad input: one plain sentence."""
    return api.create_response(request, {"message": str(reason)}, status=422)


@api.exception_handler(RequestInvalid)
def invalid(request: HttpRequest, reason: RequestInvalid) -> HttpResponse:
    """A request that does not have the form it must have."""
    first = reason.errors[0]
    if first["type"].startswith("union_tag"):
        return api.create_response(request, {"message": "there is no such edit"}, status=422)
    # The name of an edit is a step on the way to its words.
    steps = [str(step) for step in first["loc"][2:] if step not in EDITS]
    return api.create_response(request, {"message": f"{' > '.join(steps)}: {plain_message(first)}"}, status=422)


_NOT_KEPT = "there are signs in this text that cannot be kept: take out what is no letter, digit or common sign"


@api.exception_handler(Exception)
def failed(request: HttpRequest, reason: Exception) -> HttpResponse:
    """All that nobody foresaw; text that no database takes is bad input."""
    unkept = isinstance(reason, DataError | UnicodeError) or (isinstance(reason, ValueError) and "NUL" in str(reason))
    if unkept:
        return api.create_response(request, {"message": _NOT_KEPT}, status=422)
    if isinstance(reason, MultiPartParserError | BadRequest):
        text = "the body is no form: send JSON, or the bytes of a file"
        return api.create_response(request, {"message": text}, status=400)
    if isinstance(reason, OverflowError):
        return api.create_response(request, {"message": "a number is too large"}, status=422)
    return failure(request, reason)


@api.exception_handler(Stale)
def stale(request: HttpRequest, reason: Stale) -> HttpResponse:
    """Somebody else changed the job first."""
    text = "the job was changed in another window: its newest state is shown now; make your change again"
    return api.create_response(request, {"message": text}, status=409)
