"""Every finding that the proof or the settings tell: one job that has it, and one that just does not."""

import re
from dataclasses import replace

import numpy as np
import pytest

from cutting import op, run
from meshes import box_mesh, grid_mesh
from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.errors import Refused
from nephos.core.finding import Finding
from nephos.core.findings.plan_checks import boundary_findings, operation_findings
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.findings.stickout import stickout_findings
from nephos.core.mesh.model import Mesh, joined
from nephos.core.plan.boundary import Boundary, Curve, Limit
from nephos.core.plan.clamping import KeepOut
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.stages.compare import compare_limit
from nephos.core.stages.run import run_setup
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work

pytestmark = pytest.mark.long

FLAT, BALL = standard_cutter("flat", 4, 1), standard_cutter("ball", 3, 2)
SLAB = box_mesh((0, 0, 0), (20, 20, 4))
SIZE = (40.0, 40.0, 10.0)
MIDDLE = {"boundary": Limit(boundary="box", contain="centre")}
OUTSIDE = {"boundary": Limit(boundary="silhouette")}


def no_look(model: Model):
    raise AssertionError("this edit needs no mesh")


def found(done: SetupOutcome, units: str = "mm") -> dict[str, Finding]:
    return {item.code: item for item in outcome_findings(done, units)}


def cut(
    *operations: Operation,
    mesh: Mesh = SLAB,
    size: tuple[float, float, float] = SIZE,
    setup: dict | None = None,
    boundaries: tuple[Boundary, ...] = (),
    offset: tuple[float, float, float] = (0, 0, -1),
) -> SetupOutcome:
    value = FaceSetup(id="a", name="a", operations=operations, **(setup or {}))
    plan = Plan(
        stock=Stock(length=size[0], width=size[1], thickness=size[2]),
        setups=(value,),
        pitch=0.25,
        boundaries=boundaries,
        models=(Model(id="m", name="m", mesh="m", placement=Placement(offset=offset)),),
    )
    return run_setup(plan, value, lambda _: mesh, Work(MemoryStore()))


def out(number: int = 30, change: dict | None = None, **words: object) -> Operation:
    return op(
        "cut_out", FLAT, number, OUTSIDE | (change or {}), **({"tabs": 4, "tab_length": 5.0, "tab_height": 2.0} | words)
    )


def rough(number: int = 10, change: dict | None = None, **words: object) -> Operation:
    where = {"boundary": Limit(boundary="stock", contain="centre")}
    return op(
        "rough_offset",
        FLAT,
        number,
        where | (change or {}),
        **({"stepover": 2.0, "stepdown": 2.0, "leave": 0.0} | words),
    )


# --- what holds the part ----------------------------------------------------------------------------------------------


def test_a_part_that_comes_free_stops_and_says_when() -> None:
    done = cut(rough(), out(tabs=0))
    finding = found(done)["part-free"]
    assert finding.level == "stop" and finding.row == "30"
    first, whole = done.outcomes[0].total_seconds, sum(outcome.total_seconds for outcome in done.outcomes)
    assert first < finding.moment <= whole
    # It comes free in the last layer, when the way round is nearly closed.
    lowest = np.flatnonzero(done.outcomes[1].points[1:, 2] == np.nanmin(done.outcomes[1].points[:, 2]))
    begins = first + done.outcomes[1].seconds[: lowest[0]].sum()
    assert begins < finding.moment
    for held in (out(), out(tabs=0, skin=0.4)):
        assert "part-free" not in found(cut(rough(), held))


def test_pieces_of_the_block_are_told_apart() -> None:
    done = cut(rough(), out(tabs=0))
    pieces = {piece.kind: piece for piece in done.proof.pieces}
    assert set(pieces) == {"part", "frame"} and pieces["part"].freed_by == 30 and pieces["frame"].freed_by is None
    # 20 x 20 mm, from the foot of the stock to a millimetre below its top.
    assert pieces["part"].volume == pytest.approx(20 * 20 * 9, rel=0.03)
    # Round it 4 mm are cut away, round corners; the ground is cleared to the foot of the slab, 5 mm down.
    assert pieces["frame"].volume == pytest.approx((40 * 40 - 20 * 20 - 4 * 20 * 4 - np.pi * 16) * 5, rel=0.03)
    held = cut(rough(), out())
    assert [piece.kind for piece in held.proof.pieces] == ["part"], "tabs make one piece of part and frame"
    area = (held.proof.sorting == 1).sum() * 0.25**2
    assert area == pytest.approx(400, rel=0.05), "without its tabs the part stands alone in the picture"


