"""Outlines, boundaries, tabs and cutting out: what stays, what goes, what holds."""

import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from cutting import from_zero
from graph import outline, work_with
from meshes import box_mesh
from nephos.command.warm import small_hill
from nephos.core.cutters import standard_cutter
from nephos.core.errors import Refused
from nephos.core.findings.plan_checks import operation_findings
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.model import Mesh, joined
from nephos.core.plan.boundary import Boundary, Combine, Limit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.post.read import read_program
from nephos.core.stages.outline import OperationOutlines, OutlineStage, region_of
from nephos.core.stages.run import run_setup
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.space import setup_space
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.strategies.cut_out import CutOutSettings, shown_tabs
from nephos.core.strategies.following.cut_path import cut_levels
from nephos.core.strategies.following.tabs import (
    Tab,
    bend,
    loops_from,
    loops_of,
    over_tabs,
    places_on,
    point_on,
    ramping_down,
    rim_of,
    tabs_on,
)
from nephos.core.surface.silhouette import silhouette

pytestmark = pytest.mark.long


def solid(made: trimesh.Trimesh) -> Mesh:
    return Mesh(np.asarray(made.vertices, float), np.asarray(made.faces, np.int32))


DISC = solid(trimesh.creation.cylinder(radius=20, height=6, sections=256))
RING = solid(trimesh.creation.annulus(r_min=10, r_max=20, height=6, sections=256))


def turned(mesh: Mesh, *angles: float) -> Mesh:
    matrix = trimesh.transformations.euler_matrix(*np.radians(angles))
    return mesh.moved(matrix)


@pytest.mark.parametrize(
    ("mesh", "area"),
    [
        (box_mesh((0, 0, 0), (30, 20, 10)), 600),
        (small_hill(), 24 * 24),
        (turned(small_hill(), 180, 0, 0), 24 * 24),
        (joined([box_mesh((0, 0, 0), (10, 10, 5)), box_mesh((5, 5, 7), (15, 15, 9))]), 175),
        (joined([box_mesh((0, 0, 0), (10, 10, 5)), box_mesh((40, 0, 0), (50, 10, 5))]), 200),
        # A box on its corner shows a regular hexagon: sqrt(3) of the square of its side.
        (turned(box_mesh((0, 0, 0), (10, 10, 10)), 45, -35.264389682754654, 0), 100 * np.sqrt(3)),
    ],
)
def test_the_area_of_a_silhouette_is_what_geometry_says(mesh: Mesh, area: float) -> None:
    assert silhouette(mesh.vertices, mesh.faces).area == pytest.approx(area, rel=1e-6)


def test_a_silhouette_has_the_holes_that_one_sees_through() -> None:
    shape = silhouette(RING.vertices, RING.faces)
    assert len(shape.interiors) == 1 and shape.area == pytest.approx(np.pi * 300, rel=1e-3)
    # Every vertex of it is one of the mesh's own: no staircase.
    known = {tuple(point) for point in np.round(RING.vertices[:, :2], 9)}
    assert all(tuple(point) in known for point in np.round(shapely.get_coordinates(shape), 9))


@settings(max_examples=25, deadline=None)
@given(st.tuples(*[st.floats(0, 360)] * 3), st.integers(1, 40))
def test_a_silhouette_is_the_union_of_all_triangles(angles, seed) -> None:
    rough = solid(trimesh.creation.icosphere(subdivisions=2, radius=10))
    points = rough.vertices * np.random.default_rng(seed).uniform(0.6, 1.4, (len(rough.vertices), 1))
    mesh = turned(Mesh(points, rough.faces), *angles)
    # The reference is joined on a grid: next to nothing (1e-212) is too much for joining it exactly.
    every = shapely.union_all(shapely.polygons(mesh.vertices[mesh.faces][:, :, :2]), grid_size=1e-9)
    assert silhouette(mesh.vertices, mesh.faces).symmetric_difference(every).area < 1e-6 * every.area


