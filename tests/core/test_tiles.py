"""Tiles: the board that is cut in parts comes out as if it were cut whole; each part is right for its own window."""

from dataclasses import replace
from functools import partial

import numpy as np
import pytest

from cutting import BALL, FLAT, TOLERANCE, bumpy, op, worst_gouge
from nephos.core.cutters import standard_cutter
from nephos.core.errors import Refused
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.boundary import Boundary, Limit
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.holding import Rotary
from nephos.core.plan.setups.rotary import RotarySetup
from nephos.core.plan.setups.tiled import TiledSetup
from nephos.core.plan.setups.tiling import SlideError, Tiles
from nephos.core.plan.stock import Stock
from nephos.core.post.read import read_program
from nephos.core.stages.of_plan import job_stages, stages_of
from nephos.core.stages.run import run_plan
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.toolpath import Kind

pytestmark = pytest.mark.long

LENGTH, WIDTH, THICK = 90.0, 36.0, 12.0
DRILL = standard_cutter("drill", 3, 7)
ROUGH = op("rough_offset", FLAT, 10, stepdown=3.0, stepover=1.6, leave=0.3)
FINISH = op("finish_raster", BALL, 20, stepover=0.5)
CUT_OUT = op("cut_out", FLAT, 30, {"boundary": {"boundary": "silhouette"}}, stepdown=3.0, tabs=4, tab_height=2.0)


def hills() -> Mesh:
    """A relief of 70 x 20 mm with hills on a plate."""
    mesh = bumpy(3)
    size = mesh.high - mesh.low
    scaled = (mesh.vertices - mesh.low) / size * [70.0, 20.0, 7.0]
    return replace(mesh, vertices=np.ascontiguousarray(scaled))


def board(*operations: Operation, tiles: Tiles | None = None, **change: object) -> Plan:
    """A board with the hills in its middle."""
    kind = FaceSetup if tiles is None else partial(TiledSetup, tiles=tiles)
    setup = kind(id="a", name="Top", operations=operations, **change)
    holes = Boundary(id="holes", name="holes", source="circle", at=(8.0, 5.0), size=(3.0, 3.0))
    other = Boundary(id="other", name="other", source="circle", at=(82.0, 31.0), size=(3.0, 3.0))
    return Plan(
        stock=Stock(length=LENGTH, width=WIDTH, thickness=THICK),
        setups=(setup,),
        boundaries=(holes, other),
        pitch=0.25,
        models=(Model(id="m", name="m", mesh="m", placement=Placement()),),
    )


def cut(plan: Plan, store: MemoryStore | None = None) -> list[SetupOutcome]:
    """All setups and tiles of a plan, worked out."""
    mesh = hills()
    return list(run_plan(plan, lambda _: mesh, Work(store or MemoryStore())))


def seams(*at: float, **change: object) -> Tiles:
    """Tiles with seams along X."""
    return Tiles(seams_x=at, **change)


def same_surface(a: SetupOutcome, b: SetupOutcome) -> None:
    """What finishing reaches is the same within 0.01 mm, square to the surface."""
    first, then = a.comparison, b.comparison
    assert first.grid == then.grid
    reached = first.reachable & (first.deviation <= first.limit)
    assert reached.mean() > 0.2
    assert np.abs(first.deviation - then.deviation)[reached].max() < 0.01


@pytest.fixture(scope="module")
def whole() -> SetupOutcome:
    """The board cut whole."""
    return cut(board(ROUGH, FINISH, CUT_OUT))[0]


@pytest.mark.parametrize("seed", [1, 2, pytest.param(3, marks=pytest.mark.slow)])
def test_tiles_leave_the_surface_of_the_whole(whole: SetupOutcome, seed: int) -> None:
    rng = np.random.default_rng(seed)
    count = int(rng.integers(2, 5))
    ends = np.sort(rng.uniform(12, LENGTH - 12, count - 1))
    while count > 2 and np.diff(ends).min() < 9:
        ends = np.sort(rng.uniform(12, LENGTH - 12, count - 1))
    plan = board(ROUGH, FINISH, CUT_OUT, tiles=seams(*ends.round(2), overrun=float(rng.uniform(1.5, 6))))
    store = MemoryStore()
    done = cut(plan, store)
    assert len(done) == count
    rows, columns = whole.block.grid.window((15, 12), (75, 24))
    off = done[-1].block.top[rows, columns] - whole.block.top[rows, columns]
    # Where two tiles rough beside a seam less is left in corners; nowhere is more.
    assert off.max() < 0.01
    same_surface(whole, done[-1])
    for item in done:
        assert not any(outcome.rapid_depth.any() for outcome in item.outcomes)
        for k, outcome in enumerate(item.outcomes):
            if outcome.path.moves:
                # What is cut out goes under the model's foot on purpose.
                assert all(found.depth <= TOLERANCE for found in outcome.gouges)
                assert outcome.operation.strategy == "cut_out" or worst_gouge(item, k) <= TOLERANCE + 1e-3
    # The part hangs on its tabs as it does when it is cut whole.
    assert len(Work(store, lambda _: hills()).of(job_stages(plan.as_cut()).solids)) == 1
    assert all(abs(step.most) < 0.01 for step in done[-1].proof.steps)
    assert 1 <= len(done[-1].proof.steps) <= count - 1


