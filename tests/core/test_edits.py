"""Edits of a plan: size, position and zero survive every chain of them, and each way out leads out."""

from contextlib import suppress

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from graph import placed_all
from meshes import box_mesh
from nephos.command.warm import small_hill
from nephos.core.errors import Refused
from nephos.core.finding import Finding
from nephos.core.findings.placement import placement_findings
from nephos.core.mesh.model import Mesh, joined
from nephos.core.mesh.orientation import slab_height, undercut
from nephos.core.mesh.repair.registry import repaired
from nephos.core.mesh.summary import MeshSummary, quick_look
from nephos.core.plan.clamping import KeepOut, Zero
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.edits.registry import EDITS
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.place import Placed, linear_of
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.shelf import Piece, fitting_pieces
from nephos.core.plan.stock import Stock
from nephos.core.rotation import angles_of, turn_onto, turning
from nephos.core.stages.models import placed_parts

# A wedge is as long as it is wide nowhere, so a wrong axis shows.
WEDGE = Mesh(
    np.array([[0, 0, 0], [30, 0, 0], [30, 20, 0], [0, 20, 0], [0, 0, 8], [0, 20, 8.0]]),
    np.array([[0, 2, 1], [0, 3, 2], [0, 1, 4], [3, 5, 2], [1, 2, 5], [1, 5, 4], [0, 4, 5], [0, 5, 3]], np.int32),
)
LOOK = quick_look(WEDGE)


def look(model: Model) -> MeshSummary:
    return LOOK


def plan(**changes) -> Plan:
    value = Plan(
        stock=Stock(length=200, width=150, thickness=40),
        models=(Model(id="m1", name="wedge", mesh="w"),),
        setups=(FaceSetup(id="a", name="a"),),
    )
    return value.model_copy(update=changes)


def placed(value: Plan) -> Placed:
    return placed_all(value, LOOK.support)["m1"]


def true_box(value: Plan) -> tuple[np.ndarray, np.ndarray]:
    """The box of the model's own triangles, not of what the page is told."""
    mesh = joined(placed_parts(value, value.models[0], WEDGE))
    return mesh.low, mesh.high


def do(before: Plan, /, **edit) -> Plan:
    return apply_edit(before, look, {"model": "m1", **edit})


axes = st.integers(0, 2)
lengths = st.floats(1, 190).map(lambda v: round(v, 3))
quarter = st.builds(
    lambda a, d: {"do": "turn_model", "axis": a, "degrees": d}, axes, st.sampled_from([90.0, -90.0, 180.0, 270.0])
)
anyway = st.builds(lambda a, d: {"do": "turn_model", "axis": a, "degrees": d}, axes, st.floats(-180, 180))
mirror = st.builds(lambda a: {"do": "mirror_model", "axis": a}, axes)
size = st.builds(lambda a, v: {"do": "size_model", "axis": a, "value": v}, axes, lengths)
alone = st.builds(lambda a, v: {"do": "size_model", "axis": a, "value": v, "alone": True}, axes, lengths)
move = st.builds(lambda x, y, z: {"do": "move_model", "by": (x, y, z)}, *[st.floats(-50, 50)] * 3)
corner = st.builds(
    lambda x, y: {"do": "corner_model", "x": x, "y": y}, *[st.sampled_from(["low", "centre", "high"])] * 2
)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.one_of(quarter, mirror, move, corner), max_size=8), st.tuples(lengths, lengths, lengths))
def test_no_millimetre_is_lost_by_turning_mirroring_and_moving(edits, sizes) -> None:
    value = plan()
    for axis, length in enumerate(sizes):
        value = do(value, do="size_model", axis=axis, value=length, alone=True)
    for edit in edits:
        value = do(value, **edit)
    assert sorted(placed(value).size) == pytest.approx(sorted(sizes), rel=1e-9)
    low, high = true_box(value)
    assert low == pytest.approx(placed(value).low, abs=1e-6) and high == pytest.approx(placed(value).high, abs=1e-6)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.one_of(quarter, anyway, mirror, move, corner), max_size=6), size)
