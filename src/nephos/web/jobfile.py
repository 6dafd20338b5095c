"""A job as one open file: a zip with its plan as JSON and its meshes as they came (docs/jobfile.md)."""

import json
import tempfile
import zipfile
from pathlib import PurePosixPath
from typing import IO, Any

from django.db import DatabaseError, transaction
from django.http import HttpRequest

from nephos.core.errors import Refused
from nephos.core.mesh.formats import check_name
from nephos.core.plan.schema import Plan, parse_plan
from nephos.web.api.meshes import body_pieces
from nephos.web.blobs import CHUNK, read_chunks, save_blob
from nephos.web.models import Cutter, Job, Mesh, Revision
from nephos.web.summaries import work_out_missing
from nephos.web.tasks import read_uploaded

FORMAT = "nephos-job"
VERSION = 1
_MOST_PLAN = 20 * 2**20


def write_job_file(job: Job) -> IO[bytes]:
    """The job file of a job, as a file at its beginning. Meshes go through chunk by chunk."""
    document = Revision.objects.get(job=job, number=job.revision).plan
    plan = parse_plan(document)
    meshes = {
        row.digest: row
        for row in Mesh.objects.filter(
            digest__in=[digest for model in plan.models for digest in model.sources], state=Mesh.State.READY
        )
    }
    names = {digest: f"meshes/{digest[:16]}/{row.name}" for digest, row in meshes.items()}
    steps = [step for setup in plan.setups for operation in setup.operations for step in operation.steps]
    cutters = {step.cutter.number: step.cutter.model_dump() for step in steps}
    about = {"format": FORMAT, "version": VERSION, "name": job.name, "revision": job.revision, "meshes": names}
    out = tempfile.TemporaryFile()  # noqa: SIM115  the answer closes it
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as archive:
        archive.writestr("job.json", json.dumps(about, indent=1))
        archive.writestr("plan.json", json.dumps(plan.model_dump(mode="json"), indent=1))
        archive.writestr("cutters.json", json.dumps([cutters[number] for number in sorted(cutters)], indent=1))
        for digest, row in meshes.items():
            with archive.open(names[digest], "w", force_zip64=True) as target:
                for piece in read_chunks(row.file_id):
                    target.write(piece)
    out.seek(0)
    return out


def _json(archive: zipfile.ZipFile, name: str) -> Any:
    try:
        item = archive.getinfo(name)
    except KeyError:
        raise Refused(f"this is no job file: it holds no {name}") from None
    if item.file_size > _MOST_PLAN:
        raise Refused(f"{name} in this job file is larger than any plan: it is not opened")
    try:
        with archive.open(item) as source:
            return json.loads(source.read(_MOST_PLAN))
    except Refused:
        raise
    except Exception:
        # The libraries for packings raise all kinds of errors at damaged bytes.
        raise Refused(f"{name} in this job file is damaged: export the job again") from None


def _mesh_row(archive: zipfile.ZipFile, digest: str, name: str, limit: int) -> None:
    if Mesh.objects.filter(digest=digest, state=Mesh.State.READY).exists():
        return
    plain = PurePosixPath(name).name[:200]
    check_name(plain)
    try:
        item = archive.getinfo(name)
        if item.file_size > limit:
            raise Refused(f"{plain} in this job file is larger than {limit // 2**20} MB")
        with archive.open(item) as source:
            blob = save_blob(iter(lambda: source.read(CHUNK), b""))
    except (Refused, DatabaseError):
        raise
    except Exception:
        raise Refused(f"{plain} is missing in this job file or damaged: export the job again") from None
    mesh = Mesh.objects.create(name=plain, file=blob, digest=digest)
    read_uploaded.defer(mesh_id=mesh.pk)


def _checked(about: Any) -> tuple[str, int, dict[str, str]]:
    if not isinstance(about, dict) or about.get("format") != FORMAT:
        raise Refused("this is no job file: its job.json is of another kind")
    if type(about.get("version")) is not int or about["version"] > VERSION:
        raise Refused("this job file was written by a newer Nephos: update this one")
    name, revision, meshes = about.get("name"), about.get("revision"), about.get("meshes")
    fits = (
        isinstance(name, str) and name and type(revision) is int and 0 < revision < 2**31 and isinstance(meshes, dict)
    )
    held: dict[str, str] = dict(meshes) if isinstance(meshes, dict) else {}
    if not fits or not all(isinstance(item, str) for pair in held.items() for item in pair):
        raise Refused("job.json in this job file is damaged: export the job again")
    return str(name)[:120], int(str(revision)), held


def _known(plan: Plan, names: dict[str, str]) -> None:
    missing = [model.name for model in plan.models if not names.keys() >= set(model.sources)]
    if missing:
        raise Refused(f"the mesh of {missing[0]} is missing in this job file: export the job again")


def read_job_file(request: HttpRequest, limit: int) -> Job:
    """Make a job of a job file; all of it or nothing. Its programs will be the same to the byte, so its revision is
    kept."""
    with tempfile.TemporaryFile() as held:
        for piece in body_pieces(request, limit):
            held.write(piece)
        held.seek(0)
        try:
            archive = zipfile.ZipFile(held)
        except Exception:
            raise Refused("this is no job file: it is no zip archive") from None
        if len(archive.infolist()) > 1000:
            raise Refused("this is no job file: it holds too many files")
        name, revision, names = _checked(_json(archive, "job.json"))
        plan = parse_plan(_json(archive, "plan.json"))
        _known(plan, names)
        with transaction.atomic():
            for digest in {digest for model in plan.models for digest in model.sources}:
                _mesh_row(archive, digest, names[digest], limit)
            job = Job.objects.create(name=name, revision=revision)
            Revision.objects.create(job=job, number=revision, plan=plan.model_dump(mode="json"), note="from a job file")
            work_out_missing(plan)
            _add_cutters(plan)
    return job


def _add_cutters(plan: Plan) -> None:
    """Put cutters on the shop's list whose number is free there; a number that is taken stays as it is."""
    taken = set(Cutter.objects.values_list("number", flat=True))
    for setup in plan.setups:
        for operation in (step for whole in setup.operations for step in whole.steps):
            if operation.cutter.number not in taken:
                taken.add(operation.cutter.number)
                Cutter.objects.create(number=operation.cutter.number, data=operation.cutter.model_dump())
