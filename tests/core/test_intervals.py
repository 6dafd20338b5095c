"""Columns with gaps: cuts of earlier setups from other sides are air for later operations."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from meshes import ellipsoid, underside_of
from nephos.core.cutters import Profile, standard_cutter
from nephos.core.plan.boundary import Limit
from nephos.core.plan.joined_faces import Faces, FaceTab
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.stock import Stock
from nephos.core.stages.run import run_plan
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.stock.block import Block, Grid, box_block
from nephos.core.stock.frames import record_frames, shown_grid, shown_intervals, shown_top
from nephos.core.stock.intervals import merged
from nephos.core.stock.sweep import sweep
from nephos.core.strategies.clearing.levels import stands_over
from nephos.core.strategies.registry import strategy
from nephos.core.toolpath import Kind

pytestmark = pytest.mark.long

FINE = 0.01
"""Resolution (mm) of the voxel columns used as the truth."""


def gapped(seed: int, ny: int = 9, nx: int = 12) -> Block:
    """A block of 10 mm whose columns have up to three intervals each, at random."""
    rng = np.random.default_rng(seed)
    ends = np.sort(rng.uniform(0, 10, (6, ny, nx)), axis=0).astype(np.float32)
    low, high = ends[0::2].copy(), ends[1::2].copy()
    empty = rng.uniform(size=low.shape) < 0.3
    high[empty] = low[empty]
    grid = Grid(0.0, 0.0, 1.0, nx, ny)
    return Block(grid, low, high, np.full((ny, nx), -1, np.int32), np.full((ny, nx), 10, np.float32), 0.0)


def true_columns(block: Block) -> tuple[np.ndarray, np.ndarray]:
    """Heights (n,), and which of them hold material (n, ny, nx)."""
    z = np.arange(FINE / 2, 10, FINE)
    inside = (z[:, None, None, None] > block.low) & (z[:, None, None, None] < block.high)
    return z, inside.any(axis=1)


CUTTERS = [Profile.of(1.6, 0.0), Profile.of(0.0, 1.5), Profile.of(0.6, 0.7)]


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from(CUTTERS))
def test_moves_take_what_stands_in_their_way_and_no_gaps(seed: int, cutter: Profile) -> None:
    """Compare the largest removal of each move, and the tops left, with columns of voxels."""
    block = gapped(seed)
    rng = np.random.default_rng(seed + 1)
    z, material = true_columns(block)
    points = np.column_stack([rng.uniform(-1, 12, 7), rng.uniform(-1, 9, 7), rng.uniform(1, 9, 7)])
    # Each place is gone to level, so that the cutter's underside at a column is known in closed form.
    points = np.concatenate([[[a[0], a[1], b[2]], b] for a, b in pairwise(points)])
    top, touched = block.top.copy(), block.touched.copy()
    kinds = np.ones(len(points) - 1, np.uint8)
    depths = sweep(top, touched, block.grid, points, kinds, 0, cutter, intervals=block.intervals)
    x, y = np.meshgrid(block.grid.xs, block.grid.ys)
    for k, (a, b) in enumerate(pairwise(points)):
        if a[2] != b[2]:
            # Links between the level moves go up and down: taken as they are.
            share = np.linspace(0, 1, 201)[:, None]
            ways = a + share * (b - a)
        else:
            ways = a + np.linspace(0, 1, 401)[:, None] * (b - a)
        lowest = np.full(x.shape, np.inf)
        for way in ways:
            away = np.hypot(x - way[0], y - way[1])
            lowest = np.minimum(lowest, np.where(away < cutter.radius, way[2] + underside_of(cutter, away), np.inf))
        taken = material & (z[:, None, None] > lowest)
        material &= ~taken
        assert depths[k] == pytest.approx(taken.sum(axis=0).max() * FINE, abs=0.06)
    left = np.where(material.any(axis=0), z[len(z) - 1 - material[::-1].argmax(axis=0)], np.nan)
    seen = np.isfinite(left)
    assert (top[seen] > left[seen] - FINE).all()
    # Above the true top is no material, except intervals thinner than the voxels.
    thin = np.maximum(np.minimum(block.high, top) - np.maximum(block.low, np.where(seen, left, 0.0)), 0).sum(axis=0)
    assert (thin < 3 * FINE).all()


def test_a_cut_that_ends_in_a_gap_falls_to_what_stands_under_it() -> None:
    block = box_block((0, 0, 0), (4, 4, 10), 1.0)
    low = np.stack([np.zeros((4, 4)), np.full((4, 4), 8.0)]).astype(np.float32)
    high = np.stack([np.full((4, 4), 3.0), np.full((4, 4), 10.0)]).astype(np.float32)
    block = Block(block.grid, low, high, block.touched, block.bound, 0.0)
    across = np.array([[-20.0, 2, 7], [20, 2, 7], [20, 2, 4], [-20, 2, 4], [-20, 2, 2], [20, 2, 2]])
    top, touched = block.top.copy(), block.touched.copy()
    taken = sweep(
        top, touched, block.grid, across, np.ones(5, np.uint8), 0, Profile.of(5.0, 0.0), intervals=block.intervals
    )
    # 2 mm of the upper interval, a gap of 5 mm, then 1 mm of the lower interval in the move at 2 mm.
    assert taken == pytest.approx([2, 0, 0, 0, 1])
    assert (top == 2).all() and (touched == 4).all()
    assert stands_over(block, 7.0, 20.0).all() and not stands_over(block, 4.0, 7.0).any()
    assert stands_over(block, 2.0, 4.0).all() and block.volume == pytest.approx(16 * 5)


@pytest.mark.parametrize("factor", [2, 3])
def test_coarser_columns_hold_all_that_finer_ones_do(factor: int) -> None:
    block = gapped(3)
    coarse = merged(block.intervals, factor)
    for j in range(block.grid.ny):
        for i in range(block.grid.nx):
            mine = coarse.low[:, j // factor, i // factor], coarse.high[:, j // factor, i // factor]
            for low, high in zip(block.low[:, j, i], block.high[:, j, i], strict=True):
                middle = (low + high) / 2
                assert high <= low or ((mine[0] <= middle) & (mine[1] >= middle)).any()


def test_the_recorded_block_falls_through_gaps_too() -> None:
    block = gapped(7, 20, 20)
    grid = shown_grid(block.grid)
    points = np.array([[0.0, 10, 5], [19, 10, 5]])
    frames = record_frames(
        shown_top(block, grid),
        grid,
        points,
        np.ones(1, np.uint8),
        np.ones(1),
        Profile.of(3.0, 0.0),
        shown_intervals(block, grid),
    )
    cut = block.cut_above(np.full(block.bound.shape, 5, np.float32), block.touched).top
    changed = np.flatnonzero(np.diff(frames.start))
    assert len(changed) > 60
    # An empty column is shown at its lower end.
    left = np.where(cut > 0, cut, block.bottom).ravel()
    assert (frames.height[frames.start[changed]] == left[changed]).all()


# Plans


def _setup(key: str, side: str, first: int) -> Setup:
    def operation(number: int, name: str, cutter: object, limit: Limit, **words: object) -> Operation:
        return Operation(
            number=number,
            strategy=name,
            cutter=cutter,
            boundary=limit,
            settings=strategy(name).settings.model_validate(words),
        )

    flat, ball = standard_cutter("flat", 4, 1), standard_cutter("ball", 3, 2)
    rough = operation(first, "rough_offset", flat, Limit(boundary="box", contain="inside"), stepdown=2, stepover=1.6)
    finish = operation(first + 1, "finish_raster", ball, Limit(boundary="silhouette", contain="outside"), stepover=0.3)
    return FaceSetup(id=key, name=f"Setup {key}", side=side, overrun=2.2, operations=(rough, finish))


def _plan(*sides: str) -> Plan:
    tabs = tuple(
        FaceTab(id=f"t{angle}", at=(x, 22, 13), angle=angle, width=5, thickness=3) for x, angle in ((48, 0), (12, 180))
    )
    return Plan(
        stock=Stock(length=60, width=44, thickness=26),
        models=(
            Model(
                id="egg",
                name="egg",
                mesh="egg",
                placement=Placement(align=("centre", "centre", "centre"), offset=(0, 0, 0)),
            ),
        ),
        setups=tuple(_setup(f"s{k}", side, 10 + 10 * k) for k, side in enumerate(sides)),
        faces=Faces(parting=13, parting_y=22, border=6, tabs=tabs),
        pitch=0.4,
    )


def _feed(done: SetupOutcome, k: int, which: np.ndarray | None = None) -> float:
    """Length (mm) of the feed moves of an operation, or of the moves `which` (n,)."""
    o = done.outcomes[k]
    if len(o.kinds) == 0:
        return 0.0
    lengths = np.nan_to_num(np.linalg.norm(np.diff(o.points, axis=0), axis=1))
    return float(lengths[o.kinds != Kind.RAPID if which is None else which].sum())


@pytest.fixture(scope="module")
def figure() -> list[SetupOutcome]:
    """An egg from four sides, and from the first one again."""
    plan = _plan("top", "front", "bottom", "back", "top")
    return list(run_plan(plan, lambda _: ellipsoid((18, 12, 9)), Work(MemoryStore())))


def test_all_that_operations_remove_is_what_the_stock_has_lost(figure: list[SetupOutcome]) -> None:
    whole = 60 * 44 * 26
    removed = sum(gain.removed for done in figure for gain in done.proof.gains)
    assert removed == pytest.approx(whole - figure[-1].block.volume, rel=0.01)


def test_roughing_of_later_sides_does_not_cut_air(figure: list[SetupOutcome]) -> None:
    for done in figure[:4]:
        cutting = done.outcomes[0].kinds == Kind.CUT
        assert _feed(done, 0, cutting) > 500
        assert _feed(done, 0, cutting & (done.outcomes[0].depths <= 0.002)) < 0.05 * _feed(done, 0, cutting)


def test_a_side_that_is_done_already_takes_nothing_and_no_time(figure: list[SetupOutcome]) -> None:
    first, again = figure[0], figure[-1]
    assert again.proof.gains[0].removed + again.proof.gains[1].removed < 1e-3 * first.proof.gains[0].removed
    for k in range(2):
        assert _feed(again, k) <= 0.02 * _feed(first, k)
