"""Results: arrays as little-endian binary, posted programs as files and by the line."""

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from ninja import Router, Schema
from pydantic import JsonValue
from typing_extensions import TypedDict

from nephos.core.answers.documents import ExternalAnswer
from nephos.core.errors import Refused
from nephos.web.blobs import read_range, stream_chunks
from nephos.web.models import Result, ResultArray

router = Router(tags=["results"])


class ResultKey(Schema):
    """Under which a worker keeps what it is asked for."""

    key: str


class Refusal(TypedDict):
    """Why a worker could not make a result."""

    refused: str


class ArrayForm(TypedDict):
    """How the bytes of an array are to be read."""

    dtype: str
    shape: list[int]


class Made(Schema):
    """The facts of a result; none before it is made."""

    facts: dict[str, JsonValue] | None


class ExternalMade(Schema):
    """What was found in an external program; none before it is proved."""

    facts: ExternalAnswer | Refusal | None


class LineOfMove(Schema):
    """A line of a posted file."""

    file: str
    line: int
    text: str


class FactsOf(Schema):
    """The facts of a result, and dtype and shape of each of its arrays."""

    facts: dict[str, JsonValue]
    arrays: dict[str, ArrayForm]


def _array(key: str, name: str) -> ResultArray:
    return get_object_or_404(ResultArray, result_id=key, name=name)


@router.get("/{key}/facts", response=FactsOf)
def facts(request: HttpRequest, key: str) -> FactsOf:
    """The facts of a result and the form of its arrays."""
    row = get_object_or_404(Result, pk=key)
    arrays = {a.name: ArrayForm(dtype=a.dtype, shape=a.shape) for a in row.arrays.all()}
    return FactsOf(facts=row.facts, arrays=arrays)


@router.get("/{key}/made", response=Made)
def made(request: HttpRequest, key: str) -> Made:
    """What a worker was asked to make, or nothing yet: to be asked until there is something."""
    return Made(facts=Result.objects.filter(pk=key).values_list("facts", flat=True).first())


@router.get("/{key}/external", response=ExternalMade)
def external(request: HttpRequest, key: str) -> ExternalMade:
    """What was found in an external program, or nothing yet."""
    return ExternalMade(facts=Result.objects.filter(pk=key, stage="external").values_list("facts", flat=True).first())


@router.get("/{key}/array/{name}")
def array(request: HttpRequest, key: str, name: str) -> StreamingHttpResponse:
    """One array, streamed chunk by chunk. Results never change, so it may be kept for good."""
    row = _array(key, name)
    answer = StreamingHttpResponse(stream_chunks(row.blob_id), content_type="application/octet-stream")
    answer["Content-Length"] = row.blob.size
    answer["X-Dtype"], answer["X-Shape"] = row.dtype, ",".join(map(str, row.shape))
    answer["Cache-Control"] = "private, max-age=31536000, immutable"
    return answer


@router.get("/{key}/file")
def written_file(request: HttpRequest, key: str) -> StreamingHttpResponse:
    """A file that a worker has written; not found until it has."""
    row = get_object_or_404(Result, pk=key)
    if "refused" in row.facts:
        raise Refused(row.facts["refused"])
    blob = _array(key, "file").blob
    answer = StreamingHttpResponse(stream_chunks(blob.pk), content_type="application/octet-stream")
    answer["Content-Length"] = blob.size
    answer["Content-Disposition"] = content_disposition_header(True, row.facts["name"]) or "attachment"
    return answer


@router.get("/{key}/line/{int:operation}/{int:move}", response=LineOfMove)
def line_of_move(request: HttpRequest, key: str, operation: int, move: int) -> LineOfMove:
    """The line of a program that makes a move, by the number of the move in its operation, and the file that it stands
    in."""
    for row in Result.objects.filter(stage="program", key__startswith=f"{key}/"):
        first = row.facts["firsts"].get(str(operation))
        if first is None:
            continue
        lines = _array(row.key, f"lines_{operation}")
        if not first <= move < first + lines.shape[0]:
            continue
        at = move - first
        number = int(np.frombuffer(read_range(lines.blob_id, 4 * at, 4 * at + 4), "<i4")[0])
        start, stop = np.frombuffer(
            read_range(_array(row.key, "offsets").blob_id, 8 * (number - 1), 8 * (number + 1)), "<i8"
        )
        text = read_range(_array(row.key, "text").blob_id, int(start), int(stop))
        return LineOfMove(file=row.facts["name"], line=number, text=text.decode("ascii").rstrip())
    raise Http404


@router.get("/health", response=dict[str, str])
def health(request: HttpRequest) -> HttpResponse | dict[str, str]:
    """Whether the server is up."""
    return {"state": "up"}
