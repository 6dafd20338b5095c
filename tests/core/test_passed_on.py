"""The block between a bar that rotates and faces of it: what one has cut the other finds gone, and nothing more."""

import numpy as np
import pytest

from core.test_rotary import EGG, FINISH, ROUGH, operation, plan_of
from cutting import BALL, FLAT
from nephos.core.cutters.cutter import HolderStep
from nephos.core.finding import Finding
from nephos.core.findings.faces import whole_findings, whole_row
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.mesh.summary import quick_look
from nephos.core.plan.boundary import Boundary, Limit
from nephos.core.plan.clamping import Zero
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.faces import turn_between, turn_in_words
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.post.read import read_program
from nephos.core.setups.registry import kind_of
from nephos.core.stages.begun import block_before
from nephos.core.stages.of_plan import job_stages, stages_of
from nephos.core.stages.run import run_plan
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.space import stock_space
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.stock.bar import bar_block
from nephos.core.stock.bar_pieces import loose_pieces
from nephos.core.stock.block import Grid, box_block
from nephos.core.stock.columns import CutSide
from nephos.core.stock.passed_on import CutBar, columns_left, rays_left

pytestmark = pytest.mark.long

LENGTH, RADIUS, PITCH = 40.0, 12.0, 0.25
STOCK = Stock(kind="round", length=LENGTH, width=2 * RADIUS, thickness=2 * RADIUS)


def flat_side(angle: float, height: float) -> CutSide:
    """A face at an angle about X that has cut the bar flat, `height` mm over the axis between X 10 and 30."""
    setup = FaceSetup(id=f"f{angle:g}", name="face", side="angle", angle=angle)
    n = round(2 * RADIUS / PITCH), round(LENGTH / PITCH)
    grid = Grid(PITCH / 2, PITCH / 2, PITCH, n[1], n[0])
    field = np.full(n, 2 * RADIUS, np.float32)
    field[:, (grid.xs > 10) & (grid.xs < 30)] = RADIUS + height
    return CutSide(setup.id, setup.frame(STOCK).matrix, grid, field, field.copy())


def bar_frame() -> np.ndarray:
    matrix = np.eye(4)
    matrix[1:3, 3] = -RADIUS
    return matrix


@pytest.mark.parametrize("angle", [0.0, 90.0, -37.0])
def test_rays_end_on_the_flat_that_a_face_has_cut(angle: float) -> None:
    bar = rays_left(bar_block(LENGTH, RADIUS, PITCH), bar_frame(), (flat_side(angle, 7.0),))
    frame = flat_side(angle, 7.0).matrix @ np.linalg.inv(bar_frame())
    turn = np.arange(bar.grid.ny) * 2 * np.pi / bar.grid.ny
    out = np.column_stack([np.sin(turn), np.cos(turn)])
    up = out @ frame[2, 1:3]
    wanted = np.where(up > 0, np.minimum(7.0 / np.maximum(up, 1e-9), RADIUS), RADIUS)
    inner = (bar.grid.xs > 10.5) & (bar.grid.xs < 29.5)
    outer = (bar.grid.xs < 9.5) | (bar.grid.xs > 30.5)
    assert np.abs(bar.top[:, inner] - wanted[:, None]).max() < 0.01
    assert np.abs(bar.top[:, outer] - RADIUS).max() < 1e-4
    assert (bar.bound >= bar.top).all() and (bar.touched == -1).all()
    # The bound is no more than a cell too high on the middle of the flat.
    assert bar.bound[up > 0.999][:, inner].max() < 7.0 + 4 * PITCH


def test_faces_all_round_leave_a_square_bar() -> None:
    sides = tuple(flat_side(angle, 6.0) for angle in (0.0, 90.0, 180.0, 270.0))
    bar = rays_left(bar_block(LENGTH, RADIUS, PITCH), bar_frame(), sides)
    again = rays_left(bar_block(LENGTH, RADIUS, PITCH), bar_frame(), sides[::-1])
    inner = (bar.grid.xs > 10.5) & (bar.grid.xs < 29.5)
    turn = np.arange(bar.grid.ny) * 2 * np.pi / bar.grid.ny
    wanted = 6.0 / np.maximum(np.abs(np.sin(turn)), np.abs(np.cos(turn)))
    assert np.abs(bar.top[:, inner] - wanted[:, None]).max() < 0.01
    assert np.abs(bar.top - again.top).max() < 1e-4


