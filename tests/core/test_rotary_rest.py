"""Finishing again on a bar: only where more is left, with a finer cutter, and by slope, over the seam as elsewhere."""

import itertools

import numpy as np
import pytest

from core.test_rotary import ROUGH, operation, plan_of
from meshes import box_mesh
from nephos.core.cutters import standard_cutter
from nephos.core.cutters.profile import Profile
from nephos.core.errors import Refused
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.model import Mesh
from nephos.core.post.read import read_program
from nephos.core.post.schema import post_named
from nephos.core.stages.run import run_plan
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.strategies.clearing.levels import Field
from nephos.core.strategies.following.masks import slopes_of
from nephos.core.surface.drop import drop_grid
from nephos.core.surface.rotary import build_rotary_index
from nephos.core.toolpath import Kind

pytestmark = pytest.mark.long

LARGE, SMALL = standard_cutter("ball", 6, 3), standard_cutter("ball", 2, 4)
TURNS = 240


def turned(length: float, radius, flute: bool = False) -> Mesh:
    """A closed solid of revolution about X, its radius a function of the place from 0 to `length`; with a flute 1 mm
    deep along the line where the unrolled surface begins."""
    xs = np.linspace(0, length, 301)
    angles = np.arange(TURNS) * 2 * np.pi / TURNS
    r = np.repeat(np.array([radius(x) for x in xs])[:, None], TURNS, axis=1)
    if flute:
        arc = np.minimum(angles, 2 * np.pi - angles) * r
        r = r - np.clip(1.2 - arc, 0.0, 1.0)
    ring = np.stack([np.repeat(xs[:, None], TURNS, axis=1), r * np.sin(angles), r * np.cos(angles)], axis=-1)
    k = np.arange(len(xs) * TURNS, dtype=np.int32).reshape(len(xs), TURNS)
    a, b, c, d = k[:-1], np.roll(k, -1, axis=1)[:-1], np.roll(k, -1, axis=1)[1:], k[1:]
    ends = [(k[0], len(xs) * TURNS), (k[-1][::-1], len(xs) * TURNS + 1)]
    caps = [np.stack([np.full(TURNS, middle), np.roll(rim, -1), rim], 1) for rim, middle in ends]
    faces = np.concatenate([np.stack([a, d, c], -1).reshape(-1, 3), np.stack([a, c, b], -1).reshape(-1, 3), *caps])
    return Mesh(np.concatenate([ring.reshape(-1, 3), [[0.0, 0, 0], [length, 0, 0]]]), faces.astype(np.int32))


def grooved(x: float) -> float:
    """A groove 2.4 mm wide in the middle of 50 mm."""
    return 9.0 - float(np.clip(1.2 - abs(x - 25.0), 0.0, 1.0))


def done_with(mesh: Mesh, *operations):
    return next(iter(run_plan(plan_of(*operations), lambda _: mesh, Work(MemoryStore()))))


def cut_places(outcome) -> np.ndarray:
    return outcome.points[1:][outcome.kinds == Kind.CUT]


def test_the_facets_of_a_square_are_as_steep_as_they_are_turned_from_the_radius() -> None:
    box = box_mesh((0, -5, -5), (30, 5, 5))
    index = build_rotary_index(box.vertices, box.faces, 10.0)
    step = 2 * np.pi * 10.0 / 720
    tips = drop_grid(index, 5.0, 0.0, step, 40, 720, Profile.of(0.0, 1e-4), 0.0)
    slopes = slopes_of(Field(5.0, 0.0, step, tips, 10.0))
    angle = np.arange(720) * 0.5
    off = np.abs((angle + 45.0) % 90.0 - 45.0)
    inside = (off < 43.0) & (angle > 2) & (angle < 358)
    assert np.abs(slopes[inside] - off[inside, None]).max() < 0.2


