"""Built-up reliefs: every way of combining and every shape against closed forms."""

from math import radians, tan

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from nephos.core.cutters.profile import Profile
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.relief.nearest_line import direction_at, line_index, nearest, smooth_along
from nephos.core.relief.surface import composed, piece_areas
from nephos.core.surface.drop import drop_points
from nephos.core.surface.index import build_index
from relief_tools import BODY, is_closed, no_mesh, piece, places, relief, small_mesh, surface, top_of

pytestmark = pytest.mark.long

CIRCLE = {"kind": "circle", "diameter": 40.0}
SQUARE = {"kind": "rectangle", "width": 30.0, "length": 30.0}


def within(mesh: Mesh, xy: np.ndarray, truth: np.ndarray, slope: float | np.ndarray = 0.0) -> None:
    """The mesh lies within the tolerance of the truth, measured square to a surface of so much slope."""
    off = np.abs(top_of(mesh, xy) - truth) / np.sqrt(1 + np.square(slope))
    assert off.max() <= 0.0101, (off.max(), xy[off.argmax()])


def away(distance: np.ndarray, by: float = 0.01) -> np.ndarray:
    """Places that are farther than the tolerance from where a height jumps."""
    return np.abs(distance) > by


@pytest.mark.parametrize(
    ("combine", "more", "inside"),
    [
        ("add", {"height": 3.0}, 13.0),
        ("subtract", {"height": 3.0}, 7.0),
        ("higher", {"height": 3.0, "base": {"kind": "plane", "height": 9.0}}, 12.0),
        ("higher", {"height": 3.0, "base": {"kind": "plane", "height": 2.0}}, 10.0),
        ("higher", {"height": 3.0, "base": {"kind": "ground", "height": 1.0}}, 14.0),
        ("lower", {"height": -4.0, "base": {"kind": "plane", "height": 10.0}}, 6.0),
        ("lower", {"height": 4.0, "base": {"kind": "plane", "height": 10.0}}, 10.0),
        ("replace", {"height": 2.0, "base": {"kind": "plane", "height": 3.0}}, 5.0),
        ("scale", {"amount": 0.5, "base": {"kind": "plane", "height": 4.0}}, 7.0),
    ],
)
def test_each_way_of_combining_on_a_plane(combine: str, more: dict, inside: float) -> None:
    mesh = surface(BODY, piece("p", CIRCLE, combine=combine, **more))
    assert is_closed(mesh)
    xy = places(-29, 29)
    r = np.hypot(*xy.T)
    xy, r = xy[away(r - 20)], r[away(r - 20)]
    within(mesh, xy, np.where(r < 20, inside, 10.0))


@pytest.mark.parametrize("combine", ["add", "subtract", "higher", "lower", "replace"])
def test_combining_on_a_dome_and_a_slant(combine: str) -> None:
    """The ground is a dome over a circle; the piece is a block with slanted walls."""
    dome = piece("dome", {"kind": "circle", "diameter": 100.0}, height=8.0, shape={"kind": "dome"})
    height = -4.0 if combine == "lower" else 4.0
    block = piece(
        "block",
        SQUARE,
        height=height,
        combine=combine,
        shape={"kind": "slant", "angle": 45.0},
        base={"kind": "plane", "height": 5.0},
    )
    mesh = surface(dome, block)
    assert is_closed(mesh)
    xy = places(-30, 30)
    edge = 15 - np.abs(xy).max(axis=1)
    xy, edge = xy[away(edge)], edge[away(edge)]
    r = np.hypot(*xy.T)
    ground = 8 * np.sqrt(1 - (r / 50) ** 2)
    rise = np.minimum(np.clip(edge, 0, None), 4.0)
    value = {
        "add": ground + rise,
        "subtract": ground - rise,
        "higher": np.maximum(ground, 5 + rise),
        "lower": np.minimum(ground, 5 - rise),
        "replace": 5 + rise,
    }[combine]
    within(mesh, xy, np.where(edge > 0, value, ground))


