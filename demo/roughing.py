"""How roughing does on the sample shop: air, positioning, and how near the estimates come.

`python -m demo.roughing [case ...]`; without words, all cases. For each operation: estimated and calculated time and
their ratio, feed length, the share of it that takes nothing away, positioning, and its ratio to that of going level by
level over all: with what lies side by side nearest first, and with pieces and rings as they come; and the share of all.
"""

import sys
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path
from tempfile import gettempdir
from typing import Any
from unittest.mock import patch

import numpy as np
from shapely.geometry import Polygon
from shapely.geometry.polygon import orient

from demo.make import MESHES
from demo.shapes import slab_under
from nephos.core.arrays import F64, I64
from nephos.core.cutters import standard_cutter
from nephos.core.estimate.estimate import EstimateInput
from nephos.core.estimate.estimate_input import estimate_input
from nephos.core.estimate.stock_estimate import DrawnHeightMap, draw_height_map
from nephos.core.mesh.formats import read_mesh
from nephos.core.mesh.formats.stl import read_stl, write_stl
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.boundary import Limit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.polyline import from_nearest
from nephos.core.stages import path as path_stage
from nephos.core.stages.outline import OutlineStage
from nephos.core.stages.run import run_setup
from nephos.core.stages.setup_outcome import Outcome
from nephos.core.stages.space import setup_space
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.strategies import rough_engagement, rough_offset, rough_raster
from nephos.core.strategies.clearing.regions import Region, level_regions
from nephos.core.strategies.registry import strategy
from nephos.core.toolpath import Kind, Pass


def tray() -> Mesh:
    """A tray of 5 x 4 bowls, 200 x 160 mm, 12 mm deep."""
    x, y = np.meshgrid(np.linspace(0, 200, 401), np.linspace(0, 160, 321))
    rho = np.hypot((x % 40) - 20, (y % 40) - 20)
    return slab_under(x, y, np.where(rho < 17, 14 - 12 * np.sqrt(np.clip(1 - (rho / 17) ** 2, 0, 1)), 14.0), 0.0)


def pits() -> Mesh:
    """A plate of 180 x 140 mm with four square pits, 10 mm deep, with upright walls."""
    x, y = np.meshgrid(np.linspace(0, 180, 361), np.linspace(0, 140, 281))
    px, py = np.abs((x % 90) - 45), np.abs((y % 70) - 35)
    return slab_under(x, y, np.where((px < 30) & (py < 24), 3.0, 13.0), 0.0)


@dataclass(frozen=True)
class Case:
    """A mesh of the sample shop, `long` mm in X, with a margin in stock round it, and the roughing to be looked at."""

    mesh: str
    long: float | None
    operations: tuple[Operation, ...]