def test_a_finer_cutter_works_only_in_the_groove_that_the_first_one_left() -> None:
    mesh = turned(50.0, grooved)
    first = operation(20, "finish_raster", LARGE, stepover=0.8, angle=90.0)
    plan_first = done_with(mesh, ROUGH, first)
    done = done_with(mesh, ROUGH, first.model_copy(update={"fine": SMALL}))
    assert [outcome.operation.number for outcome in done.outcomes] == [10, 20, 21]
    fine = done.outcomes[2]
    middle = float(done.space.mesh.low[0] + done.space.mesh.high[0]) / 2
    x = np.abs(cut_places(fine)[:, 0] - middle)
    # At the ends the large ball leaves a rim that the small one takes as well.
    assert ((x < 5.0) | (x > 21.0)).all() and (x < 5.0).sum() > 20
    cutting = fine.lengths[(fine.kinds == Kind.CUT) & (np.abs(fine.points[1:, 0] - middle) < 5.0)]
    assert cutting.sum() > 3 * 2 * np.pi * 8.0, "several times all round"
    assert not any(gouge.depth > 0.01 for outcome in done.outcomes for gouge in outcome.gouges)
    assert not any(outcome.rapid_depth.any() for outcome in done.outcomes)
    bar = done.block.grid
    near = np.abs(bar.xs - middle) < 0.5
    assert done.block.top[:, near].mean() < plan_first.block.top[:, near].mean() - 0.2
    assert not [item for item in outcome_findings(done) if item.level == "stop"]


def test_a_flute_on_the_seam_is_finished_on_both_sides_of_it() -> None:
    mesh = turned(40.0, lambda x: 9.0, flute=True)
    first = operation(20, "finish_raster", LARGE, stepover=0.8)
    again = operation(30, "finish_raster", SMALL, stepover=0.3, rest=0.1)
    done = done_with(mesh, ROUGH, first, again)
    turn = float(done.space.stock_high[1])
    v = cut_places(done.outcomes[2])[:, 1] % turn
    assert (v < turn / 8).sum() > 50 and (v > 7 * turn / 8).sum() > 50
    inner = np.abs(cut_places(done.outcomes[2])[:, 0] - float(done.space.mesh.low[0]) - 20.0) < 15.0
    assert ((v[inner] < turn / 6) | (v[inner] > 5 * turn / 6)).all()


@pytest.mark.parametrize(("low", "high", "on_shoulder"), [(50.0, 90.0, True), (0.0, 40.0, False)])
def test_slopes_choose_shoulders_or_leave_them_out(low: float, high: float, on_shoulder: bool) -> None:
    mesh = turned(50.0, lambda x: 6.0 + 3.0 * float(np.clip((x - 24.0) / 1.5, 0.0, 1.0)))
    small = operation(20, "finish_raster", SMALL, stepover=0.5, angle=90.0, gentlest=low, steepest=high)
    done = done_with(mesh, ROUGH, small)
    x = cut_places(done.outcomes[1])[:, 0] - float(done.space.mesh.low[0])
    shoulder = (x > 22.0) & (x < 28.0)
    ends = (x < 3.0) | (x > 47.0)
    if on_shoulder:
        assert shoulder.any() and (shoulder | ends).all()
    else:
        assert not ((x > 24.6) & (x < 25.0)).any() and (x < 20).any() and (x > 30).any()


def test_a_bar_is_cut_with_the_same_rest_limit_wherever_the_seam_lies() -> None:
    """The mesh rotated about the axis: as much is finished again."""
    mesh = turned(40.0, lambda x: 9.0, flute=True)
    turned_mesh = Mesh(mesh.vertices[:, [0, 2, 1]] * [1, -1, 1], mesh.faces)
    works = []
    for item in (mesh, turned_mesh):
        first = operation(20, "finish_raster", LARGE, stepover=0.8)
        done = done_with(item, ROUGH, first, operation(30, "finish_raster", SMALL, stepover=0.3, rest=0.1))
        last = done.outcomes[2]
        works.append(float(last.lengths[last.kinds == Kind.CUT].sum()))
    assert works[0] == pytest.approx(works[1], rel=0.15)


def groove(number: int, **words: object):
    return operation(number, "parting_groove", standard_cutter("flat", 3, 6), **words)


