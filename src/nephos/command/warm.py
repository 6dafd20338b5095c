"""Cuts a small part with every strategy and cutter, so that all kernels are compiled into the cache."""

import numpy as np

from nephos.core.bench import bench_drop, bench_removal, bench_rotary_drop, bench_rotary_removal
from nephos.core.cutters import SHAPES, standard_cutter
from nephos.core.estimate.estimate_input import estimate_input
from nephos.core.findings.bar_terrain import bar_terrain
from nephos.core.mesh.formats.stl import read_stl, write_stl
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.picture import picture_mesh
from nephos.core.mesh.repair.registry import repair_kind
from nephos.core.mesh.summary import quick_look, summarize
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.holding import Rotary
from nephos.core.plan.setups.rotary import RotarySetup
from nephos.core.plan.stock import Stock
from nephos.core.post.arcs import with_arcs
from nephos.core.relief.composition import Composition
from nephos.core.relief.surface import composed
from nephos.core.stages.run import run_plan, run_setup
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.strategies.registry import strategies
from nephos.core.surface.index import build_index
from nephos.core.surface.inside import signed_distances
from nephos.core.toolpath import Kind, Toolpath


def small_hill(side: float = 24.0, cells: int = 40) -> Mesh:
    """A little hill with a step in it."""
    x, y = np.meshgrid(np.linspace(0, side, cells + 1), np.linspace(0, side, cells + 1))
    z = 4 * np.exp(-((x - side / 2) ** 2 + (y - side / 2) ** 2) / 30) + np.where(x > 0.75 * side, 1.0, 0.0)
    k = np.arange((cells + 1) ** 2, dtype=np.int32).reshape(cells + 1, cells + 1)
    a, b, c, d = (q.ravel() for q in (k[:-1, :-1], k[:-1, 1:], k[1:, 1:], k[1:, :-1]))
    faces = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    return Mesh(np.stack([x, y, z], -1).reshape(-1, 3), faces)


def _bar(hill: Mesh) -> None:
    """Cut the hill on a bar with all that is cut on bars, between two faces."""
    ball, flat = standard_cutter("ball", 3, 1), standard_cutter("flat", 3, 2)
    values = {"stepover": 1.0, "stepdown": 2.0, "leave": 0.2}
    operations: list[Operation] = []
    for key, kind in strategies().items():
        if "rotary" in kind.setup_kinds:
            fields = {k: v for k, v in values.items() if k in kind.settings.model_fields}
            cutter = flat if kind.stepped else ball
            settings = kind.settings.model_validate(fields)
            operations.append(
                Operation(number=10 * len(operations) + 10, strategy=key, cutter=cutter, settings=settings)
            )
    middle = Placement(align=("centre", "centre", "centre"), offset=(0.0, 0.0, 0.0))
    setup = RotarySetup(
        id="a",
        name="a",
        rotary=Rotary(core=3.0, tailstock="none"),
        operations=tuple(operations),
    )
    raster = strategies()["finish_raster"].settings.model_validate({"stepover": 2.0})
    faces = [
        FaceSetup(
            id=side,
            name=side,
            side=side,
            operations=(Operation(number=number, strategy="finish_raster", cutter=ball, settings=raster, cut_to=6.0),),
        )
        for side, number in (("top", 900), ("front", 910))
    ]
    plan = Plan(
        stock=Stock(kind="round", length=90, width=40, thickness=40),
        models=(Model(id="m", name="hill", mesh="hill", placement=middle),),
        setups=(faces[0], setup, faces[1]),
        pitch=1.0,
        post="rs274-rotary-a",
        machine="rotary-router",
    )
    list(run_plan(plan, lambda _: hill, Work(MemoryStore())))
    look = quick_look(hill)
    terrain = bar_terrain(plan, setup, [(plan.models[0], placed_model(look.support, plan.models[0], plan.stock), look)])
    if terrain is not None:
        terrain.tips(flat)
    bench_rotary_drop(hill, 3, 1.0, 5.0, 24, 1.0)
    bench_rotary_removal(20, 20, 1.0, 5.0, 3, 1.0)


