"""The virtual block: what a cutter sweeps is gone, and nothing else."""

import itertools

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from meshes import ALL_SHAPES, box_mesh, grid_mesh, underside_of
from nephos.core.cutters import Profile
from nephos.core.errors import Refused
from nephos.core.mesh.examine import examine
from nephos.core.stock.block import Grid, box_block
from nephos.core.stock.compare import compare
from nephos.core.stock.frames import record_frames, shown_grid, shown_top
from nephos.core.stock.solid import block_mesh
from nephos.core.stock.sweep import sweep
from nephos.core.surface.index import build_index

pytestmark = pytest.mark.long

GRID = Grid(0.0, 0.0, 0.25, 81, 61)


def cut(points: np.ndarray, cutter: Profile, rapid: bool = False, straight: float = 0.0):
    top = np.full((GRID.ny, GRID.nx), 10.0, np.float32)
    touched = np.full(top.shape, -1, np.int32)
    kinds = np.full(len(points) - 1, 0 if rapid else 1, np.uint8)
    return top, touched, sweep(top, touched, GRID, np.asarray(points, float), kinds, 100, cutter, straight=straight)


def stamped(points: np.ndarray, cutter: Profile, n: int = 500) -> np.ndarray:
    """The same by brute force: the cutter stamped at very many places along the path."""
    top = np.full((GRID.ny, GRID.nx), 10.0)
    x, y = np.meshgrid(GRID.xs, GRID.ys)
    for p, q in itertools.pairwise(points):
        for t in np.linspace(0, 1, n):
            a = p + t * (q - p)
            height = a[2] + underside_of(cutter, np.hypot(x - a[0], y - a[1]))
            top = np.minimum(top, height)
    return top


@pytest.mark.parametrize("cutter", ALL_SHAPES.values())
@settings(max_examples=8, deadline=None)
@given(seed=st.integers(0, 9999))
def test_sweep_is_the_envelope_of_all_stamps(cutter: Profile, seed: int) -> None:
    points = np.random.default_rng(seed).uniform([1, 1, 3], [19, 14, 9], (3, 3))
    top, _, _ = cut(points, cutter)
    stamps = stamped(points, cutter)
    # A stamp beside a cell's centre misses the rim by a hair: a few cells there may differ.
    assert np.quantile(np.abs(top - stamps), 0.97) < 0.01
    assert (top <= stamps + 1e-3).all(), "the sweep left what a stamp took"


def test_each_column_remembers_its_last_move() -> None:
    _, touched, _ = cut(np.array([[2.0, 5, 8], [18, 5, 8], [18, 9, 7], [2, 9, 7]]), Profile.of(1.0, 0.0))
    assert touched[20, 40] == 100 and touched[36, 40] == 102 and touched[60, 40] == -1


def test_a_rapid_in_material_is_found_with_its_depth() -> None:
    _, _, deep = cut(np.array([[2.0, 5, 12], [18, 5, 9.4]]), Profile.of(1.0, 0.0), rapid=True)
    assert deep[0] == pytest.approx(0.6, abs=0.05)
    _, _, clear = cut(np.array([[2.0, 5, 12], [18, 5, 10.5]]), Profile.of(1.0, 0.0), rapid=True)
    assert clear[0] == 0


def test_unknown_coordinates_cut_nothing() -> None:
    top, _, _ = cut(np.array([[np.nan, np.nan, 3.0], [5.0, 5, 3], [5.0, 5, 3.0]]), Profile.of(1.0, 0.0))
    assert top[20, 40] == 10 and top[20, 20] == 3


def test_joining_straight_moves_changes_nothing_that_counts() -> None:
    x = np.linspace(2, 18, 300)
    points = np.column_stack([x, np.full_like(x, 7), 6 + np.sin(x / 2)])
    whole, _, _ = cut(points, Profile.of(0.0, 1.5))
    joined, _, _ = cut(points, Profile.of(0.0, 1.5), straight=0.001)
    assert np.abs(whole - joined).max() < 0.01


def test_block_is_as_large_as_the_stock_and_refuses_what_is_too_fine() -> None:
    block = box_block((0, 0, -10), (40, 20, 0), 0.5)
    assert block.top.shape == (40, 80) and block.top.max() == 0 and block.bottom.min() == -10 and not block.empty.any()
    with pytest.raises(Refused, match="or more"):
        box_block((0, 0, 0), (1000, 1000, 10), 0.02)


