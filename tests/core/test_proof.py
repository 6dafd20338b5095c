"""What becomes of the finished block: its pieces, its mesh, a window of it, and programs from elsewhere proved in
it."""

import time
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy import ndimage

from cutting import BALL, FLAT, op, run
from meshes import box_mesh, grid_mesh
from nephos.command.warm import small_hill
from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.errors import Refused
from nephos.core.plan.boundary import Boundary, Curve, Limit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.post.read import read_program
from nephos.core.stages.external_program import prove_external
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.stock.block import Block, box_block
from nephos.core.stock.compare import deciding
from nephos.core.stock.cut import cut_block
from nephos.core.stock.frames import MOMENTS, record_frames, shown_grid, shown_top
from nephos.core.stock.gain import gains
from nephos.core.stock.pieces import find_pieces, freed_at, heights_at, part_of
from nephos.core.stock.solid import block_mesh
from nephos.core.stock.sweep import sweep
from nephos.core.stock.window import cut_window, near, window_grid
from nephos.core.stock.worst import most_left
from nephos.core.surface.index import build_index
from nephos.core.surface.reach import touched_by_ball


def block_of(heights: np.ndarray, pitch: float = 1.0) -> Block:
    """A block with these heights over a foot at 0."""
    ny, nx = heights.shape
    full = box_block((0, 0, 0), (nx * pitch, ny * pitch, 10), pitch)
    return full.cut_above(heights.astype(np.float32), np.zeros(heights.shape, np.int32))


# --- pieces -----------------------------------------------------------------------------------------------------------


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 9999))
def test_pieces_are_those_that_a_library_finds(seed: int) -> None:
    rng = np.random.default_rng(seed)
    heights = np.where(rng.random((17, 23)) < 0.55, rng.uniform(1, 10, (17, 23)), 0.0)
    labels, pieces = find_pieces(block_of(heights), least=0.0)
    expected, count = ndimage.label(heights > 0)
    assert len(pieces) == count and ((labels[0] >= 0) == (heights > 0)).all()
    for number in range(1, count + 1):
        assert len(np.unique(labels[0][expected == number])) == 1
    assert sum(piece.volume for piece in pieces) == pytest.approx(heights.sum(), rel=1e-5)


def test_a_bridge_as_high_as_the_tabs_parts_what_hangs_by_them() -> None:
    heights = np.full((9, 21), 8.0)
    heights[:, 10] = 0.0
    heights[4, 10] = 2.0
    assert len(find_pieces(block_of(heights))[1]) == 1
    labels, pieces = find_pieces(block_of(heights), bridge=2.05)
    assert len(pieces) == 3 and [round(piece.volume) for piece in pieces] == [720, 720, 2]
    wanted = np.zeros((9, 21), bool)
    wanted[2:7, 2:8] = True
    part = part_of(labels, pieces, wanted)
    assert part is not None and part.high[0] == 10.0 and part.low[:2] == (0.0, 0.0)


def test_a_piece_inside_does_not_reach_the_side() -> None:
    heights = np.full((20, 20), 5.0)
    heights[5:15, 5:15] = 0.0
    heights[8:12, 8:12] = 5.0
    frame, core = find_pieces(block_of(heights))[1]
    assert frame.side and not core.side and core.volume == 80
    assert core.low == (8.0, 8.0, 0.0) and core.high == (12.0, 12.0, 5.0)


def test_the_moment_at_which_a_piece_comes_free() -> None:
    """A slot round a square, cut through in the last of four sides: it comes free when that side is nearly done."""
    block = box_block((0, 0, 0), (40, 40, 5), 0.5)
    corners = np.array([[10, 10], [30, 10], [30, 30], [10, 30], [10, 10]], float)
    points = np.column_stack([corners, np.full(5, -0.2)])
    grid = shown_grid(block.grid)
    top = shown_top(block, grid)
    paths = np.concatenate([np.linspace(a, b, 41)[:-1] for a, b in pairwise(points)] + [points[-1:]])
    frames = record_frames(
        top, grid, paths, np.ones(160, np.uint8), np.full(160, 0.25), standard_cutter("flat", 3).profile
    )
    share = freed_at(top, 0.0, frames, (20.0, 20.0))
    assert share == pytest.approx((30 + 10 * 18.5 / 20) / 40, abs=0.02)
    assert freed_at(top, 0.0, frames, (3.0, 3.0)) is None, "the frame never comes free"