@pytest.mark.parametrize(
    ("shape", "rise"),
    [
        ({"kind": "slant", "angle": 60.0}, lambda d: np.minimum(d * tan(radians(60)), 5.0)),
        ({"kind": "bevel", "width": 2.0, "angle": 45.0}, lambda d: 5 - np.clip(2 - d, 0, None)),
        ({"kind": "round", "radius": 3.0}, lambda d: 2 + np.sqrt(9 - np.clip(3 - d, 0, None) ** 2)),
        ({"kind": "dome", "width": 8.0}, lambda d: 5 * np.sqrt(1 - (1 - np.minimum(d, 8) / 8) ** 2)),
        ({"kind": "flat"}, lambda d: np.full(len(d), 5.0)),
    ],
)
@pytest.mark.parametrize("source", [CIRCLE, SQUARE])
def test_each_shape_follows_its_formula(shape: dict, rise, source: dict) -> None:
    mesh = surface(piece("p", source, height=5.0, shape=shape))
    assert is_closed(mesh)
    xy = places(-15, 15)
    depth = 20 - np.hypot(*xy.T) if source is CIRCLE else 15 - np.abs(xy).max(axis=1)
    xy, depth = xy[depth > 0.02], depth[depth > 0.02]
    slope = (rise(depth + 1e-5) - rise(depth - 1e-5)) / 2e-5
    within(mesh, xy, rise(depth), slope)


def test_creases_and_walls_lie_where_they_should() -> None:
    """Read beside the edge of a level field with a 70 degree wall: it is sharp, on the true circle."""
    field = piece("field", CIRCLE, height=6.0, combine="subtract", shape={"kind": "slant", "angle": 70.0})
    mesh = surface(BODY, field)
    a = np.linspace(0, 2 * np.pi, 733, endpoint=False)
    way = np.stack([np.cos(a), np.sin(a)], 1)
    foot = 20 - 6 / tan(radians(70))
    slope = tan(radians(70))
    within(mesh, way * (foot - 0.004), np.full(733, 4.0))
    # A hundredth out of the crease the wall has risen by as much as its slope says.
    within(mesh, way * (foot + 0.02), np.full(733, 4.0 + 0.02 * slope), slope)
    within(mesh, way * (20 - 0.02), np.full(733, 10.0 - 0.02 * slope), slope)
    within(mesh, way * (20 + 0.004), np.full(733, 10.0))


def test_an_upright_wall_is_upright_and_on_the_curve() -> None:
    mesh = surface(piece("p", CIRCLE, height=5.0))
    radius = np.hypot(mesh.vertices[:, 0], mesh.vertices[:, 1])
    outer = radius > 19
    assert np.abs(radius[outer] - 20).max() < 1e-4
    # Between the corners the chords stay within the tolerance.
    angle = np.sort(np.unique(np.round(np.arctan2(*mesh.vertices[outer, :2].T), 9)))
    assert 20 * (1 - np.cos(np.diff(angle).max() / 2)) < 0.01
    assert abs(trimesh.Trimesh(mesh.vertices, mesh.faces, process=False).volume - np.pi * 400 * 5) < 5


def test_a_roof_has_sharp_hips() -> None:
    """A slanted wall that never reaches its height makes a pyramid."""
    mesh = surface(piece("p", SQUARE, height=100.0, shape={"kind": "slant", "angle": 30.0}))
    xy = places(-15, 15)
    within(mesh, xy, (15 - np.abs(xy).max(axis=1)) * tan(radians(30)))
    diagonal = np.linspace(-14.9, 14.9, 200)
    within(mesh, np.stack([diagonal, diagonal], 1), (15 - np.abs(diagonal)) * tan(radians(30)))


def test_beads_are_half_balls_evenly_along_the_curve() -> None:
    ring = {"kind": "circle", "diameter": 48.0}
    mesh = surface(
        BODY,
        piece("b", ring, height=2.0, combine="higher", base={"kind": "ground"}, shape={"kind": "bead", "width": 4.0}),
    )
    assert is_closed(mesh)
    count = round(np.pi * 48 / 4)
    a = 2 * np.pi * np.arange(count) / count
    spots = 24 * np.stack([np.cos(a), np.sin(a)], 1)
    # The row is as long as its chords, so that beads lie within a hundredth of even angles.
    assert np.abs(top_of(mesh, spots) - 12).max() < 0.01
    off = np.random.default_rng(1).uniform(-1.3, 1.3, (count, 2))
    height = 10 + np.sqrt(4 - (off**2).sum(axis=1))
    assert np.abs(top_of(mesh, spots + off) - height).max() < 0.03


