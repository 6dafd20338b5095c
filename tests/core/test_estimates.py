"""What is told before anything is calculated: a coarse picture of the ground, and times that come near the calculated
ones."""

from itertools import count

import numpy as np
import pytest
import shapely

from cutting import op, run
from graph import work_with
from meshes import at, grid_mesh
from nephos.core.cutters import standard_cutter
from nephos.core.estimate.estimate import StockEstimate, line_starts
from nephos.core.estimate.estimate_input import estimate_input
from nephos.core.estimate.height_map import HeightMap
from nephos.core.estimate.height_map_levels import Clearing
from nephos.core.estimate.perimeter import around_box, path_at, paths_around
from nephos.core.estimate.stock_estimate import DrawnHeightMap, draw_height_map
from nephos.core.memo import Memo
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.boundary import Limit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.stages.outline import OutlineStage
from nephos.core.stages.space import setup_space
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.strategies.clearing.levels import wide_heights
from nephos.core.strategies.clearing.roughing import RoughWork
from nephos.core.strategies.registry import strategy

pytestmark = pytest.mark.long


def test_rings_are_as_long_as_geometry_says() -> None:
    """In a disc of 20 mm, 2 mm apart: circles of 20, 18, 16 ... mm, until the cutter clears all within the last."""
    every, radius = 0.1, 20.0
    inner = 2 * np.pi * np.maximum(radius - (np.arange(250) + 0.5) * every, 0.0)
    work = RoughWork(2 * np.pi * radius, inner, every, 1, 1)
    told = work.length(2.0, 2.0)
    assert told == pytest.approx(2 * np.pi * sum(20 - 2 * k for k in range(10)), rel=0.01)
    assert work.length(1.0, 3.0) < work.length(1.0, 1.0), "the wider the cutter, the less is left for the last rings"


def test_the_picture_that_a_worker_draws_is_the_mesh_itself() -> None:
    mesh = pitted()
    plan = Plan(
        stock=Stock(length=SIZE[0], width=SIZE[1], thickness=SIZE[2]),
        setups=(FaceSetup(id="a", name="a"),),
        models=(Model(id="m", name="m", mesh="m", placement=Placement()),),
    )
    space = setup_space(plan, plan.setups[0], work_with(mesh))
    made = draw_height_map(space)
    drawn = DrawnHeightMap.of_result("k", made.facts, made.arrays)
    relief = drawn.over(space.floor)
    low = space.index.low
    assert at(relief, relief.z, low[0] + 22.5, low[1] + 17.5) == pytest.approx(
        3.0 - (space.floor - low[2]) - 3.0, abs=1e-4
    )
    assert at(relief, relief.z, low[0] + 2, low[1] + 2) == pytest.approx(10.0, abs=1e-4)
    assert float(relief.model.sum()) * relief.step**2 == pytest.approx(90 * 70, rel=0.03)
    assert wide_heights(drawn.levels - space.floor, drawn.areas, 500.0) == pytest.approx([10.0, 0.0], abs=0.02)
    assert not relief.model[0].any(), "beside the model there is none"


def test_a_memo_forgets_what_was_not_asked_for_longest() -> None:
    made: list[int] = []
    memo: Memo[int] = Memo(2)

    def value(k: int) -> int:
        return memo.get(k, lambda: made.append(k) or k)

    for k in (1, 2, 1, 3, 1, 2):
        assert value(k) == k
    assert made == [1, 2, 3, 2]


def mound() -> Mesh:
    """A round hill of 14 mm on a plate of 90 x 70 mm."""
    x, y = np.meshgrid(np.linspace(0, 90, 181), np.linspace(0, 70, 141))
    rho = np.hypot(x - 45, y - 35)
    return grid_mesh(x, y, 2 + 14 / (1 + np.exp((rho - 22) / 2.5)))


def pitted() -> Mesh:
    """A plate of 90 x 70 mm with four square pits, 10 mm deep."""
    x, y = np.meshgrid(np.linspace(0, 90, 181), np.linspace(0, 70, 141))
    px, py = np.abs((x % 45) - 22.5), np.abs((y % 35) - 17.5)
    return grid_mesh(x, y, np.where((px < 15) & (py < 12), 3.0, 13.0))


