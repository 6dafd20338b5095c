"""Stages own their inputs: equal inputs have one key, other inputs another, and nothing else can be read."""

import hashlib
import json
import os
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest
from pydantic import BaseModel

from core.test_keys import PLANS, base, mesh_for
from graph import all_keys
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.tiled import TiledSetup, TileSetup
from nephos.core.plan.setups.tiling import SlideError
from nephos.core.report.job_results import JobReports
from nephos.core.stages.canonical import canonical, digest, said
from nephos.core.stages.of_plan import job_stages, stages_of
from nephos.core.stages.passes import PassesStage
from nephos.core.stages.space import SpaceStage
from nephos.core.stages.stage import Kept, walk
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import NotKept, Work

pytestmark = pytest.mark.long

TESTS = Path(__file__).parents[1]


class Size(BaseModel):
    x: float
    name: str = ""


@dataclass(frozen=True)
class Words:
    value: float
    title: str = said()


@pytest.mark.parametrize(
    ("a", "b"),
    [(5, 5.0), (0.0, -0.0), ((1, 2), [1, 2]), (np.float64(2.5), 2.5), ({"a": 1, "b": 2}, {"b": 2, "a": 1.0})],
)
def test_equal_values_have_one_encoding(a: object, b: object) -> None:
    assert digest(a) == digest(b)


@pytest.mark.parametrize(
    ("a", "b"),
    [
        (5, 5.000001),
        (True, 1),
        ("5", 5),
        (None, ""),
        ((1, (2, 3)), ((1, 2), 3)),
        (float("inf"), float("-inf")),
        (Size(x=1.0), Size(x=1.0, name="a")),
        (Size(x=1.0), {"x": 1.0, "name": ""}),
        (Words(1.0), Words(2.0)),
    ],
)
def test_other_values_have_another(a: object, b: object) -> None:
    assert digest(a) != digest(b)


def test_words_for_refusals_are_no_part_of_a_key() -> None:
    assert digest(Words(1.0, "a")) == digest(Words(1.0, "b"))


@pytest.mark.parametrize("value", [object(), {1, 2}, np.zeros(3), b"bytes", lambda: 1, Plan])
def test_types_that_are_not_known_are_refused(value: object) -> None:
    """Their text may leave out part of what a result depends on."""
    with pytest.raises(TypeError, match="cannot be part of a key"):
        canonical(value)


@pytest.mark.parametrize("kind", PLANS)
def test_a_space_sees_nothing_of_a_plan_but_what_it_is_made_of(kind: str) -> None:
    plan = PLANS[kind]().as_cut()
    seen = SpaceStage.of(plan, plan.setups[-1]).plan
    bare = Plan(stock=plan.stock)
    assert (seen.post, seen.machine, seen.tolerance, seen.overrides) == (bare.post, bare.machine, bare.tolerance, ())
    assert not any(setup.operations or setup.keep_outs for setup in seen.setups)
    assert {model.name for model in seen.models} == {"model"} and not seen.boundaries


def test_all_tiles_of_a_setup_lie_in_one_space() -> None:
    plan = PLANS["tiles"]().as_cut()
    first, second = plan.setups
    assert isinstance(first, TileSetup) and first.lying() == second.lying()
    assert SpaceStage.of(plan, first).key == SpaceStage.of(plan, second).key
    graph = stages_of(plan)
    finishes = [graph[setup.id].operations[20].passes for setup in plan.setups]
    assert isinstance(finishes[0], PassesStage) and finishes[0].key != finishes[1].key
    assert finishes[0].board is not None and finishes[1].board is not None
    assert finishes[0].board.key == finishes[1].board.key, "lines of the whole board are made once"


@pytest.mark.parametrize("kind", PLANS)
def test_the_graph_names_all_that_is_kept(kind: str) -> None:
    """Collection drops what no walk over the graph finds."""
    plan = PLANS[kind]().as_cut()
    job = JobReports.of(plan)
    found = {stage.key for stages in stages_of(plan).values() for stage in walk(*stages.all())}
    found |= set() if job is None else {stage.key for stage in walk(job.summary, job.findings)}
    beside = {"summary", "findings", "program", "shadow", "overrun", "composed", "prepared"}
    assert {key for key in base(kind).results if key.rpartition("-")[0] not in beside and "/" not in key} <= found


