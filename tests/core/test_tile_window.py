"""Passes cut off at the window of a tile, seams that are proposed, and edits of tiles."""

from functools import partial
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from meshes import grid_mesh
from nephos.core.cutters import standard_cutter
from nephos.core.errors import Refused
from nephos.core.machine.machine import machine_of
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.model import Model
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.seams import SeamCosts, longest_tile, proposed_seams
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.tiled import TiledSetup
from nephos.core.plan.setups.tiling import Blend, Tiles
from nephos.core.plan.stock import Stock
from nephos.core.setups.seams import lowered, lowering, raised
from nephos.core.strategies.following.window import in_window, inside_window, passes_in_window, within_core
from nephos.core.strategies.score import middle_lines
from nephos.core.toolpath import Kind, Pass, Passes, Toolpath

BOX = (0.0, 0.0, 10.0, 6.0)
place = st.tuples(st.floats(-8, 18), st.floats(-8, 14), st.floats(-3, 3))


def left(passes: list[Pass]) -> tuple[Pass, ...]:
    return passes_in_window(Passes(tuple(passes), stay_down=1.0, on_surface=True), BOX).passes


def length(points: np.ndarray) -> float:
    return float(np.sqrt((np.diff(points, axis=0) ** 2).sum(axis=1)).sum())


def length_inside(points: np.ndarray) -> float:
    """By looking at many places along the path."""
    total = 0.0
    for a, b in pairwise(points):
        t = (np.arange(4000) + 0.5)[:, None] / 4000
        on = a + t * (b - a)
        inside = ((on[:, :2] >= BOX[:2]) & (on[:, :2] <= BOX[2:])).all(axis=1)
        total += float(np.linalg.norm(b - a) * inside.mean())
    return total


@settings(max_examples=60, deadline=None)
@given(st.lists(place, min_size=2, max_size=7), st.booleans())
def test_what_lies_in_the_window_stays_and_nothing_else(spots: list[tuple[float, float, float]], closed: bool) -> None:
    # A hundredth apart from the sides at least: on them rounding decides.
    points = np.round(np.array([*spots, spots[0]] if closed else spots), 2)
    points[:, :2] += 0.003
    runs = in_window(points, BOX)
    grown = (-1e-9, -1e-9, 10 + 1e-9, 6 + 1e-9)
    assert all(inside_window(run, grown) for run in runs)
    assert sum(map(length, runs)) == pytest.approx(length_inside(points), abs=0.02 * (1 + length(points)) / 10)


def test_a_closed_pass_goes_on_over_its_beginning() -> None:
    ring = np.array([[5.0, 3, 0], [5, 20, 0], [-5, 20, 0], [-5, 3, 0], [5, 3, 0]])
    (cut,) = left([Pass(ring, closed=True, entry="ramp", helix=(1.0, 1.0))])
    assert cut.points.tolist() == [[0.0, 3.0, 0.0], [5.0, 3.0, 0.0], [5.0, 6.0, 0.0]]
    assert not cut.closed and cut.helix is None and cut.entry == "ramp"
    whole = Pass(np.array([[1.0, 1, 0], [2, 1, 0], [1, 2, 0], [1, 1, 0]]), closed=True)
    assert left([whole]) == (whole,)
    assert left([Pass(ring + 100)]) == ()


def test_rings_that_a_seam_cuts_are_finished_side_by_side_and_to_and_fro() -> None:
    """A ring round the middle of the board at each level: in the window two walls are left of each."""
    rings = [
        Pass(np.array([[-20.0, 1, -k], [30, 1, -k], [30, 5, -k], [-20, 5, -k], [-20, 1, -k]]), closed=True)
        for k in range(5)
    ]
    passes = passes_in_window(Passes(tuple(rings), stay_down=2.0, on_surface=True, both=True), BOX).passes
    sides = [float(item.start[1]) for item in passes]
    assert sides == [1.0] * 5 + [5.0] * 5
    gaps = [float(np.hypot(*(b.start - a.end)[:2])) for a, b in pairwise(passes[:5])]
    assert max(gaps) == 0.0