@settings(max_examples=20, deadline=None)
@given(seed=st.integers(0, 9999), part=st.floats(0, 1))
@example(seed=17, part=0.9999999999999999)
def test_the_block_at_a_moment_is_the_block_cut_up_to_it(seed: int, part: float) -> None:
    rng = np.random.default_rng(seed)
    block = box_block((0, 0, 0), (20, 20, 10), 0.5)
    points = rng.uniform([0, 0, 3], [20, 20, 9], (60, 3))
    seconds = rng.uniform(0.1, 2, 59)
    cutter = standard_cutter("ball", 4).profile
    grid = shown_grid(block.grid)
    top = shown_top(block, grid)
    frames = record_frames(top, grid, points, np.ones(59, np.uint8), seconds, cutter)
    moment = int(part * MOMENTS)
    until = np.cumsum(seconds)
    ends = (until / until[-1] * MOMENTS).astype(np.int64)
    done = int((ends <= moment).sum())
    expected = top.copy()
    sweep(expected, np.zeros(top.shape, np.int32), grid, points[: done + 1], np.ones(done, np.uint8), 0, cutter)
    assert np.array_equal(heights_at(top, frames, moment), expected)


# --- the block as a mesh ----------------------------------------------------------------------------------------------


def test_the_block_is_written_as_a_closed_mesh_with_its_volume() -> None:
    import trimesh

    heights = np.full((30, 40), 6.0)
    heights[8:22, 10:30] = 0.0
    heights[12:18, 15:25] = 4.0
    mesh = block_mesh(block_of(heights))
    solid = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
    assert solid.is_watertight and solid.is_winding_consistent and solid.body_count == 2
    # The surface runs through the middles of the columns: at each wall half a column is lost.
    assert solid.volume == pytest.approx(30 * 40 * 6 - 15 * 21 * 6 + 5 * 9 * 4, rel=1e-6)
    part = block_mesh(block_of(heights).only(np.pad(np.ones((6, 10), bool), ((12, 12), (15, 15)))))
    assert trimesh.Trimesh(part.vertices, part.faces, process=False).volume == pytest.approx(5 * 9 * 4)


def test_a_block_of_which_nothing_is_left_cannot_be_written() -> None:
    with pytest.raises(Refused, match="nothing is left"):
        block_mesh(block_of(np.zeros((5, 5))))


# --- windows ----------------------------------------------------------------------------------------------------------


def test_a_window_is_the_block_cut_at_its_own_resolution() -> None:
    done = run(
        small_hill(side=20, cells=20),
        op("rough_offset", FLAT, stepover=2.0, stepdown=2.0),
        op("finish_raster", BALL, 20, stepover=0.5),
    )
    cuts = [(o.points, o.operation.cutter.profile) for o in done.outcomes]
    grid = window_grid((10.0, 12.0), (15.0, 16.0), 0.05)
    top = np.full((grid.ny, grid.nx), float(done.space.stock_high[2]), np.float32)
    seen = cut_window(top, float(done.space.stock_low[2]), grid, cuts)
    whole = top.copy()
    for points, cutter in cuts:
        sweep(whole, np.zeros(top.shape, np.int32), grid, points, np.ones(len(points) - 1, np.uint8), 0, cutter)
    assert np.array_equal(seen, whole)
    assert sum(len(near(points, grid, 2.0)) // 3 for points, _ in cuts) < sum(len(points) for points, _ in cuts), (
        "far moves are left out"
    )


