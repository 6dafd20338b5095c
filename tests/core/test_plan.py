"""The plan as a value, its placement, its keys, its findings."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cutting import recertified
from graph import all_keys, placed_all
from meshes import box_mesh
from nephos.command.warm import small_hill
from nephos.core.cutters import standard_cutter
from nephos.core.errors import Cancelled, Refused
from nephos.core.estimate.estimate_input import estimate_input
from nephos.core.findings.placement import placement_findings
from nephos.core.findings.plan_checks import operation_findings
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.examine import support_points
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.boundary import Limit
from nephos.core.plan.clamping import Zero
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import place
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.setups.face import FaceSetup, SideUpSetup
from nephos.core.plan.setups.rotary import RotarySetup
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.setups.tiled import TiledSetup, TileSetup
from nephos.core.plan.stock import Stock
from nephos.core.post.read import read_program
from nephos.core.stages.of_plan import stages_of
from nephos.core.stages.run import run_plan, run_setup
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.strategies.registry import strategies

pytestmark = pytest.mark.long

HILL = small_hill()
SUPPORT = support_points(HILL)


def plan(**change: object) -> Plan:
    operations = (
        Operation(
            number=10,
            strategy="rough_offset",
            cutter=standard_cutter("flat", 4, 1),
            settings={"stepdown": 2, "stepover": 2},
        ),
        Operation(
            number=20, strategy="finish_raster", cutter=standard_cutter("ball", 3, 2), settings={"stepover": 0.8}
        ),
    )
    base = Plan(
        stock=Stock(length=30, width=30, thickness=10),
        models=(Model(id="m", name="m", mesh="m"),),
        pitch=0.4,
        setups=(FaceSetup(id="a", name="A", operations=operations),),
    )
    return base.model_copy(update=change)


def with_settings(value: Plan, number: int, **settings_: object) -> Plan:
    setup = value.setups[0]
    changed = tuple(
        op.model_copy(update={"settings": op.settings.model_copy(update=settings_)}) if op.number == number else op
        for op in setup.operations
    )
    others = value.setups[1:]
    return value.model_copy(update={"setups": (setup.model_copy(update={"operations": changed}), *others)})


class Counting(MemoryStore):
    """Notes which stages were worked out."""

    def __init__(self) -> None:
        super().__init__()
        self.made: list[str] = []

    def put(self, key, stage, result) -> None:
        self.made.append(stage)
        super().put(key, stage, result)


def calculate(value: Plan, store: MemoryStore):
    return run_setup(value, value.setups[0], lambda _: HILL, Work(store))


def test_a_plan_survives_being_written_and_read() -> None:
    value = plan()
    assert parse_plan(value.model_dump(mode="json")) == value


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"stock": {"length": 30, "width": 30, "thickness": 0}}, "thickness"),
        ({"stock": {"length": "wide", "width": 30, "thickness": 10}}, "length"),
        ({"schema_version": 99}, "update Nephos"),
        ({"tolerance": float("nan")}, "tolerance"),
    ],
)
def test_bad_plans_are_refused_with_the_place(change: dict, words: str) -> None:
    with pytest.raises(Refused, match=words):
        parse_plan(plan().model_dump(mode="json") | change)


def test_a_stepover_larger_than_the_cutter_is_refused_with_the_way_out() -> None:
    document = plan().model_dump(mode="json")
    document["setups"][0]["operations"][1]["settings"]["stepover"] = 9
    with pytest.raises(Refused, match=r"larger than the cutter \(3 mm\).*use 2.7 mm"):
        parse_plan(document)


def test_an_unknown_strategy_is_refused() -> None:
    document = plan().model_dump(mode="json")
    document["setups"][0]["operations"][0]["strategy"] = "magic"
    with pytest.raises(Refused, match="rough_offset"):
        parse_plan(document)


def test_changing_one_operation_recalculates_that_and_the_blocks_after_it() -> None:
    store = Counting()
    calculate(plan(), store)
    store.made.clear()
    calculate(plan(), store)
    assert store.made == []
    calculate(with_settings(plan(), 20, stepover=0.9), store)
    assert store.made == ["passes", "path", "moves", "block", "gouges", "frames", "compare", "pieces"]
    store.made.clear()
    calculate(with_settings(plan(), 10, stepover=1.8), store)
    # The finisher's passes depend on the model alone; its links and its block are new.
    assert store.made.count("passes") == 1 and store.made.count("block") == 2
    store.made.clear()
    calculate(plan(), store)
    assert store.made == [], "undo finds the old results"


def test_what_does_not_touch_the_cut_changes_no_key() -> None:
    a, b = plan(), plan(units="in")
    assert all_keys(a) == all_keys(b)


def test_moving_the_zero_or_changing_the_post_calculates_no_path_and_no_block() -> None:
    store = Counting()
    first = calculate(plan(), store)
    value = plan()
    moved = value.model_copy(
        update={"setups": (value.setups[0].model_copy(update={"zero": Zero(x="centre", y="high", z="bottom")}),)}
    )
    for other in (moved, value.model_copy(update={"post": "rs274-inch"})):
        store.made.clear()
        done = calculate(other, store)
        assert store.made == [], "only text is written anew"
        assert done.programs[0].text != first.programs[0].text
        assert np.array_equal(done.block.low, first.block.low)


def two_setups() -> Plan:
    value = plan()
    top = value.setups[0]
    other = FaceSetup(
        id="b",
        name="Setup B",
        side="bottom",
        operations=tuple(item.model_copy(update={"number": item.number + 20}) for item in top.operations),
    )
    return value.model_copy(update={"setups": (top, other)})


def test_keys_chain_over_setups() -> None:
    value = two_setups()
    keys = all_keys(value)
    assert keys["a"] == all_keys(plan())["a"], "what comes later changes nothing"
    first, second = value.setups
    changed = with_settings(value, 20, stepover=0.9)
    begins = [stages_of(item)["b"].operations[30].before.key for item in (changed, value)]
    assert begins[0] != begins[1]
    later = value.model_copy(update={"setups": (first, second.model_copy(update={"clearance": 9.0}))})
    assert all_keys(later)["a"] == keys["a"] and all_keys(later)["b"] != keys["b"]


def test_all_setups_of_a_plan_are_worked_out_one_after_another() -> None:
    value = two_setups()
    done = list(run_plan(value, lambda _: HILL, Work(MemoryStore())))
    assert [item.space.setup.id for item in done] == ["a", "b"]
    names = [program.name for item in done for program in item.programs]
    assert len(set(names)) == len(names), "each has files of its own"
    idle = value.model_copy(update={"setups": (value.setups[0].model_copy(update={"operations": ()}),)})
    with pytest.raises(Refused, match="no operation"):
        list(run_plan(idle, lambda _: HILL, Work(MemoryStore())))


def test_a_number_stands_for_one_operation_of_the_job() -> None:
    document = two_setups().model_dump(mode="json")
    document["setups"][1]["operations"][0]["number"] = 10
    with pytest.raises(Refused, match="operation 10 is in two setups"):
        parse_plan(document)


def test_a_plan_of_version_2_has_other_names_for_the_same() -> None:
    document = plan().model_dump(mode="json") | {"schema_version": 2}
    old = {"rough_offset": "rough_rings", "finish_raster": "finish_lines"}
    for setup in document["setups"]:
        for operation in setup["operations"]:
            operation["strategy"] = old.get(operation["strategy"], operation["strategy"])
            operation["boundary"]["plus"] = operation["boundary"].pop("offset")
            if "minimum" in operation["settings"]:
                operation["settings"]["worth"] = operation["settings"].pop("minimum")
    twice = document | {"setups": [document["setups"][0], document["setups"][0] | {"id": "b", "name": "b"}]}
    assert parse_plan(document) == plan()
    numbers = [item.number for setup in parse_plan(twice).setups for item in setup.operations]
    assert numbers == [10, 20, 30, 40], "numbers of later setups make room"


def test_cancelling_stops_between_bands_and_keeps_what_is_done() -> None:
    store = MemoryStore()

    def report(fraction: float) -> None:
        if fraction > 0.6:
            raise Cancelled

    value = plan()
    with pytest.raises(Cancelled):
        run_setup(value, value.setups[0], lambda _: HILL, Work(store, report=report))
    stages = stages_of(plan())["a"].operations
    assert store.get(stages[10].block.key) is not None and store.get(stages[20].block.key) is None


@settings(max_examples=40, deadline=None)
@given(
    turn=st.tuples(*[st.floats(-180, 180)] * 3),
    mirror=st.tuples(*[st.booleans()] * 3),
    size=st.floats(1, 500),
    height=st.floats(1, 50),
    gap=st.floats(-5, 5),
)
def test_placement_gives_the_size_and_gap_that_were_asked_for(turn, mirror, size, height, gap) -> None:
    stock = Stock(length=300, width=200, thickness=30)
    placement = Placement(turn=turn, mirror=mirror, size=(size, None, height), offset=(0, 0, -gap))
    placed = place(SUPPORT, placement, stock)
    whole = HILL.moved(placed.matrix)
    assert np.allclose(whole.low, placed.low, atol=1e-6) and np.allclose(whole.high, placed.high, atol=1e-6)
    assert whole.size[0] == pytest.approx(size) and whole.size[2] == pytest.approx(height)
    assert 30 - whole.high[2] == pytest.approx(gap, abs=1e-6)
    assert (whole.low[0] + whole.high[0]) / 2 == pytest.approx(150, abs=1e-6)


@pytest.mark.parametrize("side", ["top", "bottom", "front", "back", "left", "right"])
@pytest.mark.parametrize("zero", [Zero(), Zero(x="centre", y="high", z="bottom")])
def test_setup_space_is_rigid_and_has_its_origin_at_the_zero(side: str, zero: Zero) -> None:
    stock = Stock(length=60, width=40, thickness=20)
    setup = FaceSetup(id="a", name="a", side=side, zero=zero)
    matrix = setup.frame(stock).matrix
    matrix[:3, 3] -= setup.frame(stock).zero
    assert np.allclose(matrix[:3, :3] @ matrix[:3, :3].T, np.eye(3)) and np.linalg.det(matrix[:3, :3]) == pytest.approx(
        1
    )
    corners = (
        np.array([[x, y, z] for x in (0, 60) for y in (0, 40) for z in (0, 20)]) @ matrix[:3, :3].T + matrix[:3, 3]
    )
    low, high = corners.min(axis=0), corners.max(axis=0)
    if zero == Zero():
        assert np.allclose([low[0], low[1], high[2]], 0)
    else:
        assert np.allclose([low[0] + high[0], high[1], low[2]], 0)


def test_the_zero_in_words() -> None:
    assert FaceSetup(id="a", name="a").zero_in_words() == "front left corner of the stock, on its top face"
    assert (
        FaceSetup(id="a", name="a", zero=Zero(x="centre", y="centre", z="bottom")).zero_in_words()
        == "centre of the stock, on its underside"
    )


@pytest.mark.parametrize(
    ("thickness", "gap", "code"),
    [
        (10, 1, None),
        (10, -0.5, "model-above"),
        (4.5, 1, "model-below"),
        (5.5, 1, "nothing-below"),
    ],
)
def test_placement_findings_just_at_the_limit(thickness: float, gap: float, code: str | None) -> None:
    model = Model(id="m", name="m", mesh="m", placement=Placement(offset=(0, 0, -gap)))
    value = plan(stock=Stock(length=30, width=30, thickness=thickness), models=(model,))
    found = placement_findings(value, placed_all(value, SUPPORT))
    assert [f.code for f in found] == ([code] if code else [])
    assert all(f.advice and any(c.isdigit() for c in f.text) for f in found)


def test_model_beside_and_stock_beyond_the_travel() -> None:
    value = plan(stock=Stock(length=20, width=900, thickness=10))
    codes = {f.code for f in placement_findings(value, placed_all(value, SUPPORT))}
    assert codes == {"model-side-x", "beyond-travel"}


def test_one_number_for_two_cutters_is_found() -> None:
    value = plan()
    setup = value.setups[0]
    twice = setup.operations[1].model_copy(update={"cutter": standard_cutter("ball", 3, 1)})
    assert [
        f.code for f in operation_findings(value, setup.model_copy(update={"operations": (setup.operations[0], twice)}))
    ] == ["one-number-two-cutters"]


def test_a_sound_job_has_no_stops() -> None:
    done = calculate(plan(), MemoryStore())
    assert [f for f in outcome_findings(done) if f.level == "stop"] == []


def test_a_tampered_program_is_not_certified() -> None:
    done = calculate(plan(), MemoryStore())
    program = done.programs[0]
    recertified(done, program)
    lines = program.text.split(b"\n")
    k = next(i for i in range(len(lines) // 2, len(lines)) if b"X" in lines[i])
    lines[k] = lines[k].replace(b"X", b"X1")
    with pytest.raises(Refused, match="elsewhere"):
        recertified(done, replace(program, text=b"\n".join(lines)))


def test_the_cutter_is_parked_where_it_is_asked_to_be() -> None:
    value = plan()
    parked = value.model_copy(update={"setups": (value.setups[0].model_copy(update={"home": (40.0, -12.5)}),)})
    done = calculate(parked, MemoryStore())
    for number, program in enumerate(done.programs):
        reading = read_program(program.text)
        assert (
            reading.points[-1].tolist() == [40.0, -12.5, done.space.clearance - done.space.zero[2]]
            and reading.rapid[-1] == 1
        )
        with pytest.raises(Refused, match="elsewhere than was planned"):
            recertified(done, program, number=number, home=(40.0, 0.0))
        # A way home through the part is none.
        low = replace(program, text=program.text.replace(b"G0 X40.000", b"G0 Z-3 X40.000"))
        with pytest.raises(Refused, match="a move that was not planned"):
            recertified(done, low, number=number)


def test_estimates_are_near_the_calculated_time() -> None:
    """On small ground, where entries and turns weigh most; on the demo meshes they are measured
    (docs/performance.md)."""
    done = calculate(plan(), MemoryStore())
    space, look = done.space, quick_look(small_hill())
    box = placed_all(space.plan, look.support)["m"]
    for outcome in done.outcomes:
        ground = estimate_input(space.plan, space.setup, outcome.operation, [(space.plan.models[0], box, look)])
        kind = strategies()[outcome.operation.strategy]
        estimate = kind.estimate(outcome.operation.settings, outcome.operation.cutter, 0.0, ground)
        assert 0.6 < estimate.seconds / outcome.total_seconds < 1.6


def test_the_ground_knows_heights_walls_and_what_is_beside() -> None:
    """A box 10 mm square and 4 mm high in a region 24 mm square: a sixth of it is high, and its walls have 160 mm^2."""
    box = box_mesh((0, 0, 0), (10, 10, 4))
    look = quick_look(box)
    model = Model(id="m", name="m", mesh="m")
    stock = Stock(length=24, width=24, thickness=10)
    operation = Operation(
        number=10,
        strategy="finish_raster",
        cutter=standard_cutter("ball", 3),
        boundary=Limit(boundary="stock", contain="centre"),
        settings={},
    )
    job = Plan(stock=stock, models=(model,), setups=(FaceSetup(id="a", name="a", operations=(operation,)),))
    placed = placed_all(job, look.support)["m"]
    ground = estimate_input(job, job.setups[0], operation, [(model, placed, look)])
    assert ground.area == pytest.approx(576) and ground.relief == pytest.approx(4)
    assert ground.stock_estimate is not None
    stock_estimate = ground.stock_estimate()
    assert set(stock_estimate.standing.ravel()) == {-np.inf, ground.depth}, "nothing is cut yet"
    assert float(np.isfinite(stock_estimate.standing).sum()) * stock_estimate.relief.step**2 == pytest.approx(
        24 * 24, rel=0.03
    ), "beside the stock nothing stands"
    high = float((stock_estimate.relief.z > 3.9).sum()) * stock_estimate.relief.step**2
    assert high == pytest.approx(100, rel=0.12)
    assert float(stock_estimate.region.sum()) * stock_estimate.relief.step**2 == pytest.approx(576, rel=0.12)
    assert ground.wall_area(60) == pytest.approx(160, rel=0.15) and ground.steepness == pytest.approx(1.0, abs=0.02)


def test_a_hidden_model_is_not_cut_and_none_is_an_error() -> None:
    value = plan(models=(Model(id="m", name="m", mesh="m", shown=False),))
    with pytest.raises(Refused, match="no model"):
        calculate(value, MemoryStore())


def test_mirroring_keeps_the_outside_out() -> None:
    flipped = HILL.moved(np.diag([-1.0, 1, 1, 1]))

    def upward(mesh: Mesh) -> float:
        a, b, c = (mesh.vertices[mesh.faces][:, k] for k in range(3))
        return float(np.cross(b - a, c - a)[:, 2].mean())

    assert upward(flipped) == pytest.approx(upward(HILL))


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"stepover": 9.0}, "operation 10: the stepover of 9 mm is larger than the cutter"),
        ({"stepover": "x"}, "operation 10, stepover must be a number"),
        ({"stepover": -1.0}, "operation 10, stepover must be more than 0"),
        ({"nothing": 1}, "operation 10, nothing is not known here"),
    ],
)
def test_what_is_wrong_with_a_setting_is_said_by_the_operations_number(change: dict, said: str) -> None:
    cutter = standard_cutter("ball", 3, 1).model_dump()
    operation = {"number": 10, "strategy": "finish_raster", "cutter": cutter, "settings": {"stepover": 0.5} | change}
    document = {
        "stock": {"length": 9, "width": 9, "thickness": 9},
        "setups": [{"id": "a", "name": "Top", "operations": [operation]}],
    }
    with pytest.raises(Refused) as told:
        parse_plan(document)
    assert str(told.value).startswith(said) and " > " not in str(told.value)


_OLD_SETUP = {
    "id": "a",
    "name": "Setup A",
    "kind": "face",
    "side": "bottom",
    "angle": 0.0,
    "about": "y",
    "overrun": 1.5,
    "rotary": None,
    "tiles": None,
    "tile": None,
    "operations": [],
}
"""A setup as version 5 wrote it: with the fields of all kinds."""
_OLD_TILE = {
    "of": "a",
    "number": 1,
    "count": 2,
    "core": [0.0, 0.0, 50.0, 40.0],
    "past": [10_000.0, 10_000.0, 1.0, 10_000.0],
}


@pytest.mark.parametrize(
    ("change", "kind"),
    [
        ({}, FaceSetup),
        ({"tiles": {"seams_x": [50.0]}}, TiledSetup),
        ({"tile": _OLD_TILE}, TileSetup),
        (
            {"kind": "rotary", "rotary": {"core": 6.0}, "side": "top", "overrun": 0.0, "zero": {"z": "axis"}},
            RotarySetup,
        ),
    ],
)
@pytest.mark.parametrize("version", [5, None])
def test_setups_of_version_5_become_those_of_their_kind(
    change: dict[str, object], kind: type[Setup], version: int | None
) -> None:
    """A document without a version is read in the same way."""
    document = {
        "stock": {"length": 100, "width": 40, "thickness": 40},
        "setups": [_OLD_SETUP | change],
        **({"schema_version": version} if version else {}),
    }
    read = parse_plan(document)
    (setup,) = read.setups
    assert type(setup) is kind and setup.id == "a"
    if isinstance(setup, SideUpSetup):
        assert (setup.side, setup.about, setup.overrun) == ("bottom", "y", 1.5)
    elif isinstance(setup, RotarySetup):
        assert setup.rotary.core == 6.0 and setup.zero.z == "axis"
    assert parse_plan(read.model_dump(mode="json")) == read


def test_fields_of_another_kind_are_refused_by_name() -> None:
    document = plan().model_dump(mode="json")
    document["setups"][0]["tiles"] = {"seams_x": [50.0]}
    with pytest.raises(Refused, match="tiles"):
        parse_plan(document)