def test_each_tile_cuts_in_its_window_from_its_own_zero() -> None:
    done = cut(board(ROUGH, FINISH, tiles=seams(40.0, overrun=4.0)))
    first, second = done
    assert first.space.zero.tolist() == [0.0, 0.0, THICK]
    assert second.space.zero.tolist() == [40.0, 0.0, THICK]
    for item, low, high in ((first, -5.0, 44.0), (second, 40.0, 95.0)):
        rough, finish = item.outcomes
        assert np.nanmin(finish.points[:, 0]) >= low - 1e-6
        assert np.nanmax(finish.points[:, 0]) <= high + 1e-6
        # Roughing goes a little farther, so that the finishing cutter finds room.
        assert np.nanmax(rough.points[:, 0]) <= high + BALL.radius + 0.5 + 1e-6
        for program in item.programs:
            assert f"TILE{1 if item is first else 2}" in program.name
            reading = read_program(program.text)
            span = np.nanmin(reading.points[:, 0]), np.nanmax(reading.points[:, 0])
            assert span[0] >= -40.0 and span[1] <= LENGTH - float(item.space.zero[0]) + 5
    words = done[1].programs[0].text[:400]
    assert b"tile 2 of 2" in words and b"the seam - 40 mm from the board" in words


def test_a_hole_and_a_tab_belong_to_one_tile() -> None:
    def drill(number: int, name: str) -> Operation:
        return op("drill", DRILL, number, {"boundary": Limit(boundary=name, contain="centre")}, depth=5.0)

    done = cut(
        board(drill(10, "holes"), drill(20, "other"), ROUGH.model_copy(update={"number": 30}), tiles=seams(45.0))
    )
    drilled = [[outcome.operation.number for outcome in item.outcomes[:2] if outcome.path.moves] for item in done]
    assert drilled == [[10], [20]]
    assert not any("020" in program.name for program in done[0].programs), "no file for what cuts nothing"
    # A hole exactly on the seam is drilled once.
    done = cut(board(drill(10, "holes"), drill(20, "other"), tiles=seams(8.0)))
    assert [bool(item.outcomes[0].path.moves) for item in done] == [False, True]


def test_tabs_keep_off_the_seams() -> None:
    """Where a tab would be placed automatically, a seam moves it; one that is set there by hand is a finding."""
    cut_out = CUT_OUT.model_copy(update={"settings": CUT_OUT.settings.model_copy(update={"tabs": 6})})
    whole = cut(board(ROUGH, cut_out))[0]
    at = next(tab.middle[0] for tab in whole.tabs if 20 < tab.middle[0] < 70)
    tiled = cut(board(ROUGH, cut_out, tiles=seams(round(at, 2))))
    assert len(tiled[0].tabs) >= len(whole.tabs) - 1 and tiled[0].tabs == tiled[1].tabs
    assert min(abs(tab.middle[0] - at) for tab in tiled[0].tabs) > 4.0 + FLAT.radius
    codes = [finding.code for item in tiled for finding in outcome_findings(item)]
    assert "tab-on-seam" not in codes
    by_hand = cut_out.settings.model_copy(update={"tab_places": ((0, 0.3), (0, 0.8))})
    held = cut(board(ROUGH, CUT_OUT.model_copy(update={"settings": by_hand})))[0].tabs[0].middle[0]
    on_seam = cut(board(ROUGH, CUT_OUT.model_copy(update={"settings": by_hand}), tiles=seams(round(held, 2))))
    assert "tab-on-seam" in [finding.code for item in on_seam for finding in outcome_findings(item)]