def test_turning_by_any_angle_never_scales(edits, first) -> None:
    value = do(plan(), **first)
    scale = placed(value).scale
    for edit in edits:
        value = do(value, **edit)
    assert placed(value).scale == pytest.approx(scale, rel=1e-6)


@settings(max_examples=50, deadline=None)
@given(st.lists(st.one_of(quarter, mirror, size, alone, move, corner), max_size=8), axes, lengths)
def test_a_typed_size_is_reached_whatever_came_before(edits, axis, value) -> None:
    before = plan()
    for edit in edits:
        # What would make it larger than ten metres on the path is refused, and nothing is changed.
        with suppress(Refused):
            before = do(before, **edit)
    ratio = placed(before).size / placed(before).size[axis]
    # Sizes end at ten metres; what would be larger is refused, and nothing is changed.
    if max(ratio) * value > 10_000:
        with pytest.raises(Refused):
            do(before, do="size_model", axis=axis, value=value)
        return
    after = do(before, do="size_model", axis=axis, value=value)
    assert placed(after).size[axis] == pytest.approx(value, abs=1e-9)
    assert placed(after).size == pytest.approx(ratio * value, rel=1e-6), "the others follow"


@settings(max_examples=40, deadline=None)
@given(st.lists(st.one_of(quarter, size, move), max_size=6), axes, st.floats(-20, 120).map(lambda v: round(v, 2)))
def test_a_typed_edge_is_where_the_model_begins(edits, axis, value) -> None:
    after = plan()
    for edit in edits:
        after = do(after, **edit)
    after = do(after, do="edge_model", axis=axis, value=value)
    assert true_box(after)[0][axis] == pytest.approx(value, abs=1e-6)


@given(st.tuples(*[st.floats(-180, 180)] * 3))
def test_angles_make_the_same_rotation_again(angles: tuple[float, float, float]) -> None:
    assert turning(*angles_of(turning(*angles))) == pytest.approx(turning(*angles), abs=1e-9)


@given(*[st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: np.linalg.norm(v) > 0.1)] * 2)
def test_the_smallest_turn_onto_a_direction(a, b) -> None:
    a, b = np.array(a), np.array(b)
    turn = turn_onto(a, b)
    assert turn @ turn.T == pytest.approx(np.eye(3), abs=1e-6) and np.linalg.det(turn) == pytest.approx(1)
    assert turn @ (a / np.linalg.norm(a)) == pytest.approx(b / np.linalg.norm(b), abs=1e-6)


def test_four_quarter_turns_are_none_to_the_bit() -> None:
    value = start = do(plan(), do="size_model", axis=0, value=61.7)
    for axis in (2, 2, 2, 2, 0, 0, 0, 0):
        value = do(value, do="turn_model", axis=axis, degrees=90)
    assert value == start
    turned = do(start, do="swap_xy")
    assert turned.models[0].placement.size == (None, 61.7, None)


def test_mirroring_twice_is_none_and_once_is_seen() -> None:
    once = do(do(plan(), do="turn_model", axis=2, degrees=30), do="mirror_model", axis=0)
    assert do(once, do="mirror_model", axis=0).models[0].placement.mirror == (False, False, False)
    assert np.linalg.det(linear_of(once.models[0].placement)) == pytest.approx(-1)


def test_a_picked_face_lies_on_the_bed() -> None:
    slope = np.array([8.0, 0, 30]) / np.hypot(8, 30)
    after = do(plan(), do="lay_flat", normal=tuple(slope))
    mesh = joined(placed_parts(after, after.models[0], WEDGE))
    down = np.cross(*(mesh.vertices[mesh.faces[4]][k] - mesh.vertices[mesh.faces[4]][0] for k in (1, 2)))
    assert down / np.linalg.norm(down) == pytest.approx([0, 0, -1], abs=1e-9)


