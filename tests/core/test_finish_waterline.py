"""Waterline finishing on surfaces with known contours."""

import numpy as np
import pytest
import shapely
import trimesh

from cutting import from_zero, worst_gouge
from meshes import ALL_SHAPES, box_mesh, grid_mesh
from nephos.command.warm import small_hill
from nephos.core.cutters import standard_cutter
from nephos.core.errors import Refused
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.model import Mesh
from nephos.core.parallel import silent
from nephos.core.plan.boundary import Boundary, Limit
from nephos.core.plan.model import Model
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.stages.run import run_setup
from nephos.core.stages.setup_outcome import Outcome, SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.strategies.clearing.levels import contour_generator, refine_contour, tip_field
from nephos.core.strategies.finish_waterline import _Bounds, _contour_step, _runs
from nephos.core.strategies.following.wall_order import in_order
from nephos.core.surface.drop import drop_points
from nephos.core.surface.index import build_index
from nephos.core.toolpath import Pass

pytestmark = pytest.mark.long


def solid(made: trimesh.Trimesh) -> Mesh:
    return Mesh(np.asarray(made.vertices, float), np.asarray(made.faces, np.int32))


CONE = solid(trimesh.creation.cone(radius=20, height=20, sections=400))


def finished(
    mesh: Mesh,
    shape: str = "ball",
    diameter: float = 6,
    thickness: float = 24,
    inside: Boundary | None = None,
    **words,
) -> SetupOutcome:
    operation = Operation(
        number=10,
        strategy="finish_waterline",
        cutter=standard_cutter(shape, diameter),
        boundary=Limit() if inside is None else Limit(boundary=inside.id, contain="centre"),
        settings={"stepdown": 1.0} | words,
    )
    plan = Plan(
        stock=Stock(length=70, width=70, thickness=thickness),
        models=(Model(id="m1", name="m", mesh="m"),),
        boundaries=() if inside is None else (inside,),
        pitch=0.2,
        setups=(FaceSetup(id="a", name="a", operations=(operation,)),),
    )
    return run_setup(plan, plan.setups[0], lambda _: mesh, Work(MemoryStore()))


def cut_points(done: SetupOutcome) -> np.ndarray:
    outcome = done.outcomes[0]
    return outcome.points[1:][outcome.kinds == 1] - done.space.zero


@pytest.mark.parametrize(("shape", "offset"), [("ball", 3 * np.sqrt(2) - 3), ("flat", 3.0)])
def test_the_contours_of_a_cone_are_circles_where_geometry_says(shape: str, offset: float) -> None:
    points = cut_points(finished(CONE, shape))
    radius = np.hypot(points[:, 0] - 35, points[:, 1] - 35)
    over_foot = points[:, 2] + 21
    # The centre of a ball lies its radius from the slope of 45 degrees; a flat cutter's edge touches it.
    expected = 20 - over_foot + offset
    whole = over_foot < 16
    assert np.abs(radius - expected)[whole].max() < 0.012
    assert len(np.unique(np.round(points[:, 2], 2))) in {20, 21}


@pytest.mark.parametrize("shape", ["ball", "flat"])
def test_no_contour_gouges(shape: str) -> None:
    for mesh, thickness in ((CONE, 24), (small_hill(cells=80), 8)):
        done = finished(mesh, shape, diameter=3, thickness=thickness, stepdown=0.5, steeper=5)
        assert done.comparison.numbers()["gouge_max"] <= 0.01
        assert not [f for f in outcome_findings(done) if f.level == "stop"], "and no rapid goes through the block"


def test_stock_to_leave_is_square_to_the_surface() -> None:
    points = cut_points(finished(CONE, leave=0.5))
    radius = np.hypot(points[:, 0] - 35, points[:, 1] - 35)
    grown = 20 - (points[:, 2] + 21) + 3.5 * np.sqrt(2) - 3
    assert np.abs(radius - grown)[points[:, 2] < -6].max() < 0.012


def test_shallow_ground_is_left_to_lines() -> None:
    dome = solid(trimesh.creation.icosphere(subdivisions=6, radius=20))
    points = cut_points(finished(dome, thickness=45, steeper=40, overlap=0.0))
    # The tip of a ball on a sphere lies where the surface has the slope of its own: rho / (R + r) is its sine.
    slope = np.degrees(np.arcsin(np.clip(np.hypot(points[:, 0] - 35, points[:, 1] - 35) / 23, 0, 1)))
    assert slope.min() > 39 and slope.max() > 80
    with pytest.raises(Refused, match="steeper than 80"):
        finished(small_hill(), diameter=3, thickness=8, steeper=80, overlap=0)