def test_cutting_through_empties_a_column() -> None:
    block = box_block((0, 0, -10), (4, 4, 0), 1.0)
    gone = block.cut_above(np.full((4, 4), -11, np.float32), np.zeros((4, 4), np.int32))
    assert gone.empty.all() and gone.top.max() == -10


def test_proof_mesh_is_closed_and_holds_the_volume() -> None:
    block = box_block((0, 0, 0), (10, 6, 4), 0.5)
    mesh = block_mesh(block)
    found = examine(mesh)
    assert found.watertight and found.shells == 1
    a, b, c = (mesh.vertices[mesh.faces][:, k] for k in range(3))
    assert np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6 == pytest.approx(240, rel=0.01)


def test_compare_measures_square_to_the_surface() -> None:
    x, y = np.meshgrid([0.0, 20.0], [0.0, 20.0])
    ramp = grid_mesh(x, y, x)  # 45 degrees
    block = box_block((0, 0, -5), (20, 20, 25), 0.25)
    px, _ = np.meshgrid(block.grid.xs, block.grid.ys)
    for lift in (0.2, -0.2):
        cut_block = block.cut_above((px + lift).astype(np.float32), np.zeros(px.shape, np.int32))
        c = compare(
            cut_block,
            build_index(ramp.vertices, ramp.faces),
            shapely.box(5, 5, 15, 15),
            0.0,
            [Profile.of(0, 1.0)],
            0.02,
            0.01,
        )
        inside = c.deviation[np.isfinite(c.deviation)]
        assert np.allclose(inside, lift / np.sqrt(2), atol=1e-4)
    assert c.numbers()["gouge_max"] == pytest.approx(0.2 / np.sqrt(2), abs=1e-4)


def test_compare_tells_what_no_cutter_here_can_reach() -> None:
    """A slot 2 mm wide is out of reach for a ball of 6 mm; level ground is not."""
    parts = [box_mesh((0, 0, -4), (9, 20, 0)), box_mesh((11, 0, -4), (20, 20, 0))]
    vertices = np.concatenate([p.vertices for p in parts])
    faces = np.concatenate([p.faces + 8 * k for k, p in enumerate(parts)]).astype(np.int32)
    block = box_block((0, 0, -4), (20, 20, 2), 0.2)
    level = block.cut_above(np.zeros(block.top.shape, np.float32), np.zeros(block.top.shape, np.int32))
    c = compare(level, build_index(vertices, faces), shapely.box(4, 4, 16, 16), -4.0, [Profile.of(0, 3.0)], 0.05, 0.02)
    middle = np.abs(c.grid.xs - 10) < 0.8
    assert not c.reachable[:, middle].any() and c.reachable[:, np.abs(c.grid.xs - 10) > 1.3].mean() > 0.99


def test_frames_end_where_the_block_ends_and_go_back_in_time() -> None:
    block = box_block((0, 0, 0), (20, 15, 10), 0.25)
    grid = shown_grid(block.grid)
    top = shown_top(block, grid)
    points = np.array([[2.0, 5, 12], [2, 5, 8], [18, 5, 8], [18, 9, 6], [2, 9, 6]])
    kinds = np.ones(4, np.uint8)
    frames = record_frames(top, grid, points, kinds, np.array([1.0, 4, 1, 4]), Profile.of(0, 1.5))
    final = top.copy()
    sweep(final, np.zeros(top.shape, np.int32), grid, points, kinds, 0, Profile.of(0, 1.5))
    last = np.where(frames.start[1:] > frames.start[:-1], frames.height[np.maximum(frames.start[1:] - 1, 0)], 10.0)
    assert np.allclose(last.reshape(top.shape), final, atol=1e-5)
    within = np.ones(len(frames.moment) - 1, bool)
    within[frames.start[1:-1][frames.start[1:-1] < len(frames.moment)] - 1] = False
    assert (np.diff(frames.moment.astype(int))[within] >= 0).all(), "the changes of a column stand in their order"
    early = frames.moment < frames.moments * 0.5
    assert early.any() and (frames.height[early] >= 8.0 - 1e-5).all(), "nothing is cut before its time"