def test_a_rough_mesh_is_sieved_and_its_outline_stays_exact(monkeypatch: pytest.MonkeyPatch) -> None:
    made = trimesh.creation.icosphere(subdivisions=6, radius=30)
    noise = np.random.default_rng(2).normal(0, 0.05, (len(made.vertices), 1))
    mesh = solid(trimesh.Trimesh(made.vertices * (1 + noise / 30), made.faces, process=False))
    import nephos.core.surface.silhouette as module

    whole = silhouette(mesh.vertices, mesh.faces)
    monkeypatch.setattr(module, "MANY", 100)
    sieved = silhouette(mesh.vertices, mesh.faces)
    assert sieved.symmetric_difference(whole).area < 1e-3 and whole.area == pytest.approx(np.pi * 900, rel=0.01)
    # Past counting: no nearer than a cell, and never inside.
    monkeypatch.setattr(module, "TOO_MANY", 10)
    coarse = silhouette(mesh.vertices, mesh.faces)
    cell = 60 / 2400
    assert (
        whole.difference(coarse).area < 0.05 * cell * whole.length
        and coarse.difference(whole.buffer(1.5 * cell)).area == 0
    )


def plan_with(*boundaries: Boundary, **changes) -> Plan:
    return Plan(
        stock=Stock(length=70, width=60, thickness=10),
        models=(Model(id="m1", name="disc", mesh="d"),),
        boundaries=boundaries,
        setups=(FaceSetup(id="a", name="a"),),
    ).model_copy(update=changes)


def outline_key(plan: Plan) -> str:
    return OutlineStage.of(plan, plan.setups[0], "b").key


def area_of(mesh: Mesh, *boundaries: Boundary) -> float:
    return float(outline(plan_with(*boundaries), boundaries[0].id, mesh).area)


def test_boundaries_with_known_areas() -> None:
    ring = np.pi * 300

    def only(**words) -> float:
        return area_of(RING, Boundary(id="b", name="b", **words))

    assert only() == pytest.approx(ring, rel=2e-3)
    assert only(outer_only=True) == pytest.approx(np.pi * 400, rel=2e-3)
    assert only(offset=2.0) == pytest.approx(np.pi * (22**2 - 8**2), rel=2e-3)
    assert only(offset=-2.0) == pytest.approx(np.pi * (18**2 - 12**2), rel=2e-3)
    assert only(drop_under=400) == pytest.approx(np.pi * 400, rel=2e-3)
    assert only(source="box") == pytest.approx(1600, rel=1e-3)
    assert only(source="stock") == pytest.approx(4200)
    assert only(source="rectangle", size=(20, 10), offset=3, corners="sharp") == pytest.approx(26 * 16)
    assert only(source="rectangle", size=(20, 10), offset=3) == pytest.approx(26 * 16 - (4 - np.pi) * 9, rel=1e-3)
    assert only(source="circle", size=(20, 20)) == pytest.approx(np.pi * 100, rel=1e-3)


def test_a_slice_is_what_stands_above_a_height() -> None:
    cone = solid(trimesh.creation.cone(radius=20, height=10, sections=256))
    found = area_of(cone, Boundary(id="b", name="b", source="slice", height=4.0))
    assert found == pytest.approx(np.pi * 12**2, rel=2e-3)


@pytest.mark.parametrize(
    ("how", "area"), [("join", np.pi * 400 + 400 - 200 * np.pi / 4), ("cut", None), ("intersect", None)]
)
def test_boundaries_are_joined_cut_and_intersected(how: str, area: float | None) -> None:
    # A square of 20 whose corner lies in the middle of the disc.
    square = Boundary(id="s", name="s", source="rectangle", at=(45, 40), size=(20, 20))
    disc = shapely.Point(35, 30).buffer(20, quad_segs=400)
    box = shapely.box(35, 30, 55, 50)
    expected = {"join": disc.union(box), "cut": disc.difference(box), "intersect": disc.intersection(box)}[how].area
    found = area_of(DISC, Boundary(id="b", name="b", combine=(Combine(how=how, boundary="s"),)), square)
    assert found == pytest.approx(expected, rel=2e-3)