@pytest.mark.parametrize(
    ("low", "high", "pitch", "said"),
    [((0, 0), (0.05, 5), 0.05, "too small"), ((0, 0), (200, 200), 0.05, "make it smaller")],
)
def test_a_window_that_cannot_be_looked_at_says_why(low, high, pitch: float, said: str) -> None:
    with pytest.raises(Refused, match=said):
        window_grid(low, high, pitch)


# --- worst places -----------------------------------------------------------------------------------------------------


def test_the_worst_places_are_the_worst_there_are() -> None:
    done = run(small_hill(side=20, cells=20), op("finish_raster", BALL, 20, stepover=1.5))
    c = done.comparison
    rows, columns = done.block.grid.window((c.grid.x0, c.grid.y0), (c.grid.xs[-1], c.grid.ys[-1]))
    left = most_left(c, done.block.top[rows, columns], count=3)
    assert left[0].deviation == pytest.approx(np.nanmax(c.deviation)) and len(left) == 3
    assert [item.deviation for item in left] == sorted((item.deviation for item in left), reverse=True)


# --- programs from elsewhere ------------------------------------------------------------------------------------------

CUTTERS = [standard_cutter("flat", 6, 3), standard_cutter("ball", 3, 5)]
PLAN = Plan(stock=Stock(length=60, width=40, thickness=10), setups=(FaceSetup(id="a", name="A"),), pitch=0.25)


def prove(text: bytes, plan: Plan = PLAN, usual: int = 3, store: MemoryStore | None = None) -> dict:
    store = store or MemoryStore()
    found = store.get(
        prove_external(
            plan, plan.setups[0], lambda _: box_mesh((0, 0, 0), (20, 20, 4)), text, CUTTERS, usual, Work(store)
        )
    )
    assert found is not None
    return found.facts


def test_a_program_from_elsewhere_is_cut_out_of_the_stock() -> None:
    store = MemoryStore()
    text = b"G21 G90 G17 G40 G49 G94 G54\nT3 M6\nS9000 M3\nG4 P4\nG0 Z5\nX10 Y20\nG1 Z-2 F300\nX50 F1200\nG0 Z5\nT5 M6\nX10 Y30\nG1 Z-1 F300\nX50\nG0 Z5\nM5\nM30\n"  # noqa: E501
    facts = prove(text, store=store)
    assert [part["cutter"]["number"] for part in facts["parts"]] == [3, 5]
    assert facts["low"] == [10, 20, -2] and facts["high"] == [50, 30, 5] and facts["findings"] == []
    moves = store.get(facts["parts"][0]["moves"])
    reading, zero = read_program(text), PLAN.setups[0].frame(PLAN.stock).zero
    assert moves is not None and np.array_equal(
        moves.arrays["points"][1:], reading.points[1 : len(moves.arrays["kinds"]) + 1] + zero, equal_nan=True
    )
    assert facts["seconds"] == pytest.approx(sum(part["seconds"] for part in facts["parts"]))


@pytest.mark.parametrize(
    ("text", "code"),
    [
        (b"G21 G90\nG0 Z5\nX10 Y20\nZ-3\nX20\n", "rapid-in-block"),
        (b"G21 G90\nG0 Z5\nX10 Y20\nG1 Z-10.5 F100\n", "into-bed"),
        (b"G21 G90\nG0 Z5\nX-500 Y20\nX500\n", "beyond-travel"),
    ],
)
def test_what_a_program_from_elsewhere_meets_is_told(text: bytes, code: str) -> None:
    assert code in {item["code"] for item in prove(text)["findings"]}


