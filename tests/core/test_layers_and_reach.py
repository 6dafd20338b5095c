"""Finishing in layers, offsets on the true offset, tabs that hold, and what cutters reach, said before anything is
calculated."""

from itertools import pairwise

import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from cutting import BALL, FLAT, op, run, worst_gouge
from hard_meshes import ball_mesh, open_shell
from meshes import box_mesh, grid_mesh
from nephos.command.sample import sample_cutters
from nephos.command.warm import small_hill
from nephos.core.cutters import Cutter, HolderStep, standard_cutter
from nephos.core.findings.placement import placement_findings
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.findings.reach import reach_findings
from nephos.core.findings.terrain import terrain_of
from nephos.core.mesh.model import Mesh, joined
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.boundary import Boundary, Limit
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.post.schema import post_named
from nephos.core.post.write import arcs_of, write_program
from nephos.core.proposals.fitting import fitted
from nephos.core.proposals.one_face import proposed_sheet
from nephos.core.proposals.operations import proposed_operation
from nephos.core.stages.programs import step_of
from nephos.core.strategies.clearing.offset import offset
from nephos.core.strategies.following.wall_order import nearest_next
from nephos.core.toolpath import Kind, Pass

pytestmark = pytest.mark.long

# --- layers -----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("strategy", "steps"),
    [
        ("finish_raster", {"stepover": 0.6}),
        ("finish_offset", {"stepover": 0.6}),
        ("finish_steep_shallow", {"stepover": 0.6, "stepdown": 0.6}),
    ],
)
def test_each_layer_takes_no_more_than_its_depth_and_the_last_leaves_what_one_would(strategy: str, steps: dict) -> None:
    mesh = open_shell()
    size = (26.0, 26.0, float(np.ceil(mesh.size[2] + 2)))
    one = run(mesh, op(strategy, BALL, 10, **steps), size=size)
    done = run(mesh, op(strategy, BALL, 10, layer=2.0, **steps), size=size)
    outcome = done.outcomes[0]
    deepest = float(outcome.depths[outcome.kinds != Kind.RAPID].max())
    assert deepest <= 2.0 + 0.05 < float(one.outcomes[0].depths.max()), "what one layer takes from the full is far more"
    assert worst_gouge(done) <= 0.01 and done.comparison.numbers()["gouge_max"] <= 0.01
    for name in ("leftover_p50", "within_tolerance"):
        assert done.comparison.numbers()[name] == pytest.approx(one.comparison.numbers()[name], abs=0.01)
    assert not [item for item in outcome_findings(done) if item.level == "stop"]


@pytest.mark.parametrize("strategy", ["finish_raster", "finish_offset"])
def test_the_skin_at_upright_walls_is_cut_in_layers_too(strategy: str) -> None:
    """Roughing leaves a skin as high as the wall; lines along the wall leave a part of it to the trip round the
    outline."""
    rough = op("rough_offset", FLAT, 10, stepdown=3.0, stepover=2.4, leave=0.4)
    around = {"boundary": Limit(boundary="silhouette", contain="outside")}
    finish = op(strategy, BALL, 20, around, stepover=0.5, outline="on", layer=3.0)
    done = run(box_mesh((0, 0, 0), (18, 14, 11)), rough, finish, size=(34, 30, 12))
    outcome = done.outcomes[1]
    assert outcome.depths[outcome.kinds != Kind.RAPID].max() <= 3.0 + 0.05
    assert worst_gouge(done) <= 0.01


def test_stretches_are_cut_each_after_the_nearest_one() -> None:
    lines = [Pass(np.array([[x, y, 0.0], [x + 1, y, 0.0]])) for y in range(4) for x in (0.0, 40.0)]
    there_and_back = nearest_next(lines, both=True)
    gone = [np.hypot(*(b.start - a.end)[:2]) for a, b in pairwise(there_and_back)]
    assert len(there_and_back) == len(lines) and sorted(gone)[-2] <= 1.0, "one way across only"
    one_way = nearest_next(lines, both=False)
    assert all(item.end[0] > item.start[0] for item in one_way)


def test_without_a_depth_layers_change_nothing() -> None:
    hill = small_hill(side=20, cells=20)
    plain, off = (
        run(hill, op("finish_raster", BALL, 10, stepover=1.0)),
        run(hill, op("finish_raster", BALL, 10, stepover=1.0, layer=0.0)),
    )
    assert plain.programs[0].text == off.programs[0].text


