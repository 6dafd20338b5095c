"""Parts that are cut from several faces: what each side leaves is the whole, and both faces meet without a step."""

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from face_jobs import BALL, EGG, FLAT, STOCK, cut, egg_plan, egg_setup, solids
from graph import work_with
from meshes import box_mesh, grid_mesh, underside_of
from nephos.core.findings.faces import (
    ROW,
    _inner_places,
    _touches,
    faces_findings,
    whole_findings,
)
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.clamping import Zero
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.faces import turn_between
from nephos.core.plan.joined_faces import Faces, FaceTab
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import parse_plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.stock import Stock
from nephos.core.setups.registry import kind_of
from nephos.core.stages.of_plan import stages_of
from nephos.core.stages.overrun import smallest_overrun
from nephos.core.stages.run import run_plan
from nephos.core.stages.space import setup_space
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Step, Work
from nephos.core.stock.block import box_block
from nephos.core.stock.columns import CutSide, cut_by_sides, inside_box
from nephos.core.stock.cut import cut_block
from nephos.core.stock.left_by import UNCUT

pytestmark = pytest.mark.long


@pytest.fixture(scope="module")
def egg():
    return cut(egg_plan())


# The block


def sides_at_random(seed: int, kinds: list[Setup]) -> list[CutSide]:
    """Hilly fields of sides, with a step in each."""
    rng = np.random.default_rng(seed)
    found = []
    for setup in kinds:
        size = setup.frame(STOCK).high
        block = box_block((0, 0, 0), tuple(size.tolist()), 0.5)
        x, y = np.meshgrid(block.grid.xs, block.grid.ys)
        a, b, c, d = rng.uniform(0.05, 0.25, 4)
        field = size[2] * (0.72 + 0.12 * np.sin(a * x + 3 * c) + 0.12 * np.cos(b * y + 3 * d))
        field = np.where(x > size[0] * rng.uniform(0.3, 0.7), field, 0.9 * field).astype(np.float32)
        over = np.maximum.reduce([np.roll(np.roll(field, i, 0), j, 1) for i in (-1, 0, 1) for j in (-1, 0, 1)])
        found.append(CutSide(setup.id, setup.frame(STOCK).matrix, block.grid, field, over))
    return found


ALL_SIDES = [
    FaceSetup(id="top", name="t"),
    FaceSetup(id="bottom", name="u", side="bottom"),
    FaceSetup(id="over", name="o", side="bottom", about="y"),
    FaceSetup(id="front", name="f", side="front"),
    FaceSetup(id="left", name="l", side="left"),
    FaceSetup(id="tilted", name="a", side="angle", angle=35),
]


def margin(side: CutSide, places: np.ndarray) -> np.ndarray:
    """How far (mm) places in stock space lie under the field of a side, and how far its cells let that be doubted."""
    seen = places @ side.matrix[:3, :3].T + side.matrix[:3, 3]
    g = side.grid
    i = np.clip((seen[:, 0] - g.x0) / g.pitch, 0, g.nx - 1.001)
    j = np.clip((seen[:, 1] - g.y0) / g.pitch, 0, g.ny - 1.001)
    i0, j0 = i.astype(int), j.astype(int)
    corners = np.stack([side.field[j0 + dj, i0 + di] for dj in (0, 1) for di in (0, 1)])
    below = corners.min(axis=0) - seen[:, 2]
    above = seen[:, 2] - corners.max(axis=0)
    return np.where(below > 0, below, np.where(above > 0, -above, 0.0))


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10_000), st.integers(0, 5), st.lists(st.integers(0, 5), min_size=1, max_size=3, unique=True))
def test_columns_hold_what_no_side_has_cut(seed: int, seen_from: int, others: list[int]) -> None:
    setup = ALL_SIDES[seen_from]
    sides = sides_at_random(seed, [ALL_SIDES[k] for k in others])
    matrix, size = setup.frame(STOCK).matrix, setup.frame(STOCK).high
    block = box_block((0, 0, 0), tuple(size.tolist()), 0.5)
    if setup.side == "angle":
        block = inside_box(block, matrix, STOCK.size)
    left = cut_by_sides(block, matrix, tuple(sides))
    rng = np.random.default_rng(seed + 1)
    j, i = rng.integers(0, block.grid.ny, 4000), rng.integers(0, block.grid.nx, 4000)
    z = rng.uniform(0, size[2], 4000)
    seen = np.column_stack([block.grid.xs[i], block.grid.ys[j], z])
    places = (seen - matrix[:3, 3]) @ matrix[:3, :3]
    stock = np.minimum(places, np.array(STOCK.size) - places).min(axis=1)
    free = np.minimum.reduce([stock, *(margin(side, places) for side in sides)])
    inside = ((left.low[:, j, i] < z) & (z < left.high[:, j, i])).any(axis=0)
    sure = np.abs(free) > 0.3
    assert sure.mean() > 0.5
    np.testing.assert_array_equal(inside[sure], free[sure] > 0)
    assert (z[free > 0] <= left.bound[j, i][free > 0]).all(), "no material stands over the bound"