def test_a_boundary_follows_its_model_and_another_name_changes_nothing() -> None:
    a, b = Boundary(id="b", name="b"), Boundary(id="b", name="another")
    assert outline_key(plan_with(a)) == outline_key(plan_with(b))
    moved = (Model(id="m1", name="d", mesh="d", placement=Placement(offset=(5, 0, -1))),)
    assert outline_key(plan_with(a, models=moved)) != outline_key(plan_with(a))
    before, after = (outline(plan, "b", DISC) for plan in (plan_with(a), plan_with(a, models=moved)))
    shift = after.centroid.x - before.centroid.x
    assert shift == pytest.approx(5, abs=1e-6)


def test_boundaries_that_cannot_be_are_refused_in_words() -> None:
    for boundary, said in (
        (Boundary(id="b", name="rim", offset=-30), "'rim' is empty"),
        (Boundary(id="b", name="rim", models=("gone",)), "models of the boundary"),
        (Boundary(id="b", name="rim", combine=(Combine(boundary="b"),)), "made of itself"),
        (Boundary(id="b", name="rim", combine=(Combine(boundary="x"),)), "no longer in the job"),
    ):
        with pytest.raises(Refused, match=said):
            area_of(DISC, boundary)


@pytest.mark.parametrize(
    ("contain", "plus", "radius"), [("outside", 0, 23), ("centre", 0, 20), ("inside", 0, 17), ("outside", 1.5, 24.5)]
)
def test_the_cutter_keeps_to_its_boundary(contain: str, plus: float, radius: float) -> None:
    operation = Operation.model_validate(
        {
            "number": 10,
            "strategy": "finish_raster",
            "cutter": standard_cutter("ball", 6),
            "settings": {},
            "boundary": {"boundary": "silhouette", "contain": contain, "offset": plus},
        }
    )
    plan, work = plan_with(), work_with(DISC)
    outlines = OperationOutlines.of(plan, plan.setups[0], operation)
    found = region_of(setup_space(plan, plan.setups[0], work), work, operation, outlines)
    assert found.area == pytest.approx(np.pi * radius**2, rel=2e-3)


# --- tabs

SQUARE = np.array([[0, 0], [40, 0], [40, 40], [0, 40], [0, 0]], float)


EVEN = np.ones(len(SQUARE))


def tabs_round(count: int, length: float, shift: float = 0.0) -> list[Tab]:
    return tabs_on(SQUARE, SQUARE, places_on(SQUARE, EVEN, count, length, shift), length)


def test_tabs_stand_on_straight_stretches_never_on_a_corner() -> None:
    for count in (1, 2, 3, 4, 5, 8):
        tabs = tabs_round(count, 6.0)
        assert len(tabs) == count
        for tab in tabs:
            assert 3.0 <= tab.at % 40 <= 37.0, "the whole tab lies on one side"
    assert bend(SQUARE, 6.0)[1].max() == pytest.approx(np.pi / 2)
    assert len(tabs_round(100, 6.0)) == int(160 / 9)


def test_tabs_stand_where_the_part_is_thick() -> None:
    """A square whose left half is a tenth as thick as its right."""
    rim = rim_of(shapely.box(0, 0, 40, 40).segmentize(1.0))
    thick = np.where(rim[:, 0] > 20, 10.0, 1.0)
    assert point_on(rim, places_on(rim, thick, 1, 6.0)[0])[0] > 20


def test_places_are_counted_from_the_rightmost_point_whatever_the_zero() -> None:
    piece = shapely.Point(5, 5).buffer(3)
    for shift in (0.0, 100.0):
        rim = rim_of(affinity.translate(piece, shift, -shift))
        assert point_on(rim, 0.0) == pytest.approx([8 + shift, 5 - shift]) and point_on(rim, 0.25) == pytest.approx(
            [5 + shift, 8 - shift], abs=0.01
        )


def test_tabs_set_one_by_one_stay_where_they_were_put() -> None:
    done = cut(DISC, tabs=4, tab_places=((0, 0.0), (0, 0.25)), tab_length=6.0, tab_height=3.0)
    rho, angle = places(done)
    slot = (rho > 22) & (rho < 24) & (done.block.empty == 0)
    off = [np.abs((np.degrees(angle[slot]) - where + 180) % 360 - 180) for where in (0, 90)]
    assert np.minimum(*off).max() < 20 and off[0].min() < 1 > off[1].min(), "at the two places and nowhere else"
    assert CutOutSettings(tab_places=((0, 0.1),)).tab_count == 1


