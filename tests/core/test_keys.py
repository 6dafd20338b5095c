"""Nothing stale: whatever field of a plan is changed, a result whose key stays the same is the same to the byte.

Plans of all kinds are changed one field at a time and recalculated in an empty store. Where a key of the changed plan
is one of the plan before, what lies under it must be equal."""

import json
import os
import random
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache

import numpy as np
import pytest

from core.test_rotary import EGG as TURNED_EGG
from core.test_rotary import FINISH, ROUGH, plan_of
from core.test_tiles import board, hills
from cutting import BALL, FLAT, bumpy, op
from face_jobs import EGG as FACED_EGG
from face_jobs import egg_plan
from graph import all_keys
from nephos.core.cutters import HolderStep, standard_cutter
from nephos.core.errors import Refused
from nephos.core.machine.machine import MACHINES
from nephos.core.mesh.model import Mesh
from nephos.core.plan.boundary import Boundary
from nephos.core.plan.clamping import KeepOut
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.tiling import SlideError, Tiles
from nephos.core.plan.stock import Stock
from nephos.core.post.schema import post_of
from nephos.core.report.job_results import JobReports
from nephos.core.report.setup_results import Reports, setup_results
from nephos.core.stages.of_plan import stages_of
from nephos.core.stages.run import run_plan
from nephos.core.stages.store import MemoryStore, Result
from nephos.core.stages.work import Work

pytestmark = pytest.mark.long

HELD = FLAT.model_copy(
    update={"holder": (HolderStep(diameter=20, length=10),), "stickout": 30.0, "overall_length": 50.0}
)
CLAMP = KeepOut(id="k", name="clamp", at=(2.0, 2.0), size=(4.0, 4.0, 30.0), foot=8.0)
ALL = os.environ.get("NEPHOS_EVERY_FIELD") == "1"
"""Each field, not some of them: for whoever changes what a stage reads."""
SOME = 5


def face_plan() -> Plan:
    """One face: roughing, finishing with a finer cutter, holes, a cut-out, and a clamp in its way."""
    operations = (
        op("rough_offset", HELD, 10, {"boundary": {"boundary": "stock"}}, stepdown=3.0, stepover=1.8, leave=0.3),
        op("finish_raster", BALL, 20, {"fine": standard_cutter("ball", 1.5, 9).model_dump()}, stepover=0.8, rest=0.1),
        op("drill", standard_cutter("drill", 3, 7), 30, {"boundary": {"boundary": "hole"}}),
        op("cut_out", FLAT, 40, {"boundary": {"boundary": "silhouette"}}, stepdown=4.0, tabs=3, tab_height=2.0),
    )
    return Plan(
        stock=Stock(length=34, width=34, thickness=10),
        setups=(FaceSetup(id="a", name="a", operations=operations, keep_outs=(CLAMP,)),),
        pitch=0.6,
        boundaries=(Boundary(id="hole", name="hole", source="circle", at=(29.0, 29.0), size=(3.0, 3.0)),),
        models=(Model(id="m", name="m", mesh="m", placement=Placement()),),
        machine=MACHINES["shed-router"],
        post=post_of("rs274-metric"),
    )


def tiled_plan() -> Plan:
    """Two tiles with an assumed error of the slide, marks and a cut-out."""
    operations = (
        op("rough_offset", FLAT, 10, stepdown=3.0, stepover=1.8, leave=0.3),
        op("finish_raster", BALL, 20, stepover=1.0),
    )
    tiles = Tiles(seams_x=(45.0,), errors=(SlideError(tile=2, dx=0.1, dy=0.05),))
    return board(*operations, tiles=tiles).model_copy(update={"pitch": 0.6})


def coarser(plan: Plan) -> Plan:
    """The plan with lines three times as far apart, to save time."""
    document = plan.model_dump(mode="json")
    for setup in document["setups"]:
        for operation in setup["operations"]:
            step = min(3 * operation["settings"]["stepover"], 0.6 * operation["cutter"]["diameter"])
            operation["settings"]["stepover"] = step
    return parse_plan(document)


