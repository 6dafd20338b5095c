"""The sample shop: cutters, shelf, meshes and jobs."""

from collections.abc import Callable
from pathlib import Path

from demo.make import make
from django.db import transaction

from nephos.command.sample_relief import roundel_plan
from nephos.command.sample_sizes import KINDS, longest_side
from nephos.core.cutters import SHAPES, Cutter, HolderStep, standard_cutter
from nephos.core.errors import Refused
from nephos.core.mesh.formats import read_mesh
from nephos.core.plan.boundary import Limit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.shelf import Piece
from nephos.core.plan.stock import Stock
from nephos.home import HOME
from nephos.web.blobs import pieces_of, save_blob
from nephos.web.jobs import create_job, current_plan, edit_plan
from nephos.web.models import Calculation, Job, Mesh
from nephos.web.models import Cutter as CutterRow
from nephos.web.models import Piece as PieceRow
from nephos.web.queues import SAMPLE, TASKS
from nephos.web.sample_shop import Making, ask_for_sample_shop, making, note, stop_making
from nephos.web.summaries import mesh_summary_for
from nephos.web.tasks import calculate_sample, prepare, propose, read_uploaded, task

_GROUPS = {"flat": "roughing", "bull-nose": "roughing", "v": "lettering", "engraver": "lettering", "drill": "drills"}


_CLOSE = ("front", "back", "above", "below")
"""Sides where the stock of a figure of four faces has a small margin."""
_POST, _POST_LENGTH = 60.0, 160.0
"""The heron is wrapped round a bar of this diameter in its own size, and is so long (mm) then."""


def sample_cutters() -> list[Cutter]:
    """The cutters of the sample shop."""
    made = [
        ("flat", 10, 30, 75),
        ("flat", 6, 22, 60),
        ("flat", 3, 15, 50),
        ("ball", 6, 25, 75),
        ("ball", 3, 15, 60),
        ("ball", 2, 12, 50),
        ("bull-nose", 8, 25, 70),
        ("tapered-ball", 6, 25, 75),
        ("v", 12, 14, 50),
        ("engraver", 3, 8, 40),
        ("drill", 5, 50, 80),
    ]
    nut = (HolderStep(diameter=22, length=18), HolderStep(diameter=43, length=40))
    cutters = []
    for k, (shape, size, fluted, long) in enumerate(made):
        usual = standard_cutter(shape, size, k + 1)
        name = f"{size} mm {SHAPES[shape].title.lower() if shape != 'v' else 'V, 60°'}, {usual.flutes} flute"
        cutters.append(
            Cutter.model_validate(
                usual.model_dump()
                | {
                    "name": name,
                    "flute_length": max(fluted, usual.profile.rim + 0.5),
                    "overall_length": long,
                    "stickout": long - 22,
                    "holder": nut,
                    "group": _GROUPS.get(shape, "finishing"),
                }
            )
        )
    return cutters


def sample_pieces() -> list[Piece]:
    """What lies on the sample shop's shelf."""
    sizes = [
        ("lime board", "lime", 1200, 220, 28, 2),
        ("lime offcut", "lime", 310, 200, 32, 1),
        ("oak board", "oak", 900, 300, 35, 1),
        ("sycamore blank", "sycamore", 260, 260, 40, 3),
        ("foam sheet", "foam", 600, 400, 50, 4),
        ("lime square", "lime", 320, 60, 60, 2),
    ]
    return [
        Piece(name=name, material=material, length=x, width=y, thickness=z, count=n)
        for name, material, x, y, z, n in sizes
    ]


def _upload(path: Path) -> Mesh:
    data = path.read_bytes()
    known = Mesh.objects.filter(digest=read_mesh(path.name, data).digest(), state=Mesh.State.READY).first()
    if known is not None:
        return known
    mesh = Mesh.objects.create(name=path.name, file=save_blob(pieces_of(memoryview(data))))
    read_uploaded(mesh.pk)
    mesh.refresh_from_db()
    return mesh


def heron_plan(digest: str) -> Plan:
    """The heron plaque's route sheet."""
    cutters = {cutter.number: cutter for cutter in sample_cutters()}

    def cut(number: int, strategy: str, cutter: int, **settings: object) -> Operation:
        return Operation(
            number=number,
            strategy=strategy,
            cutter=cutters[cutter],
            boundary=Limit(boundary="silhouette"),
            settings=settings,
        )

    operations = (
        cut(10, "rough_offset", 1, stepdown=4.0, stepover=4.0, leave=0.5, ramp_angle=5.0),
        cut(20, "rough_offset", 4, stepdown=2.0, stepover=1.6, leave=0.3, ramp_angle=5.0),
        cut(30, "finish_raster", 5, stepover=0.28, angle=30.0),
        cut(40, "finish_waterline", 5, stepdown=0.5, steeper=60.0),
        cut(50, "cut_out", 2, stepdown=4.0, tabs=5, tab_length=8.0, tab_height=2.5),
    )
    # The plaque stands on a sheet of 2 mm, which is sunk away.
    placement = Placement(size=(longest_side("heron-plaque"), None, 20.2), sink=2.05)
    return Plan(
        stock=Stock(length=260, width=190, thickness=28),
        models=(Model(id="m1", name="Heron plaque", mesh=digest, placement=placement),),
        setups=(FaceSetup(id="a", name="Setup A · top face", operations=operations),),
    )


