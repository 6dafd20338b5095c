"""The block of a bar as rays from its axis: exact removal, bounds, gaps and solids."""

from itertools import pairwise

import numpy as np
import pytest

from core.test_rotary import BALL, FLAT, SHAPES, TURN
from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.cutters.profile import Profile
from nephos.core.mesh.model import Mesh
from nephos.core.setups.bar import spigot
from nephos.core.stock.bar import bar_block, bar_mesh, box_radii, cut_bar
from nephos.core.stock.block import Grid
from nephos.core.stock.rays import sweep_rays

pytestmark = pytest.mark.long


def fields(grid: Grid, radius: float) -> list[np.ndarray]:
    """Rays of a full bar, as the sweep takes them."""
    shape = (grid.ny, grid.nx)
    return [
        np.full(shape, radius, np.float32),
        np.zeros(shape, np.float32),
        np.zeros(shape, np.float32),
        np.full(shape, -1, np.int32),
    ]


def height_over(cutter: Profile, rho: np.ndarray) -> np.ndarray:
    """Height of the underside over the tip, infinite beside the cutter."""
    return np.where(rho <= cutter.radius, cutter.heights(np.minimum(rho, cutter.radius)), np.inf)


@pytest.mark.parametrize("shape", SHAPES)
def test_a_point_is_in_the_bar_exactly_if_no_cutter_was_there(shape: str) -> None:
    cutter, radius, rng = SHAPES[shape], 12.0, np.random.default_rng(7)
    grid = Grid(0.4, 0.0, 0.8, 24, 72, radius)
    ends = np.column_stack([rng.uniform(2, 16, 5), rng.uniform(0, 3, 5) * radius, rng.uniform(5, 11, 5)])
    # Moves along the bar, round it, and both at once.
    ends[1, 1:], ends[3, 0], ends[3, 2] = ends[0, 1:], ends[2, 0], ends[2, 2]
    rays = fields(grid, radius)
    sweep_rays(rays[0], rays[1], rays[2], rays[3], grid, ends, np.ones(4, np.uint8), 0, cutter)
    near, far = np.zeros((grid.ny, grid.nx, 30), bool), np.zeros((grid.ny, grid.nx, 30), bool)
    depth = np.linspace(0.2, radius - 0.01, 30)
    x, angles = grid.xs, np.arange(grid.ny) * TURN / grid.ny
    at, phi, rho = np.meshgrid(x, angles, depth, indexing="ij")
    for a, b in pairwise(ends):
        for share in np.linspace(0, 1, 160):
            p = a + share * (b - a)
            turn = phi - p[1] / radius
            y, z = rho * np.sin(turn), rho * np.cos(turn)
            away = np.hypot(at - p[0], y)
            inside = z - p[2] - height_over(cutter, away)
            near |= np.swapaxes((inside > 0.06) & (away < cutter.radius - 0.06), 0, 1)
            far |= np.swapaxes((z - p[2] + 0.06 > height_over(cutter, np.maximum(away - 0.06, 0.0))), 0, 1)
    top, low, high = rays[0][..., None], rays[1][..., None], rays[2][..., None]
    left = (depth <= top) & ~((depth > low) & (depth < high))
    assert not (~left & ~far & (depth < grid.radius)).any(), "material is gone where no cutter has been"
    # A second gap of a ray is filled again, so that a little may be left too much.
    assert (left & near).sum() <= 0.01 * near.sum()


def test_a_ball_round_a_bar_leaves_the_radius_of_its_tip() -> None:
    grid = Grid(0.1, 0.0, TURN * 20 / 720, 100, 720, 20.0)
    ring = np.array([[8.0, 0.0, 14.0], [8.0, TURN * 20, 14.0]])
    rays = fields(grid, 20.0)
    sweep_rays(rays[0], rays[1], rays[2], rays[3], grid, ring, np.ones(1, np.uint8), 5, BALL.profile)
    column = int(np.argmin(np.abs(grid.xs - 8.0)))
    off = grid.xs[column] - 8.0
    assert np.abs(rays[0][:, column] - (15.5 - np.sqrt(1.5**2 - off**2))).max() < 0.003
    assert (rays[3][:, column] == 5).all()
    assert (rays[0][:, np.abs(grid.xs - 8.0) > 1.51] == 20.0).all()


def test_a_narrow_slot_leaves_the_overhang_beside_it() -> None:
    # A ray that leaves a thin cutter by its side goes on in material.
    grid = Grid(0.25, 0.0, TURN * 20 / 360, 60, 360, 20.0)
    slot = np.array([[5.0, 0.0, 8.0], [12.0, 0.0, 8.0]])
    rays = fields(grid, 20.0)
    sweep_rays(rays[0], rays[1], rays[2], rays[3], grid, slot, np.ones(1, np.uint8), 0, Profile.of(1.5, 0.0))
    row, column = 8, 20
    angle = row * TURN / 360
    assert rays[1][row, column] == pytest.approx(8.0 / np.cos(angle), abs=1e-3)
    assert rays[2][row, column] == pytest.approx(1.5 / np.sin(angle), abs=1e-3)
    assert rays[0][row, column] == 20.0


