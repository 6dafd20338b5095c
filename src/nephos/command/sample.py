"""Loads the sample shop: cutters, and the heron plaque as a finished job. Runs once."""

from pathlib import Path

from demo.make import make

from nephos.command.home import HOME
from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.mesh.formats import read_mesh
from nephos.core.plan.schema import Limit, Model, Operation, Placement, Plan, Setup, Stock
from nephos.core.plan.shelf import Piece
from nephos.web.blobs import pieces_of, save_blob
from nephos.web.jobs import create_job
from nephos.web.models import Calculation, Job, Mesh
from nephos.web.models import Cutter as CutterRow
from nephos.web.models import Piece as PieceRow
from nephos.web.tasks import calculate, read_uploaded

_OTHERS = ("heron-scan", "lily-leaf-dish", "bulrush-finial", "fen-chart", "dragonfly", "moth-roundel")


def sample_cutters() -> list[Cutter]:
    """The cutters of the sample shop."""
    made = [("flat", 10), ("flat", 6), ("flat", 3), ("ball", 6), ("ball", 3), ("ball", 2)]
    return [
        standard_cutter(shape, size, k + 1).model_copy(update={"name": f"{size} mm {shape}, 2 flute"})
        for k, (shape, size) in enumerate(made)
    ]


def sample_pieces() -> list[Piece]:
    """What lies on the sample shop's shelf."""
    sizes = [
        ("lime board", "lime", 1200, 220, 28, 2), ("lime offcut", "lime", 310, 200, 32, 1),
             ("oak board", "oak", 900, 300, 35, 1),
             ("sycamore blank", "sycamore", 260, 260, 40, 3), ("foam sheet", "foam", 600, 400, 50, 4),
             ("lime square", "lime", 320, 60, 60, 2)]
    return [Piece(name=name, material=material, length=x, width=y, thickness=z, count=n) for name, material, x, y, z, n in sizes]


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
    operations = (
        Operation(number=10, strategy="rough_rings", cutter=cutters[2],
                  settings={"stepdown": 4.0, "stepover": 2.6, "leave": 0.5}),  # type: ignore[arg-type]
        Operation(number=20, strategy="finish_lines", cutter=cutters[5],
                  settings={"stepover": 0.3, "angle": 30.0}),  # type: ignore[arg-type]
    )
    cut_out = Operation(number=30, strategy="cut_out", cutter=cutters[1], boundary=Limit(boundary="silhouette"),
                        settings={"stepdown": 4.0, "tabs": 6, "tab_length": 8.0, "tab_height": 3.0})  # type: ignore[arg-type]
    placement = Placement(size=(236.0, None, 20.2))
    return Plan(
        stock=Stock(length=260, width=190, thickness=28),
        models=(Model(id="m1", name="Heron plaque", mesh=digest, placement=placement),),
        setups=(Setup(id="a", name="Setup A · top face", operations=(*operations, cut_out)),),
    )


def load_sample() -> None:
    """Make the meshes, fill the cutters and jobs of an empty shop, and calculate the heron."""
    if not CutterRow.objects.exists() and not Job.objects.exists():
        for cutter in sample_cutters():
            CutterRow.objects.create(number=cutter.number, data=cutter.model_dump())
    if Job.objects.exists():
        return
    for piece in sample_pieces():
        PieceRow.objects.create(data=piece.model_dump())
    folder = HOME / "meshes"
    make(folder)
    for name in reversed(_OTHERS):
        create_job(name.replace("-", " ").capitalize(), _upload(folder / f"{name}.stl"))
    heron = _upload(folder / "heron-plaque.stl")
    job = create_job("Heron plaque", heron, heron_plan(heron.digest))
    row = Calculation.objects.create(job=job, revision=job.revision)
    calculate.defer(calculation_id=row.pk)