def test_a_section_is_swept_along_lines_and_arcs() -> None:
    path = {"kind": "path", "vertices": [[-20.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, 20.0, 0.0], [-20.0, 20.0, 0.0]]}
    shape = {"kind": "section", "width": 6.0, "heights": [0.0, 1.0, 0.0]}
    mesh = surface(BODY, piece("s", path, height=3.0, shape=shape))
    assert is_closed(mesh)
    u = np.linspace(-2.9, 2.9, 100)
    within(mesh, np.stack([np.full(100, -10.0), u], 1), 13 - np.abs(u), 1.0)
    # Half a circle of 10 mm round (0, 10), to the right of the line.
    a = np.linspace(-1.4, 1.4, 100)
    r = 10 + u
    within(mesh, np.stack([r * np.cos(a), 10 + r * np.sin(a)], 1), 13 - np.abs(u), 1.0)


@pytest.mark.parametrize("turn", [60.0, 90.0, 150.0])
def test_a_rope_goes_round_a_corner_in_an_arc(turn: float) -> None:
    on = 40 * np.array([np.cos(np.radians(turn)), np.sin(np.radians(turn))])
    path = {"kind": "path", "vertices": [[-40.0, 0.0, 0.0], [0.0, 0.0, 0.0], [*on, 0.0]]}
    mesh = surface(piece("r", path, height=2.0, shape={"kind": "rope", "width": 4.0, "lead": 8.0}), tolerance=0.02)
    assert is_closed(mesh)
    # Across the bisector of the corner, on the inner side of the rope, the strands go on without a step.
    inwards = np.array([-np.sin(np.radians(turn) / 2), np.cos(np.radians(turn) / 2)])
    # The middle of the arc, whose radius is the width of the rope.
    middle = inwards * 4 * (1 / np.cos(np.radians(turn) / 2) - 1)
    t = np.linspace(-0.4, 0.4, 400)
    for aside in (-1.2, 0.0, 1.2):
        across = np.array([inwards[1], -inwards[0]])
        heights = top_of(mesh, middle + aside * inwards + t[:, None] * across)
        assert heights.min() > 0.5
        assert np.abs(np.diff(heights)).max() < 0.03


@pytest.mark.parametrize("radius", [10.0, 20.0, 60.0])
def test_a_rope_on_a_bend_takes_hardly_more_triangles_than_a_straight_one(radius: float) -> None:
    """Where the strands would jump from chord to chord of the bend, triangles were divided there without end."""

    def faces(vertices: list[list[float]]) -> int:
        path = {"kind": "path", "vertices": vertices}
        mesh = surface(piece("r", path, height=2.0, shape={"kind": "rope", "width": 4.0, "lead": 8.0}), tolerance=0.02)
        assert is_closed(mesh)
        return len(mesh.faces)

    quarter, long = np.tan(np.pi / 8), radius * np.pi / 2
    bent = faces([[radius, 0.0, quarter], [0.0, radius, 0.0]])
    straight = faces([[0.0, 0.0, 0.0], [long * 0.9, long * 0.436, 0.0]])
    assert bent < 1.35 * straight


def test_along_a_bend_places_follow_each_other_evenly_on_both_sides() -> None:
    """Round an arc of coarse chords: the way along it grows as the angle does, at any distance from it."""
    angle = np.linspace(0, np.pi / 2, 13)
    index = line_index([(20 * np.column_stack([np.cos(angle), np.sin(angle)]), False)])
    # At a free end the curve goes as its last chord does.
    a = np.linspace(angle[1], angle[-2], 2000)
    for r in (18.0, 20.0, 22.5):
        xy = r * np.column_stack([np.cos(a), np.sin(a)])
        along = smooth_along(index, xy, nearest(index, xy))
        expected = a / (np.pi / 2) * index.lengths[0]
        np.testing.assert_allclose(along, expected, atol=2e-3)
        way = direction_at(index, along)
        np.testing.assert_allclose(way, np.column_stack([-np.sin(a), np.cos(a)]), atol=1e-3)