@pytest.mark.parametrize("angles", [(0, 0, 0), (90, 0, 0), (180, 0, 0), (0, -90, 90), (35, 20, -50)])
def test_the_best_way_up_shows_a_relief_however_it_came(angles: tuple[float, float, float]) -> None:
    hill = small_hill()
    solid, _ = repaired(
        hill,
        parse_plan(
            plan(
                models=(Model.model_validate({"id": "m1", "name": "h", "mesh": "h", "steps": [{"kind": "base"}]}),)
            ).model_dump(mode="json")
        )
        .models[0]
        .steps,
    )
    known = quick_look(solid)
    value = plan(models=(Model(id="m1", name="h", mesh="h", placement=Placement(turn=angles)),))
    after = apply_edit(value, lambda _: known, {"do": "best_way_up", "model": "m1"})
    linear = linear_of(after.models[0].placement)
    assert linear[2] == pytest.approx([0, 0, 1], abs=0.02)
    assert undercut(known, linear, 0.0) < 0.01


def test_a_plain_slab_is_found_and_cut_off_and_the_rest_keeps_its_scale() -> None:
    slab, boss = box_mesh((0, 0, 0), (100, 80, 6)), small_hill(60).moved(np.diag([1.0, 1, 3, 1]))
    boss = boss.moved(np.array([[1.0, 0, 0, 20], [0, 1, 0, 10], [0, 0, 1, 6.5], [0, 0, 0, 1]]))
    mesh = joined([slab, boss])
    known = quick_look(mesh)
    height = slab_height(known, np.eye(3), 1.0)
    assert height == pytest.approx(6.3, abs=0.6)
    value = Plan(stock=Stock(length=200, width=150, thickness=40), models=(Model(id="m1", name="m", mesh="m"),))
    value = apply_edit(value, lambda _: known, {"do": "size_model", "model": "m1", "axis": 0, "value": 150})
    value = apply_edit(value, lambda _: known, {"do": "cut_off", "model": "m1", "height": 1.5 * 6.2})
    model = value.models[0]
    rest, said = repaired(mesh, model.steps)
    assert rest.low[2] == pytest.approx(6.5) and "cut off" in said[0]
    after = placed_all(value, quick_look(rest).support)["m1"]
    assert after.scale == pytest.approx([1.5] * 3) and after.size[0] == pytest.approx(1.5 * 60)
    assert slab_height(quick_look(WEDGE), np.eye(3), 1.0) is None


def test_an_open_sheet_looks_up_whatever_its_shape() -> None:
    known = quick_look(small_hill())
    assert undercut(known, np.eye(3), 0.0) == 0.0 and undercut(known, np.diag([1.0, -1, -1]), 0.0) > 0.9


def test_a_mesh_that_looks_inwards_is_taken_for_what_it_is() -> None:
    inward = Mesh(WEDGE.vertices, WEDGE.faces[:, ::-1].copy())
    assert quick_look(inward).samples[:, 3:] == pytest.approx(LOOK.samples[:, 3:])


def test_a_ball_has_half_its_surface_out_of_sight_until_it_is_sunk() -> None:
    import trimesh

    solid = trimesh.creation.icosphere(subdivisions=4, radius=10)
    known = quick_look(Mesh(np.asarray(solid.vertices, float), np.asarray(solid.faces, np.int32)))
    assert undercut(known, np.eye(3), 0.0) == pytest.approx(0.47, abs=0.02)
    assert undercut(known, np.eye(3), 0.5) == 0.0


def test_what_is_sunk_is_not_cut_and_the_foot_is_where_cutting_ends() -> None:
    value = do(plan(), do="sink_model", depth=3.0)
    box = placed(value)
    mesh = joined(placed_parts(value, value.models[0], WEDGE))
    assert box.high[2] - box.low[2] == pytest.approx(5) and mesh.low[2] == pytest.approx(box.low[2])
    assert placed(do(plan(), do="sink_half")).low[2] == pytest.approx(39 - 4)
    with pytest.raises(Refused, match="whole model would be sunk"):
        do(plan(), do="sink_model", depth=8)


