"""Loads the sample shop: cutters, and the heron plaque as a finished job. Runs once."""

from pathlib import Path

from demo.make import make

from nephos.command.sample_relief import roundel_plan
from nephos.core.cutters import SHAPES, Cutter, HolderStep, standard_cutter
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
from nephos.web.queues import SAMPLE
from nephos.web.summaries import mesh_summary_for
from nephos.web.tasks import calculate, prepare, propose, read_uploaded

_OTHERS = ("heron-scan", "lily-leaf-dish", "bulrush-finial", "fen-chart", "dragonfly")
_GROUPS = {"flat": "roughing", "bull-nose": "roughing", "v": "lettering", "engraver": "lettering", "drill": "drills"}


_OF_FACES = {
    "lily-leaf-dish": ("two-faces", 214.0),
    "dragonfly": ("four-faces", 96.0),
    "bulrush-finial": ("rotary", 180.0),
}
"""Jobs that are cut from several faces or on a bar: the kind, and how long (mm) the model's longest side is."""


_CLOSE = ("front", "back", "above", "below")
"""Sides where the stock of a figure of four faces has a small margin."""
_POST, _POST_LENGTH = 60.0, 160.0
"""The heron is wrapped round a bar of this diameter in its own size, and is so long (mm) then."""
_IN_TILES = {"fen-chart"}
"""Jobs that are longer than the machine."""


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
    read_mesh(path.name, data)
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
    placement = Placement(size=(236.0, None, 20.2), sink=2.05)
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


def _wrap(relief: Mesh) -> None:
    """A job in which a flat relief is wrapped round a bar."""
    job = create_job("Heron post", relief)
    edit = {"do": "repair_model", "model": "m1", "kind": "wrap_bar", "settings": {"diameter": _POST, "cover": 100.0}}
    job = edit_plan(job.pk, job.version, edit, "wrap round a bar")
    prepare(parse_plan(current_plan(job)).models[0].model_dump(mode="json"))
    job = _sized(job, _POST_LENGTH)
    _propose("sample-post", job, "rotary")


def _propose(key: str, job: Job, kind: str) -> None:
    """Have a job proposed, and calculated after that."""
    words = {"job_id": job.pk, "based_on": job.version, "kind": kind, "calculated": True}
    propose.configure(priority=SAMPLE).defer(key=key, **words)


def fill_shelf() -> None:
    """Put the sample's pieces on an empty shelf. A first start that was broken off has filled it already."""
    if not PieceRow.objects.exists():
        PieceRow.objects.bulk_create([PieceRow(data=piece.model_dump()) for piece in sample_pieces()])


def load_sample() -> None:
    """Make the meshes, fill the cutters and jobs of an empty shop, and calculate the heron."""
    if not CutterRow.every.exists() and not Job.every.exists():
        for cutter in sample_cutters():
            CutterRow.objects.create(number=cutter.number, data=cutter.model_dump())
    if Job.every.exists():
        return
    fill_shelf()
    folder = HOME / "meshes"
    make(folder)
    for name in reversed(_OTHERS):
        job = create_job(name.replace("-", " ").capitalize(), _upload(folder / f"{name}.stl"))
        if name in _OF_FACES:
            kind, longest = _OF_FACES[name]
            # From the front, the back lies as deep as the stock is wide.
            job = _sized(job, longest, dict.fromkeys(_CLOSE, 3.0) if kind != "two-faces" else None)
            _propose(f"sample-{name}", job, kind)
        if name in _IN_TILES:
            job = edit_plan(job.pk, job.version, {"do": "cut_in_tiles", "setup": "a"}, "cut in tiles")
            tiled = Calculation.objects.create(job=job, revision=job.revision)
            calculate.configure(priority=SAMPLE, lock=f"job-{job.pk}").defer(calculation_id=tiled.pk)
    moth = _upload(folder / "moth.stl")
    cutters = {cutter.number: cutter for cutter in sample_cutters()}
    relief = create_job("Moth roundel", None, roundel_plan(moth.digest, cutters))
    composed = Calculation.objects.create(job=relief, revision=relief.revision)
    calculate.configure(priority=SAMPLE, lock=f"job-{relief.pk}").defer(calculation_id=composed.pk)
    heron = _upload(folder / "heron-plaque.stl")
    _wrap(heron)
    job = create_job("Heron plaque", heron, heron_plan(heron.digest))
    row = Calculation.objects.create(job=job, revision=job.revision)
    calculate.configure(priority=SAMPLE).defer(calculation_id=row.pk)