def dykes() -> Mesh:
    """A gentle slope of 90 x 70 mm with dykes across it, 1.4 mm high and broken by gates."""
    x, y = np.meshgrid(np.linspace(0, 90, 361), np.linspace(0, 70, 281))
    across = np.abs((y + 3 * np.sin(x / 9)) % 14 - 7)
    return grid_mesh(x, y, 3 + x / 20 + np.where((x + 2 * y) % 31 < 24, np.clip(2.4 - across, 0, 1.4), 0.0))


_DRAWN = count()
SIZE = (96.0, 76.0, 18.0)
FLAT, BALL = standard_cutter("flat", 6, 1), standard_cutter("ball", 3, 2)
STOCK = {"boundary": Limit(boundary="stock")}


def told_and_taken(
    mesh: Mesh, *operations: Operation, drawn: bool = True, pitch: float = 0.4
) -> tuple[list[float], list[float]]:
    """Estimated and calculated seconds of operations; with the picture that a worker draws, or from samples only."""
    done = run(mesh, *operations, size=SIZE, pitch=pitch)
    setup = FaceSetup(id="a", name="a", operations=operations)
    plan = Plan(
        stock=Stock(length=SIZE[0], width=SIZE[1], thickness=SIZE[2]),
        setups=(setup,),
        models=(Model(id="m", name="m", mesh="m", placement=Placement()),),
    )
    look = quick_look(mesh)
    made = draw_height_map(done.space)
    relief = DrawnHeightMap.of_result(f"drawn {next(_DRAWN)}", made.facts, made.arrays) if drawn else None
    shown = [(plan.models[0], placed_model(look.support, plan.models[0], plan.stock), look)]
    store = MemoryStore()
    outline = Work(store, lambda _: mesh).result(OutlineStage.of(done.space.plan, done.space.setup, "silhouette"))
    facts = [outline.facts if outline and item.boundary.boundary == "silhouette" else None for item in operations]
    told = [
        strategy(item.strategy)
        .estimate(item.settings, item.cutter, 0.0, estimate_input(plan, setup, item, shown, known, relief))
        .seconds
        for item, known in zip(operations, facts, strict=True)
    ]
    return told, [float(outcome.seconds.sum()) for outcome in done.outcomes]


@pytest.mark.parametrize(
    ("mesh", "key", "near"),
    [
        (mound, "rough_offset", 0.2),
        (pitted, "rough_raster", 0.2),
        pytest.param(pitted, "rough_offset", 0.2, marks=pytest.mark.slow),
        pytest.param(mound, "rough_raster", 0.2, marks=pytest.mark.slow),
    ],
)
def test_roughing_takes_about_as_long_as_was_said(mesh, key: str, near: float) -> None:
    told, taken = told_and_taken(mesh(), op(key, FLAT, 10, STOCK, stepdown=2.5, stepover=2.5, leave=0.4))
    assert told[0] == pytest.approx(taken[0], rel=near)


def test_roughing_under_an_even_load_takes_about_as_long_as_was_said() -> None:
    told, taken = told_and_taken(
        mound(), op("rough_engagement", FLAT, 10, STOCK, stepdown=5.0, stepover=2.5, leave=0.4)
    )
    assert told[0] == pytest.approx(taken[0], rel=0.35)


def test_until_a_worker_has_drawn_the_ground_samples_have_to_do() -> None:
    told, taken = told_and_taken(
        mound(), op("rough_offset", FLAT, 10, STOCK, stepdown=2.5, stepover=2.5, leave=0.4), drawn=False
    )
    assert told[0] == pytest.approx(taken[0], rel=0.3)


def bowls() -> Mesh:
    """A plate of 90 x 70 mm with six bowls, 10 mm deep."""
    x, y = np.meshgrid(np.linspace(0, 90, 181), np.linspace(0, 70, 141))
    rho = np.hypot((x % 30) - 15, (y % 35) - 17.5)
    return grid_mesh(x, y, np.where(rho < 14, 13 - 10 * np.sqrt(np.clip(1 - (rho / 14) ** 2, 0, 1)), 13.0))