def test_copies_stand_in_rows_and_columns_with_their_gap() -> None:
    value = do(plan(), do="copies_of_model", copies={"columns": 3, "rows": 2, "gap": (5, 7)})
    box = placed(value)
    assert len(box.matrices) == 6 and (box.high - box.low)[:2] == pytest.approx([3 * 30 + 2 * 5, 2 * 20 + 7])
    low, high = true_box(value)
    assert low == pytest.approx(box.low) and high == pytest.approx(box.high)
    assert (box.low[0] + box.high[0]) / 2 == pytest.approx(100), "the whole group is centred"


def test_percent_and_unit_go_by_the_file() -> None:
    assert placed(do(plan(), do="percent_model", percent=250)).size == pytest.approx([75, 50, 20])
    inches = do(do(plan(), do="size_model", axis=0, value=99), do="unit_model", unit=25.4)
    assert placed(inches).size == pytest.approx([30 * 25.4, 20 * 25.4, 8 * 25.4])


def test_the_stock_is_made_to_fit_with_each_margin_on_its_own_side() -> None:
    value = do(do(plan(), do="turn_model", axis=2, degrees=20), do="move_model", by=(13, -4, 2))
    after = apply_edit(
        value, look, {"do": "fit_stock", "left": 3, "right": 5, "front": 7, "back": 11, "above": 1.5, "below": 2.5}
    )
    low, high = true_box(after)
    assert low == pytest.approx([3, 7, 2.5]) and np.array(after.stock.size) - high == pytest.approx([5, 11, 1.5])


def test_turning_the_job_turns_all_of_it() -> None:
    value = do(do(plan(), do="corner_model", x="low", y="high"), do="move_model", by=(4, -6, 0))
    after = apply_edit(value, look, {"do": "turn_job"})
    (l0, h0), (l1, h1) = true_box(value), true_box(after)
    assert after.stock.size == (150, 200, 40)
    # A quarter to the left: what was at y from the front is now at width - y from the left.
    assert [l1[0], h1[0]] == pytest.approx([150 - h0[1], 150 - l0[1]]) and [l1[1], h1[1]] == pytest.approx(
        [l0[0], h0[0]]
    )
    back = after
    for _ in range(3):
        back = apply_edit(back, look, {"do": "turn_job"})
    assert true_box(back)[0] == pytest.approx(l0)


@pytest.mark.parametrize("kind", ["box", "round"])
@pytest.mark.parametrize(
    "chain",
    [
        [("size_model", {"axis": 0, "value": 260})],
        [("size_model", {"axis": 2, "value": 80, "alone": True})],
        [("move_model", {"by": (0, 0, 12)})],
        [("move_model", {"by": (0, 0, -60)})],
        [("move_model", {"by": (150, 0, 0)})],
        [("size_model", {"axis": 0, "value": 180}), ("swap_xy", {})],
        [("gap_model", {"gap": 0.0, "side": "below"})],
        [("unit_model", {"unit": 25.4})],
    ],
)
def test_every_way_out_leads_out(chain: list, kind: str) -> None:
    value = plan()
    for name, words in chain:
        value = do(value, do=name, **words)
    if kind == "round":
        value = apply_edit(value, look, {"do": "shape_stock", "kind": "round"})
    found = placement_findings(value, placed_all(value, LOOK.support))
    for finding in found:
        for fix in finding.fixes:
            after = apply_edit(value, look, fix.edit)
            left = placement_findings(after, placed_all(after, LOOK.support))
            assert finding.code not in {item.code for item in left if item.row == finding.row}, (
                finding.text,
                fix.label,
            )
    stops = [item for item in found if item.level == "stop"]
    assert all(item.fixes for item in stops if item.code.startswith("model"))