@settings(max_examples=6, deadline=None)
@given(st.integers(0, 10_000))
def test_a_place_is_in_the_block_exactly_if_no_cutter_has_been_there(seed: int) -> None:
    rng = np.random.default_rng(seed)
    setups = [ALL_SIDES[k] for k in rng.permutation(6)[:3]]
    sides: tuple[CutSide, ...] = ()
    gone: list[tuple[np.ndarray, np.ndarray]] = []
    for setup in setups:
        matrix, size = setup.frame(STOCK).matrix, setup.frame(STOCK).high
        block = box_block((0, 0, 0), tuple(size.tolist()), 0.3)
        if setup.side == "angle":
            block = inside_box(block, matrix, STOCK.size)
        block = cut_by_sides(block, matrix, sides)
        points = rng.uniform(0.1, 0.9, (12, 3)) * size
        points[:, 2] = size[2] * rng.uniform(0.4, 0.95, 12)
        done = cut_block(block, points, np.ones(11, np.uint8), 0, FLAT).block
        sides = (*sides, CutSide(setup.id, matrix, done.grid, done.cut_field, done.bound))
        gone.append((matrix, points))
    last = setups[-1]
    g, matrix, size = done.grid, last.frame(STOCK).matrix, last.frame(STOCK).high
    j, i = rng.integers(2, g.ny - 2, 1500), rng.integers(2, g.nx - 2, 1500)
    seen = np.column_stack([g.xs[i], g.ys[j], rng.uniform(0, size[2], 1500)])
    places = (seen - matrix[:3, 3]) @ matrix[:3, :3]
    free = np.minimum(places, np.array(STOCK.size) - places).min(axis=1)
    for m, points in gone:
        at = places @ m[:3, :3].T + m[:3, 3]
        for p, q in itertools.pairwise(points):
            for t in np.linspace(0, 1, 150):
                tip = p + t * (q - p)
                beside = np.hypot(*(at[:, :2] - tip[:2]).T) - FLAT.radius
                free = np.minimum(free, np.maximum(beside, tip[2] - at[:, 2]))
    inside = ((done.low[:, j, i] < seen[:, 2]) & (seen[:, 2] < done.high[:, j, i])).any(axis=0)
    sure = np.abs(free) > 0.5
    assert sure.mean() > 0.5
    np.testing.assert_array_equal(inside[sure], free[sure] > 0)


# A part of two faces


def test_both_faces_are_true_and_meet_without_a_ridge(egg) -> None:
    done, whole = egg
    numbers = whole.numbers()
    assert numbers["gouge_max"] <= 0.01
    assert numbers["leftover_p99"] < 0.05 and numbers["within_tolerance"] > 0.95
    assert whole.ridge < 0.02
    for item in done:
        assert all(o.depths[o.kinds == 0].max() < 0.02 for o in item.outcomes), "no rapid in what the side before left"
        assert not [f for f in outcome_findings(item) if f.level == "stop"]
    assert not [f for f in whole_findings(egg_plan(), whole, ROW) if f.level == "stop"]


def test_the_rim_of_the_part_is_true_all_round(egg) -> None:
    """On the parting an ellipsoid is an ellipse: the solid has no step there."""
    _, whole = egg
    part = max(solids(whole), key=lambda piece: piece.volume).mesh.vertices
    near = part[(np.abs(part[:, 2] - 10) < 1.0) & (np.hypot((part[:, 0] - 30) / 20, (part[:, 1] - 22) / 12) < 1.0)]
    off = near - [30, 22, 10]
    away = np.sqrt((off / [18, 10, 7] ** np.array(1)) ** 2 @ np.ones(3)) - 1
    held = np.abs(off[:, 1]) < 4
    assert len(near[~held]) > 200
    assert np.abs(away[~held]).max() * 10 < 0.35, "within a column of the ellipse"