def test_one_wall_is_finished_to_its_foot_before_the_next() -> None:
    def ring(x: float, z: float) -> np.ndarray:
        a = np.linspace(0, 2 * np.pi, 30)
        return np.column_stack([x + np.cos(a), np.sin(a), np.full(30, z)])

    levels = [[Pass(ring(x, -k), closed=True) for x in (0, 50)] for k in range(4)]
    order = [(round(float(item.points[:, 0].mean())), float(item.start[2])) for item in in_order(levels, reach=5)]
    assert [side > 25 for side, _ in order] == [False] * 4 + [True] * 4
    assert [z for _, z in order] == [0, -1, -2, -3] * 2


def test_open_walls_cut_both_ways_take_fewer_rapids_and_gouge_nothing() -> None:
    half = Boundary(id="b1", name="half", source="rectangle", at=(35.0, 20.0), size=(70.0, 30.0))
    rapids, cut = {}, {}
    for direction in ("climb", "both"):
        done = finished(CONE, inside=half, direction=direction)
        assert worst_gouge(done) <= 0.01
        assert not [item for item in outcome_findings(done) if item.level == "stop"]
        outcome = done.outcomes[0]
        steps = np.linalg.norm(np.diff(outcome.points[1:], axis=0), axis=1)
        rapids[direction] = float(np.nansum(steps[outcome.kinds[1:] == 0]))
        cut[direction] = float(np.nansum(steps[outcome.kinds[1:] == 1]))
    assert rapids["both"] < 0.3 * rapids["climb"]
    assert cut["both"] == pytest.approx(cut["climb"], rel=0.05)


@pytest.mark.parametrize("both", [True, False])
def test_along_an_open_wall_the_cutter_goes_to_and_fro_where_it_may(both) -> None:
    levels = [[Pass(np.array([[0.0, 0, -k], [40, 0, -k]]))] for k in range(4)]
    starts = [float(item.start[0]) for item in in_order(levels, reach=50, both=both)]
    assert starts == ([0, 40, 0, 40] if both else [0, 0, 0, 0])


def test_a_closed_contour_is_cut_open_where_it_is_shallow_not_at_its_seam() -> None:
    square = np.array([[0, 0], [1, 0], [1, 1], [0, 1], [0, 0]], float)
    (run,) = _runs(square, np.array([True, True, False, True]))
    assert run.tolist() == [[0, 1], [0, 0], [1, 0], [1, 1]]
    assert _runs(square, np.ones(4, bool))[0] is square and _runs(square, np.zeros(4, bool)) == []


def test_along_an_upright_wall_the_cutter_stays_level() -> None:
    """A wall of 88 degrees that winds: where a contour is off by a hair, the surface is far higher or lower."""
    x, y = np.meshgrid(np.arange(0, 50.1, 0.25), np.arange(0, 50.1, 0.25))
    rho, turn = np.hypot(x - 25, y - 25), np.arctan2(y - 25, x - 25)
    wall = grid_mesh(x, y, np.clip(30 * (15 + 1.5 * np.sin(9 * turn) - rho), 0.5, 10.0))
    done = finished(wall, diameter=3, thickness=12, steeper=60)
    outcome = done.outcomes[0]
    cut = outcome.kinds == 1
    rising = np.abs(np.diff(outcome.points[:, 2]))[cut] > 1e-3
    assert rising.mean() < 0.1
    assert worst_gouge(done) <= 0.01


def test_on_the_largest_board_of_the_shop_contours_are_as_close_as_on_a_small_one() -> None:
    """On a coarser grid chords cut corners of upright walls, and the cutter bobs there."""
    profile = standard_cutter("ball", 6).profile
    assert _contour_step(profile, 35.0, 0.01, 1606 * 406) == _contour_step(profile, 35.0, 0.01, 50 * 50)


@pytest.mark.parametrize("shape", list(ALL_SHAPES))
@pytest.mark.parametrize("over", [0.0, 1e-3, 0.3])
def test_contour_points_are_moved_to_where_the_cutter_first_comes_to_the_level(shape: str, over: float) -> None:
    """A wavy wall on nearly level ground, where a level may be a hair over the ground for long before the wall
    begins."""
    x, y = np.meshgrid(np.arange(0, 30.1, 0.25), np.arange(0, 20.1, 0.25))
    wall = np.clip(6 * (y - 10 - np.sin(x / 2)), 0.0, 5.0) + 1e-3 * x / 30
    mesh = grid_mesh(x, y, wall)
    index = build_index(mesh.vertices, mesh.faces)
    profile, tolerance, level = ALL_SHAPES[shape], 2e-3, 1e-3 + over
    field = tip_field(index, shapely.box(3, 3, 27, 17), profile, 0.13, 0.0, silent)
    long = [line for line in contour_generator(field)().lines(level) if len(line) > 100]
    assert long
    for line in long:
        points = np.ascontiguousarray(line)
        refine_contour(index, field, level, profile, 0.0, tolerance, points)
        inside = (points[:, 0] > 4) & (points[:, 0] < 26)
        assert drop_points(index, points[inside], profile, 0.0).max() <= level + 2 * tolerance, (
            "no deeper into the wall than told"
        )
        # Square to the contour on the plan, on the wall's side.
        along = np.gradient(points, axis=0)
        square = np.column_stack([along[:, 1], -along[:, 0]]) / np.hypot(*along.T)[:, None]
        square *= np.sign(square[:, 1])[:, None]
        beyond = drop_points(index, (points + 3 * tolerance * square)[inside], profile, 0.0)
        assert np.mean(beyond >= level - tolerance) > 0.98, "and no farther from it"