def test_findings_of_zero_and_keep_outs_just_at_the_limit() -> None:
    def codes(**setup) -> set[str]:
        value = plan(setups=(FaceSetup(id="a", name="a", **setup),))
        return {item.code for item in placement_findings(value, placed_all(value, LOOK.support))}

    assert codes(zero=Zero(at=(200, 150, 40))) == set()
    assert codes(zero=Zero(at=(200.1, 0, 0))) == {"zero-off-stock"}
    clamp = {"id": "k", "name": "clamp", "size": (20, 20, 60)}
    # The wedge stands from X 85 to 115 and from Y 65 to 85.
    assert codes(keep_outs=(KeepOut(**clamp, at=(75, 75)),)) == set()
    assert codes(keep_outs=(KeepOut(**clamp, at=(75.2, 75)),)) == {"keep-out-on-model"}
    screw = {"id": "s", "name": "screw", "shape": "cylinder", "size": (8, 8, 60)}
    assert codes(keep_outs=(KeepOut(**screw, at=(81, 75)),)) == set()
    assert codes(keep_outs=(KeepOut(**screw, at=(81.1, 75)),)) == {"keep-out-on-model"}


def test_a_guessed_unit_is_said_until_something_is_chosen() -> None:
    value = plan()

    def codes(one: Plan) -> set[str]:
        return {
            item.code for item in placement_findings(one, placed_all(one, LOOK.support), {"m1": LOOK}, {"m1": False})
        }

    assert "unit-guessed" in codes(value)
    assert "unit-guessed" not in codes(do(value, do="size_model", axis=0, value=50))


def test_the_zero_on_the_bed_is_under_the_packing() -> None:
    stock = Stock(length=10, width=10, thickness=5)
    assert FaceSetup(id="a", name="a", zero=Zero(z="bed"), packing=3).frame(stock).zero.tolist() == [0, 0, -3]
    assert FaceSetup(id="a", name="a", zero=Zero(at=(2, 3, 4))).frame(stock).zero.tolist() == [2, 3, 4]


def test_pieces_of_the_shelf_that_hold_the_model_least_waste_first() -> None:
    pieces = [
        Piece(name=name, material=wood, length=x, width=y, thickness=z)
        for name, wood, x, y, z in (
            ("thin", "lime", 100, 100, 9),
            ("long", "lime", 400, 60, 20),
            ("turned", "lime", 31, 41, 13),
            ("oak", "oak", 41, 31, 13),
            ("exact", "lime", 40, 30, 12),
        )
    ]
    found = fitting_pieces(plan(), look, pieces)
    assert [item.piece.name for item in found] == ["exact", "turned", "long", "oak"]
    assert found[1].turned and not found[0].turned and found[0].more == pytest.approx(0)


def test_an_edit_that_is_none_or_wrong_is_refused_in_words() -> None:
    for edit, said in (
        ({"do": "polish"}, "no edit 'polish'"),
        ({"do": "turn_model", "model": "m1", "axis": 7, "degrees": 1}, "axis"),
        ({"do": "turn_model", "model": "gone", "axis": 1, "degrees": 1}, "no longer in the job"),
        ({"do": "size_model", "model": "m1", "axis": 0, "value": -4}, "more than 0"),
        ({"do": "size_model", "model": "m1", "axis": 0, "value": float("nan")}, "finite|number|greater"),
    ):
        with pytest.raises(Refused, match=said):
            apply_edit(plan(), look, edit)
    assert all(kind.values.__doc__ for kind in EDITS.values())