def test_an_open_curve_needs_something_swept_along_it() -> None:
    with pytest.raises(ValueError, match="open curve"):
        relief(piece("p", {"kind": "path", "vertices": [[0, 0, 0], [10, 0, 0]]}))


def test_a_fade_passes_from_the_ground_to_the_piece() -> None:
    mesh = surface(
        BODY, piece("p", CIRCLE, height=4.0, combine="blend", base={"kind": "plane", "height": 10.0}, fade=5.0)
    )
    xy = places(-20, 20)
    depth = 20 - np.hypot(*xy.T)
    share = np.clip(depth / 5, 0, 1)
    within(mesh, xy, 10 + 4 * share**2 * (3 - 2 * share))


@pytest.mark.parametrize("angle", [0.0, 17.0, 45.0, 71.3])
def test_outlines_along_each_other_leave_no_fin(angle: float) -> None:
    """A step cut into a block, its side along the block's: snapping must not leave a thin fin of the block there."""
    a = np.radians(angle)
    block = piece("block", {"kind": "rectangle", "width": 30.0, "length": 20.0}, height=5.0, angle=angle)
    at = (float(-5 * np.sin(a)), float(5 * np.cos(a)))
    step = piece(
        "step", {"kind": "rectangle", "width": 20.0, "length": 10.0}, height=5.0, combine="subtract", angle=angle, at=at
    )
    mesh = surface(BODY, block, step)
    along = np.linspace(-9.9, 9.9, 2000)
    own = np.stack([along, np.full(2000, 10.0)], 1)
    turn = np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]])
    # A cutter as wide as the tolerance finds nothing to rest on along the side.
    index = build_index(mesh.vertices, mesh.faces)
    rest = drop_points(index, np.ascontiguousarray(own @ turn), Profile.of(0.01, 0.0), 0.0)
    assert rest.max() < 10.001


def test_a_hole_through_the_body_has_walls() -> None:
    mesh = surface(BODY, piece("hole", CIRCLE, height=20.0, combine="subtract"))
    assert is_closed(mesh)
    assert trimesh.Trimesh(mesh.vertices, mesh.faces, process=False).euler_number == 0
    assert abs(trimesh.Trimesh(mesh.vertices, mesh.faces, process=False).volume - (4800 - np.pi * 400) * 10) < 10


def test_a_mesh_is_set_in_as_it_is_seen_from_above() -> None:
    mesh = small_mesh()
    source = {"kind": "mesh", "mesh": "m", "width": 24.0}
    out = surface(BODY, piece("m", source, height=6.0, at=(3.0, -2.0), angle=90.0), meshes=lambda _: mesh)
    assert is_closed(out)
    # 24 x 18 turned by a quarter: x of the mesh runs along Y.
    own = np.random.default_rng(2).uniform([0.1, 0.1], [11.9, 8.9], (3000, 2))
    truth = 10 + top_of(mesh, own) * 6 / float(mesh.high[2])
    x, y = own[:, 0] * 2 - 12, own[:, 1] * 2 - 9
    within(out, np.stack([3 - y, -2 + x], 1), truth)


def test_a_mesh_loses_its_plate() -> None:
    mesh = small_mesh()
    source = {"kind": "mesh", "mesh": "m", "width": 6.0, "foot": 0.6}
    area = piece_areas(relief(BODY, piece("m", source, height=4.0)), lambda _: mesh)["m"]
    x0, y0, x1, y1 = area.bounds
    assert x1 - x0 == pytest.approx(6.0, abs=1e-6)
    assert 5.5 < y1 - y0 < 6.5


def test_a_mesh_with_upright_steps_keeps_them() -> None:
    """A stair of boxes: its steps are walls, not ramps."""
    steps = [trimesh.creation.box((10, 4, 2 * (k + 1))) for k in range(3)]
    for k, step in enumerate(steps):
        step.apply_translation((0, 4 * k, k + 1))
    solid = trimesh.boolean.union(steps)
    mesh = Mesh(np.asarray(solid.vertices, np.float64), np.asarray(solid.faces, np.int32))
    out = surface(piece("m", {"kind": "mesh", "mesh": "m", "width": 10.0}, height=6.0), meshes=lambda _: mesh)
    assert is_closed(out)
    assert trimesh.Trimesh(out.vertices, out.faces, process=False).volume == pytest.approx(
        10 * 4 * (2 + 4 + 6), rel=1e-3
    )