def turned_bar(radius: float, gap: tuple[float, float] | None = None) -> CutBar:
    """A bar turned down between X 10 and 30, with a gap in its rays there."""
    block = bar_block(LENGTH, RADIUS, PITCH)
    low, high, bound = block.low.copy(), block.high.copy(), block.bound.copy()
    inner = (block.grid.xs > 10) & (block.grid.xs < 30)
    high[0][:, inner] = bound[:, inner] = radius
    if gap is not None:
        high[0][:, inner] = gap[0]
        low[1][:, inner], high[1][:, inner] = gap[1], radius
    return CutBar("r", bar_frame(), block.__class__(block.grid, low, high, block.touched, bound, 0.0))


@pytest.mark.parametrize("angle", [0.0, 90.0, -37.0])
def test_columns_end_on_the_round_that_a_bar_was_turned_to(angle: float) -> None:
    setup = FaceSetup(id="f", name="face", side="angle", angle=angle)
    matrix = setup.frame(STOCK).matrix
    full = box_block((0, 0, 0), (LENGTH, 2 * RADIUS, 2 * RADIUS), PITCH)
    block = columns_left(full, matrix, (turned_bar(8.0),))
    across = np.abs(block.grid.ys - RADIUS)
    inner = (block.grid.xs > 10.5) & (block.grid.xs < 29.5)
    near = across < 7.8
    half = np.sqrt(64.0 - across[near] ** 2)
    assert np.abs(block.top[near][:, inner] - (RADIUS + half)[:, None]).max() < 0.03
    assert np.abs(block.bottom[near][:, inner] - (RADIUS - half)[:, None]).max() < 0.03
    assert (block.empty[across > 8.1][:, inner] == 1).all()
    assert (block.bound >= block.top).all()
    # Over the middle the bound is not much higher than the round.
    assert block.bound[across < 1][:, (block.grid.xs > 13) & (block.grid.xs < 27)].max() < RADIUS + 8.0 + 6 * PITCH
    assert block.field is not None and (block.field >= 2 * RADIUS).all(), "the face itself has cut nothing"


def test_a_column_goes_through_the_gap_of_a_bar_and_the_core_under_it() -> None:
    full = box_block((0, 0, 0), (LENGTH, 2 * RADIUS, 2 * RADIUS), PITCH)
    block = columns_left(full, FaceSetup(id="f", name="face").frame(STOCK).matrix, (turned_bar(10.0, (4.0, 6.0)),))
    j, i = int(np.argmin(np.abs(block.grid.ys - RADIUS))), int(np.argmin(np.abs(block.grid.xs - 20)))
    off = float(block.grid.ys[j] - RADIUS)
    ends = [(float(a), float(b)) for a, b in zip(block.low[:, j, i], block.high[:, j, i], strict=True) if b > a]
    wanted = [np.sqrt(r * r - off * off) for r in (4.0, 6.0, 10.0)]
    assert len(ends) == 3
    assert ends[1] == pytest.approx((RADIUS - wanted[0], RADIUS + wanted[0]), abs=0.05)
    assert ends[2] == pytest.approx((RADIUS + wanted[1], RADIUS + wanted[2]), abs=0.05)


def test_what_two_kinds_of_setups_leave_does_not_depend_on_which_is_read_first() -> None:
    """A flat cut on a turned bar, as columns: through the bar's rays, and through rays that know of the flat."""
    face, bar = flat_side(0.0, 5.0), turned_bar(8.0)
    full = box_block((0, 0, 0), (LENGTH, 2 * RADIUS, 2 * RADIUS), PITCH)
    matrix = FaceSetup(id="g", name="face", side="angle", angle=90.0).frame(STOCK).matrix
    one = columns_left(full, matrix, (face, bar))
    later = CutBar("r", bar.matrix, rays_left(bar.block, bar.matrix, (face,)))
    two = columns_left(full, matrix, (later,))
    inner = (one.grid.xs > 10.5) & (one.grid.xs < 29.5)
    # Beside the edge between flat and round, where rays cut the corner.
    assert np.quantile(np.abs(one.top - two.top)[:, inner], 0.95) < 0.05
    volume = [float((b.high - b.low).clip(0).sum()) for b in (one, two)]
    assert volume[0] == pytest.approx(volume[1], rel=0.01)


