"""Toolpaths: no gouge, no rapid in the block, even layers, region by region."""

import itertools

import numpy as np
import pytest
import shapely
from hypothesis import example, given, settings
from hypothesis import strategies as st

from cutting import BALL, FLAT, TOLERANCE, bumpy, from_zero, op, run, worst_gouge
from meshes import box_mesh, grid_mesh
from nephos.command.warm import small_hill
from nephos.core.cutters import SHAPES, standard_cutter
from nephos.core.mesh.model import Mesh
from nephos.core.polyline import densified, thin
from nephos.core.strategies.clearing.hatch import hatch, in_chains
from nephos.core.strategies.clearing.levels import level_heights
from nephos.core.strategies.following.follow import follow_lines
from nephos.core.strategies.registry import strategies
from nephos.core.surface.drop import drop_points
from nephos.core.surface.index import build_index
from nephos.core.toolpath import Kind

pytestmark = pytest.mark.long


@pytest.mark.parametrize("angle", [0.0, 37.0, 90.0])
def test_finishing_does_not_gouge(hill: Mesh, angle: float) -> None:
    done = run(hill, op("finish_raster", BALL, stepover=0.5, angle=angle))
    assert worst_gouge(done) <= TOLERANCE
    assert done.comparison.numbers()["gouge_max"] <= TOLERANCE


@settings(max_examples=3, deadline=None)
@given(seed=st.integers(0, 1000))
@example(seed=30)
@example(seed=35)
def test_no_strategy_gouges_random_ground(seed: int) -> None:
    mesh = bumpy(seed)
    done = run(
        mesh,
        op("rough_offset", FLAT, stepdown=2.0, stepover=1.6, leave=0.3),
        op("rough_raster", standard_cutter("ball", 4, 3), 20, stepdown=2.0, stepover=1.5, leave=0.1, angle=20.0),
        op("finish_raster", BALL, 30, stepover=0.6, angle=45.0),
    )
    for k in range(3):
        assert worst_gouge(done, k) <= TOLERANCE
    assert max(outcome.rapid_depth.max(initial=0) for outcome in done.outcomes) == 0, "a rapid goes through the block"


@pytest.mark.parametrize("shape", [shape for shape in SHAPES if shape not in {"flat", "ball", "drill"}])
def test_no_shape_gouges_random_ground(shape: str) -> None:
    """Every shape with every strategy that takes it, on spiky ground, with and without stock to leave."""
    cutter = standard_cutter(shape, 3, 5)
    words = {"stepdown": 2.0, "stepover": 0.8, "leave": 0.2}
    operations = []
    for key, kind in strategies().items():
        # Fronts are slow to work out on spikes: one shape of theirs is enough.
        skipped = {"pocket", "drill", "score"} | ({"rough_engagement"} if shape != "bull-nose" else set())
        if "face" in kind.setup_kinds and shape in kind.shapes and key not in skipped:
            known = {name: value for name, value in words.items() if name in kind.settings.model_fields}
            operations.append(op(key, cutter, 10 * len(operations) + 10, **known))
    operations.append(op("finish_raster", cutter, 90, stepover=0.5, angle=30.0))
    done = run(bumpy(7), *operations)
    for k, outcome in enumerate(done.outcomes):
        assert worst_gouge(done, k) <= TOLERANCE, outcome.operation.strategy
        assert outcome.rapid_depth.max(initial=0) == 0, "a rapid goes through the block"


@pytest.mark.parametrize("strategy", ["rough_offset", "rough_raster"])
def test_roughing_leaves_the_skin_it_was_asked_to(strategy: str) -> None:
    """A block on level ground: the skin on the ground and on the block's top and sides."""
    x, y = np.meshgrid(np.linspace(0, 24, 49), np.linspace(0, 24, 49))
    step = grid_mesh(x, y, np.where((np.abs(x - 12) < 4) & (np.abs(y - 12) < 4), 4.0, 0.0))
    done = run(step, op(strategy, FLAT, stepdown=2.0, stepover=1.8, leave=0.5))
    c = done.comparison
    inside = np.isfinite(c.deviation)
    # Never less than the skin, true to the tolerance, anywhere.
    assert c.deviation[inside].min() >= 0.5 - TOLERANCE
    ground = np.maximum(np.abs(c.grid.xs[None] - 15), np.abs(c.grid.ys[:, None] - 15)) > 9
    assert np.allclose(c.deviation[inside & ground], 0.5, atol=1e-3)


def test_roughing_in_level_steps_that_are_even(hill: Mesh) -> None:
    done = from_zero(run(hill, op("rough_offset", FLAT, stepdown=1.9, stepover=1.8, leave=0.4)))
    outcome = done.outcomes[0]
    cuts = outcome.points[1:][outcome.kinds == Kind.CUT]
    levels = np.unique(cuts[:, 2].round(3))
    steps = np.diff(np.concatenate([levels, [0.0]]))
    assert np.ptp(steps) < 0.003 and steps.max() <= 1.9 + 1e-3


@pytest.mark.parametrize(("top", "bottom", "down"), [(0, -10, 3), (0, -9, 3), (2.5, -0.1, 0.7), (0, -0.2, 3)])
def test_no_sliver_layers(top: float, bottom: float, down: float) -> None:
    levels = level_heights(top, bottom, down)
    steps = -np.diff([top, *levels])
    assert levels[-1] == pytest.approx(bottom) and steps.max() <= down + 1e-6 and np.ptp(steps) < 1e-9