def test_a_program_from_elsewhere_is_held_against_the_model() -> None:
    model = Model(id="m", name="m", mesh="m", placement=Placement(offset=(0, 0, -1)))
    plan = PLAN.model_copy(update={"models": (model,)})
    deep = prove(b"G21 G90\nG0 Z5\nX30 Y20\nG1 Z-2.5 F100\nX32\nG0 Z5\n", plan)
    assert deep["compare"]["gouge_max"] == pytest.approx(1.5, abs=0.01)
    assert prove(b"G21 G90\nG0 Z5\nX30 Y20\nG1 Z-1 F100\nX32\nG0 Z5\n", plan)["compare"]["gouge_max"] == 0.0


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (b"G21 G90\nT9 M6\nG0 X1 Y1 Z5\n", "line 3 of the file calls for cutter 9"),
        (b"(nothing)\n", "makes no move"),
        (b"G21\nG0 X\n", "line 2"),
    ],
)
def test_a_program_that_cannot_be_proved_says_why(text: bytes, said: str) -> None:
    with pytest.raises(Refused, match=said):
        prove(text)


def test_the_same_program_is_proved_once() -> None:
    store = MemoryStore()
    text = b"G21 G90\nG0 Z5\nX10 Y20\nG1 Z-1 F100\nX20\n"
    prove(text, store=store)
    kept = dict(store._kept)
    prove(text, store=store)
    assert store._kept == kept


@pytest.mark.parametrize(("text", "axis"), [(b"G21 G90\nG0 X1 Y1\nX5\n", "Z"), (b"G21 G90\nG0 Z5\nG1 Z-1 F100\n", "X")])
def test_a_program_that_never_says_where_the_cutter_is_is_refused(text: bytes, axis: str) -> None:
    with pytest.raises(Refused, match=f"never says where the cutter is along {axis}"):
        prove(text)


def test_a_first_cutter_that_stays_up_is_no_trouble() -> None:
    facts = prove(
        b"G21 G90 G17 G40 G49 G94 G54\nS18000 M3\nG4 P4\nT3 M6\nG0 X1 Y1\nX5\nT5 M6\nG0 Z5\nX10 Y20\nG1 Z-1 F300\nX20\nG0 Z5\nM5\nM30\n"  # noqa: E501
    )
    assert len(facts["parts"]) == 2 and facts["findings"] == []


def test_many_chips_are_neither_listed_nor_looked_into() -> None:
    """A comb of thin columns that all come free: the largest are told of, in no time."""
    heights = np.zeros((60, 60))
    heights[0] = heights[-1] = heights[:, 0] = heights[:, -1] = 6.0
    heights[4:56:4, 4:56:4] = 6.0
    _, pieces = find_pieces(block_of(heights))
    assert len(pieces) == 1 + 13 * 13 and pieces[0].side
    x, y = np.meshgrid(np.arange(8, 52, 8.0), np.arange(8, 52, 8.0))
    rows = [
        op(
            "cut_out",
            standard_cutter("flat", 3, 1),
            10,
            {"boundary": Limit(boundary="b1")},
            tabs=0,
            side="on",
            through=0.2,
            stepdown=5.0,
        )
    ]
    squares = [
        ((a - 3.2, b - 3.2), (a + 3.2, b - 3.2), (a + 3.2, b + 3.2), (a - 3.2, b + 3.2))
        for a, b in zip(x.ravel(), y.ravel(), strict=True)
    ]
    grid = Boundary(id="b1", name="grid", source="drawn", curves=tuple(Curve(points=square) for square in squares))
    begin = time.perf_counter()
    done = run(box_mesh((0, 0, 0), (6, 6, 1)), *rows, size=(60, 60, 6), pitch=0.4, boundaries=(grid,))
    free = [piece for piece in done.proof.pieces if piece.freed_by is not None]
    assert len(done.proof.pieces) <= 24 and all(piece.freed is not None and 0 < piece.freed <= 1 for piece in free)
    assert len(free) >= 20 and time.perf_counter() - begin < 30


# --- the cut itself ---------------------------------------------------------------------------------------------------