def levels_of(mesh: Mesh, diameter: float = 3.0, stepdown: float = 2.0) -> Outcome:
    """Levels inside the outline of a part that lies in a block."""
    operation = Operation(
        number=10,
        strategy="finish_waterline",
        cutter=standard_cutter("ball", diameter),
        boundary=Limit(boundary="silhouette"),
        settings={"stepdown": stepdown},
    )
    plan = Plan(
        stock=Stock(length=90, width=80, thickness=14),
        models=(Model(id="m1", name="m", mesh="m"),),
        pitch=0.2,
        setups=(FaceSetup(id="a", name="a", operations=(operation,)),),
    )
    return from_zero(run_setup(plan, plan.setups[0], lambda _: mesh, Work(MemoryStore()))).outcomes[0]


def test_the_outer_walls_of_a_part_are_gone_round_whole() -> None:
    """There the contour lies on the outline of where the cutter may be: it must not be cut up by less than a hair."""
    outcome = levels_of(box_mesh((0, 0, 0), (50, 40, 12)))
    cut = outcome.kinds == 1
    around = 2 * (50 + 40) + 2 * np.pi * 1.5
    for height in (-5.0, -7.0, -9.0, -11.0, -13.0):
        there = cut & (np.abs(outcome.points[1:, 2] - height) < 0.02)
        assert outcome.lengths[there].sum() == pytest.approx(around, rel=0.03), height


def test_a_contour_is_not_broken_in_corners_between_outer_walls() -> None:
    """A star with sharp inner corners, whose sides lie at odd angles to the grid of the contours."""
    angles = np.arange(14) * np.pi / 7 + 0.1
    star = shapely.Polygon(
        np.where(np.arange(14) % 2, 15.0, 35.0)[:, None] * np.column_stack([np.cos(angles), np.sin(angles)])
    )
    outcome = levels_of(solid(trimesh.creation.extrude_polygon(star, 12)))
    entries = np.count_nonzero(np.diff((outcome.kinds == 0).astype(int)) == -1)
    assert entries <= 2, "down the walls in one go, level by level"
    low = (outcome.kinds == 1) & (np.abs(outcome.points[1:, 2] + 13) < 0.02)
    assert outcome.lengths[low].sum() == pytest.approx(star.buffer(1.5).length, rel=0.02)


def test_where_the_cutter_has_no_room_to_go_round_it_does_not_go_down() -> None:
    """One hole is a tenth of a millimetre wider than the ball, the other one by 3 mm."""
    plate = shapely.box(0, 0, 60, 30).difference(
        shapely.union_all([shapely.Point(15, 15).buffer(1.55), shapely.Point(45, 15).buffer(3)])
    )
    outcome = levels_of(solid(trimesh.creation.extrude_polygon(plate, 12)))
    low = outcome.points[1:][(outcome.kinds == 1) & (outcome.points[1:, 2] < -5)] - [15, 25, 0]
    assert np.hypot(*(low[:, :2] - [15, 15]).T).min() > 5
    assert np.hypot(*(low[:, :2] - [45, 15]).T).min() == pytest.approx(1.5, abs=0.02)


def test_a_line_is_kept_to_its_bounds() -> None:
    """Drawn in where it comes out by less than a step, cut where it goes farther, and gone where it is nowhere
    inside."""
    bounds = _Bounds(shapely.box(0, 0, 20, 20), 0.01, 0.1)
    assert bounds.kept(shapely.LineString([(30, 0), (30, 20)])) == []
    assert [part.length for part in bounds.kept(shapely.LineString([(-5, 10), (25, 10)]))] == pytest.approx([20.04])
    grazing = bounds.kept(shapely.LineString([(5, 10), (10, 20.09), (15, 10)]))
    assert len(grazing) == 1 and grazing[0].coords[0] == (5, 10) and grazing[0].coords[-1] == (15, 10)
    assert grazing[0].bounds[3] <= 20.02 + 1e-9
    ring = shapely.LinearRing([(10, 10), (10, 30), (12, 30), (12, 10)])
    assert [part.is_closed for part in bounds.kept(shapely.LineString(ring))] == [False], "cut once, not at its seam"