def test_copies_round_a_point() -> None:
    drop = piece("d", {"kind": "circle", "diameter": 6.0}, at=(15.0, 0.0), height=2.0, repeat={"count": 5})
    mesh = surface(BODY, drop)
    a = 2 * np.pi * np.arange(5) / 5
    assert np.allclose(top_of(mesh, 15 * np.stack([np.cos(a), np.sin(a)], 1)), 12.0)
    between = a + np.pi / 5
    assert np.allclose(top_of(mesh, 15 * np.stack([np.cos(between), np.sin(between)], 1)), 10.0)


def test_copies_along_a_piece() -> None:
    way = piece("way", {"kind": "rectangle", "width": 40.0, "length": 40.0}, on=False)
    drop = piece("d", {"kind": "circle", "diameter": 4.0}, height=2.0, repeat={"count": 4, "along": "way"})
    mesh = surface(BODY, way, drop)
    corners = np.array([[-20.0, -20.0], [20.0, -20.0], [20.0, 20.0], [-20.0, 20.0]])
    assert np.allclose(top_of(mesh, corners), 12.0)


def test_an_offset_curve_follows_its_piece() -> None:
    for diameter in (40.0, 52.0):
        pieces = (
            BODY,
            piece("c", {"kind": "circle", "diameter": diameter}, height=4.0),
            piece("o", {"kind": "offset", "piece": "c", "distance": -5.0}, height=2.0, combine="subtract"),
        )
        mesh = surface(*pieces)
        r = diameter / 2
        assert top_of(mesh, np.array([[r - 5.02, 0.0], [r - 4.98, 0.0], [r + 0.02, 0.0]])) == pytest.approx(
            [12, 14, 10]
        )


def test_smoothing_keeps_outside_as_it_was() -> None:
    ridge = piece("r", {"kind": "rectangle", "width": 4.0, "length": 40.0}, height=3.0)
    smooth = piece("s", {"kind": "circle", "diameter": 20.0}, combine="smooth", amount=3.0, fade=4.0)
    mesh = surface(BODY, ridge, smooth)
    assert is_closed(mesh)
    outside = np.array([[0.0, 15.0], [3.0, 15.0], [0.0, -12.0]])
    assert top_of(mesh, outside) == pytest.approx([13, 10, 13])
    middle = top_of(mesh, np.array([[0.0, 0.0], [2.0, 0.0], [4.0, 0.0]]))
    assert 12 < middle[0] < 13 and 10 < middle[1] < 13 and 10 < middle[2] < 11.5


def test_specks_are_taken_off_and_what_is_wider_stays() -> None:
    speck = piece("speck", {"kind": "circle", "diameter": 1.0}, at=(5.0, 0.0), height=2.0)
    knob = piece("knob", {"kind": "circle", "diameter": 8.0}, at=(-8.0, 0.0), height=2.0)
    clean = piece("clean", {"kind": "circle", "diameter": 40.0}, combine="despeck", amount=2.0)
    mesh = surface(BODY, speck, knob, clean)
    assert top_of(mesh, np.array([[5.0, 0.0], [-8.0, 0.0], [12.0, 3.0]])) == pytest.approx([10, 12, 10], abs=0.05)


sizes = st.floats(4, 40).map(lambda v: round(v, 2))
outlines = st.one_of(
    st.builds(lambda d: {"kind": "circle", "diameter": d}, sizes),
    st.builds(lambda w, h: {"kind": "rectangle", "width": w, "length": h}, sizes, sizes),
    st.builds(lambda n, d: {"kind": "polygon", "sides": n, "diameter": d}, st.integers(3, 8), sizes),
)
shapes = st.sampled_from(
    [{"kind": "flat"}, {"kind": "slant", "angle": 50.0}, {"kind": "dome"}, {"kind": "round", "radius": 2.0}]
)
spots = st.tuples(st.floats(-12, 12), st.floats(-12, 12))