def test_each_move_says_how_much_it_took_and_what_it_struck() -> None:
    block = box_block((0, 0, -10), (40, 20, 0), 0.25)
    thick = {"flute_length": 6.0, "shank_diameter": 8.0, "overall_length": 60.0}
    cutter = Cutter.model_validate(standard_cutter("flat", 4, 1).model_dump() | thick)
    points = np.array([[5, 10, 5], [5, 10, -3], [20, 10, -3], [20, 10, -9], [35, 10, -9]], float)
    done = cut_block(block, points, np.array([2, 1, 2, 1], np.uint8), 100, cutter)
    assert done.depths.tolist() == pytest.approx([3, 3, 6, 9])
    assert done.block.top.min() == -9 and done.block.touched.max() == 103 and (block.top == 0).all(), (
        "the block given stays as it was"
    )
    struck = {name: (depth, move) for name, depth, move in done.struck}
    # The shank begins 6 mm up: 3 mm of it are in the wall on the path at -9.
    assert struck["shank"][0] == pytest.approx(3) and struck["shank"][1] in (2, 3)
    level = cut_block(block, points[:3], np.array([2, 1], np.uint8), 0, cutter)
    assert level.struck == ()


def test_what_a_smaller_cutter_fills_decides_nothing() -> None:
    ball3, ball6, flat6, flat10, bull, vee = (
        standard_cutter(shape, size).profile
        for shape, size in (("ball", 3), ("ball", 6), ("flat", 6), ("flat", 10), ("bull-nose", 6), ("v", 6))
    )
    assert deciding([ball6, ball3, flat10, flat6, ball3]) == [flat6, ball3]
    assert deciding([flat6, ball6]) == [flat6, ball6], (
        "a ball rolls into hollows where a flat one of its size stands on its rim"
    )
    assert set(deciding([ball6, vee])) == {ball6, vee}, "a point reaches where a ball does not, and the other way round"
    assert bull in deciding([bull, ball6]) and deciding([bull, standard_cutter("flat", 4).profile]) == [
        standard_cutter("flat", 4).profile
    ]


@settings(max_examples=15, deadline=None)
@given(radius=st.floats(0.4, 4.0), bend=st.floats(0.5, 6.0))
def test_a_ball_gets_into_a_round_groove_that_is_wider_than_itself(radius: float, bend: float) -> None:
    """A groove of radius `bend` along Y: its bottom is touched by every ball that is no larger."""
    x, y = np.meshgrid(np.linspace(-8, 8, 641), np.linspace(-4, 4, 9))
    z = np.where(np.abs(x) < bend, bend - np.sqrt(np.maximum(bend**2 - x**2, 0)), bend)
    mesh = grid_mesh(x, y, z)
    share = touched_by_ball(
        build_index(mesh.vertices, mesh.faces),
        np.array([[0.0, 0.0, 0.0]]),
        np.array([[0.0, 0.0, 1.0]]),
        radius,
        -1.0,
        0.02,
    )
    if abs(radius - bend) > 0.15:
        assert share == (1.0 if radius < bend else 0.0)


def test_what_operations_brought_on_a_plane_in_closed_form() -> None:
    """A plane at 45 degrees under a block: straight up it stands h over it, along the normal h over the root of two."""
    under = np.tile(np.arange(20, dtype=np.float32), (10, 1))
    after, volumes = under + np.float32(0.02), [200 * 4.0, 200 * 0.02]
    (gain,) = gains([10], volumes, [after], 1.0, (slice(None), slice(None)), under, np.ones((10, 20), bool), 0.015)
    assert (
        gain.removed == pytest.approx(200 * 3.98, rel=1e-4)
        and gain.left == pytest.approx(0.02 / np.sqrt(2), abs=1e-4)
        and gain.within == 1.0
    )
    (coarse,) = gains([10], volumes, [after], 1.0, (slice(None), slice(None)), under, np.ones((10, 20), bool), 0.01)
    assert coarse.within == 0.0
