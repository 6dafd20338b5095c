"""The coarse picture of the ground that estimates look at."""

from math import sqrt

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from meshes import at
from nephos.core.cutters import SHAPES, Profile, standard_cutter
from nephos.core.estimate.estimate import StockEstimate
from nephos.core.estimate.height_map import HeightMap
from nephos.core.estimate.height_map_levels import Clearing
from nephos.core.estimate.height_map_walls import Walls, walls_of


def height_map_of(height, side: float = 40.0, every: float = 0.5) -> HeightMap:
    """The picture of a surface given by a function of x and y."""
    x, y = np.meshgrid(np.arange(0, side + 1e-9, every), np.arange(0, side + 1e-9, every))
    points = np.column_stack([x.ravel(), y.ravel(), height(x, y).ravel()])
    return HeightMap.of_samples(points, np.zeros(2), np.array([side, side]), 10.0)


def step(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    return np.where(x > 20, 6.0, 1.0)


def test_a_cutter_stays_off_a_step_by_its_radius() -> None:
    relief = height_map_of(step)
    tips = relief.tips(Profile.of(3.0, 0.0), 0.0)
    assert at(relief, tips, 20 - 3 - relief.step, 20) == pytest.approx(1.0)
    assert at(relief, tips, 20 - 3 + relief.step, 20) == pytest.approx(6.0)
    left = relief.tips(Profile.of(3.0, 0.0), 0.5)
    assert at(relief, left, 10, 20) == pytest.approx(1.5), "stock to leave lies on level ground"
    assert relief.model.mean() < 1 and at(relief, relief.z, -8, -8) == 0, "beside the model there is none"


def test_a_ball_rests_on_an_edge_as_geometry_says() -> None:
    relief = height_map_of(step, every=0.25)
    tips = relief.tips(Profile.of(0.0, 4.0), 0.0)
    away = 2.0
    told = at(relief, tips, 20 - away, 20)
    exact = 6.0 - (4 - sqrt(4**2 - away**2))
    slack = 4 - sqrt(4**2 - (away + 1.5 * relief.step) ** 2) - (4 - sqrt(4**2 - away**2))
    assert abs(told - exact) <= slack


def test_what_a_cutter_leaves_is_the_corner_that_it_does_not_reach() -> None:
    relief = height_map_of(lambda x, y: np.where((x > 20) | (y > 20), 8.0, 0.0))
    cutter = Profile.of(4.0, 0.0)
    tips = relief.tips(cutter, 0.0)
    left = relief.swept(tips, cutter, tips < 1.0)
    assert at(relief, left, 10, 10) == 0
    assert np.isinf(at(relief, left, 19.6, 19.6)), "into the corner the round cutter does not come"
    assert np.isinf(at(relief, left, 30, 10)), "where it was not it leaves all"
    small = Profile.of(1.0, 0.0)
    finer = relief.tips(small, 0.0)
    assert (np.isinf(relief.swept(finer, small, finer < 1.0)) <= np.isinf(left)).all()


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000))
def test_how_far_cells_are_from_a_mask_is_told_within_two_percent(seed: int) -> None:
    relief = height_map_of(lambda x, y: np.zeros(x.shape), every=1.0)
    mask = np.random.default_rng(seed).random(relief.z.shape) < 0.002
    away = relief.away(mask)
    if not mask.any():
        assert np.isinf(away).all()
        return
    exact = relief.step * ndimage.distance_transform_edt(~mask)
    assert np.allclose(away, exact, rtol=0.03)
    assert (away[mask] == 0).all()