@pytest.mark.parametrize(
    ("mesh", "shape", "diameter"),
    [pytest.param(mound, "ball", 4.0, marks=pytest.mark.slow), (pitted, "flat", 3.0), (bowls, "flat", 3.0)],
)
def test_a_second_roughing_takes_about_as_long_as_was_said(mesh, shape: str, diameter: float) -> None:
    """Of the ground in pits only the corners are left to it, in bowls the steps; on a hill it has to go nearly
    everywhere."""
    first = op("rough_offset", FLAT, 10, STOCK, stepdown=3.0, stepover=2.5, leave=0.4)
    second = op("rough_offset", standard_cutter(shape, diameter, 2), 20, STOCK, stepdown=1.5, stepover=1.2, leave=0.3)
    told, taken = told_and_taken(mesh(), first, second)
    assert told[1] == pytest.approx(taken[1], rel=0.2)


@pytest.mark.parametrize(
    ("mesh", "steeper"),
    [(mound, 20.0), pytest.param(pitted, 40.0, marks=pytest.mark.slow), (bowls, 40.0), (dykes, 35.0)],
)
def test_levels_take_about_as_long_as_was_said(mesh, steeper: float) -> None:
    """Round a hill and in pits contours are closed; in bowls they end where it gets shallow; from low dykes the cutter
    is lifted each time."""
    told, taken = told_and_taken(
        mesh(), op("finish_waterline", BALL, 10, {"boundary": Limit(boundary="box")}, stepdown=0.5, steeper=steeper)
    )
    assert told[0] == pytest.approx(taken[0], rel=0.2)


def test_steep_and_shallow_take_about_as_long_as_was_said() -> None:
    told, taken = told_and_taken(
        bowls(), op("finish_steep_shallow", BALL, 10, {"boundary": Limit(boundary="box")}, stepover=0.6, stepdown=0.5)
    )
    assert told[0] == pytest.approx(taken[0], rel=0.2)


@pytest.mark.parametrize(
    "mesh", [pytest.param(mound, marks=pytest.mark.slow), pitted, pytest.param(bowls, marks=pytest.mark.slow)]
)
def test_levels_after_roughing_take_about_as_long_as_was_said(mesh) -> None:
    """The cutter need not go down slowly from over the block then."""
    levels = op("finish_waterline", BALL, 20, {"boundary": Limit(boundary="box")}, stepdown=0.5, steeper=40.0)
    told, taken = told_and_taken(
        mesh(), op("rough_offset", FLAT, 10, STOCK, stepdown=2.5, stepover=2.5, leave=0.4), levels
    )
    assert told[1] == pytest.approx(taken[1], rel=0.2)


@pytest.mark.parametrize(
    ("roughed", "side"),
    [
        (True, "outside"),
        (False, "on"),
        pytest.param(True, "on", marks=pytest.mark.slow),
        pytest.param(False, "outside", marks=pytest.mark.slow),
    ],
)
def test_cutting_out_takes_about_as_long_as_was_said(roughed: bool, side: str) -> None:
    """It begins where roughing has left off round the part."""
    before = [op("rough_offset", FLAT, 10, STOCK, stepdown=2.5, stepover=2.5, leave=0.4)] if roughed else []
    cut = op("cut_out", FLAT, 20, {"boundary": Limit(boundary="silhouette")}, stepdown=2.5, side=side)
    # Fine enough for the skin that roughing leaves on the edge.
    told, taken = told_and_taken(mound(), *before, cut, pitch=0.15)
    assert told[-1] == pytest.approx(taken[-1], rel=0.2, abs=6.5)


def test_lines_begin_anew_where_the_outline_breaks_them() -> None:
    """Over a disc they are one chain, over a ring two, over a comb as many as it has teeth, along the teeth one."""
    y, x = np.mgrid[-30:31, -30:31]
    disc, ring, comb = np.hypot(x, y) < 25, np.abs(np.hypot(x, y) - 18) < 6, (x > 10) | (np.abs((y % 12) - 6) < 3)

    def starts(name: str, region: np.ndarray, *angles: float) -> list[int]:
        relief = HeightMap(0.0, 0.0, 1.0, np.zeros(region.shape, np.float32), region)
        return [line_starts(StockEstimate(name, name, relief, region, lambda: relief.z), angle) for angle in angles]

    assert starts("disc", disc, 0.0, 30.0, 90.0) == [1, 1, 1]
    assert starts("ring", ring, 0.0, 90.0) == [2, 2]
    assert starts("comb", comb, 90.0) == starts("comb on its side", comb.T, 0.0) == [6]
    assert starts("nothing", np.zeros((9, 9), bool), 0.0) == [0]