# --- offsets ----------------------------------------------------------------------------------------------------------


@settings(max_examples=30, deadline=None)
@given(radius=st.floats(5, 200), by=st.floats(-4, 20))
def test_offsets_of_circles_are_circles(radius: float, by: float) -> None:
    circle = shapely.Point(3, 4).buffer(radius, quad_segs=400)
    ring = shapely.get_coordinates(offset(circle, by)) - (3, 4)
    assert np.abs(np.hypot(*ring.T) - radius - by).max() < 0.0015
    middles = (ring[1:] + ring[:-1]) / 2
    assert np.abs(np.hypot(*middles.T) - radius - by).max() < 0.003, "chords as well"


def test_offsets_of_a_square_with_a_notch_keep_its_corners() -> None:
    shape = shapely.box(0, 0, 40, 30).difference(shapely.box(15, 20, 25, 31))
    for by in (3.0, -3.0):
        mine, theirs = offset(shape, by), shape.buffer(by, quad_segs=64)
        assert mine.symmetric_difference(theirs).area < 0.05


def test_the_arcs_post_writes_arcs_round_a_circle() -> None:
    circle = Boundary(id="c", name="c", source="circle", at=(45, 45), size=(54, 54))
    round_it = op("cut_out", standard_cutter("flat", 6, 1), 10, {"boundary": Limit(boundary="c")}, tabs=0, skin=0.5)
    done = run(box_mesh((0, 0, 0), (20, 20, 4)), round_it, size=(90, 90, 8), boundaries=(circle,))
    post = post_named("rs274-metric-arcs")
    outcome = done.outcomes[0]
    step = step_of(outcome.operation, outcome.path, done.space.plan.tolerance, 5.0)
    text = write_program(post, "t", [], [step], 0).text.decode()
    assert text.count(" I") >= 6
    arcs = arcs_of(post, step)
    length = np.hypot(*np.diff(arcs.path.points[:, :2], axis=0).T)
    level = (np.diff(arcs.path.points[:, 2]) == 0) & (arcs.path.kinds == Kind.CUT)
    assert length[level & (arcs.turns == 0)].sum() < 0.1 * 2 * np.pi * 30, "hardly anything level is straight"


# --- tabs -------------------------------------------------------------------------------------------------------------


def plate(shape: shapely.Geometry, height: float = 6.0) -> Mesh:
    solid = trimesh.creation.extrude_polygon(shape, height)
    return Mesh(np.asarray(solid.vertices), np.asarray(solid.faces, np.int32))


@pytest.mark.parametrize("count", [3, 4, 5, 6])
def test_tabs_stand_where_part_and_frame_hold_them(count: int) -> None:
    notched = shapely.box(0, 0, 60, 40).difference(shapely.box(28, 20, 31, 41)).difference(shapely.box(-1, 18, 15, 21))
    done = run(
        plate(notched),
        op("cut_out", standard_cutter("flat", 6, 1), tabs=count, stepdown=3.0),
        size=(80, 60, 10),
        pitch=0.3,
    )
    assert len(done.tabs) == count
    assert not {"tab-gone", "tab-on-nothing", "part-free"} & {item.code for item in outcome_findings(done)}
    # Stock that ends beside the part holds nothing there.
    close = run(
        plate(shapely.box(0, 0, 60, 40)),
        op("cut_out", standard_cutter("flat", 6, 1), tabs=count, stepdown=3.0),
        size=(64, 60, 10),
        pitch=0.3,
    )
    assert all(0 < x < 64 and 0 < y < 60 for tab in close.tabs for x, y in (tab.middle, tab.frame))
    assert not {"tab-gone", "tab-on-nothing"} & {item.code for item in outcome_findings(close)}


# --- reach ------------------------------------------------------------------------------------------------------------


def figure() -> Mesh:
    return joined(
        [
            ball_mesh((0, 0, 33), 20),
            ball_mesh((0, 0, 60), 12),
            ball_mesh((25, 0, 20), 15),
            box_mesh((-30, -30, 0), (45, 30, 4)),
        ]
    )