@pytest.mark.parametrize("shape", [shape for shape in SHAPES if shape != "drill"])
@pytest.mark.parametrize("diameter", [2.0, 7.0])
def test_the_coarse_picture_rests_cutters_like_brute_force(shape: str, diameter: float) -> None:
    """On each cell, over all cells under the cutter, which begins a quarter of a cell farther out than it is."""
    rng = np.random.default_rng(5)
    relief = height_map_of(lambda x, y: rng.uniform(0, 6, x.shape), every=1.0)
    profile = standard_cutter(shape, diameter).profile
    told = relief.tips(profile, 0.0)
    ny, nx = relief.z.shape
    j, i = np.mgrid[:ny, :nx]
    for row, column in ((20, 20), (15, 28), (30, 12), (0, 0), (ny - 1, 5), (7, nx - 1)):
        rho = np.maximum(relief.step * (np.hypot(j - row, i - column) - 0.25), 0.0)
        on = rho <= profile.radius
        assert told[row, column] == pytest.approx((relief.z[on] - profile.heights(rho[on])).max(), abs=1e-5)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000), st.lists(st.floats(0.5, 7.5), min_size=1, max_size=6, unique=True))
def test_a_cutter_stops_at_the_last_level_that_it_may_be_at(seed: int, heights: list[float]) -> None:
    rng = np.random.default_rng(seed)
    relief = height_map_of(lambda x, y: rng.uniform(0, 6, x.shape), side=12.0, every=1.0)
    levels = np.array(sorted(heights, reverse=True))
    where = rng.random(relief.z.shape) < 0.7
    needle = Profile.of(0.0, 1e-3)
    left = relief.swept_levels(relief.z, needle, where, levels)
    for (row, column), z in np.ndenumerate(relief.z):
        may = levels[levels >= z]
        expected = may.min() if where[row, column] and len(may) else np.inf
        assert left[row, column] == pytest.approx(expected, abs=1e-5)


SIDE, STEP = 60, 0.5


def clearing(
    tips, over, levels, trace: float = 0.0, worth: float = 0.0, smallest: float = 0.0, region=None, beside=None
) -> Clearing:
    """A picture of 30 x 30 mm, its tips and what stands (under all of the cutter: as high as under its core) given as
    functions of x and y."""
    relief = HeightMap.of_heights(0.0, 0.0, STEP, np.zeros((SIDE, SIDE), np.float32))
    x, y = relief.places
    x, y = np.broadcast_arrays(x, y)
    stands = over(x, y).astype(np.float32)
    return Clearing(
        relief,
        tips(x, y).astype(np.float32),
        stands,
        stands if beside is None else beside(x, y).astype(np.float32),
        np.ones(x.shape, bool) if region is None else region(x, y),
        np.array(levels, np.float32),
        trace,
        worth,
        smallest,
    )


def everywhere(value: float):
    return lambda x, y: np.full(x.shape, value)


def disc(radius: float, inside: float, outside: float):
    return lambda x, y: np.where(np.hypot(x - 15, y - 15) < radius, inside, outside)


def test_a_round_pit_has_its_outline_and_its_rings() -> None:
    found = clearing(disc(10, 0.0, 9.0), everywhere(5.0), [4.0, 2.0]).at_level(1)
    assert found.walls == pytest.approx(2 * np.pi * 10, rel=0.05)
    assert found.pieces == found.runs == 1
    within = np.pi * (10 - (np.arange(16) + 1.0) * STEP) ** 2
    assert np.allclose(np.pi * 100 - np.cumsum(found.lines[:16]) * STEP, within, atol=9.0), (
        "up to each distance from the wall a ring"
    )
    assert found.lines[22:].sum() == 0
    # All lines together, one a cell, are the area.
    assert found.lines.sum() * STEP == pytest.approx(np.pi * 100, rel=0.05)


def test_an_edge_to_cleared_ground_is_no_wall() -> None:
    half = clearing(disc(10, 0.0, 9.0), lambda x, y: np.where(x < 15, 5.0, 1.0), [4.0]).at_level(0)
    assert half.walls == pytest.approx(np.pi * 10, rel=0.07), "the straight side lies open"
    assert half.runs == 1