def test_an_operation_with_nothing_to_do_in_any_tile_is_refused() -> None:
    deep = ROUGH.model_copy(update={"cut_from": 11.0, "cut_to": 11.5})
    with pytest.raises(Refused, match="operation 10"):
        cut(board(deep, FINISH, tiles=seams(45.0)))


def test_rest_finishing_and_roughing_twice_work_tile_by_tile(whole: SetupOutcome) -> None:
    small = standard_cutter("ball", 2, 5)
    rest = op("finish_raster", small, 30, stepover=0.3, rest=0.05)
    again = op("rough_offset", small, 15, stepdown=1.0, stepover=0.8, leave=0.2)
    tiled = cut(board(ROUGH, again, FINISH, rest, tiles=seams(33.0)))
    alone = cut(board(ROUGH, again, FINISH, rest))[0]
    rows, columns = alone.block.grid.window((15, 12), (75, 24))
    a, b = tiled[-1].block.top[rows, columns], alone.block.top[rows, columns]
    # Where a little more is left than the limit is found on a grid, so single spots may differ by a scallop.
    assert np.quantile(np.abs(a - b), 0.99) < 0.02
    numbers = tiled[-1].comparison.numbers()
    assert abs(numbers["within_tolerance"] - alone.comparison.numbers()["within_tolerance"]) < 0.02


def test_seams_across_both_axes(whole: SetupOutcome) -> None:
    done = cut(board(ROUGH, FINISH, CUT_OUT, tiles=Tiles(seams_x=(41.0,), seams_y=(17.0,), overrun=3.0)))
    assert len(done) == 4
    same_surface(whole, done[-1])
    assert done[3].space.zero.tolist() == [41.0, 17.0, THICK]


def test_working_from_the_right_counts_from_the_right_end() -> None:
    done = cut(board(ROUGH, FINISH, tiles=seams(30.0, 60.0, order="backward")))
    assert [item.space.zero[0] for item in done] == [LENGTH, 60.0, 30.0]
    assert [item.space.setup.tile.slid[0] for item in done if item.space.setup.tile] == [0.0, -30.0, -60.0]


@pytest.mark.parametrize("dz", [0.2, -0.15])
def test_an_assumed_error_shows_its_step_and_changes_no_program(dz: float) -> None:
    plan = board(ROUGH, FINISH, tiles=seams(45.0))
    wrong = board(ROUGH, FINISH, tiles=seams(45.0, errors=(SlideError(tile=2, dz=dz),)))
    right, done = cut(plan), cut(wrong)
    assert [p.text for item in right for p in item.programs] == [p.text for item in done for p in item.programs]
    step = done[-1].proof.steps[0]
    assert step.mean == pytest.approx(dz, abs=0.01) and step.most == pytest.approx(dz, abs=0.02)
    assert right[-1].proof.steps[0].most == 0
    a, b = stages_of(plan.as_cut())["a.2"], stages_of(wrong.as_cut())["a.2"]
    assert a.block.key == b.block.key
    assert a.proof_block.key != b.proof_block.key and a.compare.key != b.compare.key


@pytest.mark.parametrize(("side", "dz"), [("after", 0.3), ("before", -0.3)])
def test_a_strip_takes_the_step_down_to_nothing(side: str, dz: float) -> None:
    """The side that stands higher is lowered by the step at the seam, and by nothing at the strip's far end."""
    plan = board(ROUGH, FINISH, tiles=seams(45.0, overrun=3.0))
    look = quick_look(hills())
    edit = {"do": "add_strip", "setup": "a", "seam": 1, "side": side, "height": 0.3, "width": 16.0}
    mended = apply_edit(plan, lambda _: look, edit)
    assert mended.setups[0].tiles.errors[0].dz == pytest.approx(dz)
    done = cut(mended)
    assert [item.space.setup.id for item in done] == ["a.1", "a.2", f"a.{2 if side == 'after' else 1}s1{side[0]}"]
    strip = done[-1]
    assert all("STRIP" in program.name for program in strip.programs)
    assert all(item.depth <= TOLERANCE for item in strip.outcomes[0].gouges)
    assert not strip.outcomes[0].rapid_depth.any()
    assert strip.comparison.numbers()["gouge_max"] < 0.4, "by the surface that it is meant to make"
    assert abs(strip.proof.steps[0].most) < 0.06 < abs(cut(plan)[-1].proof.steps[0].most) + 0.1
    left, found = cut(plan)[-1].block, strip.shown
    off = found.top.astype(float) - left.top

    def lowered(x: float) -> float:
        rows, columns = found.grid.window((x - 0.3, 14), (x + 0.3, 22))
        return float(np.median(off[rows, columns]))

    sign = 1 if side == "after" else -1
    # Right at the seam both sides are one height; across the strip it blends, and far away the error stays.
    low = 0.0 if side == "after" else dz
    # The tile before the seam cuts 3 mm past it, the one after it begins at it.
    edge = (3.0 if side == "after" else 0.0) + BALL.radius
    assert lowered(45 + sign * (edge - 0.5)) == pytest.approx(low, abs=0.04)
    assert lowered(45 + sign * (edge + 8.0)) == pytest.approx(low + 0.15, abs=0.04)
    assert lowered(45 + sign * (edge + 17.0)) == pytest.approx(low + 0.3, abs=0.02)
    assert lowered(45 - sign * 12.0) == pytest.approx(low, abs=0.02)
    again = apply_edit(mended, lambda _: look, {"do": "drop_strip", "setup": "a", "seam": 1})
    assert again == plan