def framed(hole: float) -> Mesh:
    """A slab of 24 mm with a square hole in its middle."""
    low, high = 12 - hole / 2, 12 + hole / 2
    bars = [((0, 0), (24, low)), ((0, high), (24, 24)), ((0, low), (low, high)), ((high, low), (24, high))]
    return joined([box_mesh((*a, 0), (*b, 4)) for a, b in bars])


def test_scrap_that_comes_free_is_a_caution() -> None:
    finding = found(cut(out(), mesh=framed(16)))["scrap-free"]
    assert (finding.level == "caution" and "8.2 mm x 8.2 mm" in finding.text) or "8 mm x 8 mm" in finding.text
    assert finding.place[:2] == pytest.approx((20, 20), abs=5) and finding.moment > 0
    # In a hole of 8 mm the cutter leaves no core.
    assert "scrap-free" not in found(cut(out(), mesh=framed(8)))


def test_a_tab_that_another_operation_cuts_away() -> None:
    done = cut(rough(), out())
    assert "tab-gone" not in found(done) and len(done.tabs) == 4
    x, y = done.tabs[0].middle
    corner = done.space.stock_low
    spot = Boundary(
        id="b1", name="slot", source="rectangle", at=(x - float(corner[0]), y - float(corner[1])), size=(4, 4)
    )
    slot = op("cut_out", FLAT, 40, {"boundary": Limit(boundary="b1")}, side="on", tabs=0)
    finding = found(cut(rough(), out(), slot, boundaries=(spot,)))["tab-gone"]
    assert (
        finding.level == "stop"
        and finding.row == "30"
        and "1 of 4 tabs" in finding.text
        and "operation 40" in finding.text
    )


def test_a_tab_that_hangs_on_nothing() -> None:
    # The cut runs out of the stock on one side: beyond it no frame is left.
    close = cut(out(tab_places=((0, 0.0), (0, 0.5))), offset=(7.0, 0, -1))
    assert "tab-on-nothing" in found(close)
    assert "tab-on-nothing" not in found(cut(out(tab_places=((0, 0.0), (0, 0.5)))))


# --- what the cutter meets --------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("y", "code"), [(7.0, True), (5.9, False)])
def test_a_clamp_in_the_way_of_the_true_motion(y: float, code: bool) -> None:
    """The slab takes up Y 10 to 30; the cutter goes a radius of 2 past it, so its edge comes to 6."""
    clamp = KeepOut(id="k", name="clamp", at=(20, y - 2.0), foot=0.0, size=(10, 4, 12))
    level = op("cut_out", FLAT, 10, OUTSIDE, skin=6.0)
    done = cut(level, setup={"keep_outs": (clamp,)})
    assert ("keep-out-hit" in found(done)) == code
    if code:
        finding = found(done)["keep-out-hit"]
        assert finding.level == "stop" and "clamp" in finding.text and finding.place is not None and finding.moment > 0


def test_a_holder_over_a_clamp_is_watched_too() -> None:
    screw = KeepOut(id="k", name="screw", shape="cylinder", at=(20, 3.0), foot=0.0, size=(2, 2, 16))
    short = Cutter.model_validate(
        FLAT.model_dump() | {"holder": [{"diameter": 20, "length": 30}], "stickout": 9.0, "flute_length": 8.0}
    )
    level = {"skin": 6.0, "tabs": 0}
    assert "keep-out-hit" not in found(cut(op("cut_out", FLAT, 10, OUTSIDE, **level), setup={"keep_outs": (screw,)}))
    told = found(cut(op("cut_out", short, 10, OUTSIDE, **level), setup={"keep_outs": (screw,)}))["keep-out-hit"]
    assert "the holder goes" in told.text


def test_a_rapid_through_the_block_has_its_place_and_moment() -> None:
    done = cut(rough())
    assert "rapid-in-block" not in found(done)
    outcome = done.outcomes[0]
    depths = outcome.depths.copy()
    move = int(np.flatnonzero(outcome.kinds == 0)[-1])
    depths[move] = 1.25
    bad = replace(done, outcomes=(replace(outcome, depths=depths),))
    finding = found(bad)["rapid-in-block"]
    assert "1.2 mm deep" in finding.text and finding.place == pytest.approx(tuple(outcome.points[move + 1]))
    assert finding.moment == pytest.approx(outcome.seconds[: move + 1].sum())