def test_a_place_on_a_seam_belongs_to_one_tile() -> None:
    left, right = (0.0, 0.0, 10.0, 6.0), (10.0, 0.0, 20.0, 6.0)
    for x in (9.9, 10.0 - 1e-9, 10.0, 10.0 + 1e-9, 10.1):
        assert [within_core((x, 3.0), left), within_core((x, 3.0), right)].count(True) == 1


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.tuples(st.floats(0, 60), st.floats(0, 9), st.floats(0, 5)), min_size=3, max_size=12),
    st.sampled_from([-1, 1]),
)
def test_a_lowered_path_is_raised_to_what_it_was(spots: list[tuple[float, float, float]], towards: int) -> None:
    blend = Blend(axis="x", at=30.0, towards=towards, height=0.4, width=20.0)
    points = np.array(spots)
    kinds = np.array([Kind.RAPID if k % 4 == 3 else Kind.CUT for k in range(len(points) - 1)], np.uint8)
    path = lowered(Toolpath(points, kinds, np.ones(len(kinds), np.float32)), blend)
    back = raised(path.points, path.kinds, blend)
    # All points that were there are there again, and those that were added lie on the path.
    assert all(np.abs(back - point).max(axis=1).min() < 1e-9 for point in points)
    assert length(back) == pytest.approx(length(points), abs=1e-6)
    fed = np.concatenate([[False], path.kinds != Kind.RAPID])
    assert np.allclose(back[fed, 2] - path.points[fed, 2], lowering(path.points[fed], blend))
    assert lowering(np.array([[30.0, 0], [30 - 9.0 * towards, 0]]), blend).tolist() == [0.4, 0.4]
    assert lowering(np.array([[30 + 10.0 * towards, 0], [30 + 25.0 * towards, 0]]), blend) == pytest.approx([0.2, 0.0])


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10_000), st.floats(200, 3000), st.floats(150, 900))
def test_no_proposed_tile_is_longer_than_the_machine_cuts(seed: int, board: float, longest: float) -> None:
    rng = np.random.default_rng(seed)
    at = np.linspace(0, board, 402)[1:-1]
    costs = SeamCosts(at, rng.random(len(at)))
    if board <= longest:
        return
    ends = [0.0, *proposed_seams(costs, board, longest), board]
    assert np.diff(ends).max() <= longest + 0.1 and np.diff(ends).min() > 0
    assert len(ends) - 1 <= int(np.ceil(board / longest)) + 1


def test_a_seam_lies_where_it_costs_least() -> None:
    at = np.arange(2.0, 1000.0, 4.0)
    cost = np.where(np.abs(at - 470) < 15, 0.0, 1.0)
    (seam,) = proposed_seams(SeamCosts(at, cost), 1000.0, 700.0, 2)
    assert abs(seam - 470) < 15
    with pytest.raises(Refused, match="3 or more"):
        proposed_seams(SeamCosts(at, cost), 1000.0, 420.0, 2)
    with pytest.raises(Refused, match="overrun"):
        proposed_seams(SeamCosts(at, cost), 1000.0, 1.0)


def board(**tiles: object) -> Plan:
    finish = Operation(
        number=20,
        strategy="finish_raster",
        cutter=standard_cutter("ball", 6, 2),
        settings={"stepover": 1.0},
    )
    rough = Operation(
        number=10,
        strategy="rough_offset",
        cutter=standard_cutter("flat", 4, 1),
        settings={"stepover": 1.6},
    )
    kind = partial(TiledSetup, tiles=Tiles(**tiles)) if tiles else FaceSetup
    setup = kind(id="a", name="Top", operations=(rough, finish))
    return Plan(
        stock=Stock(length=100, width=40, thickness=12), setups=(setup,), models=(Model(id="m", name="m", mesh="m"),)
    )


LOOK = quick_look(grid_mesh(*np.meshgrid(np.linspace(0, 90, 31), np.linspace(0, 30, 11)), np.full((11, 31), 4.0)))


def edited(plan: Plan, **edit: object) -> Plan:
    return apply_edit(plan, lambda _: LOOK, edit)


def test_roughing_makes_room_for_the_finishing_cutter_at_a_seam() -> None:
    first, last = board(seams_x=(50.0,), overrun=4.0).as_cut().setups
    rough, finish = first.operations
    assert first.window(finish)[2] == 54.0 and last.window(finish)[0] == 50.0
    # A ball of 6 mm beside what a flat cutter of 4 mm has left.
    assert first.window(rough)[2] == 54.0 + 1.0 + 0.5
    assert board().setups[0].window(rough) is None