def test_one_region_is_finished_before_the_next_begins() -> None:
    """Two pits apart from each other: each is cut to its bottom in one go below the rim."""
    walls = [
        box_mesh((0, 0, 0), (40, 4, 8)),
        box_mesh((0, 16, 0), (40, 20, 8)),
        box_mesh((0, 4, 0), (4, 16, 8)),
        box_mesh((18, 4, 0), (22, 16, 8)),
        box_mesh((36, 4, 0), (40, 16, 8)),
    ]
    mesh = Mesh(
        np.concatenate([w.vertices for w in walls]), np.concatenate([w.faces + 8 * k for k, w in enumerate(walls)])
    )
    done = from_zero(run(mesh, op("rough_offset", FLAT, stepdown=2.0, stepover=1.5, leave=0.2), size=(44, 24, 9.5)))
    outcome = done.outcomes[0]
    low = outcome.points[1:][(outcome.kinds == Kind.CUT) & (outcome.points[1:, 2] < -2.5)]
    sides = np.sign(low[:, 0] - 22)
    assert np.count_nonzero(np.diff(sides)) == 1


def test_entries_are_no_straight_plunges_into_material(hill: Mesh) -> None:
    done = run(hill, op("rough_offset", FLAT, stepdown=2.0, stepover=1.8, leave=0.4, ramp_angle=3.0))
    outcome = done.outcomes[0]
    entry = outcome.kinds == Kind.ENTRY
    step = np.diff(outcome.points, axis=0)[entry]
    down = step[:, 2] < -1e-3
    flat = np.hypot(step[:, 0], step[:, 1])
    steep = down & (-step[:, 2] > flat * np.tan(np.radians(3.5)) + 2e-3)
    # Straight down only through the gap over the block, which is air.
    assert outcome.points[:-1][entry][steep][:, 2].size == 0 or -step[steep, 2].max() <= 1.6


def test_lines_stay_within_their_distance_and_region() -> None:
    region = shapely.Point(0, 0).buffer(10).difference(shapely.Point(0, 0).buffer(3))
    lines, row = hatch(region, 30.0, 0.7)
    assert shapely.covers(region.buffer(1e-6), shapely.linestrings(lines.reshape(-1, 2, 2))).all()
    normal = np.array([-np.sin(np.radians(30)), np.cos(np.radians(30))])
    offsets = np.unique((lines[:, :2] @ normal).round(6))
    assert np.diff(offsets).max() <= 0.7 + 1e-6
    ordered = in_chains(lines, row, both_ways=True)
    assert len(ordered) == len(lines)
    jumps = np.hypot(*(ordered[1:, :2] - ordered[:-1, 2:]).T)
    assert (jumps > 3).sum() <= 3, "the cutter hops about"


def test_followed_lines_keep_the_tolerance(hill: Mesh) -> None:
    index = build_index(hill.vertices, hill.faces)
    lines = np.array([[0.0, y, 24.0, y + 1] for y in np.linspace(1, 22, 12)])
    points, ends = follow_lines(index, lines, BALL.profile, 0.0, 0.0, TOLERANCE)
    begin = 0
    for end in ends:
        dense = densified(np.ascontiguousarray(points[begin : end + 1]), 0.02)
        exact = np.column_stack([dense[:, :2], drop_points(index, dense[:, :2], BALL.profile, 0.0)])
        off = np.abs(exact[:, 2] - dense[:, 2])
        slope = np.abs(np.gradient(exact[:, 2], 0.02))
        assert (off / np.sqrt(1 + slope**2)).max() <= TOLERANCE
        begin = end + 1
    assert len(points) < 12 * 24 / 0.1, "the lines were not thinned"


@settings(max_examples=20, deadline=None)
@given(seed=st.integers(0, 9999), tolerance=st.floats(0.001, 0.5))
def test_thinning_keeps_within_the_tolerance(seed: int, tolerance: float) -> None:
    points = np.cumsum(np.random.default_rng(seed).normal(0, 0.3, (200, 3)), axis=0)
    kept = thin(points, np.array([99, 199]), tolerance)
    assert {0, 99, 100, 199} <= set(kept.tolist())
    for a, b in itertools.pairwise(kept):
        if b == a + 1:
            continue
        line = shapely.LineString([points[a][:2], points[b][:2]])
        assert all(line.distance(shapely.Point(p[:2])) <= tolerance + 1e-9 for p in points[a:b])


def test_finishing_leaves_no_more_than_the_scallop_where_the_cutter_reaches() -> None:
    done = run(small_hill(cells=80), op("finish_raster", BALL, stepover=0.3), pitch=0.1)
    numbers = done.comparison.numbers()
    assert numbers["leftover_p95"] <= BALL.scallop(0.3) + TOLERANCE
    assert numbers["gouge_max"] <= TOLERANCE


def test_a_second_roughing_cuts_no_air(hill: Mesh) -> None:
    one = op("rough_offset", FLAT, stepdown=2.0, stepover=1.8, leave=0.4)
    again = one.model_copy(update={"number": 20, "cutter": standard_cutter("flat", 3, 4)})
    done = run(hill, one, again)
    assert done.outcomes[1].path.length(False) < 0.6 * done.outcomes[0].path.length(False)