def test_dowel_holes_come_over_the_same_pins() -> None:
    """The holes that a tile drills lie, seen from the next tile's zero, where the first tile's own lie from its
    zero."""
    tiles = seams(30.0, 58.0, slide="dowels", past=6.0, inset=4.0, diameter=3.0)
    plan = apply_edit(
        board(ROUGH, FINISH, tiles=tiles),
        lambda _: quick_look(hills()),
        {"do": "mark_slides", "setup": "a", "slide": "dowels", "cutter": DRILL.model_dump()},
    )
    done = cut(plan)
    places = [
        np.unique((o.points[2:, :2] - item.space.zero[:2]).round(3), axis=0) for item in done for o in item.outcomes[:1]
    ]
    pins = {(6.0, 4.0), (6.0, WIDTH - 4.0)}
    assert {tuple(place) for place in places[0]} == pins | {(36.0, 4.0), (36.0, WIDTH - 4.0)}
    assert {tuple(np.subtract(place, (28.0, 0.0)).round(3)) for place in places[1]} == pins
    assert not done[2].outcomes[0].path.moves, "after the last slide nothing is marked"


def test_dowel_holes_far_past_the_overrun_are_drilled_in_each_tile() -> None:
    tiles = seams(26.0, 52.0, slide="dowels", past=20.0, inset=4.0, diameter=3.0)
    edit = {"do": "mark_slides", "setup": "a", "slide": "dowels", "cutter": DRILL.model_dump()}
    done = cut(apply_edit(board(ROUGH, tiles=tiles), lambda _: quick_look(hills()), edit))
    drilled = [np.unique(item.outcomes[0].points[2:, 0].round(3)).tolist() for item in done[:2]]
    assert drilled == [[20.0, 46.0], [72.0]]


def test_score_marks_lie_on_the_seam_from_the_edge_inward() -> None:
    plan = apply_edit(
        board(ROUGH, FINISH, tiles=seams(45.0, inset=3.0)),
        lambda _: quick_look(hills()),
        {"do": "mark_slides", "setup": "a", "slide": "marks", "cutter": standard_cutter("v", 6, 9).model_dump()},
    )
    first = cut(plan)[0]
    score = first.outcomes[0]
    cut_at = score.points[1:][score.kinds == Kind.CUT]
    assert np.allclose(cut_at[:, 0], 45.0, atol=1e-3) and np.allclose(cut_at[:, 2], THICK - 0.5, atol=1e-3)
    assert sorted(set(cut_at[:, 1].round(2))) in ([0.0, WIDTH], [6.0, WIDTH], [0.0, 30.0], [6.0, 30.0])


def test_clamps_stay_where_they_are_on_the_machine() -> None:
    clamp = {"id": "c", "name": "clamp", "at": (10.0, 2.0), "size": (8.0, 4.0, 10.0), "foot": 12.0}
    plan = board(ROUGH, FINISH, tiles=seams(45.0), keep_outs=(clamp,)).as_cut()
    assert [setup.keep_outs[0].at for setup in plan.setups] == [(10.0, 2.0), (55.0, 2.0)]