def faces_plan() -> Plan:
    """Two faces of an egg, in a coarse block."""
    return coarser(egg_plan(pitch=1.0))


def bar_plan() -> Plan:
    """A bar: roughing and finishing."""
    return coarser(plan_of(ROUGH, FINISH, pitch=1.4, machine=MACHINES["rotary-router"].model_dump()))


PLANS = {"face": face_plan, "faces": faces_plan, "bar": bar_plan, "tiles": tiled_plan}


@cache
def bumps() -> Mesh:
    mesh = bumpy(5)
    size = mesh.high - mesh.low
    return Mesh(np.ascontiguousarray((mesh.vertices - mesh.low) / size * [20.0, 20.0, 6.0]), mesh.faces)


def mesh_for(kind: str) -> Mesh:
    return {"face": bumps, "faces": lambda: FACED_EGG, "bar": lambda: TURNED_EGG, "tiles": hills}[kind]()


@dataclass(frozen=True)
class Kept:
    """All that is kept of a job, by its key."""

    results: dict[str, Result]

    def document(self, key: str) -> tuple[str, dict[str, bytes]]:
        """A result as it can be compared."""
        result = self.results[key]
        return json.dumps(result.facts, sort_keys=True), {k: v.tobytes() for k, v in result.arrays.items()}


def worked_out(plan: Plan, kind: str) -> Kept:
    """All results of a plan, as a worker keeps them, from an empty store."""
    store = MemoryStore()
    mesh = mesh_for(kind)
    plan = plan.as_cut()
    work, graph = Work(store), stages_of(plan)
    for item in run_plan(plan, lambda _: mesh, work, "title"):
        for key, stage, make in setup_results(item, Reports.of(graph[item.space.setup.id]), work, "title"):
            store.put(key, stage, make())
    reports = JobReports.of(plan)
    if reports is not None:
        work.result(reports.summary)
        work.result(reports.findings)
    return Kept(dict(store._kept))


@cache
def base(kind: str) -> Kept:
    return worked_out(PLANS[kind](), kind)


def other(value: object, key: str) -> list[object]:
    """Other values for a field."""
    if isinstance(value, bool):
        return [not value]
    if isinstance(value, int):
        return [value + 1]
    if isinstance(value, float):
        return [round(value * 1.07 + 0.013, 4)]
    if isinstance(value, str):
        choices = {
            "x": ["low", "centre", "y"],
            "material": [],
            "units": ["in"],
            "strategy": [],
            "shape": [],
            "kind": [],
            "side": ["front"],
            "coolant": ["mist"],
            "contain": ["centre", "outside"],
            "boundary": ["box", "silhouette"],
            "direction": ["conventional", "both"],
            "grain": ["y"],
            "about": ["y"],
        }
        return list(choices.get(key, [value + "x", "low", "high"]))
    if value is None:
        return [0.4, 3, "in"]
    return []


def variants(node: object, path: tuple[object, ...] = ()) -> Iterator[tuple[tuple[object, ...], object]]:
    """Each field of a document with another value: where it lies, and the value."""
    if isinstance(node, dict):
        for key, value in node.items():
            yield from variants(value, (*path, key))
    elif isinstance(node, list):
        for k, value in enumerate(node):
            yield from variants(value, (*path, k))
        if node and path and path[-1] in {"keep_outs", "operations", "tabs"}:
            yield path, node[:-1]
    else:
        for value in other(node, str(path[-1])):
            yield path, value


def changed(document: dict, path: tuple[object, ...], value: object) -> dict:
    copy = json.loads(json.dumps(document))
    place = copy
    for step in path[:-1]:
        place = place[step]
    place[path[-1]] = value
    return copy


