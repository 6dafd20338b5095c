"""Roughing in fronts: nothing stays, nothing is gouged, and the cutter is engaged no more than asked where there is
room."""

from math import acos, degrees, inf, radians

import numpy as np
import pytest
import shapely
from shapely.geometry import LineString, MultiPolygon, Point, Polygon, box

from cutting import TOLERANCE, bumpy, op, run, worst_gouge
from engagement import engaged_along
from meshes import grid_mesh
from nephos.core.cutters import standard_cutter
from nephos.core.mesh.model import Mesh
from nephos.core.plan.boundary import Limit
from nephos.core.stock.block import Grid, box_block
from nephos.core.strategies.clearing.engagement import Standing
from nephos.core.strategies.clearing.fronts import Clearing, Path, step_at
from nephos.core.strategies.clearing.levels import areas_of
from nephos.core.toolpath import Kind

pytestmark = pytest.mark.long

RADIUS = 3.0
PITCH = 0.15


def full(piece: Polygon) -> Standing:
    """A full block around a piece and the cutter."""
    x0, y0, x1, y1 = piece.buffer(RADIUS + 1).bounds
    nx, ny = int((x1 - x0) / PITCH) + 1, int((y1 - y0) / PITCH) + 1
    return Standing(Grid(x0, y0, PITCH, nx, ny), np.ones((ny, nx), np.bool_))


def paths_of(
    piece: Polygon,
    engagement: float = 60.0,
    most: float = 2.5,
    outside: Polygon | None = None,
    standing: Standing | None = None,
) -> list[Path]:
    clearing = Clearing(RADIUS, engagement, most, standing or full(piece))
    return list(clearing.paths(piece, MultiPolygon() if outside is None else outside))


def loads(paths: list[Path], piece: Polygon) -> np.ndarray:
    """Degrees engaged along all paths but the circle that each piece is begun with."""
    fresh = full(piece)
    found = [(path, fresh.go(path.points, RADIUS)[0]) for path in paths]
    told = np.concatenate([load for path, load in found if path.helix is None])
    return told[told > 0]


def test_the_step_along_a_straight_front_is_that_of_its_angle() -> None:
    for angle in (20, 60, 90, 140):
        assert degrees(acos(1 - step_at(RADIUS, angle, inf) / RADIUS)) == pytest.approx(angle)
    assert step_at(RADIUS, 60, 1e9) == pytest.approx(step_at(RADIUS, 60, inf), rel=1e-6)


@pytest.mark.parametrize("cleared", [1.0, 3.0, 10.0, 80.0])
@pytest.mark.parametrize("angle", [30.0, 60.0, 110.0])
def test_the_step_round_a_free_circle_leaves_it_at_the_angle(cleared: float, angle: float) -> None:
    step = step_at(RADIUS, angle, cleared)
    rim = np.array([cleared + step, 0]) + RADIUS * np.array([np.cos(radians(angle)), np.sin(radians(angle))])
    assert np.hypot(*rim) == pytest.approx(cleared + RADIUS), (
        "the rim of the free ground goes through that point of the cutter's"
    )
    assert 0 < step < step_at(RADIUS, angle, inf)


PIECES = {
    "pocket": box(0, 0, 50, 35),
    "wide slot": box(0, 0, 50, 9),
    "slot": box(0, 0, 40, 4),
    "island": box(0, 0, 60, 45).difference(box(25, 15, 36, 27)),
    "two rooms": Point(0, 0).buffer(15).union(box(0, -2, 40, 2)).union(Point(40, 0).buffer(10)),
    "star": Polygon(
        [(np.cos(a) * r, np.sin(a) * r) for a, r in zip(np.arange(12) * np.pi / 6, [28, 11] * 6, strict=True)]
    ),
}


@pytest.mark.parametrize("name", PIECES)
def test_a_piece_is_cleared_and_never_left(name: str) -> None:
    piece = PIECES[name]
    paths = paths_of(piece)
    gone = shapely.union_all([LineString(path.points).buffer(RADIUS) for path in paths])
    left = piece.buffer(RADIUS - 0.2).difference(gone)
    assert left.area < 0.002 * piece.area, "nothing stays that the cutter reaches"
    grown = piece.buffer(1e-6)
    assert all(grown.covers(LineString(path.points)) for path in paths)


@pytest.mark.parametrize("name", PIECES)
@pytest.mark.parametrize("engagement", [45.0, 75.0])
def test_the_load_is_kept(name: str, engagement: float) -> None:
    piece = PIECES[name]
    load = loads(paths_of(piece, engagement), piece)
    # A chord of 5 degrees is what the cells tell; corners of a moment take more.
    assert np.percentile(load, 90) <= engagement + 7.5
    assert np.percentile(load, 97) <= engagement + 25
    straight = 0.5 * engagement
    assert np.percentile(load, 75) >= straight - 5, "nor is it kept by hardly cutting"


def test_a_slot_without_room_is_cut_in_the_full_and_says_so() -> None:
    paths = paths_of(box(0, 0, 40, 1.2))
    assert [path.slot for path in paths] == [True]
    assert paths[0].closed