def test_the_part_hangs_by_its_tabs_and_falls_without_them(egg) -> None:
    done, whole = egg
    assert [piece.kind for piece in done[1].proof.pieces] == ["part"]
    assert len(solids(whole)) == 1
    bare = egg_plan(faces=Faces(parting=10, border=6))
    loose, loose_whole = cut(bare)
    codes = {f.code for f in outcome_findings(loose[1])}
    assert "part-free" in codes
    assert len(solids(loose_whole)) == 2
    assert "nothing-holds" in {f.code for f in faces_findings(bare, [])}


def test_too_small_an_overrun_leaves_a_ridge_and_is_told_with_its_height() -> None:
    plan = egg_plan(setups=(egg_setup("a", "top", 10, 0.2), egg_setup("b", "bottom", 30, 0.2)))
    done, whole = cut(plan)
    assert whole.ridge > 0.3
    told = [f for item in done for f in outcome_findings(item) if f.code == "overrun-small"]
    assert len(told) == 2 and told[0].fixes
    assert "ridge" in {f.code for f in whole_findings(plan, whole, ROW)}


def test_the_smallest_overrun_follows_the_rim_of_a_curved_part() -> None:
    """A saddle rises 4 mm at two ends and sinks 4 mm at two sides: the overrun is that and the ball's radius."""
    x, y = np.meshgrid(np.linspace(-15, 15, 61), np.linspace(-10, 10, 41))
    z = 4 * ((x / 15) ** 2 - (y / 10) ** 2)
    top, under = grid_mesh(x, y, z + 1.5), grid_mesh(x, y, z - 1.5)
    saddle = Mesh(
        np.concatenate([top.vertices, under.vertices]),
        np.concatenate([top.faces, under.faces[:, ::-1] + len(top.vertices)]).astype(np.int32),
    )
    plan = egg_plan()
    for setup in plan.setups:
        space = setup_space(plan, setup, work_with(saddle))
        need, reach = smallest_overrun(space, work_with(saddle))
        # The rim of each side is lowest 4 mm below the parting, 1.5 mm of that are its half thickness.
        assert 4 - 1.5 <= need <= 4 - 1.5 + BALL.radius
        assert reach.tip < 10


def test_a_zero_on_what_was_cut_away_is_a_stop() -> None:
    plan = egg_plan()
    second = plan.setups[1].model_copy(update={"zero": Zero(at=(30, 22, 20))})
    done, _ = cut(plan.model_copy(update={"setups": (plan.setups[0], second)}))
    # From below, all of the top face is still there; the middle is not once the underside was cut first.
    assert "zero-gone" not in {f.code for f in outcome_findings(done[1])}
    first = plan.setups[0].model_copy(update={"zero": Zero(at=(30, 22, 20))})
    again = first.model_copy(
        update={
            "id": "c",
            "operations": tuple(o.model_copy(update={"number": o.number + 40}) for o in first.operations),
        }
    )
    twice, _ = cut(plan.model_copy(update={"setups": (plan.setups[0], again)}))
    gone = next(f for f in outcome_findings(twice[1]) if f.code == "zero-gone")
    mended = apply_edit(
        plan.model_copy(update={"setups": (plan.setups[0], again)}), lambda _: quick_look(EGG), gone.fixes[0].edit
    )
    assert mended.setups[1].zero.z == "bottom"


def test_a_border_narrower_than_the_cutter_is_a_stop() -> None:
    plan = egg_plan(faces=Faces(parting=10, border=3))
    box = placed_model(quick_look(EGG).support, plan.models[0], plan.stock)
    codes = {f.code for f in faces_findings(plan, [box])}
    assert "border-narrow" in codes


# How setups hang together


def fields_in_stock(done) -> np.ndarray:
    """Height of the finished part's top and underside on one grid, to be compared."""
    top, under = done
    return np.stack([top.block.cut_field, under.block.cut_field[::-1]])


def on_the_egg(shape: tuple[int, int]) -> tuple[np.ndarray, np.ndarray]:
    """Rows and columns that lie on the egg, well inside its outline."""
    j, i = np.indices(shape)
    x, y = (i + 0.5) * 0.25 - 30, (j + 0.5) * 0.25 - 22
    return np.nonzero((x / 16) ** 2 + (y / 8) ** 2 < 1)