def test_what_is_shown_of_tabs_is_what_is_cut() -> None:
    outline = shapely.Point(30, 30).buffer(20, quad_segs=64)
    rim = rim_of(outline)
    found = shown_tabs(rim, np.array([len(rim)]), np.ones(len(rim)), CutOutSettings(tabs=5), standard_cutter("flat", 6))
    assert len(found) == 5 and all(abs(np.hypot(x - 30, y - 30) - 20) < 0.02 for _, _, (x, y) in found)


WASHER = solid(trimesh.creation.annulus(r_min=16, r_max=22, height=6, sections=256))


def test_what_falls_out_of_a_hole_is_held_by_its_own_tabs() -> None:
    held = cut(WASHER, tabs=4, hole_tabs=2, tab_length=5.0, tab_height=3.0)
    rho, angle = places(held)
    slot = (rho > 11) & (rho < 15) & (held.block.empty == 0)
    assert slot.any(), "something of the slot in the hole stands"
    turns = np.sort(np.degrees(angle[slot]) % 360)
    gaps = np.diff(np.append(turns, turns[0] + 360))
    assert (gaps > 60).sum() == 2, "at two places round it"
    assert sum(abs(np.hypot(*np.subtract(tab.middle, (35, 30))) - 13) < 0.2 for tab in held.tabs) == 2
    assert not {"scrap-free", "part-free", "tab-gone", "tab-on-nothing"} & {
        finding.code for finding in outcome_findings(held)
    }
    free = cut(WASHER, tabs=4, tab_length=5.0, tab_height=3.0)
    assert "scrap-free" in {finding.code for finding in outcome_findings(free)}, (
        "without them the slug comes free, and that is told"
    )


def test_an_inside_cut_is_held_by_tabs_in_holes_only() -> None:
    rim = rim_of(shapely.Point(0, 0).buffer(30))
    shown = [
        len(
            shown_tabs(
                rim,
                np.array([len(rim)]),
                np.ones(len(rim)),
                CutOutSettings(side="inside", tabs=4, hole_tabs=count),
                standard_cutter("flat", 6),
            )
        )
        for count in (0, 3)
    ]
    assert shown == [0, 3]


def test_the_loops_of_an_outline_are_known_by_their_turn() -> None:
    outline = shapely.union_all(
        [shapely.Point(0, 0).buffer(20).difference(shapely.Point(0, 0).buffer(8)), shapely.box(40, 0, 50, 10)]
    )
    loops = loops_of(outline)
    assert [loop.hole for loop in loops] == [False, False, True]
    kept = loops_from(np.concatenate([loop.rim for loop in loops]), np.cumsum([len(loop.rim) for loop in loops]))
    assert [loop.hole for loop in kept] == [False, False, True]
    assert all(np.array_equal(a.rim, b.rim) for a, b in zip(loops, kept, strict=True))


@settings(max_examples=30, deadline=None)
@given(st.integers(1, 6), st.floats(-100, 100), st.floats(0, 1.5), st.floats(0.5, 4))
def test_over_tabs_the_way_is_never_lower_than_tab_and_level(count, shift, slope, height) -> None:
    tabs = tabs_round(count, 6.0, shift)
    points = over_tabs(SQUARE, -8.0, tabs, -8.0 + height, slope)
    assert points[:, 2].min() == pytest.approx(-8.0) and points[:, 2].max() == pytest.approx(-8.0 + height)
    along = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(points[:, :2], axis=0).T))])
    up = np.interp(np.arange(0, 160, 0.01), along, points[:, 2]) > -8.0 + height - 1e-6
    assert up.sum() * 0.01 == pytest.approx(6.0 * count, abs=0.05 * count)