def _relief(hill: Mesh) -> None:
    """Compose a small relief of one piece of each kind."""
    pieces = [
        {"id": "p1", "name": "body", "source": {"kind": "circle", "diameter": 30.0}, "shape": {"kind": "slant"}},
        {"id": "p2", "name": "hill", "source": {"kind": "mesh", "mesh": "hill", "width": 10.0}, "combine": "higher"},
        {
            "id": "p3",
            "name": "beads",
            "source": {"kind": "offset", "piece": "p1", "distance": -8.0},
            "shape": {"kind": "bead", "width": 2.0},
        },
        {"id": "p4", "name": "letter", "source": {"kind": "lettering", "text": "A"}, "fade": 1.0},
        {
            "id": "p5",
            "name": "rope",
            "source": {"kind": "offset", "piece": "p1", "distance": -12.0},
            "shape": {"kind": "rope", "width": 2.0},
        },
    ]
    composed(Composition.model_validate({"pieces": pieces, "tolerance": 0.1}), lambda _: hill)


def _text(hill: Mesh) -> None:
    """Write and read back a path with arcs, and measure from the mesh on both of its sides."""
    angles = np.linspace(0, 3, 40)
    points = np.stack([10 * np.cos(angles), 10 * np.sin(angles), np.zeros(40)], 1)
    path = Toolpath(points, np.full(39, Kind.CUT, np.uint8), np.full(39, 1000.0, np.float32))
    with_arcs(path, 0.01)
    signed_distances(build_index(hill.vertices, hill.faces), hill.vertices + 0.1, 1.0)


def _chosen() -> list[tuple[str, str]]:
    """Pairs of strategy and cutter shape that cover all of both. Kernels are compiled by argument types, which are the
    same for all shapes."""
    lying = {key: kind for key, kind in strategies().items() if "face" in kind.setup_kinds}
    found = [(key, kind.shapes[0]) for key, kind in lying.items()]
    seen = {shape for _, shape in found}
    others = [shape for shape in SHAPES if shape not in seen]
    return found + [(next(key for key, kind in lying.items() if shape in kind.shapes), shape) for shape in others]


def main() -> None:
    """Run everything once, small."""
    hill = read_stl(write_stl(small_hill()))
    corners = b"vertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0.5\n"
    text = b"solid t\nfacet normal 0 0 1\nouter loop\n" + corners + b"endloop\nendfacet\nendsolid t\n"
    read_stl(text)
    look = quick_look(hill)
    summarize(hill)
    picture_mesh(small_hill(cells=500))
    for name in ("unify", "drop_shells", "close_holes"):
        repair_kind(name).apply(hill, repair_kind(name).settings())
    thin = repair_kind("thin")
    thin.apply(hill, thin.settings.model_validate({"triangles": 1000, "deviation": 20.0}))
    model = Model(id="m", name="hill", mesh="hill", placement=Placement())
    for key, shape in _chosen():
        values = {"stepover": 1.0, "stepdown": 2.0, "leave": 0.2}
        kind, cutter = strategies()[key], standard_cutter(shape, 3)
        settings = kind.settings.model_validate({k: v for k, v in values.items() if k in kind.settings.model_fields})
        setup = FaceSetup(
            id="a",
            name="a",
            operations=(
                Operation(number=10, strategy=key, cutter=cutter, settings=settings),
                Operation(
                    number=20,
                    strategy="finish_raster",
                    cutter=standard_cutter("ball", 2),
                    settings=strategies()["finish_raster"].settings.model_validate({"stepover": 1.0, "rest": 0.05}),
                ),
            ),
        )
        plan = Plan(stock=Stock(length=30, width=30, thickness=10), models=(model,), setups=(setup,), pitch=0.5)
        run_setup(plan, setup, lambda _: hill, Work(MemoryStore()))
        for operation in setup.operations:
            ground = estimate_input(
                plan, setup, operation, [(model, placed_model(look.support, model, plan.stock), look)]
            )
            strategies()[operation.strategy].estimate(operation.settings, operation.cutter, 0.0, ground)
    for shape in SHAPES:
        bench_removal(20, 10, 0.5, 3, 1, shape)
    _bar(hill)
    _relief(hill)
    _text(hill)
    bench_drop(hill, 3, 0.5, 24)
    bench_drop(hill, 3, 3.0, 24)


if __name__ == "__main__":
    main()