def _sized(job: Job, longest: float, margins: dict[str, float] | None = None) -> Job:
    """A job with its model scaled until its longest side is so many millimetres long, and stock to suit, with other
    `margins` (mm) than the usual ones where they are given."""
    plan = parse_plan(current_plan(job))
    size = placed_model(mesh_summary_for(plan.models[0]).support, plan.models[0], plan.stock).size
    edit = {"do": "size_model", "model": plan.models[0].id, "axis": int(size.argmax()), "value": longest}
    job = edit_plan(job.pk, job.version, edit, "size")
    return edit_plan(job.pk, job.version, {"do": "fit_stock", **(margins or {})}, "make the stock fit")


def _wrapped(relief: Mesh, _name: str) -> Job:
    """A job in which a flat relief is wrapped round a bar."""
    job = create_job("Heron post", relief)
    edit = {"do": "repair_model", "model": "m1", "kind": "wrap_bar", "settings": {"diameter": _POST, "cover": 100.0}}
    job = edit_plan(job.pk, job.version, edit, "wrap round a bar")
    prepare(parse_plan(current_plan(job)).models[0].model_dump(mode="json"))
    job = _sized(job, _POST_LENGTH)
    _propose(job, "rotary")
    return job


def _propose(job: Job, kind: str) -> None:
    """Have a job proposed, and calculated after that."""
    words = {"job_id": job.pk, "based_on": job.version, "kind": kind, "calculated": True}
    propose.configure(priority=SAMPLE, queue=TASKS["make_sample_shop"].queue).defer(key=f"sample-{job.pk}", **words)


def fill_shelf() -> None:
    """Put the sample's pieces on an empty shelf. A first start that was broken off has filled it already."""
    if not PieceRow.objects.exists():
        PieceRow.objects.bulk_create([PieceRow(data=piece.model_dump()) for piece in sample_pieces()])


def ask_for_first_sample() -> None:
    """Have the sample shop made after the first start, which has no jobs yet."""
    found = making()
    if found is None and Job.every.exists():
        return
    # What was under way when Nephos was stopped goes on; what has been made is not made again.
    if found is None or found.state in {"waiting", "making"}:
        ask_for_sample_shop(again=True)


@task
def make_sample_shop() -> None:
    """Make the meshes, cutters, shelf and jobs of the sample shop. Jobs that were made before stay; deleted ones are
    made anew.

    Workers calculate the jobs after what people ask for."""
    found = making() or Making()
    there = set(Job.objects.filter(pk__in=found.rows.values()).values_list("pk", flat=True))
    rows = {name: key for name, key in found.rows.items() if key in there}
    found = Making(state="making", jobs=len(_JOBS), rows=rows)
    if not CutterRow.every.exists():
        for cutter in sample_cutters():
            CutterRow.objects.create(number=cutter.number, data=cutter.model_dump())
    fill_shelf()
    folder = HOME / "meshes"
    try:
        note(found.model_copy(update={"step": "meshes"}))
        make(folder)
        for name, build in _JOBS.items():
            if name in found.rows:
                continue
            note(found.model_copy(update={"step": name.replace("-", " ")}))
            mesh = _upload(folder / f"{_MESHES.get(name, name)}.stl")
            # A job is there with its sheet and its place in the queue, or not at all.
            with transaction.atomic():
                job = build(mesh, name)
                found = found.model_copy(update={"rows": found.rows | {name: job.pk}})
                note(found)
    except (OSError, Refused) as reason:
        stop_making(str(reason))
        return
    note(found.model_copy(update={"state": "made", "step": ""}))


def _calculate(job: Job) -> Job:
    """Have a job calculated after what people ask for."""
    calculate_sample(Calculation.objects.create(job=job, revision=job.revision))
    return job


def _heron_plaque(mesh: Mesh, _name: str) -> Job:
    return _calculate(create_job("Heron plaque", mesh, heron_plan(mesh.digest)))


def _moth_roundel(mesh: Mesh, _name: str) -> Job:
    cutters = {cutter.number: cutter for cutter in sample_cutters()}
    return _calculate(create_job("Moth roundel", None, roundel_plan(mesh.digest, cutters)))


def _plain(mesh: Mesh, name: str) -> Job:
    return create_job(name.replace("-", " ").capitalize(), mesh)


def _of_faces(mesh: Mesh, name: str) -> Job:
    """A job that is cut from several faces or on a bar."""
    kind, _ = KINDS[name]
    # From the front, the back lies as deep as the stock is wide.
    job = _sized(_plain(mesh, name), longest_side(name), dict.fromkeys(_CLOSE, 3.0) if kind != "two-faces" else None)
    _propose(job, kind)
    return job


def _in_tiles(mesh: Mesh, name: str) -> Job:
    """A job that is longer than the machine."""
    job = _plain(mesh, name)
    return _calculate(edit_plan(job.pk, job.version, {"do": "cut_in_tiles", "setup": "a"}, "cut in tiles"))


_JOBS: dict[str, Callable[[Mesh, str], Job]] = {
    "heron-plaque": _heron_plaque,
    "lily-leaf-dish": _of_faces,
    "dragonfly": _of_faces,
    "bulrush-finial": _of_faces,
    "heron-post": _wrapped,
    "moth-roundel": _moth_roundel,
    "fen-chart": _in_tiles,
    "heron-scan": _plain,
}
"""The jobs of the sample shop in the order in which they are made."""
_MESHES = {"heron-post": "heron-plaque", "moth-roundel": "moth"}
"""Meshes of jobs that have another name."""
