"""What is done with a proved job: its files are fetched and checked, its block is looked at closely or written out,
other programs are proved against it."""

import re
import tempfile
import zipfile
from typing import Annotated, Any, Literal

from django.db.models import Q
from django.http import FileResponse, HttpRequest, StreamingHttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from django.utils.text import slugify
from ninja import Query, Router, Schema
from pydantic import Field

from nephos.core.answers.job import all_open_stops
from nephos.core.errors import Refused
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.post.checksum import HEAD, body_word, check_word, checksum_state
from nephos.core.post.text import file_stem
from nephos.core.post.write import retitled
from nephos.core.report.job_results import JobReports
from nephos.core.report.setup_results import Reports
from nephos.core.setups.registry import kind_of
from nephos.core.stages.begun import operation_before
from nephos.core.stages.canonical import key_of
from nephos.core.stages.external_program import external_key
from nephos.core.stages.of_plan import stages_of
from nephos.core.stock.window import window_grid
from nephos.web import jobs as service
from nephos.web.api.meshes import body_pieces
from nephos.web.api.results import ResultKey
from nephos.web.blobs import read_chunks, read_range, save_blob, stream_chunks
from nephos.web.derived import derived
from nephos.web.mesh_keys import EXPORT
from nephos.web.models import Job, Result, ResultArray
from nephos.web.rows import to_be_made
from nephos.web.tasks import cut_window_of, export_block, export_whole, prove_program

router = Router(tags=["proofs"])
_LARGEST = 64 * 2**20


Coordinate = Annotated[float, Field(ge=-20_000, le=20_000, allow_inf_nan=False)]


class Spot(Schema):
    """A window to be looked at closely: corners on the plan of the setup (mm), its pitch, and after how many
    operations."""

    low: tuple[Coordinate, Coordinate]
    high: tuple[Coordinate, Coordinate]
    pitch: float = Field(ge=0.01, le=2)
    operations: int = Field(ge=0, le=500)


class FileOrigin(Schema):
    """Whose file a program is, by its check word; and after which operation of the setup it is proved (0: on the stock
    as the setup begins)."""

    after: int
    state: Literal["current", "earlier", "altered", "unknown", "none"]
    words: str
    key: str


def _place(job_id: int, setup_id: str) -> tuple[Job, Plan, Setup]:
    job = get_object_or_404(Job, pk=job_id)
    plan = parse_plan(service.current_plan(job)).as_cut()
    setup = next((item for item in plan.setups if item.id == setup_id), None)
    if setup is None:
        raise Refused("that setup is not in the job any more: look at the job again")
    return job, plan, setup


def _file_name(job: Job, name: str) -> str:
    """Under which a program is saved: the job's present name before its own."""
    return f"{file_stem(job.name)}_{name}"


def _postable(job: Job, setup_id: str | None = None) -> None:
    """Refuse files of a job, or of one of its setups, that are not checked as the job is now, or while a stop is
    open."""
    plan = parse_plan(service.current_plan(job))
    found = derived(plan)
    worked = {setup.id for setup in plan.as_cut().setups if setup.worked}
    mine = [item for item in found.setups if item.id in worked and setup_id in (None, item.id)]
    if any(item.programs is None for item in mine) or (setup_id is None and found.joined and not found.whole):
        raise Refused("the files are not written and checked as the job is now: calculate it first")
    stops = all_open_stops(found)
    if stops:
        raise Refused(f"nothing is posted: {stops[0].text}: {stops[0].advice}")


def _heads(job: Job, plan: Plan, blob: int) -> tuple[bytes, bytes]:
    """The first bytes of a program as it was written, and as they are now: the job may have another name or
    revision."""
    old = read_range(blob, 0, HEAD)
    return old, retitled(plan.own_post, old, f"{job.name}, revision {job.revision}")