def proposed(mesh: Mesh, thickness: float) -> tuple[Plan, list]:
    look = quick_look(mesh)
    plan = Plan(
        stock=Stock(length=120, width=100, thickness=thickness),
        models=(Model(id="m1", name="m", mesh="m"),),
        setups=(FaceSetup(id="a", name="a"),),
        pitch=0.5,
    )
    sheet = proposed_sheet(plan, plan.setups[0], look, sample_cutters())
    plan = plan.model_copy(update={"setups": (FaceSetup(id="a", name="a", operations=sheet),)})
    shown = [(plan.models[0], placed_model(look.support, plan.models[0], plan.stock), look)]
    return plan, shown


def test_what_is_proposed_for_a_deep_figure_has_no_stop_and_says_what_stays_uncut() -> None:
    mesh = figure()
    plan, shown = proposed(mesh, 90.0)
    operations = plan.setups[0].operations
    early = reach_findings(plan, plan.setups[0], shown)
    assert [item.code for item in early] == ["not-deep-enough"] and early[0].fixes, (
        "what cannot be done is told before calculating"
    )
    assert not [item for item in operations if item.strategy == "cut_out"], "no cutter here gets through 90 mm"
    done = run(mesh, *operations[:2], size=(120, 100, 90), pitch=0.5)
    assert not [item for item in outcome_findings(done) if item.level == "stop"]
    for fix in early[0].fixes:
        after = apply_edit(plan, lambda _: shown[0][2], fix.edit)
        assert after != plan, fix.label


@pytest.mark.parametrize(("height", "roughed"), [(0.4, False), (1.6, True)])
def test_a_flat_relief_is_roughed_only_where_roughing_finds_room(height: float, roughed: bool) -> None:
    x, y = np.meshgrid(np.linspace(0, 60, 121), np.linspace(0, 40, 81))
    top = grid_mesh(x, y, height * (1.5 + 0.5 * np.sin(x / 5) * np.cos(y / 4)))
    mesh = joined([top, box_mesh((0, 0, -height), (60, 40, 0.9 * height))])
    look = quick_look(mesh)
    thickness = 3 * height + 0.5
    plan = Plan(
        stock=Stock(length=64, width=44, thickness=thickness),
        models=(Model(id="m1", name="m", mesh="m"),),
        setups=(FaceSetup(id="a", name="a"),),
        pitch=0.4,
    )
    sheet = proposed_sheet(plan, plan.setups[0], look, sample_cutters())
    assert [item.strategy.startswith("rough") for item in sheet] == [roughed, *[False] * (len(sheet) - 1)]
    done = run(mesh, *[item for item in sheet if item.strategy != "cut_out"], size=(64, 44, thickness), pitch=0.4)
    assert done.comparison is not None and done.comparison.numbers()["gouge_max"] <= 0.01
    assert not [item for item in outcome_findings(done) if item.level == "stop"]


def test_a_holder_that_will_meet_the_stock_is_told_with_what_helps() -> None:
    mesh = box_mesh((0, 0, 0), (40, 30, 30))
    short = Cutter.model_validate(
        standard_cutter("flat", 6, 1).model_dump()
        | {
            "stickout": 20.0,
            "overall_length": 70.0,
            "flute_length": 18.0,
            "holder": (HolderStep(diameter=30, length=20),),
        }
    )
    look = quick_look(mesh)
    model = Model(id="m1", name="m", mesh="m")
    operation = op("rough_offset", short, 10, {"boundary": Limit(boundary="silhouette")}, stepdown=3.0, stepover=2.5)
    plan = Plan(
        stock=Stock(length=80, width=70, thickness=40),
        models=(model,),
        pitch=0.5,
        setups=(FaceSetup(id="a", name="a", operations=(operation,)),),
    )
    shown = [(model, placed_model(look.support, model, plan.stock), look)]
    (finding,) = reach_findings(plan, plan.setups[0], shown)
    assert finding.code == "reach" and finding.row == "10" and "holder" in finding.text
    labels = {fix.label.split()[0]: fix for fix in finding.fixes}
    longer = apply_edit(plan, lambda _: look, labels["Stickout"].edit)
    assert reach_findings(longer, longer.setups[0], shown) == []
    less = apply_edit(plan, lambda _: look, labels["Cut"].edit)
    assert [item.code for item in reach_findings(less, less.setups[0], shown)] == ["not-deep-enough"]
    done = run(mesh, longer.setups[0].operations[0], size=(80, 70, 40), pitch=0.5)
    assert "holder-in-wall" not in {item.code for item in outcome_findings(done)}