def test_deeper_at_once_than_the_stepdown() -> None:
    assert "deep-cut" not in found(cut(rough()))
    # It starts 4 mm down, where nothing was cleared yet.
    finding = found(cut(rough(change={"cut_from": 4.0})))["deep-cut"]
    assert finding.level == "caution" and "start higher" in finding.advice
    assert "deep-cut" not in found(cut(rough(), rough(20, {"cut_from": 4.0}, leave=0.0)))


def test_walls_thinner_than_the_minimum_stock_that_are_met_at_once_have_a_fix() -> None:
    done = cut(rough())
    outcome = done.outcomes[0]
    deep = replace(done, outcomes=(replace(outcome, depths=2.5 * outcome.depths),))
    finding = found(deep)["deep-cut"]
    assert "thin walls" in finding.advice
    plan = apply_edit(done.space.plan, no_look, finding.fixes[0].edit)
    assert plan.setups[0].operations[0].settings.minimum == 0.0
    with pytest.raises(Refused, match="no minimum stock"):
        apply_edit(cut(op("finish_raster", BALL, 10, stepover=0.6)).space.plan, no_look, finding.fixes[0].edit)


def test_a_finisher_in_full_material_is_told_to_rough_first() -> None:
    finish = op("finish_raster", BALL, 20, stepover=0.6)
    level = {"mesh": box_mesh((0, 0, 0), (20, 20, 4)), "offset": (0, 0, -5)}
    finding = found(cut(finish, **level))["not-roughed"]
    assert finding.row == "20" and finding.advice == "rough it first"
    assert "not-roughed" not in found(cut(rough(leave=0.3), finish, **level))


def test_cutting_into_the_bed() -> None:
    assert "into-bed" not in found(cut(out(through=0.5)))
    done = cut(out(through=0.5))
    lowered = replace(done.outcomes[0], points=done.outcomes[0].points - [0, 0, 0.2])
    finding = found(replace(done, outcomes=(lowered,)))["into-bed"]
    assert finding.level == "stop" and "0.7 mm under the stock" in finding.text and finding.moment is not None


def test_a_cutter_that_is_too_short_for_the_depth() -> None:
    stubby = Cutter.model_validate(FLAT.model_dump() | {"overall_length": 24.0})
    assert "cutter-short" not in found(cut(op("cut_out", stubby, 10, OUTSIDE, skin=1.5)))
    assert "cutter-short" in found(cut(op("cut_out", stubby, 10, OUTSIDE, skin=0.5)))


# --- how well it goes -------------------------------------------------------------------------------------------------


def test_air_is_told_in_percent_and_so_is_an_operation_that_cuts_nothing() -> None:
    level = box_mesh((0, 0, 0), (40, 40, 9))
    half = Boundary(id="b1", name="front half", source="rectangle", at=(20, 10), size=(40, 20))
    # With a flat cutter, which leaves no ridges between its lines.
    first = op("finish_raster", FLAT, 20, {"boundary": Limit(boundary="b1", contain="centre")}, stepover=0.6)
    again = op("finish_raster", FLAT, 30, {"boundary": Limit(boundary="stock", contain="centre")}, stepover=0.6)
    done = cut(rough(), first, again, mesh=level, boundaries=(half,))
    finding = found(done)["air"]
    assert finding.row == "30" and 40 <= int(finding.text.split(" %")[0]) <= 56
    twice = found(cut(rough(), again, replace_number(again, 40), mesh=level))
    assert twice["nothing-cut"].row == "40" and "air" not in twice


def replace_number(operation: Operation, number: int) -> Operation:
    return operation.model_copy(update={"number": number})


def test_a_last_layer_that_is_a_sliver() -> None:
    assert "sliver" not in found(cut(rough(stepdown=2.0))), "layers are even"
    spot = (Boundary(id="b1", name="bite", source="circle", at=(20, 20), size=(14, 14)),)
    first, second, third = (
        op("pocket", FLAT, number, {"boundary": Limit(boundary="b1")}, depth=depth, stepover=2.0, stepdown=2.0)
        for number, depth in ((10, 2.0), (20, 0.2), (30, 1.0))
    )
    finding = found(cut(first, second, boundaries=spot))["sliver"]
    assert finding.row == "20" and "0.2 mm thin" in finding.text
    assert "sliver" not in found(cut(first, third, boundaries=spot))


# --- how true it is ---------------------------------------------------------------------------------------------------


def valley() -> Mesh:
    """A groove with walls at 45 degrees and a sharp bottom."""
    x, y = np.meshgrid(np.linspace(0, 20, 41), np.linspace(0, 20, 5))
    return grid_mesh(x, y, 4 - np.maximum(3 - np.abs(x - 10), 0))