@settings(max_examples=30, deadline=None)
@given(
    turn=st.tuples(*[st.floats(-180, 180)] * 3),
    mirrors=st.tuples(*[st.booleans()] * 3),
    x=st.floats(10, 100),
    height=st.one_of(st.none(), st.floats(1, 20)),
)
def test_a_plan_of_version_1_lies_as_it_lay(turn, mirrors, x, height) -> None:
    old = {
        "schema_version": 1,
        "stock": {"length": 200, "width": 150, "thickness": 40, "material": "oak"},
        "models": [
            {
                "id": "m1",
                "name": "w",
                "mesh": "w",
                "placement": {
                    "mirror": mirrors,
                    "turn": turn,
                    "size_x": x,
                    "height": height,
                    "gap_above": 2.0,
                    "align": ("low", "high"),
                    "offset": (3, -4),
                },
            }
        ],
    }
    value = parse_plan(old)
    assert value.stock.material.name == "oak"
    linear = turning(*turn) @ np.diag([-1.0 if m else 1.0 for m in mirrors])
    lying = WEDGE.vertices @ linear.T
    lying = lying * (x / np.ptp(lying[:, 0])) if np.ptp(lying[:, 0]) else lying
    if height:
        lying[:, 2] *= height / np.ptp(lying[:, 2])
    lying += [3 - lying[:, 0].min(), 150 - 4 - lying[:, 1].max(), 38 - lying[:, 2].max()]
    mesh = joined(placed_parts(value, value.models[0], WEDGE))
    assert mesh.vertices == pytest.approx(lying, abs=1e-6)


def test_findings_speak_the_unit_of_the_job_and_mean_the_same() -> None:
    value = do(plan(), do="move_model", by=(0, 0, 6.35))
    inches = value.model_copy(update={"units": "in"})

    def told(one: Plan):
        return placement_findings(one, placed_all(one, LOOK.support))

    (mm,), (inch,) = told(value), told(inches)
    assert "5.3 mm" in mm.text or "5.4 mm" in mm.text
    assert "0.211 in" in inch.text and "mm" not in inch.text + "".join(fix.label for fix in inch.fixes)
    assert [fix.edit for fix in mm.fixes] == [fix.edit for fix in inch.fixes]
    zero = FaceSetup(id="a", name="a", zero=Zero(at=(25.4, 0, 12.7)))
    assert (
        zero.zero_in_words("in")
        == "1 in right and 0 in back of the stock's front left corner, 0.5 in above its underside"
    )


def found_in(value: Plan) -> list[Finding]:
    return placement_findings(value, placed_all(value, LOOK.support))


CLAMP = KeepOut(id="k1", name="clamp", size=(40.0, 20.0, 60.0), at=(100.0, 75.0))


@pytest.mark.parametrize(
    ("code", "changes"),
    [
        ("keep-out-on-model", {"setups": (FaceSetup(id="a", name="a", keep_outs=(CLAMP,)),)}),
        (
            "models-overlap",
            {"models": (Model(id="m1", name="wedge", mesh="w"), Model(id="m2", name="second", mesh="w"))},
        ),
        ("zero-on-bed", {"setups": (FaceSetup(id="a", name="a", side="bottom", zero=Zero(z="bed")),)}),
        ("beyond-travel", {"stock": Stock(length=900, width=700, thickness=30)}),
    ],
)
def test_what_holds_and_where_it_stands_has_ways_that_lead_out(code: str, changes: dict) -> None:
    value = plan(**changes)
    found = [item for item in found_in(value) if item.code == code]
    assert found and all(item.fixes for item in found)
    for finding in found:
        for fix in finding.fixes:
            assert finding.text not in {item.text for item in found_in(apply_edit(value, look, fix.edit))}, fix.label


def test_a_clamp_between_two_models_finds_a_place_that_is_free_of_both() -> None:
    models = tuple(
        Model(id=key, name=key, mesh="w", placement=Placement(offset=(x, 0.0, -1.0)))
        for key, x in (("m1", -20.0), ("m2", 20.0))
    )
    value = plan(models=models, setups=(FaceSetup(id="a", name="a", keep_outs=(CLAMP,)),))
    after = apply_edit(value, look, {"do": "clear_keep_out", "setup": "a", "keep_out": "k1"})
    assert "keep-out-on-model" not in {item.code for item in found_in(after)}
    with pytest.raises(Refused, match="no longer"):
        apply_edit(after, look, {"do": "drop_keep_out", "setup": "a", "keep_out": "k9"})