# --- repairs keep the scale -------------------------------------------------------------------------------------------


def plaque_with_speck() -> Mesh:
    return joined([box_mesh((0, 0, 0), (230, 160, 18)), box_mesh((235, 10, 2), (236, 11, 3))])


def test_a_stray_piece_that_decides_the_size_is_told_and_dropping_it_keeps_the_scale() -> None:
    mesh = plaque_with_speck()
    before, after = quick_look(mesh), quick_look(box_mesh((0, 0, 0), (230, 160, 18)))
    placement = Placement(size=(236.0, 164.2, 18.0))
    plan = Plan(
        stock=Stock(length=260, width=190, thickness=28),
        models=(Model(id="m1", name="m", mesh="m", placement=placement),),
        setups=(FaceSetup(id="a", name="a"),),
    )
    placed = placed_model(before.support, plan.models[0], plan.stock)
    told = {item.code: item for item in placement_findings(plan, {"m1": placed}, {"m1": before}, {"m1": True})}
    stray = told["loose-piece-sizes"]
    assert "236 mm with it, 230 mm" in stray.text
    repaired = apply_edit(plan, lambda _: before, stray.fixes[0].edit)
    now = placed_model(after.support, repaired.models[0], repaired.stock)
    assert now.scale == pytest.approx(placed.scale, rel=1e-9), "nothing is stretched"
    assert now.size == pytest.approx([230.0, 160.0 * 164.2 / 160.0, 18.0], rel=1e-6)
    changed = {item.code: item for item in placement_findings(repaired, {"m1": now}, {"m1": after}, {"m1": True})}[
        "size-after-repair"
    ]
    again = apply_edit(repaired, lambda _: after, changed.fixes[0].edit)
    bigger = placed_model(after.support, again.models[0], again.stock)
    assert bigger.size[0] == pytest.approx(236.0) and np.ptp(bigger.scale / now.scale) < 1e-9, (
        "in the proportions that it had"
    )
    kept = apply_edit(repaired, lambda _: after, changed.fixes[1].edit)
    assert "size-after-repair" not in {
        item.code for item in placement_findings(kept, {"m1": now}, {"m1": after}, {"m1": True})
    }


@pytest.mark.parametrize(
    "edit", [{"do": "cut_off", "model": "m1", "height": 4.0}, {"do": "repair_model", "model": "m1", "kind": "unify"}]
)
def test_every_repair_keeps_the_scale(edit: dict) -> None:
    look = quick_look(box_mesh((0, 0, 0), (230, 160, 18)))
    plan = Plan(
        stock=Stock(length=260, width=190, thickness=28),
        setups=(FaceSetup(id="a", name="a"),),
        models=(Model(id="m1", name="m", mesh="m", placement=Placement(size=(200.0, None, 25.0))),),
    )
    scale = placed_model(look.support, plan.models[0], plan.stock).scale
    changed = apply_edit(plan, lambda _: look, edit)
    assert placed_model(look.support, changed.models[0], changed.stock).scale == pytest.approx(scale)
    undone = apply_edit(changed, lambda _: look, {"do": "drop_repair", "model": "m1", "step": 0})
    assert placed_model(look.support, undone.models[0], undone.stock).scale == pytest.approx(scale)


def test_a_cutter_that_is_replaced_for_its_reach_brings_its_own_steps() -> None:
    """Steps of a 3 mm cutter with one of 6 mm would take twice the time."""
    mesh = figure()
    plan, shown = proposed(mesh, 90.0)
    terrain = terrain_of(plan, plan.setups[0], shown)
    assert terrain is not None
    holder = {"holder": (HolderStep(diameter=40, length=60),)}
    short = standard_cutter("flat", 3, 1).model_copy(update=holder | {"overall_length": 40.0, "stickout": 12.0})
    long = standard_cutter("flat", 6, 2).model_copy(update=holder | {"overall_length": 150.0, "stickout": 110.0})
    asked = proposed_operation(plan, (short,), "rough_offset", 10, short)
    done = fitted(terrain, asked, (short, long))
    assert done is not None and done.cutter.number == 2
    assert done.settings.stepover == pytest.approx(2 * asked.settings.stepover)
    assert done.settings.stepdown == pytest.approx(2 * asked.settings.stepdown)
