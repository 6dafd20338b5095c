"""What reliefs are made of: the triangulation, the nearest place of curves, outlines, sections and gaps."""

from math import atan, cos, radians

import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from nephos.core.cutters import standard_cutter
from nephos.core.errors import Refused
from nephos.core.relief.closing import closed_mesh
from nephos.core.relief.composition import Composition, PieceRefused
from nephos.core.relief.nearest_line import line_index, near, nearest
from nephos.core.relief.outline import Outlines, arc_steps
from nephos.core.relief.preview import preview_of
from nephos.core.relief.reach import Reach, reach_of
from nephos.core.relief.section import gaps_of, section_of
from nephos.core.relief.sides import partners
from nephos.core.relief.surface import composed, stack_of
from nephos.core.relief.terrain import Terrain
from nephos.core.relief.triangulation import GRID, LARGEST, triangulated
from relief_tools import BODY, is_closed, no_mesh, piece, relief, small_mesh

NONE = np.zeros((0, 2), np.int32), np.zeros(0, np.uint64)


def areas(points: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    return 0.5 * ((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0])


def rings_of(rings: list[np.ndarray]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Points, segments and masks of closed rings, one bit each."""
    ends, masks, first = [], [], 0
    for k, ring in enumerate(rings):
        at = np.arange(first, first + len(ring))
        ends.append(np.stack([at, np.roll(at, -1)], 1))
        masks.append(np.full(len(ring), 1 << k, np.uint64))
        first += len(ring)
    return np.concatenate(rings), np.concatenate(ends).astype(np.int32), np.concatenate(masks)


def inside(found, bit: int) -> np.ndarray:
    return (found.regions >> np.uint64(bit)) & np.uint64(1) > 0


def test_points_alone_are_delaunay() -> None:
    points = np.random.default_rng(1).uniform(0, 100, (400, 2))
    found = triangulated(points, *NONE)
    assert (areas(found.points, found.triangles) > 0).all()
    for tri in found.points[found.triangles][::20]:
        a, b, c = tri
        centre = np.linalg.solve(2 * np.array([b - a, c - a]), [b @ b - a @ a, c @ c - a @ a])
        radius = np.hypot(*(a - centre))
        assert np.hypot(*(found.points - centre).T).min() > radius - 1e-3, "no point lies in the circle of a triangle"


@settings(max_examples=40, deadline=None)
@given(
    st.lists(
        st.tuples(st.integers(3, 9), st.floats(20, 80), st.floats(20, 80), st.floats(5, 40), st.booleans()),
        min_size=1,
        max_size=6,
    )
)
def test_rings_that_cross_keep_their_areas(items) -> None:
    rings = []
    for sides, x, y, r, rounded in items:
        a = np.linspace(0, 2 * np.pi, sides, endpoint=False)
        ring = np.array([x, y]) + r * np.stack([np.cos(a), np.sin(a)], 1)
        rings.append(np.round(ring / 5) * 5 if rounded else ring)
    found = triangulated(*rings_of(rings))
    size = areas(found.points, found.triangles)
    assert (size > 0).all()
    for k, ring in enumerate(rings):
        polygon = shapely.Polygon(ring)
        if polygon.is_valid and polygon.area > 1:
            assert size[inside(found, k)].sum() == pytest.approx(polygon.area, abs=0.02)


def test_a_ring_given_twice_bounds_both_areas() -> None:
    square = np.array([[0.0, 0.0], [10.0, 0.0], [10.0, 10.0], [0.0, 10.0]])
    found = triangulated(*rings_of([square, square]))
    assert set(found.regions.tolist()) == {3}


def test_a_hole_is_no_part_of_its_area() -> None:
    points, ends, masks = rings_of(
        [
            np.array([[0.0, 0.0], [10.0, 0.0], [10.0, 10.0], [0.0, 10.0]]),
            np.array([[3.0, 3.0], [7.0, 3.0], [7.0, 7.0], [3.0, 7.0]]),
        ]
    )
    found = triangulated(points, ends, np.ones(len(masks), np.uint64))
    assert areas(found.points, found.triangles)[inside(found, 0)].sum() == pytest.approx(100 - 16, abs=1e-3)


def test_segments_that_bound_nothing_are_sides_of_triangles() -> None:
    points = np.random.default_rng(2).uniform(0, 50, (60, 2))
    ends = np.array([[0, 1]], np.int32)
    found = triangulated(points, ends, np.zeros(1, np.uint64))
    a, b = found.points[found.index[0]], found.points[found.index[1]]
    sides = found.points[
        np.sort(
            np.concatenate([found.triangles[:, [0, 1]], found.triangles[:, [1, 2]], found.triangles[:, [2, 0]]]), axis=1
        )
    ]
    way = (b - a) / np.hypot(*(b - a))
    off = np.abs((sides - a) @ np.array([-way[1], way[0]])).max(axis=1)
    along = ((sides - a) @ way).clip(0, np.hypot(*(b - a)))
    covered = np.unique(along[off < 1e-3].round(3), axis=0)
    assert np.ptp(covered, axis=1).sum() >= np.hypot(*(b - a)) - 0.01


def test_lines_that_almost_lie_on_each_other_do_not_cross_for_ever() -> None:
    """Two lines half a grid step apart, and one across them: each crossing moves them a little."""
    grid = np.array([[0, 0], [-72143, 6829], [9566, -1911], [-72143, 14408], [20182, -1911]])
    ends = np.array([[0, 1], [2, 3], [1, 4]], np.int32)
    found = triangulated(grid * GRID, ends, np.zeros(3, np.uint64))
    assert len(found.points) <= 7


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 2**31), st.integers(2, 40), st.floats(0.0, 90.0))
def test_a_fan_of_lines_within_a_few_grid_steps_stays_small(seed, count, angle) -> None:
    rng = np.random.default_rng(seed)
    a = radians(angle)
    along = rng.uniform(-20, 20, (count, 2))
    off = rng.integers(-4, 5, (count, 2)) * GRID
    turn = np.array([[cos(a), np.sin(a)], [-np.sin(a), cos(a)]])
    points = np.stack([along, off], -1).reshape(-1, 2) @ turn
    ends = np.arange(2 * count, dtype=np.int32).reshape(-1, 2)
    found = triangulated(points, ends, np.zeros(count, np.uint64))
    assert (areas(found.points, found.triangles) > 0).all()
    assert len(found.points) <= 6 * count + 20


def test_what_is_too_long_is_refused() -> None:
    with pytest.raises(Refused, match="more than 4 m"):
        triangulated(np.array([[0.0, 0.0], [LARGEST + 1, 0.0], [0.0, 5.0]]), *NONE)
    with pytest.raises(Refused, match="more than 4 m"):
        composed(relief(BODY, piece("far", {"kind": "circle", "diameter": 5.0}, at=(9000.0, 0.0))), no_mesh)


curves = st.lists(st.tuples(st.floats(-20, 20), st.floats(-20, 20)), min_size=3, max_size=12, unique=True)


@settings(max_examples=40, deadline=None)
@given(curves, st.booleans(), st.floats(0.5, 60))
def test_the_nearest_place_is_that_of_brute_force(points, closed, reach) -> None:
    line = np.array(points)
    step = np.hypot(*np.diff(np.concatenate([line, line[:1]]), axis=0).T)
    if step.min() < 1e-3:
        return
    index = line_index([(line, closed)])
    xy = np.random.default_rng(3).uniform(-40, 40, (200, 2))
    truth = shapely.distance(shapely.LinearRing(line) if closed else shapely.LineString(line), shapely.points(xy))
    assert nearest(index, xy).distance == pytest.approx(truth, abs=1e-9)
    found = near(index, xy, reach)
    assert found.distance == pytest.approx(np.minimum(truth, reach), abs=1e-9)
    assert ((found.run >= 0) == (truth < reach)).mean() > 0.99


def test_sides_and_places_along_a_line() -> None:
    index = line_index([(np.array([[0.0, 0.0], [10.0, 0.0], [10.0, 10.0]]), False)])
    found = nearest(index, np.array([[5.0, 1.0], [5.0, -1.0], [9.0, 5.0], [12.0, 5.0]]))
    assert found.along == pytest.approx([5, 5, 15, 15])
    assert np.sign(found.side).tolist() == [1, -1, 1, -1]
    # The corner parts two runs.
    assert found.run[0] == found.run[1] != found.run[2] == found.run[3]


def test_a_smooth_ring_is_one_run() -> None:
    a = np.linspace(0, 2 * np.pi, 90, endpoint=False)
    ring = 10 * np.stack([np.cos(a), np.sin(a)], 1)
    assert len(np.unique(nearest(line_index([(ring, True)]), 0.9 * ring).run)) == 1


@pytest.mark.parametrize(("radius", "chord"), [(100.0, 0.01), (5.0, 0.002), (0.01, 0.01)])
def test_chords_of_arcs_stay_within_what_is_asked(radius: float, chord: float) -> None:
    n = arc_steps(radius, 2 * np.pi, chord)
    assert radius * (1 - cos(np.pi / n)) <= chord * 1.0001
    assert n >= 4


def test_a_bulge_is_the_tangent_of_a_quarter_of_the_angle() -> None:
    bulge = float(np.tan(radians(90) / 4))
    path = {"kind": "path", "closed": True, "vertices": [[10.0, 0.0, bulge], [0.0, 10.0, 0.0], [0.0, 0.0, 0.0]]}
    found = Outlines(relief(BODY, piece("p", path)), 0.001, lambda _: shapely.Polygon())
    area = found.area(relief(BODY, piece("p", path)).pieces[1])
    assert area.area == pytest.approx(np.pi * 100 / 4, rel=1e-3)
    assert 4 * atan(bulge) == pytest.approx(np.pi / 2)


def test_partners_of_sides() -> None:
    triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    found = partners(triangles, 4)
    # Side 1 of the first lies over corner 1, from 2 to 0; side 2 of the second over corner 3.
    assert found.tolist() == [-1, 5, -1, -1, -1, 1]


def test_a_step_between_two_triangles_is_closed_by_a_wall() -> None:
    points = np.array([[0.0, 0.0], [10.0, 0.0], [10.0, 10.0], [0.0, 10.0]])
    triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    heights = np.array([[5.0, 5.0, 5.0], [2.0, 2.0, 2.0]])
    mesh = closed_mesh(Terrain(points, triangles, np.ones(2, np.uint64), heights))
    assert is_closed(mesh)
    assert trimesh.Trimesh(mesh.vertices, mesh.faces, process=False).volume == pytest.approx(50 * 5 + 50 * 2)


GROOVE = (
    BODY,
    piece("groove", {"kind": "rectangle", "width": 4.0, "length": 100.0}, height=6.0, combine="subtract"),
)


@pytest.mark.parametrize(
    ("shape", "diameter", "left"),
    [("flat", 3.0, 0.0), ("flat", 5.0, 6.0), ("ball", 3.0, 1.5), ("ball", 6.0, 6.0)],
)
def test_a_cutter_leaves_in_a_groove_what_it_cannot_reach(shape: str, diameter: float, left: float) -> None:
    """A groove 4 mm wide: a ball on its floor leaves its radius in the corners; a wider one rests on the edges."""
    ready = stack_of(relief(*GROOVE), no_mesh)
    found = section_of(ready, (-45.0, 0.0), (45.0, 0.0), standard_cutter(shape, diameter).profile)
    assert found.fit is not None
    assert found.fit.left == pytest.approx(left, abs=0.25)
    assert found.fit.fits == (left == 0.0)


def test_a_section_names_the_piece_that_made_it() -> None:
    ready = stack_of(relief(*GROOVE), no_mesh)
    found = section_of(ready, (-45.0, 0.0), (45.0, 0.0))
    at = {
        round(float(s) - 45): (float(h), int(k)) for s, h, k in zip(found.along, found.height, found.layer, strict=True)
    }
    assert at[-20] == (10.0, 0) and at[0] == (4.0, 1) and at[-44] == (0.0, -1)
    assert found.fit is None


SLOTTED = {
    "tolerance": 0.01,
    "pieces": [
        {"id": "p1", "name": "body", "source": {"kind": "rectangle", "width": 80.0, "length": 60.0}, "height": 12.0},
        {
            "id": "p2",
            "name": "slot",
            "source": {"kind": "rectangle", "width": 40.0, "length": 2.5},
            "height": 4.0,
            "combine": "subtract",
            "at": (0.0, 15.0),
        },
    ],
}


def reach(shape: str, diameter: float, pieces: int = 2) -> Reach:
    found = preview_of(Composition.model_validate(SLOTTED | {"pieces": SLOTTED["pieces"][:pieces]}), lambda _: None)
    return reach_of(found.ready, found.mesh, standard_cutter(shape, diameter).profile)


def test_a_cutter_that_is_wider_than_a_slot_leaves_all_of_it() -> None:
    found = reach("flat", 3.0)
    assert found.most == pytest.approx(4.0) and found.layer == 1
    assert found.wide == pytest.approx(2.5, abs=found.step)
    assert found.share == pytest.approx(40 * 2.5 / (80 * 60), rel=0.2)
    assert abs(found.at[1] - 15) < found.step and abs(found.at[0]) < 20


@pytest.mark.parametrize("shape", ["flat", "ball"])
def test_a_cutter_that_fits_leaves_the_corners_and_creases_alone(shape: str) -> None:
    found = reach(shape, 2.0)
    assert 0 < found.share < 0.02
    # In a square corner a circle of radius r leaves a place that a circle of 0.17 r fits into.
    assert found.wide < 1.0
    middle = found.left[int((15 - found.y0) / found.step), int((0 - found.x0) / found.step)]
    assert middle == 0


def test_on_a_plain_body_every_cutter_reaches_everything() -> None:
    for shape in ("flat", "ball", "v"):
        found = reach(shape, 6.0, pieces=1)
        assert found.share == 0 and found.most < 0.05


def test_gaps_are_the_smallest_distances_between_outlines() -> None:
    hole = piece("hole", {"kind": "circle", "diameter": 10.0}, at=(30.0, 0.0), combine="subtract", height=2.0)
    gaps = gaps_of(stack_of(relief(*GROOVE, hole), no_mesh))
    # The groove crosses the body's edge, so that there is no gap between those two.
    assert [(gap.first, gap.second) for gap in gaps] == [(0, 2), (1, 2)]
    assert [gap.distance for gap in gaps] == pytest.approx([5.0, 23.0], abs=0.01)
    assert gaps[0].at == pytest.approx((37.5, 0.0), abs=0.3)


def test_a_preview_leaves_out_what_cannot_be_drawn_and_says_why() -> None:
    gone = piece("gone: really", {"kind": "offset", "piece": "body", "distance": -100.0}) | {"id": "gone"}
    found = preview_of(relief(BODY, gone), no_mesh)
    assert set(found.refused) == {"gone"} and "nothing is left" in found.refused["gone"]
    assert found.mesh.high.tolist() == pytest.approx([40, 30, 10])
    with pytest.raises(PieceRefused) as refusal:
        composed(relief(BODY, gone), no_mesh)
    assert refusal.value.piece == "gone"


def test_a_mesh_is_thinned_for_a_preview_but_keeps_its_outline() -> None:
    """Only after its plate is cut off: a thinned plate would not lie level, and parts of it stay on."""
    source = {"kind": "mesh", "mesh": "m", "width": 30.0, "foot": 0.45}
    whole, large = relief(piece("m", source, height=4.0)), small_mesh(160)
    fine = stack_of(whole, lambda _: large).layers[0].area
    coarse = preview_of(whole, lambda _: large).ready.layers[0].area
    assert len(shapely.get_coordinates(coarse)) < len(shapely.get_coordinates(fine))
    assert coarse.symmetric_difference(fine).area < 0.03 * fine.area
    assert shapely.hausdorff_distance(coarse, fine) < 1.0


def test_another_mesh_under_the_same_name_is_another_relief() -> None:
    """Headless meshes are named by files, which may change between two runs of one process."""
    whole = relief(BODY, piece("m", {"kind": "mesh", "mesh": "a.stl", "width": 20.0}, height=4.0))
    one, two = small_mesh(30), small_mesh(30)
    two = type(two)(two.vertices * [1, 2, 1], two.faces)
    shapes = [composed(whole, lambda _, mesh=mesh: mesh) for mesh in (one, two)]
    raised = [mesh.vertices[mesh.vertices[:, 2] > 10.5][:, 1] for mesh in shapes]
    assert np.ptp(raised[1]) > 1.5 * np.ptp(raised[0])


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"source": {"kind": "rectangle", "width": 10.0, "length": 8.0, "radius": 5.0}}, "corner radius"),
        ({"shape": {"kind": "slant", "angle": 90.0}}, "less than 90"),
        ({"combine": "blend", "fade": 0.0}, "blended over no width"),
        ({"combine": "smooth", "amount": 0.0}, "smooths over less"),
        ({"source": {"kind": "mesh", "mesh": "a", "width": 5.0}, "shape": {"kind": "dome"}}, "shape of its own"),
        ({"source": {"kind": "offset", "piece": "none"}}, "follows a piece that is gone"),
    ],
)
def test_pieces_that_cannot_be_meant_are_refused(change: dict, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        Composition.model_validate({"pieces": [BODY, piece("p", {"kind": "circle"}) | change]})