def test_open_ground_is_come_into_from_outside() -> None:
    piece = box(-3.5, -3.5, 43.5, 33.5)
    standing = full(piece)
    xs, ys = np.meshgrid(standing.grid.xs, standing.grid.ys)
    standing.stands[:] = (xs > 0) & (xs < 40) & (ys > 0) & (ys < 30)
    outside = piece.difference(box(-3, -3, 43, 33))
    paths = paths_of(piece, outside=outside, standing=standing)
    assert not any(path.helix or path.slot for path in paths)
    assert Polygon(paths[0].points).length > 100, "all round at once"


def test_what_stands_is_on_the_right() -> None:
    piece = PIECES["pocket"]
    standing, right, left = full(piece), 0, 0
    for path in paths_of(piece):
        if path.helix is None:
            steps = np.diff(path.points, axis=0)
            k = int(np.hypot(*steps.T).argmax())
            ahead = steps[k] / np.hypot(*steps[k])
            middle = (path.points[k] + path.points[k + 1]) / 2
            for side in (1, -1):
                x, y = middle + 0.93 * RADIUS * side * np.array([ahead[1], -ahead[0]])
                stands = standing.stands[round((y - standing.grid.y0) / PITCH), round((x - standing.grid.x0) / PITCH)]
                right, left = right + (stands and side == 1), left + (stands and side == -1)
        standing.go(path.points, RADIUS)
    assert right > 10 and left <= 0.1 * right


def test_the_load_on_a_grid_is_what_the_wall_says() -> None:
    block = box_block((0, 0, 0), (40, 30, 10), 0.1)
    for depth in (0.5, 1.5, 3.0):
        standing = Standing.above(block, 5.0, (0.0, 0.0), (40.0, 30.0))
        degrees_met, along = standing.go(np.array([[-5.0, depth - RADIUS], [30.0, depth - RADIUS]]), RADIUS)
        steady = degrees_met[(along > 15) & (along < 30)]
        assert np.median(steady) == pytest.approx(degrees(acos(1 - depth / RADIUS)), abs=6)
        assert standing.go(np.array([[10.0, depth - RADIUS], [30.0, depth - RADIUS]]), RADIUS)[0].max() == 0, (
            "it has been cut"
        )
    high = Standing.above(block, 10.0, (0.0, 0.0), (40.0, 30.0))
    assert not high.stands.any()


def sunk() -> Mesh:
    """A plate with a square pocket 6 mm deep, and from it a groove 11 mm wide to the edge."""
    x, y = np.meshgrid(np.linspace(0, 60, 241), np.linspace(0, 40, 161))
    pocket = (abs(x - 20) < 14) & (abs(y - 20) < 14)
    groove = (abs(y - 20) < 5.5) & (x > 20)
    return grid_mesh(x, y, np.where(pocket | groove, 2.0, 8.0))


def test_a_job_in_fronts_keeps_the_load_where_rings_do_not() -> None:
    cutter = standard_cutter("flat", 6, 1)
    told = {}
    for key, words in (
        ("rough_offset", {}),
        ("rough_engagement", {"direction": "both"}),
        ("rough_engagement", {"direction": "climb"}),
    ):
        done = run(
            sunk(),
            op(
                key,
                cutter,
                10,
                {"boundary": Limit(boundary="stock")},
                stepover=2.5,
                stepdown=3,
                leave=0.3,
                engagement=60.0,
                **words,
            ),
            size=(60, 40, 10),
        )
        outcome = done.outcomes[0]
        assert worst_gouge(done) == 0 and outcome.rapid_depth.max(initial=0) == 0
        load, _ = engaged_along(done)
        told[key, words.get("direction")] = float((load[load > 0] > 80).mean())
        links = outcome.points[1:][outcome.kinds == Kind.LINK]
        assert len(links), "from path to path the cutter stays down"
        assert done.block.top[80, 80] < 3.5 and done.block.top[:, 230].min() < 3.5, "pocket and groove are cleared"
    assert told["rough_engagement", "both"] < 0.02 and told["rough_engagement", "climb"] < 0.02
    assert told["rough_offset", None] > 3 * told["rough_engagement", "both"]


def test_rough_ground_is_roughed_in_fronts_as_far_as_in_rings() -> None:
    cutter, mesh = standard_cutter("flat", 3, 1), bumpy(5)
    tops = []
    for key in ("rough_offset", "rough_engagement"):
        done = run(mesh, op(key, cutter, stepover=1.2, stepdown=1.5, leave=0.2))
        assert worst_gouge(done) <= TOLERANCE
        assert done.outcomes[0].rapid_depth.max(initial=0) == 0
        tops.append(done.block.top)
    more = np.mean(tops[1]) - np.mean(tops[0])
    assert more < 0.1, "no more is left in the mean"


def test_only_what_has_an_area_is_laid_over_other_ground() -> None:
    """Ground that touches other ground in a line or a point only gives collections, which nothing can be laid
    over."""
    mixed = shapely.GeometryCollection([box(0, 0, 4, 4), LineString([(4, 0), (9, 0)]), Point(7, 7)])
    areas = areas_of(mixed)
    assert areas.geom_type == "MultiPolygon" and areas.area == 16
    assert areas.intersection(box(2, 2, 8, 8)).area == 4
    assert areas_of(shapely.GeometryCollection()).is_empty