@settings(max_examples=12, deadline=None)
@given(outlines, shapes, spots, st.floats(-90, 90))
def test_adding_and_subtracting_the_same_piece_restores_the_ground(source, shape, at, angle) -> None:
    ground = piece("g", {"kind": "circle", "diameter": 30.0}, height=4.0, shape={"kind": "dome"})
    same = {"height": 3.0, "shape": shape, "at": at, "angle": angle}
    mesh = surface(BODY, ground, piece("a", source, **same), piece("b", source, combine="subtract", **same))
    xy = places(-28, 28, 1500)
    r = np.hypot(*xy.T)
    truth = 10 + 4 * np.sqrt(np.clip(1 - (r / 15) ** 2, 0, None))
    near = np.abs(r - 15) < 0.6
    assert is_closed(mesh)
    assert np.abs(top_of(mesh, xy) - truth)[~near].max() < 0.02


@settings(max_examples=12, deadline=None)
@given(outlines, outlines, shapes, shapes, spots, spots)
def test_the_order_of_raised_pieces_does_not_matter(one, two, first, second, here, there) -> None:
    base = {"kind": "plane", "height": 9.0}
    a = piece("a", one, combine="higher", base=base, height=4.0, shape=first, at=here)
    b = piece("b", two, combine="higher", base=base, height=5.0, shape=second, at=there)
    ab, ba = surface(BODY, a, b), surface(BODY, b, a)
    assert is_closed(ab) and is_closed(ba)
    volumes = [trimesh.Trimesh(m.vertices, m.faces, process=False).volume for m in (ab, ba)]
    assert volumes[0] == pytest.approx(volumes[1], rel=2e-5)


@settings(max_examples=15, deadline=None)
@given(
    st.lists(
        st.tuples(outlines, shapes, spots, st.sampled_from(["add", "subtract", "higher", "lower", "replace"])),
        min_size=1,
        max_size=5,
    )
)
def test_whatever_is_composed_is_closed(items) -> None:
    pieces = [
        piece(
            f"p{k}",
            source,
            shape=shape,
            at=at,
            combine=how,
            height=-3.0 if how == "lower" else 3.0,
            base={"kind": "plane", "height": 8.0},
        )
        for k, (source, shape, at, how) in enumerate(items)
    ]
    mesh = surface(BODY, *pieces, tolerance=0.05)
    solid = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
    edges = np.sort(solid.edges, axis=1)
    _, uses = np.unique(edges, axis=0, return_counts=True)
    assert (uses % 2 == 0).all() and solid.volume > 0


def test_nothing_left_is_refused() -> None:
    with pytest.raises(Refused, match="nothing is left"):
        surface(
            BODY, piece("p", {"kind": "rectangle", "width": 200.0, "length": 200.0}, combine="subtract", height=50.0)
        )
    with pytest.raises(Refused, match="no piece"):
        composed(relief(BODY | {"on": False}), no_mesh)


def test_a_crossing_curve_is_refused_with_its_name() -> None:
    bow = {"kind": "path", "closed": True, "vertices": [[0, 0, 0], [10, 10, 0], [10, 0, 0], [0, 10, 0]]}
    with pytest.raises(Refused, match="bow"):
        surface(BODY, piece("bow", bow))


@pytest.mark.parametrize("closed", [True, False])
def test_a_curve_of_no_length_is_refused_as_one(closed: bool) -> None:
    dot = {"kind": "path", "closed": closed, "vertices": [[5, 5, 0], [5, 5, 0], [5, 5, 0]]}
    with pytest.raises(Refused, match="'dot' lie at one place"):
        surface(BODY, piece("dot", dot, shape={"kind": "rope", "width": 2.0}))


def test_pieces_cannot_follow_each_other_in_a_ring() -> None:
    with pytest.raises(ValueError, match="follows itself"):
        relief(
            piece("a", {"kind": "offset", "piece": "b", "distance": -1.0}),
            piece("b", {"kind": "offset", "piece": "a", "distance": -1.0}),
        )