def test_turning_about_x_is_the_mirrored_job_turned_about_y(egg) -> None:
    """The egg is the same in the mirror; so the underside's field must be, too."""
    setups = (egg_setup("a", "top", 10), egg_setup("b", "bottom", 30, about="y"))
    about_y, whole = cut(egg_plan(setups=setups))
    assert turn_between(*setups).axis == "y"
    x, y = egg[0][1].block.cut_field, about_y[1].block.cut_field
    rows, columns = on_the_egg(x.shape)
    assert np.abs(x - y[::-1, ::-1])[rows, columns].max() < 0.03
    assert whole.numbers()["gouge_max"] <= 0.01


def test_the_order_of_the_faces_changes_nothing_of_the_part(egg) -> None:
    swapped, _ = cut(egg_plan(setups=(egg_setup("b", "bottom", 30), egg_setup("a", "top", 10))))
    one, other = fields_in_stock(egg[0]), fields_in_stock(swapped[::-1])
    rows, columns = on_the_egg(one[0].shape)
    assert len(rows) > 3000
    assert np.abs(one - other)[:, rows, columns].max() < 1e-3


def test_a_change_in_the_second_setup_recalculates_nothing_of_the_first() -> None:
    plan = egg_plan()
    made: list[str] = []

    class Counting(MemoryStore):
        def put(self, key, stage, result):
            made.append(key)
            super().put(key, stage, result)

    store = Counting()
    cut(plan, store=store)
    finer = plan.setups[1].model_copy(update={"clearance": 9.0})
    changed = plan.model_copy(update={"setups": (plan.setups[0], finer)})
    first = stages_of(plan)["a"]
    made.clear()
    cut(changed, store=store)
    mine = {item.key for own in first.operations.values() for item in (own.passes, own.path, own.moves, own.block)}
    assert not mine & set(made)
    assert stages_of(changed)["b"].operations[30].path.key in made


def test_a_plan_of_version_3_cuts_its_back_as_before() -> None:
    """The back came up with the stock rotated on the bed besides; its zero stays on the same corner of the stock."""
    document = egg_plan(setups=(egg_setup("a", "top", 10),), faces=None).model_dump(mode="json")
    document |= {"schema_version": 3}
    document["setups"][0] |= {"side": "back", "zero": {"x": "low", "y": "high", "z": "top", "at": None}}
    for setup in document["setups"]:
        for item in setup["operations"]:
            item["boundary"]["boundary"] = "silhouette"
    zero = parse_plan(document).setups[0].zero
    assert (zero.x, zero.y, zero.z) == ("high", "low", "top")


def test_the_block_of_a_tilted_setup_is_the_stock_at_that_angle() -> None:
    plan = egg_plan(setups=(egg_setup("a", "angle", 10, angle=30),), faces=None)
    space = setup_space(plan, plan.setups[0], work_with(EGG))
    block = kind_of(space.setup).first_block(space.plan)
    volume = float((block.high - block.low).sum()) * block.grid.pitch**2
    assert volume == pytest.approx(60 * 44 * 20, rel=5e-3)


def test_a_round_bar_at_an_angle_about_its_axis_is_as_thick_as_before() -> None:
    bar = Stock(kind="round", length=60, width=20, thickness=20)
    setup = egg_setup("a", "angle", 10, angle=35)
    assert setup.frame(bar).high == pytest.approx([60, 20, 20])
    plan = egg_plan(stock=bar, setups=(setup,), faces=None)
    block = kind_of(setup).first_block(plan)
    volume = float((block.high - block.low).sum()) * block.grid.pitch**2
    assert volume == pytest.approx(60 * np.pi * 100, rel=5e-3)


def test_the_underside_of_the_cutters_in_these_tests_is_flat() -> None:
    assert underside_of(FLAT.profile, np.array([1.0]))[0] == 0


def test_a_tab_that_ends_before_the_frame_is_a_stop() -> None:
    near, far = FaceTab(id="near", at=(41, 22, 10), angle=0, width=5, thickness=3, inward=2), egg_plan().faces.tabs[1]
    plan = egg_plan(faces=Faces(parting=10, border=6, tabs=(near, far)))
    _, whole = cut(plan)
    assert "tab-short" in {item.code for item in whole_findings(plan, whole, ROW)}
    assert "tab-short" not in {item.code for item in whole_findings(egg_plan(), whole, ROW)}