def test_corners_that_no_cutter_reaches_name_the_ball_that_would() -> None:
    big = standard_cutter("ball", 6, 3)
    finding = found(cut(op("finish_raster", big, 10, MIDDLE, stepover=0.3), mesh=valley()))["unreachable"]
    assert "a ball of" in finding.text + finding.advice and finding.place is not None
    x = finding.place[0]
    assert abs(x - 20) < 1.0, "the bottom of the groove"
    fine = op("finish_raster", standard_cutter("ball", 0.5, 4), 20, MIDDLE, stepover=0.15)
    both = found(cut(op("finish_raster", big, 10, MIDDLE, stepover=0.3), fine, mesh=valley()))
    assert "unreachable" not in both


def test_findings_and_compare_tell_one_number_by_one_limit() -> None:
    done = cut(op("finish_raster", standard_cutter("ball", 6, 3), 10, MIDDLE, stepover=0.3), mesh=valley())
    numbers = done.comparison.numbers()
    assert numbers["limit"] == round(compare_limit(done.space.plan.tolerance, done.space.setup), 5)
    shares = [numbers[name] for name in ("within_tolerance", "could_reach", "unreachable", "gouged")]
    assert sum(shares) == pytest.approx(1.0, abs=1e-4)
    text = found(done)["unreachable"].text
    within, corners = re.match(
        r"(\d+) % of the area is within .* mm; on (\d+) % more is left in corners", text
    ).groups()
    assert int(within) == round(100 * numbers["within_tolerance"])
    assert int(corners) == round(100 * numbers["unreachable"])
    deviation = done.comparison.deviation[np.isfinite(done.comparison.deviation)]
    assert numbers["leftover_max_unreachable"] == pytest.approx(float(deviation.max()), abs=1e-4)


def test_another_cutter_of_the_job_counts_as_one_that_could_reach() -> None:
    big, vee = standard_cutter("ball", 6, 3), standard_cutter("v", 6, 4)
    first, second = (
        op("finish_raster", big, 10, MIDDLE, stepover=0.3),
        op("finish_raster", vee, 20, MIDDLE, stepover=0.6),
    )
    alone, both = (cut(*operations, mesh=valley()).comparison.numbers() for operations in ((first,), (first, second)))
    assert both["unreachable"] < alone["unreachable"]


def test_steps_on_steep_walls() -> None:
    x, y = np.meshgrid(np.linspace(0, 20, 81), np.linspace(0, 20, 5))
    wall = grid_mesh(x, y, 1 + 5 * np.clip((x - 9) / 1.5, 0, 1))
    lines = op("finish_raster", BALL, 20, stepover=0.8, angle=90.0)
    assert "steps-on-walls" in found(cut(rough(leave=0.3), lines, mesh=wall))
    levels = op("finish_waterline", BALL, 30, stepdown=0.05, steeper=45.0)
    after = cut(rough(leave=0.3), lines, levels, mesh=wall)
    assert after.proof.walls < cut(rough(leave=0.3), lines, mesh=wall).proof.walls


def test_a_gouge_is_a_stop_at_its_place_and_the_worst_places_lie_apart() -> None:
    clean = cut(rough(leave=0.0), op("finish_raster", BALL, 20, stepover=0.4))
    assert "gouge" not in found(clean)
    deep = op("pocket", FLAT, 30, {"boundary": Limit(boundary="b1")}, depth=2.0, stepover=2.0, stepdown=3.0)
    bitten = cut(
        rough(leave=0.0),
        op("finish_raster", BALL, 20, stepover=0.4),
        deep,
        boundaries=(Boundary(id="b1", name="bite", source="circle", at=(20, 20), size=(16, 16)),),
    )
    finding = found(bitten)["gouge"]
    assert finding.level == "stop" and "2 mm deep" in finding.text
    assert np.hypot(finding.place[0] - 20, finding.place[1] - 20 - float(bitten.space.stock_low[1])) < 9
    gouges = [item for item in bitten.proof.worst if item.deviation < 0]
    places = np.array([item.place[:2] for item in gouges])
    gaps = np.linalg.norm(places[:, None] - places[None], axis=2)[np.triu_indices(len(places), 1)]
    assert len(gouges) >= 2 and gaps.min() >= 5.0


def test_what_each_operation_brought() -> None:
    done = cut(rough(leave=0.5), op("finish_raster", BALL, 20, stepover=0.3))
    first, second = done.proof.gains
    assert (first.number, second.number) == (10, 20) and first.removed > second.removed > 0
    assert first.left > second.left and first.within < second.within
    whole = (done.space.stock_high - done.space.stock_low).prod() - float(
        (done.block.high - done.block.low).sum()
    ) * 0.25**2
    assert first.removed + second.removed == pytest.approx(whole, rel=1e-3)