def test_ramping_down_cuts_every_level_all_round_and_never_steeper() -> None:
    levels = [-2.0, -4.0, -6.0]
    points = ramping_down(SQUARE, levels, [], 0.0, 0.0, rise=19.08)
    steps = np.diff(points, axis=0)
    length = np.hypot(steps[:, 0], steps[:, 1])
    assert (np.abs(steps[:, 2]) <= length / 19.08 + 1e-9).all() and (steps[:, 2] <= 1e-12).all()
    for level in levels:
        flat = np.abs(points[:-1, 2] - level) + np.abs(points[1:, 2] - level) < 1e-9
        assert length[flat].sum() >= 160 - 1e-6


def test_most_of_a_way_is_cut_all_round_and_what_stands_higher_by_itself() -> None:
    tops, lengths = np.array([-3.0, -3.0, -3.0, 0.0]), np.array([10.0, 10.0, 10.0, 20.0])
    above, levels = cut_levels(tops, lengths, -11.0, 2.0, -11.0)
    assert above == pytest.approx([-1.5, -3.0]) and levels == pytest.approx([-5, -7, -9, -11])
    for steps in (np.diff([0.0, *above]), np.diff([-3.0, *levels])):
        assert (steps >= -2.0 - 1e-9).all(), "none is deeper than the stepdown"
    above, levels = cut_levels(tops, lengths * [1, 1, 1, 2], -11.0, 2.0, -11.0)
    assert above == [] and levels[-1] == -11.0, "where most stands high, all of it is cut from there"
    above, levels = cut_levels(np.array([-10.0, -10.0, 0.0]), np.ones(3), -11.0, 2.0, -8.0)
    assert above[-1] == pytest.approx(-8.0) and levels[0] > -11, "tabs stand in what is cut all round"
    assert cut_levels(np.array([-np.inf, -np.inf, -9.0]), np.ones(3), -11.0, 2.0, -11.0) == ([-11.0], [-11.0])


# --- the whole operation


def cut(mesh: Mesh, shape: str = "flat", diameter: float = 6, boundary: str = "silhouette", **words) -> SetupOutcome:
    values = {"stepdown": 3.0, "tabs": 4, "tab_length": 6.0, "tab_height": 2.0} | words
    operation = Operation(
        number=10,
        strategy="cut_out",
        cutter=standard_cutter(shape, diameter),
        boundary=Limit(boundary=boundary),
        settings=values,
    )
    plan = Plan(
        stock=Stock(length=70, width=60, thickness=10),
        models=(Model(id="m1", name="disc", mesh="d"),),
        pitch=0.2,
        setups=(FaceSetup(id="a", name="a", operations=(operation,)),),
    )
    return run_setup(plan, plan.setups[0], lambda _: mesh, Work(MemoryStore()))


def places(done: SetupOutcome) -> tuple[np.ndarray, np.ndarray]:
    """Distance of each column from the middle of the disc, and its angle."""
    g = done.block.grid
    x, y = np.meshgrid(g.xs - 35, g.ys - 30)
    return np.hypot(x, y), np.arctan2(y, x)


def test_the_part_is_untouched_and_free_but_for_its_tabs() -> None:
    done = cut(DISC)
    r, angle = places(done)
    assert (from_zero(done).block.top[r < 19.9] == 0).all(), "nothing of the part is cut"
    kerf = (r > 20.3) & (r < 25.7)
    left = kerf & (done.block.empty == 0)
    # Four tabs of 6 mm with shoulders of 45 degrees, each under 2 mm high, on the stock's underside.
    assert from_zero(done).block.top[left].max() <= -8 + 0.01 and from_zero(done).block.bottom[left].min() == -10
    full = kerf & (from_zero(done).block.top > -8.01)
    assert len(np.unique(np.round(angle[full] / (np.pi / 2) - 0.13))) <= 8
    width = full.sum() * 0.04 / 5.4
    assert width == pytest.approx(4 * 6.0, rel=0.3)
    assert done.comparison.numbers()["gouge_max"] <= 0.01
    assert not [f for f in outcome_findings(done) if f.level == "stop"]


def test_the_way_lies_a_radius_from_the_part_and_the_program_says_so() -> None:
    done = cut(DISC, allowance=0.5)
    reading = read_program(done.programs[0].text)
    points = reading.points[1:][reading.rapid == 0]
    radius = np.hypot(points[:, 0] - 35, points[:, 1] - 30)
    assert radius.min() == pytest.approx(23.5, abs=0.01) and radius.max() == pytest.approx(23.5, abs=0.01)
    assert np.nanmin(reading.points[:, 2]) == pytest.approx(-10.3)