def test_a_plan_with_tiles_reads_back_and_is_cut_as_tiles_once() -> None:
    plan = board(seams_x=(30.0, 60.0), seams_y=(20.0,))
    assert parse_plan(plan.model_dump(mode="json")) == plan and plan.setups[0].count == 6
    as_cut = plan.as_cut()
    assert as_cut.as_cut() is as_cut
    assert parse_plan(as_cut.model_dump(mode="json")).setups == as_cut.setups
    assert [setup.parent_id for setup in as_cut.setups] == ["a"] * 6 and as_cut.setups[-1].tile.final


@pytest.mark.parametrize(
    ("tiles", "said"),
    [
        ({"seams_x": (60.0, 30.0)}, "must go up"),
        ({"overrun": 3.0}, "need a seam"),
        ({"seams_x": (30.0,), "seams_y": (20.0,), "slide": "dowels"}, "one axis only"),
        ({"seams_x": (30.0,), "strips": ({"seam": 2},)}, "no seam 2"),
    ],
)
def test_tiles_that_cannot_be_are_refused(tiles: dict, said: str) -> None:
    with pytest.raises(ValueError, match=said):
        Tiles(**tiles)


def test_seams_are_moved_added_and_taken_out() -> None:
    plan = edited(board(seams_x=(30.0, 60.0)), do="move_seam", setup="a", seam=2, at=70.0)
    assert plan.setups[0].tiles.seams_x == (30.0, 70.0)
    with pytest.raises(Refused, match="neighbours"):
        edited(plan, do="move_seam", setup="a", seam=1, at=75.0)
    more = edited(plan, do="add_seam", setup="a")
    assert more.setups[0].tiles.seams_x == (30.0, 50.0, 70.0)
    less = edited(edited(plan, do="drop_seam", setup="a", seam=1), do="drop_seam", setup="a", seam=1)
    assert isinstance(less.setups[0], FaceSetup)
    with pytest.raises(Refused, match="not cut in tiles"):
        edited(less, do="move_seam", setup="a", seam=1, at=10.0)


def test_along_a_fence_no_operation_makes_marks() -> None:
    """What made them would have nothing to cut in any tile, and the job would be refused."""
    drill = standard_cutter("drill", 6, 9).model_dump()
    marked = edited(board(seams_x=(50.0,)), do="mark_slides", setup="a", slide="dowels", cutter=drill)
    assert marked.setups[0].operations[0].boundary.boundary == "marks"
    plain = edited(marked, do="change_tiles", setup="a", change={"slide": "fence"})
    assert [item.number for item in plain.setups[0].operations] == [10, 20]


@pytest.mark.parametrize("axis", ["x", "y"])
@pytest.mark.parametrize("order", ["forward", "backward"])
def test_a_strip_assumes_its_step_for_the_later_tile_along_either_axis(axis: str, order: str) -> None:
    plan = board(**{f"seams_{axis}": (20.0,)}, order=order)
    mended = edited(plan, do="add_strip", setup="a", seam=1, axis=axis, side="after", height=0.25)
    (error,) = mended.setups[0].tiles.errors
    # The side after the seam is higher: the later tile lies there when cut forward, else the other one lies lower.
    assert error.tile == 2 and error.dz == (0.25 if order == "forward" else -0.25)
    assert edited(mended, do="drop_strip", setup="a", seam=1, axis=axis) == plan


def test_a_longer_overrun_makes_tiles_shorter() -> None:
    plan, machine = board(seams_x=(50.0,), overrun=5.0), machine_of("shed-router")
    setup, tiles = plan.setups[0], plan.setups[0].tiles
    assert tiles is not None
    wide = tiles.model_copy(update={"overrun": 25.0})
    assert longest_tile(machine, setup, tiles, "x") - longest_tile(machine, setup, wide, "x") == 40.0


def test_the_zero_of_a_tile_is_said_from_the_end_of_the_board() -> None:
    first, last = board(seams_x=(50.0,)).as_cut().setups
    assert first.zero_in_words() == "the board's left end, at its front edge, on its top face"
    assert last.zero_in_words() == "the seam, 50 mm from the board's left end, at its front edge, on its top face"


def test_a_score_mark_is_the_longer_middle_line() -> None:
    import shapely

    (line,) = middle_lines(shapely.box(9.9, 0.0, 10.1, 8.0))
    assert line == pytest.approx(np.array([[10.0, 0.0], [10.0, 8.0]]))