def check(kind: str, document: dict, path: tuple[object, ...], value: object) -> bool:
    """Whether the change could be worked out; what is kept under keys of both plans must be equal then."""
    try:
        plan = parse_plan(changed(document, path, value))
        after = worked_out(plan, kind)
    except Refused:
        return False
    before = base(kind)
    for key in before.results.keys() & after.results.keys():
        assert after.document(key) == before.document(key), f"{kind}: {path} = {value}: {key} is stale"
    return True


WATCHED = {
    "face": [
        (("setups", 0, "keep_outs", 0, "at"), [16.0, 16.0]),
        (("setups", 0, "keep_outs", 0, "name"), "screw"),
        (("setups", 0, "keep_outs"), []),
        (("setups", 0, "operations", 1, "number"), 27),
        (("setups", 0, "operations", 3, "number"), 77),
        (("machine", "axes", 0, "feed_limit"), 900.0),
        (("machine", "axes", 0, "acceleration"), 100.0),
        (("machine", "axes", 0, "travel"), 20.0),
        (("stock", "material", "cutting_force"), 400.0),
        (("stock", "material", "name"), "elm"),
        (("setups", 0, "operations", 3, "settings", "tab_height"), 0.5),
        (("setups", 0, "operations", 0, "cutter", "stickout"), 5.0),
        (("setups", 0, "operations", 0, "cutter", "name"), "another"),
        (("setups", 0, "name"), "front"),
    ],
    "bar": [
        (("stock", "material", "cutting_force"), 900.0),
        (("machine", "axes", 0, "acceleration"), 100.0),
        (("setups", 0, "rotary", "tailstock"), "none"),
        (("setups", 0, "operations", 1, "number"), 50),
    ],
    "faces": [
        (("stock", "material", "cutting_force"), 900.0),
        (("faces", "tabs", 0, "thickness"), 2.0),
        (("faces", "registration", "dx"), 0.4),
        (("setups", 1, "overrun"), 0.2),
        (("setups", 1, "zero", "x"), "high"),
    ],
    "tiles": [
        (("setups", 0, "tiles", "errors", 0, "dx"), 0.3),
        (("setups", 0, "tiles", "overrun"), 2.0),
        (("setups", 0, "operations", 1, "number"), 50),
        (("setups", 0, "zero", "z"), "bottom"),
    ],
}
"""Fields that were in no key once, or that many results read."""


@pytest.mark.parametrize("kind", PLANS)
def test_no_result_is_kept_under_a_key_that_misses_a_field_that_many_read(kind: str) -> None:
    document = PLANS[kind]().model_dump(mode="json")
    for path, value in WATCHED[kind]:
        check(kind, document, path, value)


@pytest.mark.parametrize("kind", PLANS)
def test_no_result_is_kept_under_a_key_that_misses_what_it_reads(kind: str) -> None:
    document = PLANS[kind]().model_dump(mode="json")
    every = list(variants(document))
    random.Random(17).shuffle(every)
    wanted = len(every) if ALL else SOME
    done = 0
    for path, value in every:
        done += check(kind, document, path, value)
        if done >= wanted:
            break
    assert done >= SOME


def test_a_clamp_put_in_the_way_is_seen_though_nothing_else_changes() -> None:
    document = face_plan().model_dump(mode="json")
    free = worked_out(parse_plan(changed(document, ("setups", 0, "keep_outs"), [])), "face")
    held = base("face")
    codes = [
        {
            item["code"]
            for key, result in kept.results.items()
            if key.startswith("findings")
            for item in result.facts["findings"]
        }
        for kept in (free, held)
    ]
    assert "keep-out-hit" in codes[1] - codes[0]
    stages = {key.split("-")[0] for key in held.results.keys() - free.results.keys()}
    assert stages == {"findings"}, "and nothing but the findings is worked out again"


@pytest.mark.parametrize("kind", PLANS)
def test_a_plan_that_was_kept_and_read_again_has_the_same_keys(kind: str) -> None:
    plan = PLANS[kind]()
    again = parse_plan(json.loads(json.dumps(plan.model_dump(mode="json"))))
    assert all_keys(again.as_cut()) == all_keys(plan.as_cut())
