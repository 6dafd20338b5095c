"""Entries and links: down along the pass, across at the lowest height that is safe."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from meshes import box_mesh
from nephos.core.cutters import Profile
from nephos.core.linking.link import OVER_BLOCK, OVER_CUT, OVER_GROUND, LinkTask, _ramp, link
from nephos.core.linking.link_block import LinkBlock
from nephos.core.linking.slope_feed import slope_share, with_slope_feeds
from nephos.core.machine.rotary_axis import surface_lengths
from nephos.core.stock.block import box_block
from nephos.core.surface.index import build_index
from nephos.core.toolpath import Kind, Pass, Passes, Toolpath

RING = np.array([[0, 0, -4], [20, 0, -4], [20, 10, -4], [0, 10, -4], [0, 0, -4]], float)
FLOOR = box_mesh((-50, -50, -30), (50, 50, -20))


def task(block, clearance: float = 5.0, cutter: Profile = Profile.of(3.0, 0.0)) -> LinkTask:  # noqa: B008
    return LinkTask(
        build_index(FLOOR.vertices, FLOOR.faces),
        shapely.box(-40, -40, 40, 40),
        block,
        cutter,
        0.0,
        -20.0,
        1800,
        600,
        clearance,
        0.01,
    )


@pytest.mark.parametrize("angle", [1.0, 3.0, 20.0])
@pytest.mark.parametrize("closed", [True, False])
@settings(max_examples=20, deadline=None)
@given(height=st.floats(0.05, 12))
def test_a_ramp_stays_on_its_pass_and_within_its_angle(angle: float, closed: bool, height: float) -> None:
    item = Pass(RING if closed else RING[:3], closed=closed, entry="ramp")
    path = np.vstack([_ramp(item, height, angle), item.start])
    assert path[0, 2] == pytest.approx(-4 + height)
    line = shapely.LineString(item.points[:, :2])
    assert max(line.distance(shapely.Point(p)) for p in path[:, :2]) < 1e-9
    step = np.diff(path, axis=0)
    flat = np.hypot(step[:, 0], step[:, 1])
    assert (step[:, 2] <= 1e-9).all(), "a ramp never goes up"
    assert (-step[:, 2] <= np.tan(np.radians(angle)) * flat + 1e-9).all()
    # Between two points it follows the pass, not a short cut over what may stand inside.
    middle = (path[1:, :2] + path[:-1, :2]) / 2
    assert max(line.distance(shapely.Point(p)) for p in middle) < 1e-9


def test_a_ramp_over_a_pass_of_no_length_ends() -> None:
    tiny = Pass(np.array([[0, 0, -4], [1e-4, 0, -4.0]]), entry="ramp")
    assert len(_ramp(tiny, 5.0, 3.0)) < 200


@settings(max_examples=30, deadline=None)
@given(seed=st.integers(0, 9999))
def test_the_highest_of_the_block_along_a_path(seed: int) -> None:
    rng = np.random.default_rng(seed)
    block = box_block((0, 0, -10), (30, 20, 0), 0.5)
    block = block.cut_above(
        rng.uniform(-10, 0, block.top.shape).astype(np.float32), np.zeros(block.top.shape, np.int32)
    )
    a, b = rng.uniform([-3, -3], [33, 23], (2, 2))
    radius = rng.uniform(0.6, 5)
    x, y = np.meshgrid(block.grid.xs, block.grid.ys)
    path = shapely.LineString([a, b])
    near = shapely.distance(shapely.points(x, y), path) <= radius
    expected = block.top[near].max() if near.any() else -np.inf
    known = LinkBlock(block, keep_up=False)
    assert known.highest(a, b, radius) == pytest.approx(expected)
    assert known.highest_along(np.array([[*a, *b], [*b, *a]]), radius) == pytest.approx(np.array([expected, expected]))


def two_pits(gap: float) -> Passes:
    left = Pass(np.array([[5, 10, -4], [15, 10, -4.0]]))
    right = Pass(np.array([[15 + gap, 10, -4], [25 + gap, 10, -4.0]]))
    return Passes((left, right), stay_down=6.0, on_surface=False)


def test_near_and_clear_the_cutter_stays_down() -> None:
    path = link(two_pits(4.0), task(box_block((0, 0, -10), (60, 20, 0), 0.5)))
    assert Kind.LINK in path.kinds and np.count_nonzero(path.kinds == Kind.RAPID) == 2


def test_far_it_lifts_just_over_what_stands_between() -> None:
    path = link(two_pits(20.0), task(box_block((0, 0, -10), (60, 20, 0), 0.5)))
    rapid = path.points[1:][path.kinds == Kind.RAPID]
    assert Kind.LINK not in path.kinds
    across = rapid[(rapid[:, 0] > 16)][0]
    assert across[2] == pytest.approx(0 + OVER_BLOCK)
    assert path.points[0, 2] == path.points[-1, 2] == 5.0, "begins and ends at the clearance"


def test_over_ground_that_is_cut_already_it_lifts_less() -> None:
    block = box_block((0, 0, -10), (60, 20, 0), 0.5)
    ground = np.where(block.grid.xs < 50, -3, 0).astype(np.float32) + np.zeros(block.top.shape, np.float32)
    low = block.cut_above(ground, np.zeros(block.top.shape, np.int32))
    path = link(two_pits(20.0), task(low))
    inner = path.points[1:-1][path.kinds[:-1] == Kind.RAPID]
    assert inner[1:, 2].max() == pytest.approx(-3 + OVER_GROUND)


def test_a_wall_in_the_way_is_not_cut_through() -> None:
    wall = box_mesh((16, 0, -20), (18, 20, -1))
    mesh_vertices = np.concatenate([FLOOR.vertices, wall.vertices])
    mesh_faces = np.concatenate([FLOOR.faces, wall.faces + 8]).astype(np.int32)
    base = task(box_block((0, 0, -10), (60, 20, 0), 0.5))
    walled = LinkTask(
        build_index(mesh_vertices, mesh_faces), base.region, base.block, base.cutter, 0.0, -20.0, 1800, 600, 5.0, 0.01
    )
    assert Kind.LINK not in link(two_pits(4.0), walled).kinds


def test_an_entry_begins_just_above_what_was_cut_and_farther_above_the_uncut_top() -> None:
    block = box_block((0, 0, -10), (60, 20, 0), 0.5)
    path = link(two_pits(20.0), task(block))
    entries = path.points[:-1][path.kinds == Kind.ENTRY]
    assert entries[:, 2] == pytest.approx([OVER_BLOCK, OVER_BLOCK])
    low = block.cut_above(
        np.where(block.grid.xs > 20, -3, 0).astype(np.float32) + np.zeros(block.top.shape, np.float32),
        np.zeros(block.top.shape, np.int32),
    )
    path = link(two_pits(20.0), task(low))
    entries = path.points[:-1][path.kinds == Kind.ENTRY]
    assert entries[:, 2] == pytest.approx([OVER_BLOCK, -3 + OVER_CUT]), (
        "no farther through the air at the plunge feed than it has to"
    )


def test_a_pass_in_the_full_is_led_in_from_cleared_ground_beside_it() -> None:
    """Instead of going down a ramp along it; but never through the part."""
    block = box_block((0, 0, -10), (60, 40, 0), 0.5)
    ground = np.where(block.grid.ys < 14, -6, 0)[:, None].astype(np.float32) + np.zeros(block.top.shape, np.float32)
    low = block.cut_above(ground, np.zeros(block.top.shape, np.int32))
    ring = np.array([[20, 18, -4], [40, 18, -4], [40, 30, -4], [20, 30, -4], [20, 18, -4.0]])
    passes = Passes((Pass(ring, closed=True, entry="ramp"),), 6.0, False)
    path = link(passes, task(low))
    entry = path.points[1:][path.kinds == Kind.ENTRY]
    assert len(entry) == 1, "straight down"
    assert entry[0, 1] < 18 and (low.top[low.grid.ys < entry[0, 1] + 1.5] <= -4).all(), "where nothing stands"
    cut = path.points[1:][path.kinds == Kind.CUT]
    assert np.allclose(cut[0], cut[-1]), "and then once round"
    kept = task(low)
    inside = LinkTask(kept.index, shapely.box(0, 17, 60, 40), low, kept.cutter, 0.0, -20.0, 1800, 600, 5.0, 0.01)
    assert np.count_nonzero(link(passes, inside).kinds == Kind.ENTRY) > 2, "out of the region it does not go: it ramps"
    fence = box_mesh((0, 15, -20), (60, 15.5, -1))
    faces = np.concatenate([FLOOR.faces, fence.faces + 8]).astype(np.int32)
    free = task(low)
    sandboxed = LinkTask(
        build_index(np.concatenate([FLOOR.vertices, fence.vertices]), faces),
        free.region,
        free.block,
        free.cutter,
        0.0,
        -20.0,
        1800,
        600,
        5.0,
        0.01,
    )
    ramp = link(passes, sandboxed)
    assert np.count_nonzero(ramp.kinds == Kind.ENTRY) > 2, "the part stands between: it ramps"


def test_no_passes_no_moves() -> None:
    path = link(Passes((), 5.0, False), task(box_block((0, 0, -10), (20, 20, 0), 0.5)))
    assert path.moves == 0 and path.length(True) == 0


WALLED = box_block((-40, -40, -20), (40, 40, 0), 0.25)


def two_paths(wall: bool) -> tuple[Pass, Pass]:
    """Two level passes that end and begin 8 mm apart; with a wall of material between them, or in ground that the first
    has cleared."""
    first = Pass(np.array([[-30, 0, -4], [0, 0, -4.0]]))
    second = Pass(np.array([[0, 8, -4], [-30, 8, -4.0]])) if wall else Pass(np.array([[-2, 0.5, -4], [-30, 5, -4.0]]))
    return first, second


@pytest.mark.parametrize(("through", "wall", "down"), [(True, True, True), (False, True, False), (False, False, True)])
def test_ways_under_an_even_load_never_link_through_what_stands(through: bool, wall: bool, down: bool) -> None:
    path = link(Passes(two_paths(wall), stay_down=12.0, on_surface=False, through=through), task(WALLED))
    linked = path.points[1:][path.kinds == Kind.LINK]
    assert bool(len(linked)) == down
    if not down:
        between = path.points[1:][path.kinds == Kind.RAPID]
        assert between[:, 2].max() >= OVER_BLOCK, "it lifts over the wall instead"


def stepped_block():
    """A block of 60 x 40 mm whose half beyond x = 20 is 4 mm lower."""
    block = box_block((0, 0, -10), (60, 40, 0), 0.25)
    top = block.top.copy()
    top[:, block.grid.xs > 20] = -4.0
    return block.cut_above(top, np.zeros(block.top.shape, np.int32))


def test_a_cutter_rests_on_the_block_by_its_underside() -> None:
    block = LinkBlock(stepped_block(), keep_up=False)
    places = np.array([[10.0, 20.0], [40.0, 20.0], [22.0, 20.0], [80.0, 80.0]])
    flat, ball = Profile.of(3.0, 0.0), Profile.of(0.0, 3.0)
    assert block.rests(places, flat)[:3] == pytest.approx([0, -4, 0])
    assert block.rests(places, flat, 1.5)[2] == pytest.approx(-4), "what the rim only grazes does not count"
    told = block.rests(places, ball)
    x, y = np.meshgrid(block.grid.xs[block.grid.xs <= 20], block.grid.ys)
    away = np.hypot(22 - x, 20 - y).min()
    assert told[2] == pytest.approx(-(3 - np.sqrt(9 - away**2)), abs=1e-5), "a ball sinks beside an edge"
    assert told[3] == -np.inf, "beside the block it rests on nothing"


def test_a_ramp_begins_no_higher_than_what_it_goes_down_into() -> None:
    low = np.array([[50.0, 10, -6], [50, 30, -6], [26, 30, -6], [26, 10, -6], [50, 10, -6]])
    path = link(
        Passes((Pass(low, closed=True, entry="ramp"),), stay_down=0.0, on_surface=False, ramp_angle=5.0),
        task(stepped_block()),
    )
    entries = path.points[1:][path.kinds == Kind.ENTRY]
    assert entries[:, 2].max() == pytest.approx(-4, abs=1e-3), "not from the top of the other half"
    steep = np.diff(entries, axis=0)
    assert (-steep[:, 2] <= np.tan(np.radians(5.0)) * np.hypot(*steep[:, :2].T) + 1e-9).all()


@pytest.mark.parametrize("through", [True, False])
def test_far_through_the_air_the_cutter_lifts(through: bool) -> None:
    """A neighbour is gone to over cleared ground at the feed only where that is near."""
    for gap, lifted in ((2.0, False), (12.0, True)):
        first, second = (Pass(np.array([[25.0, y, -4], [50, y, -4]])) for y in (10.0, 10 + gap))
        second = Pass(second.points[::-1].copy())
        path = link(Passes((first, second), stay_down=36.0, on_surface=False, through=through), task(stepped_block()))
        assert (path.kinds == Kind.LINK).any() != lifted


def across_cleared_ground(turns: int) -> Passes:
    """Path to and fro, cut `turns` times, and after it one that begins 14 mm away on ground that is free already."""
    to_and_fro = np.array([[25.0, 10, -4], [55, 10, -4]] * turns)
    return Passes((Pass(to_and_fro), Pass(np.array([[55.0, 24, -4], [30, 24, -4]]))), stay_down=12.0, on_surface=False)


@pytest.mark.parametrize(("turns", "down"), [(12, True), (3, False)])
def test_through_cleared_ground_it_goes_farther_where_that_is_a_small_share(turns: int, down: bool) -> None:
    here = replace(task(stepped_block()), region=shapely.box(-40, -40, 80, 40))
    path = link(across_cleared_ground(turns), here)
    assert (path.kinds == Kind.LINK).any() == down


def test_through_cleared_ground_it_never_leaves_the_boundary() -> None:
    island = shapely.box(-40, -40, 80, 40).difference(shapely.box(50, 14, 60, 20))
    here = replace(task(stepped_block()), region=island)
    path = link(across_cleared_ground(12), here)
    assert not (path.kinds == Kind.LINK).any()


@pytest.mark.parametrize("turned", [False, True])
def test_a_link_up_an_upright_wall_goes_upright_and_not_through_its_edge(turned: bool) -> None:
    """A pass ends at the foot of a wall, a hair inside of where the cutter touches it; the next one is on top."""
    ball, tolerance = Profile.of(0.0, 1.5), 0.01
    wall = box_mesh((-20, -20, -20), (0, 20, 0))
    hair = 0.003
    foot = np.array([[1.5 - hair, -5, -20], [1.5 - hair, -2, -20.0]])
    top = np.array([[-0.2, -2.02, 0.0], [-3, -2.02, 0.0]])
    passes = (Pass(top[::-1].copy()), Pass(foot[::-1].copy())) if turned else (Pass(foot), Pass(top))
    block = box_block((-20, -20, -20), (20, 20, 0), 0.25)
    block = block.cut_above(np.full(block.top.shape, -25, np.float32), np.zeros(block.top.shape, np.int32))
    linked = replace(task(block, cutter=ball), index=build_index(wall.vertices, wall.faces), floor=-20.0)
    path = link(Passes(passes, stay_down=6.0, on_surface=True), linked)
    assert Kind.LINK in path.kinds
    for (start, end), kind in zip(itertools.pairwise(path.points), path.kinds, strict=True):
        if kind == Kind.RAPID:
            continue
        places = start + np.linspace(0, 1, 400)[:, None] * (end - start)
        # Distance from the ball's axis, from its tip upward, to the wall's edge and side.
        out, up = places[:, 0], np.minimum(-(places[:, 2] + 1.5), 0.0)
        inside = np.where(places[:, 0] > 0, 1.5 - np.hypot(out, up), 1.5 - np.abs(up))
        assert inside.max() <= hair + tolerance


@pytest.mark.parametrize("radius", [None, 15.0])
@settings(max_examples=40, deadline=None)
@given(
    steps=st.lists(
        st.tuples(st.floats(-4, 4), st.floats(-4, 4), st.floats(-6, 6), st.sampled_from([0, 1, 2, 3])), min_size=1
    ),
    plunge=st.floats(40, 3000),
)
def test_no_feed_move_goes_down_faster_than_the_plunge_feed(steps, plunge: float, radius: float | None) -> None:
    rows = np.array(steps)
    points = np.concatenate([[[0, 0, 30.0]], np.array([0, 0, 30]) + np.cumsum(rows[:, :3], axis=0)])
    kinds = rows[:, 3].astype(np.uint8)
    path = Toolpath(points, kinds, np.where(kinds == Kind.RAPID, 0, 1800).astype(np.float32))
    done = with_slope_feeds(path, plunge, radius)
    lengths = path.lengths() if radius is None else surface_lengths(points, radius)
    down = -np.diff(points[:, 2])
    feeding = (kinds != Kind.RAPID) & (lengths > 0)
    assert (done.feeds[feeding] * down[feeding] <= plunge * lengths[feeding] * 1.0001).all()
    slowed = done.feeds < path.feeds
    assert not slowed[down <= 0].any() and not slowed[kinds == Kind.RAPID].any()
    assert (done.feeds[slowed] * down[slowed] * 1.1001 >= plunge * lengths[slowed]).all(), "no slower than it has to be"


def test_the_time_of_a_slope_is_estimated_from_its_angle() -> None:
    assert slope_share(np.zeros(3), 1800, 600) == pytest.approx(1.0)
    assert slope_share(np.full(3, 30.0), 1800, 1800) == pytest.approx(1.0)
    # Lines straight up and down a wall take a third of the feed on one half of the way.
    assert 1.5 < slope_share(np.full(3, 80.0), 1800, 600) < 2.0