def test_a_part_of_two_faces_is_tiled_face_by_face() -> None:
    plan = board(ROUGH, FINISH, tiles=seams(45.0))
    under = TiledSetup(
        id="b", name="Under", side="bottom", tiles=seams(40.0),
        operations=(op("finish_raster", BALL, 40, {"cut_to": 1.0}, stepover=1.0),),
    )  # fmt: skip
    both = plan.model_copy(update={"setups": (*plan.setups, under)})
    store = MemoryStore()
    done = cut(both, store)
    assert [item.space.setup.id for item in done] == ["a.1", "a.2", "b.1", "b.2"]
    cut_as = both.as_cut()
    assert Work(store, lambda _: hills()).of(job_stages(cut_as).whole).numbers()["gouge_max"] >= 0
    alone = cut(both.model_copy(update={"setups": tuple(s.whole() for s in both.setups)}))
    assert np.abs(alone[-1].block.top - done[-1].block.top)[20:-20, 20:-20].max() < 0.02


def test_seams_are_proposed_on_plain_ground_within_the_travel() -> None:
    """Hills and rough ground stand left and right; the middle is level, and the seam comes to lie there."""
    x, y = np.meshgrid(np.linspace(0, 200, 201), np.linspace(0, 40, 41))
    rough = np.where(np.abs(x - 110) > 12, np.sin(x * 1.3) * np.cos(y * 1.1) * 2, 0.0)
    from meshes import grid_mesh

    look = quick_look(grid_mesh(x, y, rough + 5))
    plan = board(ROUGH, FINISH).model_copy(update={"stock": Stock(length=200, width=40, thickness=12)})
    tiled = apply_edit(plan, lambda _: look, {"do": "cut_in_tiles", "setup": "a", "count": 2})
    assert 98 < tiled.setups[0].tiles.seams_x[0] < 122
    with pytest.raises(Refused, match="one tile"):
        apply_edit(plan, lambda _: look, {"do": "cut_in_tiles", "setup": "a", "size": 500.0})


@pytest.mark.parametrize(("deep", "axes", "z"), [(60.0, "x", "top"), (24.0, "x", "bottom"), (60.0, "xy", "bottom")])
def test_a_zero_of_tiles_is_where_something_is_left_to_touch_off(deep: float, axes: str, z: str) -> None:
    """Hills 20 mm wide in the middle of the stock, with and without room for the cutters at the front edge."""
    plan = board(ROUGH, FINISH).model_copy(update={"stock": Stock(length=120, width=deep, thickness=12)})
    for axis in axes:
        edit = {"do": "cut_in_tiles", "setup": "a", "axis": axis, "count": 2}
        plan = apply_edit(plan, lambda _: quick_look(hills()), edit)
    assert plan.setups[0].zero.z == z


def test_a_bar_is_not_tiled() -> None:
    with pytest.raises(Refused, match="not cut in tiles"):
        apply_edit(
            board().model_copy(update={"setups": (RotarySetup(id="a", name="a", rotary=Rotary()),)}),
            lambda _: quick_look(hills()),
            {"do": "cut_in_tiles", "setup": "a"},
        )


def test_the_cut_out_of_a_tile_goes_back_and_forth_without_rapids_along_it() -> None:
    edit = {"do": "cut_in_tiles", "setup": "a", "count": 3}
    plan = apply_edit(board(ROUGH, CUT_OUT, FINISH), lambda _: quick_look(hills()), edit)
    assert getattr(plan.setups[0].operations[1].settings, "direction", "") == "both"
    assert getattr(plan.setups[0].operations[0].settings, "direction", "") != "both"

    def rapids(chosen: Plan) -> float:
        outcomes = [outcome for item in cut(chosen) for outcome in item.outcomes if outcome.operation.number == 30]
        assert not any(outcome.rapid_depth.any() for outcome in outcomes)
        assert all(found.depth <= TOLERANCE for outcome in outcomes for found in outcome.gouges)
        return sum(float(outcome.lengths[outcome.kinds == Kind.RAPID].sum()) for outcome in outcomes)

    climbing = CUT_OUT.model_copy(update={"settings": CUT_OUT.settings.model_copy(update={"direction": "climb"})})
    setup = plan.setups[0].model_copy(update={"operations": (ROUGH, climbing, FINISH)})
    assert rapids(plan) < 0.6 * rapids(plan.model_copy(update={"setups": (setup,)}))


def test_a_tile_begins_at_the_seam_to_the_one_before_and_passes_the_one_to_the_next() -> None:
    for order, past in (("forward", (0.0, 2.0)), ("backward", (2.0, 0.0))):
        middle = board(ROUGH, tiles=seams(30.0, 60.0, overrun=2.0, order=order)).as_cut().setups[1].tile
        assert middle is not None and (middle.past[0], middle.past[2]) == past
