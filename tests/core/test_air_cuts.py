"""Passes without their stretches in air: nothing else is cut, and nothing less."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cutting import FLAT, op, run
from nephos.command.warm import small_hill
from nephos.core.cutters import Profile, standard_cutter
from nephos.core.linking.air_cuts import without_air, without_finished
from nephos.core.stock.block import Block, box_block
from nephos.core.stock.cut import removed
from nephos.core.stock.sweep import sweep
from nephos.core.toolpath import Pass

pytestmark = pytest.mark.long

CUTTER = FLAT.profile


def fresh():
    return box_block((0, 0, 0), (60, 40, 10), 0.25)


def cut(passes: tuple[Pass, ...], block: Block | None = None, cutter: Profile = CUTTER) -> np.ndarray:
    block = block or fresh()
    top, touched = block.top.copy(), np.full(block.touched.shape, -1, np.int32)
    for item in passes:
        sweep(
            top,
            touched,
            block.grid,
            np.ascontiguousarray(item.points),
            np.ones(len(item.points) - 1, np.uint8),
            0,
            cutter,
        )
    return top


def length(passes: tuple[Pass, ...]) -> float:
    return float(sum(np.sqrt((np.diff(item.points, axis=0) ** 2).sum(axis=1)).sum() for item in passes))


def line(*points: tuple[float, float]) -> Pass:
    return Pass(np.array([[x, y, 7.0] for x, y in points]))


def test_a_way_gone_twice_is_left_out_the_second_time() -> None:
    first, second = line((5, 10), (55, 10)), line((5, 10), (55, 10), (55, 30))
    kept = without_air((first, second), fresh(), CUTTER, 8.0)
    assert len(kept) == 2 and kept[0] is first
    assert length(kept[1:]) == pytest.approx(20, abs=4), "only the new leg is left"
    assert np.array_equal(cut(kept), cut((first, second)))


def test_a_pass_beside_the_stock_or_over_it_goes_altogether() -> None:
    assert (
        without_air((line((5, -20), (55, -20)), Pass(np.array([[5, 5, 12.0], [50, 5, 12.0]]))), fresh(), CUTTER, 8.0)
        == ()
    )


def test_a_way_left_out_is_where_the_next_one_is_entered_from() -> None:
    outside, inside = line((5, -2.5), (55, -2.5)), line((5, -0.5), (55, -0.5))
    entry, kept = without_air((outside, inside), fresh(), CUTTER, 8.0)
    assert entry.points.tolist() == [[5, -2.5, 7], [5.5, -2.5, 7]] and kept is inside
    far = line((5, 20), (55, 20))
    assert without_air((outside, far), fresh(), CUTTER, 8.0) == (far,)


def test_short_air_stays_as_lifting_would_take_longer() -> None:
    across = line((30, 5), (30, 35))
    crossing = line((5, 20), (55, 20))
    assert without_air((across, crossing), fresh(), CUTTER, 8.0) == (across, crossing)


def test_a_closed_pass_begins_where_it_cuts() -> None:
    ring = Pass(np.array([[10, 10, 7], [50, 10, 7], [50, 30, 7], [10, 30, 7], [10, 10, 7]], float), closed=True)
    known = line((10, 30), (10, 10), (50, 10))
    kept = without_air((known, ring), fresh(), CUTTER, 8.0)
    assert len(kept) == 2 and not kept[1].closed and length(kept[1:]) == pytest.approx(60, abs=5)
    assert np.array_equal(cut(kept), cut((known, ring)))


def test_an_open_pass_ends_where_it_has_cut() -> None:
    path = line((5, -20), (5, 60))
    (kept,) = without_air((path,), fresh(), CUTTER, 1000.0)
    # It meets the block with its front, and has taken the last of it once its middle is through.
    assert kept.start[1] == pytest.approx(-FLAT.diameter / 2, abs=1.1) and kept.end[1] == pytest.approx(40, abs=1.1)
    assert np.array_equal(cut((kept,)), cut((path,)))


def test_both_sides_of_a_neck_keep_their_order() -> None:
    """The path back along a slot no wider than the cutter cuts nothing; it is the path there that must stay the
    first."""
    ring = Pass(
        np.array([[10, 20, 7], [40, 20, 7], [40, 35, 7], [50, 35, 7], [50, 19, 7], [10, 19, 7], [10, 20, 7]], float),
        closed=True,
    )
    kept = without_air((ring,), fresh(), CUTTER, 4.0)
    assert np.allclose(kept[0].start, ring.start), "the first to cut is still the first"
    assert np.array_equal(cut(kept), cut((ring,)))


def test_what_is_not_worth_cutting_is_left_out() -> None:
    across = line((30, 5), (30, 35))
    higher = replace(across, points=across.points + np.array([0, 0, 0.2]))
    assert without_air((higher, across), fresh(), CUTTER, 8.0, worth=0.3) == (higher,)
    assert len(without_air((higher, across), fresh(), CUTTER, 8.0)) == 2


@settings(max_examples=30, deadline=None)
@given(seed=st.integers(0, 9999))
def test_the_block_becomes_the_same_with_a_shorter_path(seed: int) -> None:
    rng = np.random.default_rng(seed)
    passes = []
    for _ in range(6):
        points = np.column_stack([rng.uniform(-10, 70, 6), rng.uniform(-10, 50, 6), np.full(6, rng.choice([6.0, 7.0]))])
        closed = bool(rng.random() < 0.5)
        passes.append(Pass(np.vstack([points, points[:1]]) if closed else points, closed))
    kept = without_air(tuple(passes), fresh(), CUTTER, 8.0)
    assert length(kept) <= length(tuple(passes)) + 1e-6
    assert np.abs(cut(kept) - cut(tuple(passes))).max() <= 0.002


def test_roughing_leaves_out_long_stretches_in_air() -> None:
    again = op("rough_offset", FLAT, 20, stepover=2.0, stepdown=2.0)
    done = run(
        small_hill(side=60, cells=40), op("rough_offset", FLAT, stepover=2.0, stepdown=2.0), again, size=(70, 70, 12)
    )
    first = done.outcomes[0]
    feed = first.kinds != 0
    begin = np.flatnonzero(feed & (first.depths > 0.002))[0]
    after = feed & (np.arange(len(feed)) >= begin)
    assert first.lengths[after & (first.depths <= 0.002)].sum() < 0.05 * first.lengths[after].sum()
    assert all(outcome.rapid_depth.max() == 0 for outcome in done.outcomes)


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 1000))
def test_a_finishing_leaves_out_only_what_other_sides_have_finished(seed: int) -> None:
    """Lines over hills that are done to the left of a bent line: nowhere does more stay than the tolerance."""
    rng = np.random.default_rng(seed)
    profile = standard_cutter("ball", 3).profile
    a, b = rng.uniform(0.1, 0.4, 2)
    ys = np.arange(2.0, 28.0, 0.4)
    x = np.linspace(2.0, 58.0, 113)
    passes = tuple(
        Pass(np.column_stack([x, np.full(len(x), y), 3 + np.sin(a * x) + np.cos(b * y)])[:: (1 if k % 2 else -1)])
        for k, y in enumerate(ys)
    )
    bare = box_block((0, 0, 0), (60, 30, 8), 0.25)
    gx, gy = np.meshgrid(bare.grid.xs, bare.grid.ys)
    # The remaining stock of another side is about the scallop of its lines.
    finished = cut(passes, bare, profile) + rng.uniform(0, 0.008, bare.top.shape).astype(np.float32)
    block = bare.cut_above(np.where(gx < 30 + 8 * np.sin(gy / 4), finished, bare.top).astype(np.float32), bare.touched)
    kept = without_finished(passes, block, profile, 10.0, 0.01, 3.0)
    assert (cut(kept, block, profile) - cut(passes, block, profile)).max() <= 0.0101
    assert length(kept) < 0.75 * length(passes)


def bridge() -> Block:
    """A bridge from 6 to 9 mm high, under which another side has cut a gap down to 1 mm."""
    bare = box_block((0, 0, 0), (60, 30, 9), 0.25)
    ends = [np.full((2, *bare.top.shape), z, np.float32) for z in (0.0, 9.0)]
    low, high = ends
    high[0], low[1] = 1.0, 6.0
    return replace(bare, low=low, high=high)


def left_standing(passes: tuple[Pass, ...], block: Block, cutter: Profile) -> np.ndarray:
    """Material (mm) of each column that the passes leave."""
    done = block.cut_above(cut(passes, block, cutter), block.touched)
    return np.maximum(done.high - done.low, 0.0).sum(axis=0)


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 1000), st.booleans())
def test_what_stands_over_a_gap_is_cut_through(seed: int, layered: bool) -> None:
    """Passes that end in a gap, and such as end above it; in one layer and in two."""
    rng = np.random.default_rng(seed)
    profile = standard_cutter("ball", 3).profile
    x = np.linspace(2.0, 58.0, 57)
    depths = rng.uniform(1.2, 7.0, 70)
    lines = [
        np.column_stack([x, np.full(len(x), y), 0 * x + z]) for y, z in zip(np.arange(2, 28, 0.4), depths, strict=False)
    ]
    over = [np.column_stack([line[:, :2], np.maximum(line[:, 2], 7.5)]) for line in lines] if layered else []
    passes = tuple(map(Pass, [*over, *lines]))
    block = bridge()
    kept = without_finished(passes, block, profile, 10.0, 0.01, 3.0)
    assert (left_standing(kept, block, profile) - left_standing(passes, block, profile)).max() <= 0.0101
    takes = removed(block, kept[0].points, np.ones(len(kept[0].points) - 1, np.uint8), profile)
    assert not layered or (kept[0].start[2] >= 7.5 and takes.max() <= 1.6), "the upper layer goes first"