@router.get("/{int:job_id}/programs.zip")
def all_programs(request: HttpRequest, job_id: int) -> FileResponse:
    """All posted programs of a job in one archive, as single files would be saved."""
    job = get_object_or_404(Job, pk=job_id)
    plan = parse_plan(service.current_plan(job)).as_cut()
    _postable(job)
    held = tempfile.TemporaryFile()  # noqa: SIM115  the answer closes it
    graph = stages_of(plan)
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for setup in (item for item in plan.setups if item.worked):
            files = Result.objects.filter(key=Reports.of(graph[setup.id]).files).first()
            if files is None:
                raise Refused("the files are not written as the job is now: calculate it first")
            for item in files.facts["programs"]:
                row = get_object_or_404(ResultArray, result_id=f"{files.key}/{item['name']}", name="text")
                old, new = _heads(job, plan, row.blob_id)
                with archive.open(_file_name(job, item["name"]), "w") as target:
                    for k, piece in enumerate(read_chunks(row.blob_id)):
                        target.write(new + piece.removeprefix(old) if k == 0 else piece)
    held.seek(0)
    return FileResponse(held, as_attachment=True, filename=f"{file_stem(job.name)}.zip", content_type="application/zip")


@router.get("/{int:job_id}/program/{setup_id}/{name}")
def program(request: HttpRequest, job_id: int, setup_id: str, name: str) -> StreamingHttpResponse:
    """A posted program as a file to save. Refused while there is a stop that nobody has overridden."""
    job, plan, setup = _place(job_id, setup_id)
    _postable(job, setup_id)
    row = get_object_or_404(ResultArray, result_id=f"{Reports.of(stages_of(plan)[setup.id]).files}/{name}", name="text")
    old, new = _heads(job, plan, row.blob_id)
    answer = StreamingHttpResponse(stream_chunks(row.blob_id, old, new), content_type="text/plain; charset=us-ascii")
    answer["Content-Length"] = row.blob.size + len(new) - len(old)
    answer["Content-Disposition"] = content_disposition_header(True, _file_name(job, name)) or "attachment"
    return answer


State = Literal["current", "earlier", "altered", "unknown", "none"]


def _origin(plan: Plan, text: bytes) -> tuple[State, str, int]:
    """Whose file a text is, by its check word; and the number of its first operation, 0 where that is not known."""
    state, word = checksum_state(text), check_word(text)
    if state == "none":
        return "none", "it carries no check word: it was not posted by Nephos, or its comments were taken out", 0
    if state == "altered":
        return "altered", "it was changed after it was posted: its check word does not fit", _first_operation(text)
    mine = [Reports.of(stages).files for stages in stages_of(plan).values() if stages.operations]
    same = Q(facts__check=word) | Q(facts__check__startswith=body_word(word))
    for row in Result.objects.filter(same, stage="program"):
        if row.key.split("/")[0] in mine:
            words = f"it is {row.facts['name']} of this job as it is now, unchanged"
            return "current", words, int(row.facts["numbers"][0])
    earlier = Result.objects.filter(same, stage="program").first()
    if earlier is not None:
        posted = earlier.facts.get("title", "another job")
        words = f"it is {earlier.facts['name']}, posted as {posted}, but not what this job would post now"
        return "earlier", words, int(earlier.facts["numbers"][0])
    return "unknown", "it is as it was posted, but not from anything that this Nephos has kept", _first_operation(text)


_OPERATION = re.compile(rb"[(;]op: (\d{1,4}) ")


def _first_operation(text: bytes) -> int:
    """The number of the first operation that a file of ours names in its comments; 0 where it names none."""
    found = _OPERATION.search(text)
    return int(found.group(1)) if found else 0


