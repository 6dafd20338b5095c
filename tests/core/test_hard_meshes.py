"""Meshes that nobody made well: what the proof says of them is true, at two pitches."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cutting import BALL, FLAT, op, run, worst_gouge
from hard_meshes import OTHERS, ball_mesh, overlapping
from meshes import ALL_SHAPES, box_mesh, grid_mesh
from nephos.core.arrays import F64
from nephos.core.cutters import standard_cutter
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stock.block import box_block
from nephos.core.stock.bound import lower_bound
from nephos.core.stock.cut import cut_block
from nephos.core.stock.rapids import close_rapid_depths
from nephos.core.stock.window import cut_window, window_grid
from nephos.core.surface.drop import drop_points
from nephos.core.surface.gouge import gouges_along
from nephos.core.surface.index import build_index
from nephos.core.surface.inside import crossings, depth_of_removed
from nephos.core.toolpath import Kind

pytestmark = pytest.mark.long


def rapid_hits(done: SetupOutcome, pitch: float = 0.03) -> list[float]:
    """How deep each low rapid goes into a block that is cut once more, finely, for it alone."""
    found, before = [], []
    high, low = float(done.space.stock_high[2]), float(done.space.stock_low[2])
    for outcome in done.outcomes:
        points, kinds, cutter = outcome.points, outcome.kinds, outcome.operation.cutter.profile
        for k in np.flatnonzero((kinds == Kind.RAPID) & (np.minimum(points[:-1, 2], points[1:, 2]) < high - 0.01)):
            a, b = points[k], points[k + 1]
            if not np.isfinite([a, b]).all() or (b[2] >= a[2] and (a[:2] == b[:2]).all()):
                continue
            grid = window_grid(
                tuple(np.minimum(a, b)[:2] - cutter.radius - pitch),
                tuple(np.maximum(a, b)[:2] + cutter.radius + pitch),
                pitch,
            )
            top = np.full((grid.ny, grid.nx), high, np.float32)
            inside = (grid.xs >= 0) & (grid.xs <= 30), (grid.ys >= 0) & (grid.ys <= 30)
            top[~inside[1]] = low
            top[:, ~inside[0]] = low
            earlier = np.concatenate(
                [points[:1], np.where((kinds[:k] == Kind.RAPID)[:, None], np.nan, points[1 : k + 1])]
            )
            # A feed move after a rapid begins where that ended.
            starts = np.flatnonzero((kinds[1:k] != Kind.RAPID) & (kinds[: max(k - 1, 0)] == Kind.RAPID)) + 1
            pieces = [earlier, *(np.stack([points[s], points[s + 1], np.full(3, np.nan)]) for s in starts)]
            heights = cut_window(top, low, grid, [*before, *((p, cutter) for p in pieces if len(p) > 1)])
            after = cut_window(heights, low, grid, [(np.stack([a, b]), cutter)])
            found.append(float((heights - after).max()))
        before.append((_feed_only(points, kinds), cutter))
    return found


def _feed_only(points: F64, kinds: np.ndarray) -> F64:
    """All feed moves as pairs of points, with a gap behind each."""
    chosen = np.flatnonzero(kinds != Kind.RAPID)
    found = np.full((3 * len(chosen), 3), np.nan)
    found[0::3], found[1::3] = points[chosen], points[chosen + 1]
    return found


# Each mesh at one pitch, and at the other in the slow tests; the noisy one takes longest.
@pytest.mark.parametrize(
    ("name", "pitch"),
    [
        pytest.param(name, pitch, marks=[] if (pitch == 0.35 if name == "noisy" else (k + n) % 2) else pytest.mark.slow)
        for k, name in enumerate(OTHERS)
        for n, pitch in enumerate((0.2, 0.35))
    ],
)
def test_no_gouge_and_no_rapid_in_the_block_is_reported_or_there(name: str, pitch: float) -> None:
    mesh = OTHERS[name](pitch)
    done = run(
        mesh,
        op("rough_offset", FLAT, 10, stepdown=2.0, stepover=1.6, leave=0.3),
        op("finish_raster", BALL, 20, stepover=0.5, angle=20.0),
        op("finish_waterline", standard_cutter("bull-nose", 3, 4), 30, stepdown=0.6, steeper=50.0),
        size=(30.0, 30.0, float(np.ceil(mesh.size[2] + 3))),
        pitch=pitch,
    )
    codes = {item.code for item in outcome_findings(done) if item.level == "stop"}
    assert not codes & {"gouge", "rapid-in-block"}
    assert done.comparison.numbers()["gouge_max"] <= 0.01
    assert max(worst_gouge(done, k) for k in range(3)) <= 0.01, "and by another measure"
    hits = rapid_hits(done)
    assert max(hits, default=0.0) <= 0.01


# --- planted gouges ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("depth", [0.02, 0.05, 0.3])
@pytest.mark.parametrize("shape", ALL_SHAPES)
def test_a_planted_gouge_is_found_on_slopes_walls_and_lips(shape: str, depth: float) -> None:
    cutter = ALL_SHAPES[shape]
    block = box_mesh((0, 0, -10), (20, 20, 0))
    index = build_index(block.vertices, block.faces)
    wall = np.array([[-cutter.radius + depth, 5, -9.0], [-cutter.radius + depth, 15, -9.0]])
    floor = np.array([[5, 5, -depth], [15, 9, -depth]])
    for moves in (wall, floor):
        found = gouges_along(index, moves, cutter, 0.01)
        assert found and found[0].depth == pytest.approx(depth, rel=0.1) and found[0].move == 0
    x, y = np.meshgrid(np.linspace(0, 20, 21), np.linspace(0, 20, 21))
    for slope in (0.5, 2.0):
        ramp = grid_mesh(x, y, slope * x)
        tilted = build_index(ramp.vertices, ramp.faces)
        spots = np.array([[8.0, 5.0], [8.0, 9.0]])
        tips = drop_points(tilted, spots, cutter, -99.0) - depth * np.sqrt(1 + slope**2)
        found = gouges_along(tilted, np.column_stack([spots, tips]), cutter, 0.01)
        assert found and found[0].depth == pytest.approx(depth, rel=0.1)


@pytest.mark.parametrize("depth", [0.02, 0.05, 0.08])
def test_a_lip_beside_the_cutter_counts_as_deep_as_the_cutter_goes_into_it(depth: float) -> None:
    lip = box_mesh((0, 0, -40), (20, 0.1, 0))
    index, cutter = build_index(lip.vertices, lip.faces), ALL_SHAPES["flat"]
    beside = np.array([[3, -2 + depth, -39.0], [15, -2 + depth, -39.0]])
    found = gouges_along(index, beside, cutter, 0.01)
    assert found[0].depth == pytest.approx(depth, rel=0.1), "not the 39 mm that it is tall"
    assert (
        gouges_along(index, np.array([[3, -2 + 0.006, -39.0], [15, -2 + 0.006, -39.0]]), cutter, 0.01)[0].depth < 0.01
    )


def test_a_gouge_stop_names_its_place_and_moment() -> None:
    """A pocket bitten into the model 0.05 mm under its top: found, though no column of the block tells so little apart
    from rounding."""
    from nephos.core.plan.boundary import Boundary, Limit

    bite = op("pocket", FLAT, 20, {"boundary": Limit(boundary="b")}, depth=1.05, stepover=2.0, stepdown=3.0)
    done = run(
        box_mesh((0, 0, 0), (20, 20, 6)),
        bite,
        boundaries=(Boundary(id="b", name="bite", source="circle", at=(15, 15), size=(9, 9)),),
    )
    (finding,) = [item for item in outcome_findings(done) if item.code == "gouge"]
    assert finding.row == "20" and finding.place is not None and finding.moment is not None
    assert done.comparison.numbers()["gouge_max"] == pytest.approx(0.05, rel=0.1) and "0.05" in finding.text


# --- columns ----------------------------------------------------------------------------------------------------------


def depth_at(mesh, x: float, y: float, low: float, high: float) -> float:
    return float(depth_of_removed(build_index(mesh.vertices, mesh.faces).arrays, x, y, low, high, 10.0))


def test_removed_material_counts_only_where_it_was_inside() -> None:
    hollow = OTHERS["nested"](0.2)
    assert depth_at(hollow, 9.0, 9.0, 4.0, 5.5) == 0.0, "in the hollow between the shells"
    assert depth_at(hollow, 9.0, 9.0, 6.5, 8.0) == pytest.approx(1.0, abs=0.15)
    both = overlapping()
    assert depth_at(both, 10.0, 8.0, 2.0, 9.0) > 1.0, "shells that overlap are one solid"
    inward = ball_mesh((9, 9, 0), 6, inwards=True)
    assert depth_at(inward, 9.0, 9.0, -2.0, 2.0) > 3.5, "a shell turned inwards is a solid too"


def test_crossings_come_from_the_top_and_say_which_way_faces_look() -> None:
    box = box_mesh((0, 0, 0), (10, 10, 4))
    heights, turns = np.empty(8), np.empty(8, np.int64)
    count = crossings(build_index(box.vertices, box.faces).arrays, 3.3, 4.1, heights, turns)
    assert count == 2 and heights[:2].tolist() == pytest.approx([4.0, 0.0]) and turns[:2].tolist() == [1, -1]


# --- the bound and rapids ---------------------------------------------------------------------------------------------


@settings(max_examples=25, deadline=None)
@given(seed=st.integers(0, 9999), shape=st.sampled_from(sorted(ALL_SHAPES)))
def test_no_material_stands_over_the_bound(seed: int, shape: str) -> None:
    """Against the same moves on a grid a tenth as fine: the highest of each cell is never over its bound."""
    rng = np.random.default_rng(seed)
    cutter, block = ALL_SHAPES[shape], box_block((0, 0, -6), (16, 12, 0), 0.4)
    points = rng.uniform([0, 0, -5], [16, 12, 1], (30, 3))
    kinds = np.ones(29, np.uint8)
    bound = block.bound.copy()
    lower_bound(bound, block.grid, points, kinds, cutter)
    fine = window_grid((0.0, 0.0), (16.0, 12.0), 0.04)
    seen = cut_window(np.zeros((fine.ny, fine.nx), np.float32), -6.0, fine, [(points, cutter)])
    highest = seen.reshape(30, 10, 40, 10).max(axis=(1, 3))
    assert (highest <= bound + 1e-4).all()
    assert (bound < -0.5).any(), "and it comes down where the cutter was"


def splinter(gap: float) -> tuple[F64, np.ndarray]:
    """Two slots beside each other that leave a wall `gap` mm thin between columns, then a rapid across it below its
    top."""
    y = 5.0 + 2.0 + 2.0 + gap
    points = np.array(
        [
            [2, 5, 3],
            [2, 5, -4],
            [18, 5, -4],
            [18, 5, 3],
            [2, y, 3],
            [2, y, -4],
            [18, y, -4],
            [18, y, -3],
            [10, y, -3],
            [10, 5, -3.0],
        ]
    )
    return points, np.array([2, 1, 0, 0, 2, 1, 0, 0, 0], np.uint8)


@pytest.mark.parametrize("pitch", [0.2, 0.35])
def test_a_rapid_through_a_splinter_between_columns_is_found(pitch: float) -> None:
    block, cutter = box_block((0, 0, -6), (20, 16, 0), pitch), standard_cutter("flat", 4)
    points, kinds = splinter(0.06)
    cut = cut_block(block, points, kinds, 0, cutter)
    assert cut.suspects[-1]
    deep = close_rapid_depths(block, [], (points, kinds, cutter.profile), cut.suspects, cut.cells)
    assert deep[-1] == pytest.approx(3.0, abs=0.01) and deep[:-1].max() == 0
    touching, kinds = splinter(-0.06)
    cut = cut_block(block, touching, kinds, 0, cutter)
    deep = close_rapid_depths(block, [], (touching, kinds, cutter.profile), cut.suspects, cut.cells)
    assert deep.max() == 0.0, "where the slots meet nothing stands"


def test_two_copies_with_a_gap_are_finished_without_a_fault() -> None:
    """Lines that miss both copies are empty, and no reason to fail."""
    mesh = OTHERS["on cells"](0.2)
    from nephos.core.mesh.model import joined

    far = joined([mesh, mesh.moved(np.array([[1, 0, 0, 25], [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1.0]]))])
    from nephos.core.plan.boundary import Limit

    done = run(
        far,
        op("finish_raster", BALL, 10, {"boundary": Limit(boundary="silhouette")}, stepover=1.0, angle=90.0),
        size=(60, 30, 10),
    )
    assert done.comparison.numbers()["gouge_max"] <= 0.01
