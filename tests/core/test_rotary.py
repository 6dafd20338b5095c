"""A part that rotates: contact, removal, strategies and programs, against closed forms and brute force."""

import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from cutting import recertified
from meshes import ellipsoid
from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.cutters.profile import Profile
from nephos.core.errors import Refused
from nephos.core.findings.placement import placement_findings
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.machine.machine import MACHINES
from nephos.core.machine.rotary_axis import RotaryAxis, axis_feeds, machine_moves, surface_lengths, whole_turns
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.bar_place import swept_diameter
from nephos.core.plan.clamping import Zero
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.plan.setups.holding import Rotary
from nephos.core.plan.setups.rotary import RotarySetup
from nephos.core.plan.stock import Stock
from nephos.core.post.read import read_program
from nephos.core.proposals.rotary import proposed_rotary
from nephos.core.setups.bar import cutter_limits, spigot
from nephos.core.stages.programs import programs_of
from nephos.core.stages.run import run_plan
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.strategies.following.follow import follow_lines
from nephos.core.strategies.registry import strategy
from nephos.core.surface.contact import on_triangle
from nephos.core.surface.drop import drop_points, drop_turned
from nephos.core.surface.gouge import gouges_along
from nephos.core.surface.rotary import build_rotary_index, rolled, unrolled
from nephos.core.toolpath import Kind, Toolpath

pytestmark = pytest.mark.long

TURN = 2 * np.pi
BALL, FLAT = standard_cutter("ball", 3, 2), standard_cutter("flat", 6, 1)
SHAPES = {
    "ball": Profile.of(0, 1.5),
    "flat": Profile.of(3.0, 0.0),
    "bull-nose": Profile.of(2.0, 1.0),
    "tapered-ball": Profile.of(0, 0.5, 5.0, 2.0),
    "v": Profile.of(0.0, 0.0, 1.7, 3.0),
    "engraver": Profile.of(0.2, 0, 2.0, 3.0),
}


def turned(points: np.ndarray, a: float) -> np.ndarray:
    """Points rotated by `a` radians about X: what was at +Y comes up to +Z."""
    c, s = np.cos(a), np.sin(a)
    return np.column_stack([points[:, 0], points[:, 1] * c - points[:, 2] * s, points[:, 1] * s + points[:, 2] * c])


def cylinder(radius: float, length: float) -> Mesh:
    """A closed cylinder about X from x = 0, at least as thick as `radius`."""
    return spigot(0.0, length, radius)