def test_each_stretch_along_a_wall_is_a_run_of_its_own() -> None:
    """A slot along X between two walls: one piece, two runs; and four corners of a pit are four of both."""
    slot = clearing(
        lambda x, y: np.where(abs(y - 15) < 5, 0.0, 9.0), everywhere(5.0), [4.0], region=lambda x, y: (x > 3) & (x < 27)
    ).at_level(0)
    assert slot.pieces == 1
    corners = clearing(
        lambda x, y: np.where((abs(x - 15) < 10) & (abs(y - 15) < 10), 0.0, 9.0),
        lambda x, y: np.where((abs(x - 15) > 7) & (abs(y - 15) > 7), 5.0, 0.0),
        [4.0],
    ).at_level(0)
    assert corners.pieces == corners.runs == 4
    assert corners.walls == pytest.approx(4 * 2 * 3 * np.pi / 4, rel=0.25)


def test_what_is_not_worth_it_is_cleared_only_where_the_cutter_takes_enough_beside() -> None:
    """0.2 mm stand over the upper level everywhere; over the lower one much of it on the left, where the cutter comes
    through."""
    tips = lambda x, y: np.where(x < 10, 0.0, np.where(x < 20, 3.0, 9.0))  # noqa: E731
    beside = lambda x, y: np.where(y < 15, 4.2, 5.0)  # noqa: E731
    both = clearing(tips, everywhere(4.2), [4.0, 2.0], trace=0.05, worth=0.3, beside=beside)
    area = [both.at_level(k).lines.sum() * STEP for k in (0, 1)]
    assert area == pytest.approx([150.0, 300.0], rel=0.06), (
        "the left third; at the upper level where it takes more with its side"
    )
    alone = clearing(tips, everywhere(4.2), [4.0], trace=0.05, worth=0.3, beside=beside).at_level(0)
    assert alone.pieces == 0 and alone.walls == 0 and alone.lines.sum() == 0
    worth_it = clearing(tips, everywhere(4.4), [4.0], trace=0.05, worth=0.3).at_level(0)
    assert worth_it.lines.sum() * STEP == pytest.approx(600.0, rel=0.05)


def test_level_ground_is_cleared_where_the_next_level_does_not_come() -> None:
    ground = clearing(lambda x, y: np.where(x < 10, 0.0, 3.0), everywhere(5.0), [4.0, 2.0]).at_level_ground(3.0, 2.0)
    assert ground.lines.sum() * STEP == pytest.approx(600.0, rel=0.05)
    assert ground.walls == pytest.approx(100 * np.pi / 4, rel=0.05), (
        "round all of it: the lower ground is not of this level"
    )