def both_kinds(first: str) -> Plan:
    """An egg on a bar: roughed and finished round, with a flat pocket from one face; in either order."""
    plan = plan_of(ROUGH, FINISH)
    spot = Boundary(
        id="spot",
        name="spot",
        setup="face",
        source="rectangle",
        at=(plan.stock.length / 2, plan.stock.width / 2),
        size=(40.0, 18.0),
    )
    pocket = operation(50, "rough_raster", FLAT, stepdown=2.0, stepover=1.6, leave=0.3)
    fine = operation(60, "finish_raster", BALL, stepover=0.5)
    limit = Limit(boundary="spot", contain="inside")
    pocket, fine = (
        item.model_copy(update={"boundary": limit, "cut_to": plan.stock.thickness / 2 - 2.0}) for item in (pocket, fine)
    )
    face = FaceSetup(id="face", name="Face", side="front", zero=Zero(y="centre", z="axis"), operations=(pocket, fine))
    setups = (*plan.setups, face) if first == "bar" else (face, *plan.setups)
    return plan.model_copy(update={"setups": setups, "boundaries": (spot,)})


def cut(plan: Plan, store: MemoryStore) -> list[SetupOutcome]:
    return list(run_plan(plan, lambda _: EGG, Work(store)))


@pytest.mark.parametrize("first", ["bar", "face"])
def test_a_face_before_or_after_the_bar_rotates_begins_with_what_was_left(first: str) -> None:
    plan, store = both_kinds(first), MemoryStore()
    done = cut(plan, store)
    for item in done:
        assert all(gouge.depth <= plan.tolerance for outcome in item.outcomes for gouge in outcome.gouges)
        assert not any(outcome.rapid_depth.any() for outcome in item.outcomes)
        stops = [f.text for f in outcome_findings(item) if f.level == "stop"]
        assert not stops
    before, after = done
    untouched = kind_of(after.space.setup).first_block(after.space.plan)
    begun = kind_of(after.space.setup).first_block(
        after.space.plan, (kind_of(before.space.setup).side(before.space.plan, before.block),)
    )
    gone = (untouched.top - begun.top)[untouched.top > begun.top + 0.5]
    assert len(gone) > 200, "the second setup finds material gone"
    assert (begun.top <= untouched.top + 1e-3).all()
    kept = block_before(plan, plan.setups[1], store)
    assert kept is not None and np.array_equal(kept.top, begun.top)
    alone = cut(plan.model_copy(update={"setups": plan.setups[1:]}), MemoryStore())[0]
    assert len(after.outcomes[0].kinds) < len(alone.outcomes[0].kinds), "what is gone is not roughed again"
    work = Work(store, lambda _: EGG)
    solids = work.of(job_stages(plan).solids)
    assert len(solids) == 1
    found = work.of(job_stages(plan).whole)
    assert len(found.surfaces) == len(plan.setups)
    assert found.numbers()["gouge_max"] <= plan.tolerance
    # Judged over bar and face together: where the setups leave corners, once for the whole part.
    told = [item for item in whole_findings(plan, found, whole_row(plan)) if item.code == "no-side-reaches"]
    assert len(told) == (found.numbers()["unreachable"] > 0.02)
    if told:
        x, y, z = told[0].place
        assert 0 <= x <= plan.stock.length and np.hypot(y - plan.stock.width / 2, z - plan.stock.thickness / 2) <= 15.0


def test_a_bar_and_its_faces_are_judged_together() -> None:
    """Round the bar only X 20 to 60 of an egg of 60 mm is cut, and the face cuts its middle: the far end stays."""
    plan = both_kinds("bar")
    near = Boundary(id="near", name="near", setup="bar", source="rectangle", at=(40.0, 0.0), size=(40.0, 400.0))
    bar = plan.setups[0]
    limit = {"boundary": Limit(boundary="near", contain="centre")}
    short = bar.model_copy(update={"operations": tuple(item.model_copy(update=limit) for item in bar.operations)})
    part = plan.model_copy(update={"setups": (short, plan.setups[1]), "boundaries": (*plan.boundaries, near)})
    (stop,) = [item for item in job_findings(part) if item.code == "not-cut"]
    assert stop.level == "stop" and stop.place is not None and stop.place[0] > 60
    # The egg's surface from X 65 to 95 is half of it; the face has cut some.
    assert 35 < float(stop.text.split(" %")[0]) < 50
    assert "no-side-reaches" not in {item.code for item in job_findings(part)}, "uncut surface is reported once"
    assert not [item for item in job_findings(plan) if item.code == "not-cut"], "core and ends hold the part"