def test_of_four_faces_both_ends_of_the_stock_are_held() -> None:
    sides = tuple(
        egg_setup(key, side, 10 + 20 * k)
        for k, (key, side) in enumerate(zip("abcd", ["top", "front", "bottom", "back"], strict=True))
    )
    plan = egg_plan(setups=sides)
    held = {item.code for item in faces_findings(plan, [])}
    one = plan.model_copy(update={"faces": Faces(parting=10, border=6, tabs=plan.faces.tabs[:1])})
    found = [item.text for item in faces_findings(one, []) if item.code == "end-not-held"]
    assert "end-not-held" not in held and len(found) == 1 and "left" in found[0]


def test_what_no_side_reaches_is_shown_where_it_is() -> None:
    """A slot 1 mm wide round the egg's middle: the 3 mm ball stays out of it."""
    waist = EGG.vertices.copy()
    inner = np.abs(waist[:, 0]) < 0.8
    waist[inner, 1:] *= 0.8
    plan = egg_plan()
    _, whole = cut(plan, Mesh(waist, EGG.faces))
    found = next(item for item in whole_findings(plan, whole, ROW) if item.code == "no-side-reaches")
    assert found.place is not None
    assert all(0 <= value <= side for value, side in zip(found.place, plan.stock.size, strict=True))


def test_each_surface_of_the_finished_part_names_the_setup_that_left_it(egg) -> None:
    _, whole = egg
    mesh = solids(whole)[0].mesh
    owner, missed = whole.makers(mesh.vertices)
    centre = np.array([STOCK.length, STOCK.width, STOCK.thickness]) / 2
    off = mesh.vertices - centre
    on_egg = np.abs((off / [18, 10, 7]) ** 2 @ np.ones(3) - 1) < 0.05
    # Off the rim, where the balls of both come.
    high, low = on_egg & (off[:, 2] > 2.5), on_egg & (off[:, 2] < -2.5)
    assert high.sum() > 100 and (owner[high] == 0).mean() > 0.99
    assert low.sum() > 100 and (owner[low] == 1).mean() > 0.99
    corners = (np.abs(off[:, :2]) > [29.5, 21.5]).any(axis=1)
    assert corners.any() and (owner[corners] == UNCUT).all()
    assert missed[on_egg].mean() < 0.05


def test_progress_is_told_as_data_by_setup_and_operation() -> None:
    told: list[tuple[Step, float, float]] = []
    work = Work(MemoryStore(), note=lambda step, low, high: told.append((step, low, high)))
    list(run_plan(egg_plan(pitch=0.7), lambda _: EGG, work))
    steps = [step for step, _, _ in told]
    assert [(s.setup, s.operation) for s in steps if s.stage == "operation"] == [
        ("a", 10),
        ("a", 20),
        ("b", 30),
        ("b", 40),
    ]
    assert [s.stage for s in steps if s.setup == "b"] == ["place", "operation", "operation", "compare", "post"]
    lows = [low for _, low, _ in told]
    assert lows == sorted(lows) and told[-1][2] == 1.0


def test_a_tab_beside_a_hollow_holds_where_it_touches() -> None:
    """The middle of its end lies in the bowl of a spoon: what counts is whether any of it is in the part."""
    mesh = box_mesh((0, 0, 0), (40, 20, 10))
    hollow = box_mesh((30, 5, 4), (39.9, 15, 10.1))
    bowl = Mesh(
        np.concatenate([mesh.vertices, hollow.vertices]),
        np.concatenate([mesh.faces, hollow.faces[:, ::-1] + len(mesh.vertices)]).astype(np.int32),
    )
    out = np.array([1.0, 0.0, 0.0])
    tab = FaceTab(id="t", at=(39.9, 10, 7), angle=0, width=8, thickness=4, inward=2)
    assert not _touches(bowl, np.array([[38.9, 10.0, 7.0]]), 0.3), "its middle is in the hollow"
    assert not _touches(bowl, _inner_places(tab.model_copy(update={"at": (39.8, 10.0, 14.0)}), out), 0.3)
    assert _touches(bowl, _inner_places(tab.model_copy(update={"at": (39.9, 4.0, 7.0)}), out), 0.3)