def test_a_skin_is_left_all_round_instead_of_tabs() -> None:
    done = cut(DISC, skin=0.4, tabs=0)
    r, _ = places(done)
    kerf = (r > 20.3) & (r < 25.7)
    assert np.allclose(from_zero(done).block.top[kerf], -9.6, atol=1e-3) and not done.block.empty[kerf].any()


def test_holes_are_cut_before_outlines() -> None:
    done = cut(RING, diameter=4)
    points = done.outcomes[0].points[1:][done.outcomes[0].kinds == 1]
    radius = np.hypot(points[:, 0] - 35, points[:, 1] - 30)
    inner, outer = np.flatnonzero(radius < 10), np.flatnonzero(radius > 20)
    assert inner.max() < outer.min() and radius[inner].max() == pytest.approx(8, abs=0.02)
    r, _ = places(done)
    assert done.block.empty[(r > 6.3) & (r < 9.7)].all(), "a hole needs no tabs: its core lies loose"


def test_climbing_leaves_the_part_on_the_right() -> None:
    def runs(**words) -> float:
        points = cut(DISC, tabs=0, **words).outcomes[0]
        ring = points.points[1:][points.kinds == 1][:, :2] - [35, 30]
        return float(np.sum(ring[:-1, 0] * ring[1:, 1] - ring[1:, 0] * ring[:-1, 1]))

    # With the part inside, clockwise (negative) keeps it on the right.
    assert runs() < 0 < runs(direction="conventional")


def test_the_finishing_turn_takes_the_last_off_with_arcs_on_and_off() -> None:
    done = cut(DISC, turn=0.4, lead=3.0, tabs=0)
    points = done.outcomes[0].points[1:][done.outcomes[0].kinds == 1]
    radius = np.hypot(points[:, 0] - 35, points[:, 1] - 30)
    assert radius.min() == pytest.approx(23.0, abs=0.01), "no arc comes nearer to the part"
    assert (np.abs(radius - 23.4) < 0.01).any() and radius.max() > 24.5
    r, _ = places(done)
    assert (from_zero(done).block.top[r < 19.9] == 0).all()


def test_no_cut_out_gouges_even_where_its_boundary_lies_on_the_part() -> None:
    done = cut(small_hill(cells=60), boundary="box", side="inside", tabs=0, through=0.0)
    assert done.comparison.numbers()["gouge_max"] <= 0.011


def test_findings_on_what_holds_the_part() -> None:
    def codes(**words) -> set[str]:
        plan = cut(DISC, **words).space.plan
        return {item.code for item in operation_findings(plan, plan.setups[0])} - {"no-finish"}

    assert (
        codes() == set() and codes(skin=0.3, tabs=0) == set() and codes(tabs=0, side="inside", boundary="box") == set()
    )
    assert codes(tabs=0) == {"nothing-holds"}
    assert codes(tabs=1, tab_length=0.4, tab_height=0.3) == {"tabs-weak"}


def test_a_cutter_that_does_not_fit_or_finds_nothing_says_so() -> None:
    with pytest.raises(Refused, match="does not fit inside"):
        cut(DISC, diameter=60, side="inside")


def test_limits_of_version_1_mean_the_same() -> None:
    def upgraded(boundary: dict) -> Limit:
        operation = {
            "number": 10,
            "strategy": "finish_raster",
            "cutter": standard_cutter("ball", 3).model_dump(),
            "settings": {},
            "boundary": boundary,
        }
        plan = parse_plan(
            {
                "schema_version": 1,
                "stock": {"length": 9, "width": 9, "thickness": 9},
                "setups": [{"id": "a", "name": "a", "operations": [operation]}],
            }
        )
        return plan.setups[0].operations[0].boundary

    assert upgraded({"kind": "model", "margin": None}) == Limit()
    assert upgraded({"kind": "model", "margin": 2.0}) == Limit(offset=0.5)
    assert upgraded({"kind": "stock"}) == Limit(boundary="stock", contain="centre")