def test_pieces_that_are_too_small_are_left_out() -> None:
    specks = lambda x, y: np.where((x % 6 < 1) & (y % 6 < 1), 0.0, 9.0)  # noqa: E731
    assert clearing(specks, everywhere(5.0), [4.0]).at_level(0).pieces == 25
    assert clearing(specks, everywhere(5.0), [4.0], smallest=1.0).at_level(0).pieces == 0
    near = lambda x, y: np.where((x % 1.5 < 1) & (abs(y - 15) < 1), 0.0, 9.0)  # noqa: E731
    assert clearing(near, everywhere(5.0), [4.0]).at_level(0).pieces == 1, (
        "a strip that breaks up in the picture is one"
    )


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000))
def test_levels_clear_what_each_of_them_would_cell_by_cell(seed: int) -> None:
    rng = np.random.default_rng(seed)
    levels = np.sort(rng.uniform(0, 6, 5).astype(np.float32))[::-1]
    made = clearing(
        lambda x, y: rng.uniform(0, 6, x.shape),
        lambda x, y: rng.uniform(0, 7, x.shape),
        levels,
        0.05,
        0.4,
        beside=lambda x, y: rng.uniform(0, 7, x.shape),
        region=lambda x, y: rng.random(x.shape) < 0.9,
    )
    _, starts, cells = made._by_level
    width = SIDE + 4
    for k in range(len(levels)):
        listed = cells[starts[k] : starts[k + 1]]
        assert (np.diff(listed) > 0).all()
        told = {(int(c) // width - 2, int(c) % width - 2) for c in listed}
        expected = set()
        for (j, i), tip in np.ndenumerate(made.tips):
            for level in levels[k:]:
                if not made.region[j, i] or tip > level or made.over[j, i] - np.float32(0.05) <= level:
                    break
                if made.over[j, i] - np.float32(0.4) > level:
                    if made.beside[j, i] - np.float32(0.4) > levels[k]:
                        expected.add((j, i))
                    break
        assert told == expected


NEEDLE = Profile.of(0.0, 0.01)


def walls_on(name: str, height, steeper: float, overlap: float, stepdown: float) -> Walls:
    """The walls in a picture as a worker draws it, 0.25 mm wide cells, 40 x 40 mm with a margin of level ground."""
    x, y = np.meshgrid(np.arange(-5, 45, 0.25), np.arange(-5, 45, 0.25))
    relief = HeightMap.of_heights(-5.0, -5.0, 0.25, height(x, y).astype(np.float32))
    stock_estimate = StockEstimate("k", name, relief, np.ones(relief.z.shape, bool), lambda: relief.z)
    return walls_of(stock_estimate, NEEDLE, 0.0, steeper, overlap, stepdown)


def cone(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """45 degrees steep, 15 mm high."""
    return np.maximum(15 - np.hypot(x - 20, y - 20), 0.0)


@pytest.mark.parametrize(("stepdown", "levels"), [(1.0, 15), (0.05, 300)])
def test_contours_of_a_cone_are_circles_at_every_level(stepdown: float, levels: int) -> None:
    """In levels of 1 mm they are circles of 1, 2 ... 15 mm radius; of very many levels only some are looked at."""
    walls = walls_on("cone", cone, 30.0, 1.0, stepdown)
    assert walls.levels == levels
    assert walls.length == pytest.approx(np.pi * 15**2 / stepdown, rel=0.08)
    assert walls.closed + walls.open == pytest.approx(levels, rel=0.1) and walls.closed > 0.8 * levels
    assert walls_on("cone", cone, 60.0, 1.0, stepdown).length < 0.05 * walls.length, "nothing is as steep as that"


def test_what_ends_somewhere_is_told_from_what_goes_round() -> None:
    """A block whose top rises gently from 3 to 9 mm: levels that meet its top end there, those below go all the way
    round."""
    walls = walls_on(
        "wedge",
        lambda x, y: np.where((np.abs(x - 20) < 15) & (np.abs(y - 20) < 15), (y - 5) / 5 + 3, 0.0),
        60.0,
        0.0,
        0.25,
    )
    assert walls.open > 20 and walls.closed == pytest.approx(12, abs=2)


@pytest.mark.parametrize(("levels", "runs"), [(13, 13), (26, 41)])
def test_levels_count_where_they_are(levels: int, runs: int) -> None:
    """A block with sixteen low knobs: of thirteen levels none goes round the knobs, of twice as many one does."""

    def heights(x, y):
        knob = np.hypot(x % 10 - 5, y % 10 - 5) < 2
        return np.where((np.abs(x - 20) < 19) & (np.abs(y - 20) < 19), np.where(knob, 10.6, 10.0), 0.0)

    walls = walls_on("knobs", heights, 30.0, 0.0, 10.6 / levels)
    assert walls.levels == levels
    assert walls.closed + walls.open == pytest.approx(runs, abs=2)


def test_walls_are_as_tall_as_they_stand() -> None:
    """Ribs of 2 mm beside a block of 12 mm: half of the contours of either lie on walls as tall."""
    tall = walls_on("ribs", lambda x, y: np.where(x > 30, 12.0, np.where(x % 10 < 5, 2.0, 0.0)), 30.0, 0.0, 0.5).tall
    assert tall[0] == pytest.approx(2.0, abs=0.1) and tall[-1] == pytest.approx(12.0, abs=0.1)
    assert tall == tuple(sorted(tall))