@router.post("/{int:job_id}/check/{setup_id}", response=FileOrigin)
def check_file(
    request: HttpRequest,
    job_id: int,
    setup_id: str,
    cutter: Annotated[int, Query(ge=0, le=999)] = 0,
    after: Annotated[int | None, Query(ge=0, le=9999)] = None,
) -> dict[str, Any]:
    """Take in a program as the raw body: whose it is, and under which key its proof will be found. It is proved on the
    stock as it is `after` an operation (0: as the setup begins); where none is given, after those that come before its
    own."""
    _, plan, setup = _place(job_id, setup_id)
    text = b"".join(body_pieces(request, _LARGEST))
    if not text.strip():
        raise Refused("the file is empty")
    state, words, first = _origin(plan, text)
    cutters = service.cutters_for(plan)
    numbers = [operation.number for operation in setup.worked]
    after = operation_before(setup, first) if after is None else after if after in numbers else 0
    following = [operation for operation in setup.worked if operation.number > after] or list(setup.operations)
    usual = cutter or (following[0].cutter.number if following else 0)
    key = external_key(plan, setup, text, cutters, usual, after)
    if to_be_made(key):
        blob = save_blob(iter([text]))
        prove_program.defer(
            key=key, plan=plan.model_dump(mode="json"), setup=setup.id, blob=blob.pk, usual=usual, after=after
        )
    return {"state": state, "words": words, "key": key, "after": after}


@router.post("/{int:job_id}/window/{setup_id}", response=ResultKey)
def window(request: HttpRequest, job_id: int, setup_id: str, body: Spot) -> ResultKey:
    """Have a small window of the block cut at full resolution; the answer names where it will be found."""
    _, plan, setup = _place(job_id, setup_id)
    kind_of(setup).check_close_look()
    window_grid(body.low, body.high, body.pitch)
    stages = stages_of(plan)[setup.id]
    keys = [item.moves.key for item in stages.operations.values()][: body.operations]
    key = key_of("window", 2, stages.space.key, keys, body.low, body.high, body.pitch)
    if to_be_made(key):
        cut_window_of.defer(
            key=key,
            plan=plan.model_dump(mode="json"),
            setup=setup.id,
            low=list(body.low),
            high=list(body.high),
            pitch=body.pitch,
            operations=body.operations,
        )
    return ResultKey(key=key)


@router.post("/{int:job_id}/whole", response=ResultKey)
def whole_file(request: HttpRequest, job_id: int, suffix: Literal[".stl", ".glb"]) -> ResultKey:
    """Have the block after all setups written as a mesh, in millimetres from the stock's low corner; the answer names
    where it will be found."""
    job = get_object_or_404(Job, pk=job_id)
    reports = JobReports.of(parse_plan(service.current_plan(job)).as_cut())
    key = "" if reports is None else reports.summary.key
    if not Result.objects.filter(pk=key, facts__has_key="compare").exists():
        raise Refused("the whole part is not calculated for the job as it is now: press Calculate first")
    made = key_of("export", EXPORT, key, suffix)
    if to_be_made(made):
        export_whole.defer(key=made, name=f"{slugify(job.name) or 'job'}-whole{suffix}", whole=key)
    return ResultKey(key=made)


@router.post("/{int:job_id}/block/{setup_id}", response=ResultKey)
def block_file(
    request: HttpRequest, job_id: int, setup_id: str, suffix: Literal[".stl", ".glb"], alone: bool = False
) -> ResultKey:
    """Have the proof written as a mesh, the whole block or the part `alone`; the answer names where it will be
    found."""
    job, plan, setup = _place(job_id, setup_id)
    stages = stages_of(plan)[setup.id]
    wanted = [stages.proof_block.key, stages.pieces.key] if stages.operations else []
    if not wanted or Result.objects.filter(pk__in=wanted).count() != 2:
        raise Refused("the block is not calculated for the job as it is now: press Calculate first")
    key = key_of("export", EXPORT, wanted, suffix, alone)
    if to_be_made(key):
        name = f"{slugify(job.name) or 'job'}-{setup.id}-{'part' if alone else 'block'}{suffix}"
        export_block.defer(
            key=key,
            name=name,
            plan=plan.model_dump(mode="json"),
            setup=setup.id,
            alone=alone,
        )
    return ResultKey(key=key)