def test_assumed_errors_of_slides_belong_to_the_key_of_the_finished_block() -> None:
    """Other setups are judged by the block with those errors in it."""
    tiled = PLANS["tiles"]()
    under = FaceSetup(id="under", name="under", side="bottom", operations=tiled.setups[0].operations)
    plan = tiled.model_copy(update={"setups": (*tiled.setups, under)})
    own = tiled.setups[0]
    assert isinstance(own, TiledSetup)
    slid = own.model_copy(update={"tiles": own.tiles.model_copy(update={"errors": (SlideError(tile=2, dx=0.3),)})})
    keys = [
        job_stages(item.as_cut()).whole.own[1].key for item in (plan, plan.model_copy(update={"setups": (slid, under)}))
    ]
    assert keys[0] != keys[1]


def test_a_graph_without_a_calculation_computes_nothing() -> None:
    stages = stages_of(PLANS["face"]())["a"]
    with pytest.raises(NotKept):
        Work(MemoryStore(), only_kept=True).of(stages.compare)


def test_a_stage_alone_gives_what_the_whole_calculation_gave() -> None:
    """Each is computed from its inputs, in a store that has nothing but the results of those."""
    kept = base("face").results
    for stage in walk(*stages_of(PLANS["face"]())["a"].all()):
        # The stage of rapids is computed only where a rapid is suspected.
        if isinstance(stage, Kept) and stage.key in kept:
            store = MemoryStore()
            store._kept.update({key: result for key, result in kept.items() if key != stage.key})
            again = Work(store, lambda _: mesh_for("face")).result(stage)
            assert again.facts == kept[stage.key].facts, stage.name
            assert {name: array.tobytes() for name, array in again.arrays.items()} == {
                name: array.tobytes() for name, array in kept[stage.key].arrays.items()
            }, stage.name


def hashes(kind: str) -> dict[str, str]:
    """A hash of each result of a job, by its key."""
    kept = base(kind)
    return {key: hashlib.sha256(repr(kept.document(key)).encode()).hexdigest() for key in kept.results}


_SCRIPT = "import json; from core.test_stages import hashes; print(json.dumps(hashes('face')))"


def test_another_process_gives_the_same_keys_and_the_same_bytes() -> None:
    """With another seed of Python's hashes: no order of a set or a dictionary may show."""
    paths = os.pathsep.join([str(TESTS), str(TESTS.parent), str(TESTS.parent / "src")])
    there = subprocess.run(
        [sys.executable, "-c", _SCRIPT],
        env=os.environ | {"PYTHONHASHSEED": "7", "PYTHONPATH": paths},
        cwd=TESTS,
        capture_output=True,
        text=True,
        check=True,
    )
    assert json.loads(there.stdout) == hashes("face")


@pytest.mark.parametrize("kind", PLANS)
def test_no_key_depends_on_names_or_views(kind: str) -> None:
    """What setups and models are called, and what is shown, recalculates nothing that is cut."""
    plan = PLANS[kind]().as_cut()
    renamed = plan.model_copy(
        update={
            "models": tuple(model.model_copy(update={"name": "other"}) for model in plan.models),
            "boundaries": tuple(item.model_copy(update={"name": "other"}) for item in plan.boundaries),
            "setups": tuple(
                setup.model_copy(
                    update={
                        "name": "other",
                        "operations": tuple(op.model_copy(update={"shown": False}) for op in setup.operations),
                    }
                )
                for setup in plan.setups
            ),
        }
    )
    for name, keys in all_keys(plan).items():
        changed = set(keys) - set(all_keys(renamed)[name])
        assert {key.partition("-")[0] for key in changed} <= {"summary", "findings", "program"}