def lumps(seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Triangles in no order about the axis, some of them across it."""
    rng = np.random.default_rng(seed)
    vertices = rng.normal(size=(90, 3)) * [12, 4, 4]
    faces = rng.integers(0, 90, (120, 3)).astype(np.int32)
    return vertices, faces[(faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 0] != faces[:, 2])]


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("floor", [0.0, 1.5])
def test_the_drop_on_a_rotating_mesh_is_that_of_brute_force(shape: str, floor: float) -> None:
    vertices, faces = lumps(3)
    cutter, index, rng = SHAPES[shape], build_rotary_index(vertices, faces, 10.0), np.random.default_rng(4)

    def brute(x: float, a: float) -> float:
        points = turned(vertices, a)
        return max(floor, *(on_triangle(x, 0.0, cutter, *points[f].ravel()) for f in faces))

    places = np.column_stack([rng.uniform(-25, 25, 40), rng.uniform(-2, 9, 40) * 10.0])
    found = drop_points(index, places, cutter, floor)
    assert np.abs(found - [brute(x, v / 10.0) for x, v in places]).max() < 1e-9
    grid = drop_turned(index, -20.0, 5.0, 9, 12, cutter, floor)
    wanted = [[brute(-20.0 + 5 * i, TURN * q / 12) for i in range(9)] for q in range(12)]
    assert np.abs(grid - wanted).max() < 1e-9


def test_drops_on_a_cylinder_and_an_eccentric_pin_have_known_radii() -> None:
    mesh = cylinder(8.0, 40.0)
    index = build_rotary_index(mesh.vertices, mesh.faces, 10.0)
    # On the flats between the corners a ball rests at the circle that they touch.
    places = np.column_stack([np.full(360, 20.0), np.arange(360) * TURN / 360 * 10.0])
    radii = drop_points(index, places, SHAPES["ball"], 0.0)
    assert np.abs(radii - 8.0).max() < 4e-4
    pin = Mesh(mesh.vertices + np.array([0.0, 3.0, 0.0]), mesh.faces)
    index = build_rotary_index(pin.vertices, pin.faces, 10.0)
    a = places[:, 1] / 10.0
    # The ball's middle lies 9.5 mm from the pin's, which stands 3 mm out at a quarter turn.
    middle = 3 * np.sin(a) + np.sqrt(9.5**2 - (3 * np.cos(a)) ** 2)
    assert np.abs(drop_points(index, places, SHAPES["ball"], 0.0) - (middle - 1.5)).max() < 4e-4


def test_the_unrolled_surface_rolls_up_again() -> None:
    points = np.random.default_rng(0).normal(size=(50, 3)) * 10
    assert np.allclose(rolled(unrolled(points, 7.0), 7.0), points)


def test_chords_of_followed_lines_gouge_nothing() -> None:
    mesh = ellipsoid((30.0, 9.0, 6.0))
    index = build_rotary_index(mesh.vertices - mesh.low * [1, 0, 0], mesh.faces, 10.0)
    length = float(index.high[0])
    lines = np.array([[0.0, 12.0, length, 12.0], [length / 2, 0.0, length / 2, TURN * 10], [0.0, 0.0, length, 50.0]])
    points, ends = follow_lines(index, lines, BALL.profile, 0.0, 1.0, 0.01)
    for a, b in zip([0, *(ends[:-1] + 1)], ends, strict=True):
        found = gouges_along(index, points[a : b + 1], BALL.profile, 0.01)
        assert not [item for item in found if item.depth > 0.01]


def operation(number: int, key: str, cutter: Cutter, **words: object) -> Operation:
    settings = strategy(key).settings.model_validate(words)
    return Operation(number=number, strategy=key, cutter=cutter, settings=settings)


def plan_of(*operations: Operation, post: str = "rs274-rotary-a", **words: object) -> Plan:
    """An egg of 60 mm in a bar of 30 mm."""
    middle = Placement(align=("centre", "centre", "centre"), offset=(0.0, 0.0, 0.0))
    setup = RotarySetup(
        id="bar",
        name="Setup A, bar",
        rotary=Rotary(core=5.0),
        zero=Zero(x="low", z="axis"),
        operations=operations,
    )
    given: dict[str, object] = {
        "stock": Stock(kind="round", length=130, width=30, thickness=30),
        "models": (Model(id="m", name="egg", mesh="egg", placement=middle),),
        "setups": (setup,),
        "post": post,
        "machine": "rotary-router",
        "pitch": 0.5,
    }
    return Plan.model_validate(given | words)


EGG = ellipsoid((30.0, 13.0, 9.0))
ROUGH = operation(10, "rough_raster", FLAT, stepdown=2.0, stepover=2.4, leave=0.4)
FINISH = operation(20, "finish_raster", BALL, stepover=0.6)


def cut(plan: Plan) -> SetupOutcome:
    return next(iter(run_plan(plan, lambda _: EGG, Work(MemoryStore()))))


@pytest.fixture(scope="module")
def done() -> SetupOutcome:
    return cut(plan_of(ROUGH, FINISH, operation(30, "finish_helix", BALL, stepover=0.6)))


def test_no_move_gouges_and_no_rapid_meets_the_bar(done: SetupOutcome) -> None:
    for outcome in done.outcomes:
        assert not [item for item in outcome.gouges if item.depth > 0.01]
        assert outcome.rapid_depth.max() == 0.0
    numbers = done.comparison.numbers()
    assert numbers["gouge_max"] < 0.01 and numbers["leftover_p95"] < 0.03
    assert not [item for item in outcome_findings(done) if item.level == "stop"]


def test_the_core_is_never_cut(done: SetupOutcome) -> None:
    assert min(float(np.nanmin(o.points[:, 2])) for o in done.outcomes) >= 2.5 - 1e-9
    assert done.block.top.min() >= 2.5 - 1e-3


def test_chuck_and_tailstock_are_kept_clear(done: SetupOutcome) -> None:
    for outcome in done.outcomes:
        cutter, x = outcome.operation.cutter, outcome.points[:, 0]
        assert np.nanmin(x) - cutter.radius >= 20.0 + 3.0 - 1e-6
        assert np.nanmax(x) + cutter.radius <= 130.0 - 3.0 + 1e-6


def words_of(text: bytes) -> list[dict[str, float]]:
    """The words of each line with a move, read by a program of a few lines that knows nothing of the reader."""
    found = []
    for line in re.sub(r"\(.*?\)", "", text.decode()).splitlines():
        words = {key: float(value) for key, value in re.findall(r"([A-Z])([-+\d.]+)", line)}
        if words.keys() & {"X", "Z", "A"}:
            found.append(words)
    return found


def test_the_text_read_back_equals_the_plan(done: SetupOutcome) -> None:
    for program, outcome in zip(done.programs, (done.outcomes[0],), strict=False):
        lines = words_of(program.text)
        at = {"X": np.nan, "Z": np.nan, "A": np.nan}
        read = []
        for words in lines:
            at |= {key: words[key] for key in at if key in words}
            read.append([at["X"], at["A"], at["Z"]])
        points = outcome.path.points * [1.0, 360.0 / (TURN * 15.0), 1.0]
        begins = np.round(points[0, 1] / 360) * 360
        tail = np.array(read)[-outcome.path.moves :]
        assert np.abs(tail - points[1:] + [0.0, begins, 0.0]).max() < 0.0011


def test_inverse_time_keeps_the_feed_over_the_surface(done: SetupOutcome) -> None:
    outcome = done.outcomes[1]
    program = next(item for item in done.programs if 20 in item.numbers)
    reading = read_program(program.text)
    assert (reading.inverse[reading.rapid == 0] == 1).all()
    lengths = surface_lengths(outcome.path.points, 15.0)
    cutting = outcome.path.kinds != 0
    said = reading.feeds[reading.rapid == 0][: cutting.sum()]
    asked = (outcome.path.feeds / np.maximum(lengths, 1e-9))[cutting]
    assert (said <= asked * 1.001).all(), "never faster than planned"
    # Slower only where an axis would have to go beyond its limit.
    turned = np.degrees(np.abs(np.diff(outcome.path.points[:, 1]))[cutting] / 15.0)
    free = turned * asked < 5400 * 0.999
    assert free.mean() > 0.5 and np.abs(said / asked - 1)[free].max() < 1e-3
    assert (turned * said <= 5400 * 1.001).all()


@pytest.mark.parametrize("post", ["rs274-rotary-a-minute", "rs274-rotary-y"])
def test_the_other_kinds_of_post_say_the_same_moves(post: str, done: SetupOutcome) -> None:
    other = cut(plan_of(ROUGH, post=post))
    assert np.allclose(other.outcomes[0].path.points, done.outcomes[0].path.points)
    reading = read_program(other.programs[0].text)
    last = done.outcomes[0].path.points[-1, 1]
    if post.endswith("-y"):
        assert reading.points[-1, 1] == pytest.approx(last, abs=2e-3)
    else:
        assert reading.angles[-1] % 360 == pytest.approx(np.degrees(last / 15.0) % 360, abs=2e-3)
        assert not reading.inverse.any()


def test_feeds_a_minute_are_those_of_the_standard() -> None:
    axis = RotaryAxis("A", 360.0, 1, False, 10.0)
    points = np.array([[0.0, 0.0, 5.0], [10.0, 0.0, 5.0], [10.0, 10.0, 5.0], [13.0, 18.0, 5.0]])
    machine = MACHINES["rotary-router"]
    feeds = axis_feeds(points, np.full(3, 400, np.float32), axis, False, machine)
    assert feeds[0] == pytest.approx(400)
    # A alone: degrees a minute, at half of the reference radius.
    assert feeds[1] == pytest.approx(400 / 5.0 * 180 / np.pi)
    # Both: millimetres along X, in the time that the whole takes.
    assert feeds[2] == pytest.approx(400 * 3.0 / np.hypot(3.0, 8.0 / 10 * 5))
    places, words = machine_moves(points, np.ones(3, np.uint8), np.full(3, 400, np.float32), axis, machine)
    assert places.shape == (4, 4) and np.allclose(words, feeds)
    # Near the axis the feed over the surface asks for more than the axis can turn.
    fast = axis_feeds(points, np.full(3, 1000, np.float32), axis, False, machine)
    assert fast[1] == pytest.approx(5400) and fast[2] < 1000 * 3.0 / np.hypot(3.0, 4.0)
    assert whole_turns(721.0 * TURN * 10 / 360, 0.0, 10.0) == 2


def test_a_model_that_sweeps_more_than_the_bar_is_refused_in_diameters() -> None:
    thin = plan_of(ROUGH, stock=Stock(kind="round", length=130, width=20, thickness=20))
    with pytest.raises(Refused, match="sweep a diameter of 26"):
        cut(thin)
    look = quick_look(EGG)
    placed = {"m": placed_model(look.support, thin.models[0], thin.stock)}
    found = placement_findings(thin, placed, {"m": look}, {"m": True})
    stop = next(item for item in found if item.code == "beyond-bar")
    fixed = apply_edit(thin, lambda _: look, dict(stop.fixes[0].edit))
    assert swept_diameter(fixed.models[0], look, fixed.stock) == pytest.approx(19.0, abs=0.01)


def test_a_proposed_bar_holds_the_model_and_leaves_room_for_the_cutters() -> None:
    standing = Mesh(EGG.vertices[:, [1, 2, 0]] + [5.0, 7.0, 0.0], EGG.faces)
    look = quick_look(standing)
    probe = Stock(kind="round", length=500, width=200, thickness=200)
    model = Model(id="m", name="egg", mesh="egg")
    plan = Plan(stock=probe, models=(model,))
    shown = [(model, placed_model(look.support, model, probe), look)]
    found = proposed_rotary(plan, shown, [BALL, FLAT])
    assert found.stock.kind == "round" and 26 <= found.stock.width <= 30
    assert swept_diameter(found.models[0], look, found.stock) <= found.stock.width
    box = placed_model(look.support, found.models[0], found.stock)
    rotary = found.setups[0].rotary
    assert rotary is not None and box.size[0] == pytest.approx(60.0, abs=0.01)
    for item in found.setups[0].operations:
        limits = cutter_limits(found.stock, rotary, item.cutter, rotary.core / 2)
        assert limits.low <= box.low[0] - item.cutter.radius and box.high[0] + item.cutter.radius <= limits.high
    with pytest.raises(Refused, match="take a larger bar"):
        proposed_rotary(plan, shown, [BALL, FLAT], (20.0, 130.0), sized=True)


def test_what_cannot_be_done_on_a_bar_is_refused_in_words() -> None:
    with pytest.raises(Refused, match="cannot be done on a bar"):
        cut(plan_of(operation(10, "finish_waterline", BALL)))
    with pytest.raises(Refused, match="'Angle about X to' cannot be used on a bar"):
        cut(plan_of(operation(10, "finish_raster", BALL, stepover=1.0, facing=50.0)))
    with pytest.raises(Refused, match="no words for a bar"):
        cut(plan_of(ROUGH, post="rs274-metric"))
    with pytest.raises(Refused, match="has no A axis"):
        cut(plan_of(ROUGH, machine="shed-router"))
    face = plan_of(ROUGH).model_dump(mode="json")
    face["setups"][0]["rotary"] = None
    with pytest.raises(Refused, match="rotary"):
        parse_plan(face)


def test_a_plan_with_a_bar_comes_back_from_its_document_as_it_was() -> None:
    plan = plan_of(ROUGH, FINISH)
    assert parse_plan(plan.model_dump(mode="json")) == plan


def test_a_bar_without_a_core_is_a_stop() -> None:
    plan = plan_of(ROUGH)
    setup = plan.setups[0]
    bare = setup.model_copy(update={"rotary": setup.rotary.model_copy(update={"core": 0.0})})
    found = outcome_findings(cut(plan.model_copy(update={"setups": (bare,)})))
    stop = next(item for item in found if item.code == "no-core")
    fixed = apply_edit(plan, lambda _: quick_look(EGG), dict(stop.fixes[0].edit))
    assert fixed.setups[0].rotary.core == 8.0


@pytest.mark.parametrize("key", ["rs274-rotary-a", "rs274-rotary-a-minute", "rs274-rotary-y"])
def test_a_rotary_post_writes_what_it_always_wrote(key: str, done: SetupOutcome) -> None:
    points = np.array(
        [
            [40.0, 0.0, 20.0],
            [40.0, 0.0, 14.0],
            [60.0, 0.0, 12.5],
            [60.0, TURN * 15 / 8, 12.5],
            [50.0, TURN * 15, 8.25],
            [50.0, TURN * 15, 20.0],
        ]
    )
    kinds = np.array([Kind.ENTRY, Kind.CUT, Kind.CUT, Kind.CUT, Kind.RAPID], np.uint8)
    path = Toolpath(points, kinds, np.array([600, 1800, 1800, 1800, 0], np.float32))
    few = replace(done.outcomes[0], path=path)
    space = replace(done.space, plan=plan_of(ROUGH, post=key))
    text = programs_of(space, (few,), "Golden bar")[0].text.decode()
    golden = Path(__file__).parent / "golden" / f"{key}-bar.txt"
    assert text == golden.read_text()


def star() -> Mesh:
    """A prism along X with six ridges, one of its valleys at A = 0: there the unrolled surface is cut open."""
    angles = np.arange(12) * TURN / 12
    radii = np.where(np.arange(12) % 2 == 0, 6.0, 13.5)
    ring = np.column_stack([np.zeros(12), radii * np.sin(angles), radii * np.cos(angles)])
    vertices = np.concatenate([ring, ring + np.array([50.0, 0, 0]), [[0, 0, 0], [50.0, 0, 0]]])
    k = np.arange(12, dtype=np.int32)
    n = np.roll(k, -1)
    left, right = np.full(12, 24, np.int32), np.full(12, 25, np.int32)
    faces = [(k, n + 12, k + 12), (k, n, n + 12), (left, n, k), (right, k + 12, n + 12)]
    return Mesh(vertices, np.concatenate([np.stack(f, 1) for f in faces]).astype(np.int32))


def test_roughing_at_the_seam_goes_no_deeper_than_one_level_at_once() -> None:
    plan = plan_of(operation(10, "rough_raster", standard_cutter("flat", 4, 1), stepdown=1.5, stepover=1.6, leave=0.3))
    done = next(iter(run_plan(plan, lambda _: star(), Work(MemoryStore()))))
    outcome = done.outcomes[0]
    assert outcome.depths[outcome.kinds == 1].max() <= 1.5 + 0.05


def test_a_words_are_refused_where_the_bar_is_driven_as_y() -> None:
    done = cut(plan_of(FINISH, post="rs274-rotary-y", pitch=1.0))
    (program,) = done.programs
    lines = program.text.split(b"\n")
    at = next(k for k, line in enumerate(lines) if b" G1 " in line)
    lines[at] += b" A90"
    with pytest.raises(Refused, match="moves the A axis, but the bar is driven as Y"):
        recertified(done, replace(program, text=b"\n".join(lines)))
    assert recertified(done, program)