def operation_of(
    number: int,
    shape: str,
    diameter: float,
    strategy: str = "rough_offset",
    boundary: str = "silhouette",
    **settings: float,
) -> Operation:
    """A numbered operation with one of the shop's cutters."""
    return Operation(
        number=number,
        strategy=strategy,
        cutter=standard_cutter(shape, diameter, number // 10),
        settings=settings,
        boundary=Limit(boundary=boundary),
    )


def _first(strategy: str = "rough_offset", **settings: float) -> Operation:
    """The first roughing of a case, with a 6 mm flat cutter."""
    return operation_of(
        10,
        "flat",
        6,
        strategy,
        "box",
        **({"stepdown": 3.0, "stepover": 2.5, "leave": 0.5, "ramp_angle": 5.0} | settings),
    )


def cases() -> dict[str, Case]:
    """All cases by their name."""
    coarse = operation_of(10, "flat", 10, stepdown=4.0, stepover=4.0, leave=0.5, ramp_angle=5.0)
    ball = operation_of(20, "ball", 6, stepdown=2.0, stepover=1.6, leave=0.3, ramp_angle=5.0)
    small = operation_of(20, "flat", 3, boundary="box", stepdown=1.5, stepover=1.2, leave=0.3, ramp_angle=5.0)
    bowls = {"stepover": 2.4, "leave": 0.3}
    return {
        "heron": Case("heron-plaque", 236, (coarse, ball)),
        "heron, 6 mm": Case("heron-plaque", 236, (_first(), small)),
        "heron, lines": Case("heron-plaque", 236, (_first("rough_raster"), small)),
        "heron, constant engagement": Case("heron-plaque", 236, (_first("rough_engagement", engagement=60.0),)),
        "heron 80, constant engagement": Case("heron-plaque", 80, (_first("rough_engagement", engagement=60.0),)),
        "moth": Case("moth-roundel", None, (_first(), small)),
        "moth, constant engagement": Case("moth-roundel", None, (_first("rough_engagement", engagement=60.0),)),
        "fen chart": Case("fen-chart", 300, (_first(), small)),
        "fen chart, ball": Case("fen-chart", 300, (coarse, ball)),
        "tray, 7 levels": Case("tray", None, (_first(stepdown=2.0, **bowls), small)),
        "tray, 14 levels": Case("tray", None, (_first(stepdown=1.0, **bowls),)),
        "tray, constant engagement": Case(
            "tray", None, (_first("rough_engagement", engagement=60.0, stepdown=2.0, **bowls),)
        ),
        "pits": Case("pits", None, (_first(), small)),
    }


@cache
def mesh_of(name: str) -> Mesh:
    """A mesh of the sample shop, made once and then read, or one of the two above."""
    if name in {"tray", "pits"}:
        return tray() if name == "tray" else pits()
    path = Path(gettempdir()) / "nephos-roughing" / f"{name}.stl"
    if not path.exists():
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(write_stl(read_stl(write_stl(MESHES[name]()))))
    return read_mesh(path.name, path.read_bytes())


def plan_of(case: Case) -> Plan:
    """The case as a plan: the model in the middle of the stock, a millimetre under its top."""
    mesh = mesh_of(case.mesh)
    size = mesh.size * (case.long / float(mesh.size[0]) if case.long else 1.0)
    return Plan(
        stock=Stock(length=float(size[0]) + 12, width=float(size[1]) + 12, thickness=float(size[2]) + 3),
        models=(Model(id="m", name=case.mesh, mesh=case.mesh, placement=Placement(size=(case.long, None, None))),),
        setups=(FaceSetup(id="a", name="a", operations=case.operations),),
        pitch=0.25,
    )


def told(plan: Plan) -> list[float]:
    """Estimated seconds of each operation."""
    look, setup = quick_look(mesh_of(plan.models[0].mesh)), plan.setups[0]
    shown = [(plan.models[0], placed_model(look.support, plan.models[0], plan.stock), look)]
    work = Work(MemoryStore(), mesh_of)
    space = setup_space(plan, setup, work)
    made = draw_height_map(space)
    drawn = DrawnHeightMap.of_result(plan.models[0].mesh, made.facts, made.arrays)
    silhouette = work.result(OutlineStage.of(plan, setup, "silhouette"))

    def ground(item: Operation) -> EstimateInput:
        outline = silhouette.facts if silhouette and item.boundary.boundary == "silhouette" else None
        return estimate_input(plan, setup, item, shown, outline, drawn)

    return [
        strategy(item.strategy).estimate(item.settings, item.cutter, 0.0, ground(item)).seconds
        for item in setup.operations
    ]


def worked(plan: Plan) -> tuple[Outcome, ...]:
    """The operations worked out."""
    return run_setup(plan, plan.setups[0], mesh_of, Work(MemoryStore())).outcomes


def by_level(*words: Any) -> list[Region]:
    """As :func:`level_regions`, each region only once all of the level above are cut."""
    regions = sorted(level_regions(*words), key=lambda region: -region.level)
    levels = np.array([region.level for region in regions])
    above = [np.flatnonzero(levels == levels[levels > level].min(initial=np.inf)) for level in levels]
    return [replace(region, above=tuple(over.tolist())) for region, over in zip(regions, above, strict=True)]


def as_it_comes(
    regions: Sequence[Region], cut: Callable[[int, F64 | None], Iterator[Pass]], at: F64 | None = None
) -> Iterator[Pass]:
    """As :func:`cut_in_order`, in the order given."""
    for k in range(len(regions)):
        for item in cut(k, at):
            at = item.end[:2]
            yield item


def rings_as_they_come(
    polygon: Polygon, stepover: float, cleared: float, climb: bool, at: F64 | None = None
) -> Iterator[F64]:
    """As :func:`ring_paths`, one polygon after another, from outside in."""
    for inner in rough_offset.nested_rings(polygon, stepover, cleared):
        turned = orient(inner, -1.0 if climb else 1.0)
        for ring in (turned.exterior, *turned.interiors):
            run = from_nearest(np.asarray(ring.coords), at)
            at = run[-1]
            yield run


def rows_as_they_come(lines: F64, row: I64, both_ways: bool) -> F64:
    """As :func:`in_chains`, row by row, over all that lies between."""
    back = both_ways & (row % 2 == 1)
    turned = np.where(back[:, None], lines[:, [2, 3, 0, 1]], lines)
    order = np.lexsort((np.where(back, -1, 1) * np.arange(len(lines)), row))
    return turned[order]


def positioning_by_level(plan: Plan, plainly: bool) -> list[float]:
    """Positioning of each operation, mm, where all of a level is cut before the next; `plainly` all of it as it
    comes."""
    with ExitStack() as changed:
        for module in (rough_offset, rough_raster, rough_engagement):
            changed.enter_context(patch.object(module, "level_regions", by_level))
            if plainly:
                changed.enter_context(patch.object(module, "cut_in_order", as_it_comes))
        if plainly:
            changed.enter_context(patch.object(rough_offset, "ring_paths", rings_as_they_come))
            changed.enter_context(patch.object(rough_raster, "in_chains", rows_as_they_come))
        changed.enter_context(patch.object(path_stage, "in_short_order", lambda passes, *_: passes))
        return [float(item.lengths[item.kinds == Kind.RAPID].sum()) for item in worked(plan)]


def main(words: list[str]) -> None:
    """Work out the cases named, and print a line for each operation."""
    print(
        f"{'case':22} {'op':>3} {'told':>7} {'taken':>7} {'ratio':>6} {'feed m':>7} {'air %':>6} {'links m':>8} "
        f"{'entries':>8} {'rapid m':>8} "
        f"{'by level':>8} {'plainly':>7} {'lifts':>6} {'s':>5}"
    )
    for name, case in cases().items():
        if words and name not in words:
            continue
        plan = plan_of(case)
        begin = time.perf_counter()
        outcomes = worked(plan)
        seconds = time.perf_counter() - begin
        all_air, all_feed = 0.0, 0.0
        levelled = zip(positioning_by_level(plan, plainly=False), positioning_by_level(plan, plainly=True), strict=True)
        for estimate, outcome, (by_level, plain) in zip(told(plan), outcomes, levelled, strict=True):
            lengths, kinds = outcome.lengths, outcome.kinds
            feeding = kinds != Kind.RAPID
            feed, rapid = float(lengths[feeding].sum()), float(lengths[~feeding].sum())
            air = float(lengths[outcome.in_air(plan.block_pitch)].sum())
            all_air, all_feed = all_air + air, all_feed + feed
            taken, lifts = outcome.total_seconds, np.count_nonzero(np.diff(feeding.astype(int)) == 1)
            print(
                f"{name:22} {outcome.operation.number:3} {estimate:7.0f} {taken:7.0f} {estimate / taken:6.2f} "
                f"{feed / 1e3:7.2f} "
                f"{100 * air / feed:6.1f} {lengths[kinds == Kind.LINK].sum() / 1e3:8.2f} "
                f"{lengths[kinds == Kind.ENTRY].sum() / 1e3:8.2f} "
                f"{rapid / 1e3:8.2f} {rapid / by_level:8.2f} {rapid / plain:7.2f} {lifts:6} {seconds:5.1f}",
                flush=True,
            )
        print(f"{name:22} all {' ':>25}{all_feed / 1e3:6.2f} {100 * all_air / all_feed:6.1f}", flush=True)


if __name__ == "__main__":
    main(sys.argv[1:])
