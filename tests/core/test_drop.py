"""The cutter rests on the part, exactly: never in it, never over it."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from meshes import ALL_SHAPES, box_mesh, grid_mesh, underside_of
from nephos.core.cutters import Profile
from nephos.core.mesh.model import Mesh
from nephos.core.surface.contact import on_triangle, underside
from nephos.core.surface.drop import drop_grid, drop_points
from nephos.core.surface.index import build_index

pytestmark = pytest.mark.long

FLAT, BALL, V = ALL_SHAPES["flat"], ALL_SHAPES["ball"], ALL_SHAPES["V"]
CUTTERS = list(ALL_SHAPES.values())


def brute_force(mesh: Mesh, xy: np.ndarray, cutter: Profile, floor: float) -> np.ndarray:
    """Every triangle for every place, without index, ownership or bounds."""
    tips = np.full(len(xy), floor)
    for k, (x, y) in enumerate(xy):
        for a, b, c in mesh.vertices[mesh.faces]:
            tips[k] = max(tips[k], on_triangle(x, y, cutter, *a, *b, *c))
    return tips


def sampled(mesh: Mesh, xy: np.ndarray, cutter: Profile, n: int = 60) -> np.ndarray:
    """Independent of all contact formulas: the largest z - h over a dense sample of each triangle."""
    i, j = np.meshgrid(np.arange(n + 1), np.arange(n + 1))
    u, v = (i[i + j <= n] / n), (j[i + j <= n] / n)
    corners = mesh.vertices[mesh.faces]
    points = (
        corners[:, None, 0] * (1 - u - v)[None, :, None]
        + corners[:, None, 1] * u[None, :, None]
        + corners[:, None, 2] * v[None, :, None]
    ).reshape(-1, 3)
    out = []
    for place in xy:
        rho = np.hypot(*(points[:, :2] - place).T)
        out.append((points[:, 2] - underside_of(cutter, rho)).max())
    return np.array(out)


def random_mesh(seed: int, triangles: int = 40) -> Mesh:
    rng = np.random.default_rng(seed)
    middle = rng.uniform(0, 10, (triangles, 1, 3)) * [1, 1, 0.5]
    corners = middle + rng.normal(0, 1.5, (triangles, 3, 3))
    return Mesh(corners.reshape(-1, 3), np.arange(3 * triangles, dtype=np.int32).reshape(-1, 3))


@pytest.mark.parametrize("cutter", CUTTERS)
@settings(max_examples=25, deadline=None)
@given(seed=st.integers(0, 10_000))
def test_index_changes_nothing(cutter: Profile, seed: int) -> None:
    mesh = random_mesh(seed)
    xy = np.random.default_rng(seed + 1).uniform(-1, 11, (40, 2))
    index = build_index(mesh.vertices, mesh.faces)
    assert np.abs(drop_points(index, xy, cutter, -9.0) - brute_force(mesh, xy, cutter, -9.0)).max() < 1e-6


@pytest.mark.parametrize("cutter", CUTTERS)
@settings(max_examples=10, deadline=None)
@given(seed=st.integers(0, 10_000))
def test_agrees_with_a_dense_sample_of_the_part(cutter: Profile, seed: int) -> None:
    mesh = random_mesh(seed, 12)
    xy = np.random.default_rng(seed + 1).uniform(0, 10, (12, 2))
    tips = drop_points(build_index(mesh.vertices, mesh.faces), xy, cutter, -99.0)
    dense = sampled(mesh, xy, cutter)
    touched = np.isfinite(dense) & (dense > -99)
    assert (tips[touched] >= dense[touched] - 1e-9).all(), "the cutter stands in the part"
    # Where the sample is dense enough to find the contact, the tip is no higher than that.
    if cutter.corner > 0:
        assert np.median(tips[touched] - dense[touched]) < 0.02


@pytest.mark.parametrize("cutter", CUTTERS)
@settings(max_examples=15, deadline=None)
@given(seed=st.integers(0, 10_000))
def test_shared_edges_and_vertices_are_not_lost(cutter: Profile, seed: int) -> None:
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(np.linspace(0, 10, 9), np.linspace(0, 10, 9))
    mesh = grid_mesh(x, y, rng.normal(0, 1.0, x.shape))
    xy = rng.uniform(-1, 11, (60, 2))
    index = build_index(mesh.vertices, mesh.faces)
    assert np.abs(drop_points(index, xy, cutter, -9.0) - brute_force(mesh, xy, cutter, -9.0)).max() < 1e-6


@pytest.mark.parametrize("cutter", CUTTERS)
def test_grid_is_the_same_both_ways(cutter: Profile) -> None:
    rng = np.random.default_rng(3)
    x, y = np.meshgrid(np.linspace(0, 10, 31), np.linspace(0, 10, 31))
    mesh = grid_mesh(x, y, rng.normal(0, 0.5, x.shape))
    index = build_index(mesh.vertices, mesh.faces)
    for step in (0.1, 1.5):
        n = int(10 / step)
        grid = drop_grid(index, 0.0, 0.0, step, n, n, cutter, -9.0)
        px, py = np.meshgrid(step * np.arange(n), step * np.arange(n))
        assert (
            np.abs(grid.ravel() - drop_points(index, np.column_stack([px.ravel(), py.ravel()]), cutter, -9.0)).max()
            < 1e-9
        )


@pytest.mark.parametrize("cutter", CUTTERS)
def test_on_level_ground_the_tip_is_on_the_ground(cutter: Profile) -> None:
    plane = grid_mesh(*np.meshgrid([0.0, 50.0], [0.0, 50.0]), np.full((2, 2), 3.0))
    tips = drop_points(build_index(plane.vertices, plane.faces), np.array([[20.0, 25.0], [25.0, 25.0]]), cutter, 0.0)
    assert np.allclose(tips, 3.0, atol=1e-12)


@pytest.mark.parametrize("cutter", CUTTERS)
@pytest.mark.parametrize("slope", [0.3, 1.0, 4.0])
def test_on_a_ramp(cutter: Profile, slope: float) -> None:
    x, y = np.meshgrid([0.0, 100.0], [0.0, 100.0])
    ramp = grid_mesh(x, y, slope * x)
    tip = drop_points(build_index(ramp.vertices, ramp.faces), np.array([[50.0, 50.0]]), cutter, 0.0)[0]
    # It touches where the cutter is as steep as the ramp: there what the ramp gains over the cutter is most.
    rho = np.linspace(0, cutter.radius, 200_001)
    expected = slope * 50 + (slope * rho - underside_of(cutter, rho)).max()
    assert tip == pytest.approx(expected, abs=1e-8)


def test_ball_over_a_sphere_is_two_spheres() -> None:
    u, v = np.meshgrid(np.linspace(0, 2 * np.pi, 400), np.linspace(1e-3, np.pi / 2, 200))
    dome = grid_mesh(10 * np.cos(u) * np.sin(v), 10 * np.sin(u) * np.sin(v), 10 * np.cos(v))
    xy = np.array([[0.5, 0.2], [4.0, 3.0], [7.0, 2.0]])
    tips = drop_points(build_index(dome.vertices, dome.faces), xy, BALL, -5.0)
    assert np.allclose(tips, np.sqrt(12.0**2 - (xy**2).sum(axis=1)) - 2.0, atol=2e-3)


def test_beside_a_step_a_flat_cutter_falls_where_its_radius_ends() -> None:
    box = box_mesh((0, 0, 0), (10, 10, 5))
    xy = np.array([[11.99, 5.0], [12.01, 5.0]])
    tips = drop_points(build_index(box.vertices, box.faces), xy, FLAT, 0.0)
    assert tips.tolist() == [5.0, 0.0]


@given(a=st.floats(0, 5), c=st.floats(0.01, 5), share=st.floats(0, 0.999), leave=st.floats(0, 2))
def test_a_grown_cutter_keeps_its_distance(a: float, c: float, share: float, leave: float) -> None:
    """A point touched by the grown cutter is `leave` away from the true one, measured square to it."""
    grown = Profile.of(a, c).grown(leave)
    rho = a + share * grown.corner
    z = underside(rho, grown) - leave  # relative to the true cutter's tip
    nearest = np.hypot(max(rho - a, 0.0), z - c) - c
    assert nearest == pytest.approx(leave, abs=1e-9)


def test_a_v_beside_a_step_stands_on_its_edge() -> None:
    box = box_mesh((0, 0, 0), (10, 10, 5))
    away = np.array([0.0, 0.5, 1.5, 1.99, 2.01])
    xy = np.column_stack([10 + away, np.full(5, 5.0)])
    tips = drop_points(build_index(box.vertices, box.faces), xy, V, -9.0)
    assert tips[:4] == pytest.approx(5 - V.slope * away[:4]) and tips[4] == -9.0


@pytest.mark.parametrize(("slope", "tip"), [(1.0, 0.0), (3.0, 3.0 * 2 - 1.7 * 2)])
def test_a_v_in_a_groove_reaches_the_bottom_only_where_it_is_slimmer(slope: float, tip: float) -> None:
    x, y = np.meshgrid([-10.0, 0.0, 10.0], [0.0, 20.0])
    groove = grid_mesh(x, y, slope * np.abs(x))
    found = drop_points(build_index(groove.vertices, groove.faces), np.array([[0.0, 10.0]]), V, -9.0)[0]
    assert found == pytest.approx(tip)


@given(slope=st.floats(0.3, 8), c=st.floats(0.0, 1.0), leave=st.floats(0.01, 2), share=st.floats(0, 1))
def test_a_grown_cone_keeps_its_distance(slope: float, c: float, leave: float, share: float) -> None:
    true = Profile.of(0.2, c, slope, 3.0)
    grown = true.grown(leave)
    rho = share * grown.radius
    at = np.array([rho, underside(rho, grown) - leave])
    edge = np.linspace(0, true.radius, 4001)
    section = np.column_stack([edge, underside_of(true, edge)])
    above = np.column_stack([np.full(400, true.radius), np.linspace(true.rim, true.rim + 5, 400)])
    assert np.hypot(*(np.concatenate([section, above]) - at).T).min() >= leave - 1e-6