# --- boundaries -------------------------------------------------------------------------------------------------------


def boundary_codes(curve: Curve, drawn: dict, used: bool = True) -> dict[str, Finding]:
    item = Boundary(id="b1", name="edge", source="drawn", curves=(curve,))
    operation = rough(change={"boundary": Limit(boundary="b1")} if used else None)
    plan = Plan(
        stock=Stock(length=40, width=40, thickness=10),
        boundaries=(item,),
        setups=(FaceSetup(id="a", name="a", operations=(operation,)),),
    )
    return {item.code: item for item in boundary_findings(plan, plan.setups[0], drawn)}


def test_boundaries_that_cross_themselves_are_empty_or_leave_the_stock() -> None:
    square, bow = Curve(points=((5, 5), (30, 5), (30, 30), (5, 30))), Curve(points=((5, 5), (30, 30), (30, 5), (5, 30)))
    assert boundary_codes(square, {"b1": {"low": [0, 0], "box": [40, 40]}}) == {}
    assert boundary_codes(bow, {})["boundary-crossing"].level == "stop"
    assert boundary_codes(bow, {}, used=False)["boundary-crossing"].level == "caution", "nothing is cut by it"
    empty = boundary_codes(square, {"b1": {"refused": "the boundary 'edge' is empty: give it other numbers"}})[
        "boundary-empty"
    ]
    assert empty.text == "the boundary 'edge' is empty" and empty.advice == "give it other numbers"
    outside = boundary_codes(square, {"b1": {"low": [-2.5, 0], "box": [20, 20]}})["boundary-out"]
    assert "2.5 mm out of the stock" in outside.text and outside.level == "caution"


# --- settings ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"feed": 5000.0}, None),
        ({"feed": 5001.0}, "feed-beyond"),
        ({"spindle": 24000.0}, None),
        ({"spindle": 24001.0}, "spindle-beyond"),
    ],
)
def test_feeds_and_speeds_at_the_machines_limit(change: dict, code: str | None) -> None:
    plan = Plan(
        stock=Stock(length=40, width=40, thickness=10),
        setups=(FaceSetup(id="a", name="a", operations=(op("finish_raster", BALL, 10, change),)),),
    )
    assert [item.code for item in operation_findings(plan, plan.setups[0])] == ([code] if code else [])


def test_findings_say_lengths_in_the_unit_of_the_job() -> None:
    done = cut(rough(change={"cut_from": 4.0}))
    assert (
        " mm" in found(done)["deep-cut"].text
        and " in" in found(done, "in")["deep-cut"].text
        and " mm" not in found(done, "in")["deep-cut"].text
    )


def test_a_job_without_a_fault_says_nothing_that_stops() -> None:
    done = run(SLAB, rough(leave=0.2), op("finish_raster", BALL, 20, stepover=0.25), out(), size=SIZE)
    levels = {item.code: item.level for item in outcome_findings(done)}
    assert "stop" not in levels.values(), levels


def test_a_cutter_stands_out_one_length_in_table_sheet_and_finding() -> None:
    listed = standard_cutter("ball", 3, 5).model_copy(update={"stickout": 38.0, "overall_length": 60.0})
    longer = listed.model_copy(update={"stickout": 45.0})
    first = op("finish_raster", longer, 10, MIDDLE, stepover=0.5)
    plan = cut(first).space.plan
    (told,) = stickout_findings(plan, plan.setups[0], {5: listed})
    assert told.code == "stickout-other" and told.level == "note"
    assert "must stand out 45 mm; the list of cutters has 38 mm" in told.text and "pull it out to 45 mm" in told.advice
    assert stickout_findings(plan, plan.setups[0], {5: longer}) == []
    setup = plan.setups[0].model_copy(
        update={"operations": (first, op("finish_raster", listed, 20, MIDDLE, stepover=0.5))}
    )
    both = plan.model_copy(update={"setups": (setup,)})
    codes = [(item.code, item.row) for item in stickout_findings(both, setup, {5: longer})]
    assert codes == [("two-stickouts", "20")]
    fix = stickout_findings(both, setup, {5: longer})[0].fixes[0]
    fixed = apply_edit(both, lambda _: None, dict(fix.edit))
    assert stickout_findings(fixed, fixed.setups[0], {5: longer}) == []