def job_findings(plan: Plan) -> list[Finding]:
    work = Work(MemoryStore(), lambda _: EGG)
    list(run_plan(plan, lambda _: EGG, work))
    return whole_findings(plan, work.of(job_stages(plan).whole), whole_row(plan))


def test_an_operation_with_nothing_to_do_gets_no_file() -> None:
    """Round the bar all was taken: the roughing of the face finds nothing, and its place would be in the chuck."""
    plan = both_kinds("bar")
    done = cut(plan, MemoryStore())[1]
    assert done.outcomes[0].path.moves == 0 and done.outcomes[1].path.moves > 0
    assert [program.numbers for program in done.programs] == [(done.outcomes[1].operation.number,)]


def test_a_face_on_a_bar_leaves_its_core_and_keeps_clear_of_the_chuck() -> None:
    plan = both_kinds("bar")
    whole = operation(50, "rough_raster", FLAT, stepdown=3.0, stepover=2.0, leave=0.3)
    face = plan.setups[1].model_copy(
        update={"operations": (whole.model_copy(update={"boundary": Limit(boundary="stock")}),)}
    )
    plan = plan.model_copy(update={"setups": (plan.setups[0], face)})
    done = cut(plan, MemoryStore())[1]
    rotary = plan.held_bar
    assert rotary is not None
    points = done.outcomes[0].points[2:]
    axis = plan.stock.width / 2
    near = np.abs(points[:, 1] - axis) < rotary.core / 2
    assert (
        points[near, 2].min()
        >= axis + np.sqrt(max((rotary.core / 2) ** 2 - (FLAT.radius + rotary.core / 2) ** 2, 0)) - 1e-6
    )
    assert points[:, 0].min() - FLAT.radius >= rotary.grip
    j = np.abs(done.block.grid.ys - axis) < 0.5
    assert (done.block.top[j] >= axis + rotary.core / 2 - 0.2).all()


def test_a_setup_knows_what_came_before_only_while_that_is_as_it_was() -> None:
    plan, store = both_kinds("bar"), MemoryStore()
    assert block_before(plan, plan.setups[1], store) is None
    assert stock_space(plan, plan.setups[0]).stock_high[2] == pytest.approx(plan.stock.width / 2)


def test_a_setup_added_to_a_bar_has_the_next_letter_and_its_zero_on_the_axis() -> None:
    plan = plan_of(ROUGH)
    bar = plan.setups[0].model_copy(update={"id": "bar", "name": "Setup A · bar"})
    added = apply_edit(
        plan.model_copy(update={"setups": (bar,)}),
        lambda _: quick_look(EGG),
        {"do": "add_setup", "side": "angle", "angle": 30.0},
    )
    face = added.setups[1]
    assert face.id == "b" and face.name.startswith("Setup B") and face.zero.z == "axis"
    assert face.frame(added.stock).zero[2] == pytest.approx(added.stock.width / 2)
    assert turn_in_words(turn_between(face, bar), bar).startswith("rotate the bar back to A 0")


def test_what_nothing_joins_to_the_bar_is_a_loose_piece() -> None:
    """A ring round a core, with a gap all round between them: loose; joined at one place it is none."""
    ring = turned_bar(10.0, (3.0, 6.0)).block
    low, high = ring.low.copy(), ring.high.copy()
    free = (ring.grid.xs > 10) & (ring.grid.xs < 30)
    ends = ((ring.grid.xs > 10) & (ring.grid.xs < 14)) | ((ring.grid.xs > 26) & (ring.grid.xs < 30))
    # Beside the ring only the core is left.
    high[0][:, ends], low[1][:, ends], high[1][:, ends] = 3.0, 0.0, 0.0
    block = ring.__class__(ring.grid, low, high, ring.touched, ring.bound, 0.0)
    pieces = loose_pieces(block, "left", 20.0)
    assert len(pieces) == 1
    assert pieces[0].volume == pytest.approx(np.pi * (100 - 36) * 12, rel=0.08)
    assert pieces[0].size == pytest.approx((12.0, 20.0), abs=1.5)
    assert 14 < pieces[0].place[0] < 26 and 6 < pieces[0].place[2] < 10
    high[0][:5, free], low[1][:5, free], high[1][:5, free] = 10.0, 0.0, 0.0
    held = ring.__class__(ring.grid, low, high, ring.touched, ring.bound, 0.0)
    assert not loose_pieces(held, "left", 20.0) and not loose_pieces(bar_block(40.0, 8.0, 0.4), "right", 1.0)