def test_parting_grooves_go_to_their_diameter_beside_the_model_and_not_into_it() -> None:
    mesh = turned(30.0, lambda x: 9.0)
    done = done_with(mesh, ROUGH, groove(20, diameter=12.0, gap=0.5, stepdown=1.0))
    low, high, g = float(done.space.mesh.low[0]), float(done.space.mesh.high[0]), done.block.grid
    for x in (low - 2.0, high + 2.0):
        column = int(np.argmin(np.abs(g.xs - x)))
        assert done.block.top[:, column].max() == pytest.approx(6.0, abs=0.05), "round, to the diameter"
    part = (g.xs > low) & (g.xs < high)
    assert done.block.top[:, part].min() >= 9.0 - 0.01
    path = done.outcomes[1]
    assert not path.rapid_depth.any() and not any(gouge.depth > 0.01 for gouge in path.gouges)
    turns = np.diff(path.points[path.points[:, 0] < low, 1].astype(float))
    assert (turns[np.isfinite(turns)] >= -1e-6).all(), "one way round"
    # A turn goes down by the stepdown at most.
    cutting = cut_places(path)
    cutting = cutting[cutting[:, 0] < low]
    assert (cutting[:-24, 2] - cutting[24:, 2]).max() <= 1.0 + 0.05


def test_a_groove_never_goes_into_the_core_and_is_refused_where_the_chuck_is_in_the_way() -> None:
    mesh = turned(30.0, lambda x: 9.0)
    done = done_with(mesh, ROUGH, groove(20, diameter=2.0))
    core = done.space.setup.rotary.core
    assert np.nanmin(done.outcomes[1].points[:, 2]) == pytest.approx(core / 2, abs=1e-6)
    plan = plan_of(groove(20))
    near = plan.setups[0].rotary.model_copy(update={"grip": float(done.space.mesh.low[0]) - 1.0})
    setup = plan.setups[0].model_copy(update={"rotary": near})
    with pytest.raises(Refused, match="too little beside the left end"):
        list(run_plan(plan.model_copy(update={"setups": (setup,)}), lambda _: mesh, Work(MemoryStore())))


def test_a_bar_that_a_groove_leaves_too_thin_is_a_finding_with_the_numbers() -> None:
    mesh = turned(30.0, lambda x: 9.0)
    plan = plan_of(ROUGH, groove(20, diameter=2.5))
    thin = plan.setups[0].rotary.model_copy(update={"core": 2.0, "tailstock": "none"})
    setup = plan.setups[0].model_copy(update={"rotary": thin})
    done = next(iter(run_plan(plan.model_copy(update={"setups": (setup,)}), lambda _: mesh, Work(MemoryStore()))))
    found = next(item for item in outcome_findings(done) if item.code == "bar-breaks")
    assert "N/mm²" in found.text and "thick" in found.text
    strong = done_with(mesh, ROUGH, groove(20, diameter=14.0))
    assert "bar-breaks" not in {item.code for item in outcome_findings(strong)}


@pytest.mark.parametrize(
    "key", ["rs274-rotary-a", pytest.param("rs274-rotary-a-minute", marks=pytest.mark.slow), "rs274-rotary-y"]
)
def test_each_file_of_a_helix_that_is_split_begins_within_half_a_turn_of_zero(key: str) -> None:
    small = post_named(key).model_copy(update={"id": "small", "most_lines": 700})
    helix = operation(20, "finish_helix", LARGE, stepover=1.0)
    plan = plan_of(helix, post=small)
    done = next(iter(run_plan(plan, lambda _: turned(30.0, lambda x: 9.0 + x / 30), Work(MemoryStore()))))
    files = [read_program(item.text) for item in done.programs if 20 in item.numbers]
    assert len(files) > 2
    turn = 2 * np.pi * 15.0 if key.endswith("-y") else 360.0
    ends = []
    for reading in files:
        around = reading.points[:, 1] if key.endswith("-y") else reading.angles
        around = around[np.isfinite(around)]
        assert abs(around[0]) <= turn / 2 + 1e-3
        rapid = np.abs(np.diff(around))[-len(reading.rapid) + 1 :][reading.rapid[1:][-len(around) + 1 :] == 1]
        assert rapid.max(initial=0.0) <= turn, "no rapid unwinds the bar"
        ends.append((around[0], around[-1]))
    # Each goes on at the angle where the one before ended, but for whole turns.
    for (_, end), (begin, _) in itertools.pairwise(ends):
        assert abs((begin - end + turn / 2) % turn - turn / 2) <= 0.01


def test_from_one_groove_to_the_other_the_bar_is_not_wound_back() -> None:
    done = done_with(turned(30.0, lambda x: 9.0), ROUGH, groove(20, diameter=12.0, gap=0.5, stepdown=1.0))
    path = done.outcomes[1].path
    rapid = np.abs(np.diff(path.points[:, 1]))[path.kinds == Kind.RAPID]
    assert rapid.max() <= 2 * np.pi * 15.0