@pytest.mark.parametrize("off", [-6.0, -2.0, 0.0, 3.0, 4.5, 20.0])
def test_ways_round_a_disc_are_circles(off: float) -> None:
    length, turns = path_at(paths_around(shapely.Point(3, 4).buffer(30, quad_segs=100)), off)
    assert length == pytest.approx(2 * np.pi * (30 + off), rel=2e-3) and turns == pytest.approx(1.0, abs=1e-6)


def test_a_rough_outline_is_shorter_and_smoother_a_little_way_off() -> None:
    angles = np.linspace(0, 2 * np.pi, 2000, endpoint=False)
    jagged = shapely.Polygon(
        (30 + 0.2 * np.sin(150 * angles))[:, None] * np.column_stack([np.cos(angles), np.sin(angles)])
    )
    (on, on_turns), (off, off_turns) = (path_at(paths_around(jagged), by) for by in (0.0, 3.0))
    assert on > 2 * np.pi * 31 and on_turns > 50
    assert off == pytest.approx(2 * np.pi * 33.2, rel=0.02) and off_turns < on_turns / 2


def test_ways_round_a_rectangle_are_known_before_it_is_drawn() -> None:
    for off in (-3.0, 0.0, 6.0):
        assert path_at(around_box(80, 50), off) == pytest.approx(
            path_at(paths_around(shapely.box(0, 0, 80, 50)), off), rel=2e-3
        )


def test_a_second_roughing_is_told_to_take_less_than_the_first() -> None:
    small = standard_cutter("flat", 3, 2)
    first = op("rough_offset", FLAT, 10, STOCK, stepdown=2.5, stepover=2.5, leave=0.4)
    second = op("rough_offset", small, 20, STOCK, stepdown=2.5, stepover=1.2, leave=0.4)
    alone, _ = told_and_taken(pitted(), second)
    both, taken = told_and_taken(pitted(), first, second)
    assert both[1] < 0.3 * alone[0], "most is cleared by then"
    assert taken[1] < 0.3 * alone[0]


def test_the_ground_is_looked_at_once_for_all_stepovers(monkeypatch: pytest.MonkeyPatch) -> None:
    """While a number is typed, and for the small drawing of what a finer step costs, only what depends on it is worked
    out anew."""
    looked = []
    at_level = Clearing.at_level
    monkeypatch.setattr(Clearing, "at_level", lambda self, k: looked.append(1) or at_level(self, k))
    mesh, cutter = mound(), standard_cutter("flat", 5, 1)
    look = quick_look(mesh)
    seconds = []
    for stepover in (0.5, 1.0, 2.0, 4.0):
        operation = op("rough_offset", cutter, 10, STOCK, stepdown=2.5, stepover=stepover, leave=0.45)
        setup = FaceSetup(id="a", name="a", operations=(operation,))
        plan = Plan(
            stock=Stock(length=SIZE[0], width=SIZE[1], thickness=SIZE[2]),
            setups=(setup,),
            models=(Model(id="m", name="m", mesh="looked at once", placement=Placement()),),
        )
        shown = [(plan.models[0], placed_model(look.support, plan.models[0], plan.stock), look)]
        settings = operation.settings
        ground = estimate_input(plan, setup, operation, shown)
        seconds.append(strategy("rough_offset").estimate(settings, cutter, 0.0, ground).seconds)
        for finer in (0.3, 0.7, 1.1):
            strategy("rough_offset").estimate(settings.model_copy(update={"stepover": finer}), cutter, 0.0, ground)
    assert 0 < sum(looked) <= 12, "once for each layer, whatever the stepover"
    assert seconds == sorted(seconds, reverse=True) and seconds[0] > 4 * seconds[3]