def test_of_two_rotary_setups_the_one_that_holds_less_counts_gaps_as_gone() -> None:
    """A ray with a gap ends as far out as one without, and holds less."""
    full, gapped = turned_bar(10.0), turned_bar(10.0, (4.0, 6.0))
    for sides in ((full, gapped), (gapped, full)):
        left = rays_left(bar_block(LENGTH, RADIUS, PITCH), bar_frame(), sides)
        inner = (left.grid.xs > 11) & (left.grid.xs < 29)
        assert np.allclose(left.high[0][:, inner], 4.0) and np.allclose(left.low[1][:, inner], 6.0)


def paths_with(plan: Plan, stickout: float) -> dict[str, list[str]]:
    """The keys of the passes of each setup, with a holder that all cutters stand out of by so much."""
    held = {"stickout": stickout, "holder": (HolderStep(diameter=30.0, length=15.0),)}
    setups = tuple(
        setup.model_copy(
            update={
                "operations": tuple(
                    item.model_copy(update={"cutter": item.cutter.model_copy(update=held)}) for item in setup.operations
                )
            }
        )
        for setup in plan.setups
    )
    graph = stages_of(plan.model_copy(update={"setups": setups}))
    return {name: [item.passes.key for item in own.operations.values()] for name, own in graph.items()}


def test_another_stickout_makes_new_paths_where_a_chuck_keeps_the_holder_off() -> None:
    plan = both_kinds("bar")
    short, long = paths_with(plan, 20.0), paths_with(plan, 30.0)
    for setup in plan.setups:
        assert not set(short[setup.id]) & set(long[setup.id])
    board = plan.model_copy(update={"setups": plan.setups[1:]})
    assert paths_with(board, 20.0) == paths_with(board, 30.0), "beside a board nothing keeps the holder off"


@pytest.mark.parametrize(("side", "sense", "word"), [("front", 1, -90.0), ("bottom", 1, 180.0), ("front", -1, 90.0)])
def test_the_program_of_a_face_on_a_bar_rotates_it_there_before_it_comes_down(
    side: str, sense: int, word: float
) -> None:
    """Setup `front` has what was at -Y on top: where a positive A brings +Y up, that is A -90."""
    plan = both_kinds("face")
    face = plan.setups[0].model_copy(update={"side": side, "operations": plan.setups[0].operations[:1]})
    plan = plan.model_copy(update={"setups": (face, plan.setups[1])})
    assert plan.own_post.rotary is not None
    turned = plan.own_post.model_copy(
        update={"id": "turned", "rotary": plan.own_post.rotary.model_copy(update={"sense": sense})}
    )
    square = Stock(length=plan.stock.length, width=plan.stock.width, thickness=plan.stock.width)
    plan = plan.model_copy(update={"post": turned, "pitch": 1.0, "stock": square})
    done = next(iter(run_plan(plan, lambda _: EGG, Work(MemoryStore()))))
    reading = read_program(done.programs[0].text)
    first = int(np.isfinite(reading.angles).argmax())
    assert (reading.angles[first:] == word).all(), "one place for all moves"
    assert np.isnan(reading.points[first, :2]).all(), "before the cutter goes over the part"
    # The zero is on the axis; the corners of a square bar sweep 1.41 times as far as its faces.
    assert (reading.rapid[:first] == 1).all() and reading.points[first, 2] > square.width / 2**0.5 + 1


def test_each_part_of_a_face_that_is_cut_into_files_rotates_the_bar_first() -> None:
    plan = both_kinds("face")
    small = plan.own_post.model_copy(update={"id": "small", "most_lines": 200})
    plan = plan.model_copy(update={"post": small, "pitch": 1.0, "setups": (plan.setups[0], plan.setups[1])})
    done = next(iter(run_plan(plan, lambda _: EGG, Work(MemoryStore()))))
    assert len(done.programs) > 3
    for program in done.programs:
        reading = read_program(program.text)
        first = int(np.isfinite(reading.angles).argmax())
        assert (reading.angles[first:] == -90.0).all() and (reading.rapid[:first] == 1).all()