def test_the_bound_is_over_all_of_the_cell_and_rapids_in_it_are_met() -> None:
    block = bar_block(60.0, 15.0, 0.4)
    path = np.array([[20.0, 0.0, 10.0], [40.0, 0.0, 10.0], [40.0, 20.0, 10.0], [40.0, 20.0, 20.0], [20.0, 20.0, 20.0]])
    kinds = np.array([1, 1, 0, 0], np.uint8)
    after, depths, _ = cut_bar(block, path, kinds, 0, BALL)
    assert (after.bound >= after.top).all()
    assert depths[2] == 0.0 and depths[3] == 0.0
    through = np.array([[20.0, 30.0, 20.0], [20.0, 30.0, 14.0], [40.0, 30.0, 14.0]])
    _, depths, _ = cut_bar(block, through, np.zeros(2, np.uint8), 0, BALL)
    assert (depths > 0.9).all()


@pytest.mark.parametrize("cutter", [BALL, FLAT, standard_cutter("bull-nose", 6, 3)], ids=lambda item: item.shape)
def test_no_material_of_a_cell_stands_over_its_bound(cutter: Cutter) -> None:
    """Looked at on rays four times as dense, at a pitch at which the bound is kept for two rays together each way."""
    rng = np.random.default_rng(11)
    block = bar_block(24.0, 8.0, 0.2)
    path = np.column_stack([rng.uniform(4, 20, 14), rng.uniform(0, 40, 14), rng.uniform(4, 7.5, 14)])
    path[4, 1:], path[8, 0] = path[3, 1:], path[7, 0]
    after, _, _ = cut_bar(block, path, np.ones(13, np.uint8), 0, cutter)
    assert (after.bound < 8.0).any(), "there is something to look at"
    g = block.grid
    dense = Grid(g.x0 - 3 * g.pitch / 8, 0.0, g.pitch / 4, 4 * g.nx, 4 * g.ny, g.radius)
    rays = fields(dense, 8.0)
    sweep_rays(rays[0], rays[1], rays[2], rays[3], dense, path, np.ones(13, np.uint8), 0, cutter.profile)
    # Dense rays 4 j - 1 to 4 j + 1 lie in the cell of ray j.
    highest = np.max([np.roll(rays[0], by, axis=0)[::4] for by in (-1, 0, 1)], axis=0)
    highest = highest.reshape(g.ny, g.nx, 4).max(axis=2)
    assert (highest <= after.bound + 2e-3).all()


def test_a_square_bar_reaches_to_its_corners() -> None:
    radii = box_radii(np.radians([0.0, 45.0, 90.0, 180.0]), 30.0, 30.0)
    assert np.allclose(radii, [15.0, 15.0 * np.sqrt(2), 15.0, 15.0])
    block = bar_block(50.0, 15 * np.sqrt(2), 0.5, (30.0, 30.0))
    size = bar_mesh(block)
    assert np.allclose(size.high - size.low, [50.0, 30.0, 30.0], atol=0.1)


def volume_of(mesh: Mesh) -> float:
    """The volume that a closed mesh encloses; less than 0 where its faces look inward."""
    a, b, c = (mesh.vertices[mesh.faces[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->", a, np.cross(b, c))) / 6


def test_the_solids_of_a_bar_look_outward() -> None:
    assert volume_of(bar_mesh(bar_block(50.0, 10.0, 0.4))) == pytest.approx(np.pi * 100 * 50, rel=0.01)
    assert volume_of(spigot(5.0, 25.0, 4.0)) == pytest.approx(np.pi * 16 * 20, rel=0.01)


@pytest.mark.parametrize("shape", ["flat", "ball"])
def test_no_move_is_said_to_take_more_off_a_ray_than_it_takes(shape: str) -> None:
    """Narrow slots at several angles cross the same rays farther out: a ray holds one gap, so gaps take turns."""
    cutter = standard_cutter(shape, 6, 1)
    block = bar_block(30.0, 20.0, 0.5)
    rng = np.random.default_rng(3)
    turn = 2 * np.pi * 20.0
    worst = 0.0
    for _ in range(60):
        x, y, z = rng.uniform(8, 22), rng.uniform(0, turn / 8), rng.uniform(3, 17)
        points = np.array([[x, y, z], [x + rng.uniform(0, 4), y, z]])
        after, depths, _ = cut_bar(block, points, np.ones(1, np.uint8), 0, cutter)
        held = [np.maximum(item.high - item.low, 0.0).sum(axis=0) for item in (block, after)]
        taken = float((held[0] - held[1]).max())
        worst = max(worst, float(depths[0]) - taken)
        block = after
    assert worst <= 0.02
