"""The pipeline: from a plan to toolpaths, programs, the proof and the comparison.

A graph of pure functions. Each result is kept under a hash of all that it depends on, so a change
recalculates what depends on it and nothing else, and undo finds the old results where they were.

    passes(op) -> path(op) -> moves(op) -> block(op), frames(op) -> compare(setup), pieces(setup), program(file)

Passes depend on the model and the operation (roughing also on the block before it); the path also on the block before,
for its links. Moves are the path on the grid of the text (0.001 mm), with times; the block is cut from them. Each file is
read back by a reader that shares nothing with the writer, and held against the moves."""

import time
from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from math import inf

import numpy as np
import shapely

from nephos.core.arrays import F32, F64, U8
from nephos.core.errors import NothingToCut, Refused
from nephos.core.findings.overrides import overridden
from nephos.core.linking.air_cuts import NOTHING, without_air, without_finished
from nephos.core.linking.link import THROUGH_AIR, LinkTask, link
from nephos.core.linking.pass_order import in_short_order
from nephos.core.linking.slope_feed import with_slope_feeds
from nephos.core.machine.kinematics import move_seconds
from nephos.core.machine.machine import Machine, machine_of
from nephos.core.machine.rotary_axis import RotaryAxis, machine_moves
from nephos.core.parallel import Report, part
from nephos.core.pipeline.boundaries import region_of, shape_of
from nephos.core.pipeline.gouges import LEADS, gouges_from, gouges_of_arcs, gouges_of_moves
from nephos.core.pipeline.kept_blocks import block_after, cut_and_kept, kept_block, rapid_depths, untouched
from nephos.core.pipeline.kept_passes import passes_from, passes_result
from nephos.core.pipeline.key_sets import OperationKeys, SetupKeys
from nephos.core.pipeline.keys import setup_keys
from nephos.core.pipeline.outcome import Outcome, SetupOutcome
from nephos.core.pipeline.placing import setup_space, space_of_part
from nephos.core.pipeline.programs import programs_of
from nephos.core.pipeline.proof import proof_of
from nephos.core.pipeline.space import SetupSpace
from nephos.core.pipeline.store import Result, as_result
from nephos.core.pipeline.work import Meshes, Note, Step, Work
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.post.preview import preview
from nephos.core.setups.registry import kind_of
from nephos.core.stock.block import Block
from nephos.core.stock.frames import record_frames, shown_grid, shown_intervals, shown_top
from nephos.core.stock.passed_on import Side
from nephos.core.stock.rapids import Cuts
from nephos.core.strategies.following.window import passes_in_window
from nephos.core.strategies.registry import Task, strategy
from nephos.core.toolpath import Kind, Passes, Toolpath

GRID = 0.001
"""Moves end on a grid of so many millimetres: what a metric program can say."""
_LIFT_SECONDS = 0.8
"""Longest time in air that a finishing pass keeps: a retract and a new entry take as long."""


def _moves(path: Toolpath, machine: Machine, axis: RotaryAxis | None, may_be_idle: bool) -> Result:
    """The moves of an operation with the two that bring the cutter over its beginning, and how long each takes."""
    if may_be_idle and not path.moves:
        none = np.zeros(0, np.float32)
        return as_result(
            {"moves": 0, "seconds": 0.0},
            points=path.points,
            kinds=path.kinds,
            feeds=none,
            seconds=none.astype(np.float64),
        )
    first = path.points[0]
    points = np.concatenate([[[np.nan, np.nan, np.nan], [np.nan, np.nan, first[2]]], path.points])
    kinds = np.concatenate([np.full(LEADS, Kind.RAPID, np.uint8), path.kinds])
    feeds = np.concatenate([np.zeros(LEADS, np.float32), path.feeds])
    if axis is None:
        seconds = move_seconds(points, kinds, feeds, machine)
    else:
        seconds = move_seconds(*_of_axes(points, kinds, feeds, axis, machine))
    return as_result(
        {"moves": len(kinds), "seconds": float(seconds.sum())}, points=points, kinds=kinds, feeds=feeds, seconds=seconds
    )


def _of_axes(points: F64, kinds: U8, feeds: F32, axis: RotaryAxis, machine: Machine) -> tuple[F64, U8, F32, Machine]:
    """Moves on a bar as :func:`~nephos.core.machine.kinematics.move_seconds` takes them."""
    places, words = machine_moves(points, kinds, feeds, axis, machine)
    return places, kinds, np.nan_to_num(words), machine


def _block_near(block: Block, near: shapely.Geometry, operation: Operation, window: object) -> Block:
    """The part of a block that an operation meets in its window; all of it where there is none."""
    if window is None or near.is_empty or strategy(operation.strategy).goes_by_outline:
        return block
    x0, y0, x1, y1 = near.bounds
    reach = 2 * operation.cutter.diameter + 8 * block.grid.pitch
    return block.part((x0 - reach, y0 - reach), (x1 + reach, y1 + reach))


def _only_what_cuts(whole: Passes, operation: Operation, block: Block, tolerance: float, in_tile: bool) -> Passes:
    """The passes of an operation without their stretches in air."""
    cutter, on_bar = operation.cutter, block.grid.unrolled
    if strategy(operation.strategy).skips_air:
        least = THROUGH_AIR * cutter.diameter
        worth = max(operation.settings.figures.minimum, NOTHING)
        kept = without_air(whole.passes, block, cutter.profile, least, worth)
        # What waits for what over the seam of a bar is not known there: its passes keep their order.
        return replace(whole, passes=kept if on_bar else in_short_order(kept, cutter.diameter, least))
    if whole.on_surface and block.has_gaps and not on_bar:
        # Earlier setups may have finished this surface from other sides.
        least = operation.cutting_feed / 60 * _LIFT_SECONDS
        # Lines that tiles share end at their seams.
        ends = least if in_tile else cutter.diameter
        return replace(whole, passes=without_finished(whole.passes, block, cutter.profile, least, tolerance, ends))
    return whole


def run_operation(
    space: SetupSpace,
    operation: Operation,
    stock: Block,
    before: list[Outcome],
    block: Block,
    keys: OperationKeys,
    work: Work,
    report: Report,
) -> tuple[Outcome, Block]:
    """Calculate one operation on the block before it, and cut that block.

    `stock` is the block before the first operation, `before` what the earlier ones did to it.
    """
    plan = space.plan
    machine, setup, by = machine_of(plan.machine), space.setup, kind_of(space.setup)
    kind = strategy(operation.strategy)
    by.check(plan, operation)
    if operation.cutter.shape not in kind.shapes:
        raise Refused(
            f"operation {operation.number}: {kind.title} cannot be done with a "
            f"{operation.cutter.shape} cutter: use one of {', '.join(kind.shapes)}"
        )
    axis = by.axis(plan)
    region = region_of(space, work, operation)
    window, own_area = setup.window(operation), setup.own_area
    # Marks are beyond the seam of the tile that makes them.
    marks = operation.boundary.boundary == "marks"
    near = region if window is None or marks else region.intersection(shapely.box(*window))
    # Lines that go by nothing but the model run alike in all tiles: they are made once, and cut off at the window.
    alike = window is not None and operation.role == "finish" and not operation.settings.wants_block
    outline = shape_of(space, work, operation.boundary.boundary)
    floor = space.floor if operation.cut_to is None else max(space.floor, float(space.stock_high[2]) - operation.cut_to)
    task = Task(
        space.index,
        region if alike or strategy(operation.strategy).goes_by_outline else near,
        floor,
        _block_near(block, near, operation, window) if operation.settings.wants_block else None,
        operation.cutter,
        operation.settings,
        plan.tolerance,
        part(report, 0.0, 0.5),
        outline,
        float(space.stock_low[2]),
        inf if operation.cut_from is None else float(space.stock_high[2]) - operation.cut_from,
        space.stock_box,
        window,
        None if marks else own_area,
        setup.seams,
    )

    def made() -> Result:
        if window is None:
            return passes_result(kind.make(task))
        if near.is_empty:
            return passes_result(Passes((), stay_down=0.0, on_surface=False))
        if not alike:
            try:
                return passes_result(kind.make(task))
            except NothingToCut:
                return passes_result(Passes((), stay_down=0.0, on_surface=False))
        everywhere = passes_from(work.stage(keys.whole, "passes", lambda: passes_result(kind.make(task))))
        return passes_result(passes_in_window(everywhere, window))

    passes = work.stage(keys.passes, "passes", made)

    def linked() -> Result:
        leave = operation.settings.figures.leave
        whole = _only_what_cuts(passes_from(passes), operation, block, plan.tolerance, own_area is not None)
        path = link(
            whole,
            LinkTask(
                space.index,
                near,
                block,
                operation.cutter.profile,
                leave,
                floor,
                operation.cutting_feed,
                operation.entering_feed,
                space.clearance,
                plan.tolerance,
                max(operation.cutter.ramp_limit, 0.5),
                # In a tile links run where the lines of the whole board go on.
                window if alike else None,
                0.0 if own_area is None else operation.cutter.scallop(operation.settings.figures.stepover or 0.0),
            ),
            part(report, 0.5, 0.75),
        )
        path = by.posted_path(path)
        path = with_slope_feeds(path.on_grid(GRID), operation.entering_feed, block.grid.radius)
        return as_result({}, points=path.points, kinds=path.kinds, feeds=path.feeds)

    linked_path = work.stage(keys.path, "path", linked)
    path = Toolpath(**linked_path.arrays)
    moves = work.stage(keys.moves, "moves", lambda: _moves(path, machine, axis, setup.may_be_idle))
    points, kinds = moves.arrays["points"], moves.arrays["kinds"]

    first_move = sum(len(outcome.kinds) for outcome in before)
    cut = work.stage(
        keys.block,
        "block",
        lambda: cut_and_kept(block, points, kinds, first_move, operation, space.setup, part(report, 0.75, 0.85)),
    )
    after = block_after(block, cut)
    depths = cut.arrays["depths"]
    if len(cut.arrays["suspects"]):
        history: list[Cuts] = [(o.points, o.kinds, o.operation.cutter.profile) for o in before]
        close = work.stage(
            keys.rapids,
            "rapids",
            lambda: rapid_depths(
                stock, history, (points, kinds, operation.cutter.profile), cut, part(report, 0.85, 0.9)
            ),
        )
        depths = np.maximum(depths, close.arrays["depths"])
    on_model = by.on_model(points, kinds)
    gouged = work.stage(
        keys.gouges, "gouges", lambda: gouges_of_moves(space, on_model, operation, part(report, 0.9, 0.93))
    )
    gouges = gouges_from(gouged)
    # What arcs of a strip cut is within their tolerance of its moves.
    if plan.own_post.arcs and axis is None and by.follows_model and path.moves:
        arcs = work.stage(keys.arcs, "arcs", lambda: gouges_of_arcs(space, path, operation, part(report, 0.93, 0.95)))
        gouges = tuple(sorted(gouges + gouges_from(arcs), key=lambda item: -item.depth))

    def recorded() -> Result:
        grid = shown_grid(block.grid)
        frames = record_frames(
            shown_top(block, grid),
            grid,
            points,
            kinds,
            moves.arrays["seconds"],
            operation.cutter.profile,
            shown_intervals(block, grid),
        )
        return as_result(
            grid.facts() | {"moments": frames.moments},
            start=frames.start,
            moment=frames.moment,
            height=frames.height,
        )

    work.stage(keys.frames, "frames", recorded)
    report(1.0)
    outcome = Outcome(
        operation,
        points,
        kinds,
        moves.arrays["feeds"],
        moves.arrays["seconds"],
        path,
        depths,
        tuple((name, depth, move) for name, depth, move in cut.facts["struck"]),
        keys,
        gouges,
    )
    return outcome, after


def run_setup(
    plan: Plan,
    setup: Setup,
    meshes: Meshes,
    work: Work,
    title: str = "Nephos",
    sides: tuple[Side, ...] = (),
    before: SetupOutcome | None = None,
) -> SetupOutcome:
    """Work out a setup from its stock, as the `sides` before it have left it, to its programs and its comparison.

    A tile begins with the block of the tile `before` it."""
    # What a post writes wrongly is found on a sample, before hours are spent.
    said = preview(plan.own_post).problem
    if said:
        raise Refused(f"the post '{plan.own_post.title}': {said}")
    begin = time.perf_counter()
    work.note(Step("place", setup.id), 0.0, 0.0)
    space = setup_space(plan, setup, meshes, work) if before is None else space_of_part(before.space, setup)
    work.seconds["place"] = time.perf_counter() - begin
    keys = setup_keys(plan, setup)
    block = kind_of(space.setup).first_block(plan, sides) if before is None else untouched(before.block)
    begun = block if before is None else before.shown
    blocks = [block]
    todo = list(setup.worked)
    if not todo:
        raise Refused("there is no operation to work out: add one, or switch one on")
    outcomes: list[Outcome] = []
    for k, operation in enumerate(todo):
        low, high = 0.9 * k / len(todo), 0.9 * (k + 1) / len(todo)
        work.note(Step("operation", setup.id, operation.number), low, high)
        report = part(work.report, low, high)
        try:
            outcome, block = run_operation(
                space, operation, blocks[0], outcomes, block, keys.operations[operation.number], work, report
            )
        except Refused as reason:
            text = str(reason)
            raise Refused(text if text.startswith("operation") else f"operation {operation.number}: {text}") from None
        outcomes.append(outcome)
        blocks.append(block)
    work.note(Step("compare", setup.id), 0.9, 0.98)
    gouges = sorted((item for outcome in outcomes for item in outcome.gouges), key=lambda item: -item.depth)
    shown = _as_assumed(space, outcomes, begun, block, keys, work)
    steps = partial(kind_of(space.setup).seam_steps, plan, block, shown)
    proof = proof_of(
        space,
        work,
        keys,
        todo,
        blocks,
        shown,
        before.comparison if before else None,
        steps,
        gouges,
        part(work.report, 0.9, 0.98),
    )
    work.note(Step("post", setup.id), 0.98, 1.0)
    begin = time.perf_counter()
    tabs, need = kind_of(space.setup).tabs(space, work), kind_of(space.setup).smallest_overrun(space, work)
    done = SetupOutcome(space, tuple(outcomes), block, shown, proof, keys, (), tabs, blocks[0], need)
    done = replace(done, programs=programs_of(space, done.outcomes, title, overridden(done)))
    work.seconds["post"] = time.perf_counter() - begin
    work.report(1.0)
    return done


def _as_assumed(
    space: SetupSpace, outcomes: list[Outcome], begun: Block, block: Block, keys: SetupKeys, work: Work
) -> Block:
    """The block of the proof: the one that was worked out, or the one with the errors that are assumed for slides."""
    if not kind_of(space.setup).assumed(space.plan):
        return block

    def made() -> Result:
        return kept_block(kind_of(space.setup).proof_block(begun, outcomes))

    return block_after(block, work.stage(keys.shown, "assumed", made))


def _within(note: Note, low: float, high: float) -> Note:
    """Steps of a setup as shares of the whole calculation, of which it is the part from `low` to `high`."""

    def noted(step: Step, first: float, last: float) -> None:
        note(step, low + (high - low) * first, low + (high - low) * last)

    return noted


def run_plan(plan: Plan, meshes: Meshes, work: Work, title: str = "Nephos") -> Iterator[SetupOutcome]:
    """Work out all setups of a plan that have something to do, one after another in the order of the sheet; those with
    tiles tile by tile."""
    plan = plan.as_cut()
    todo = [setup for setup in plan.setups if setup.worked]
    if not todo:
        raise Refused("there is no operation to work out: add one, or switch one on")
    report, note = work.report, work.note
    sides: tuple[Side, ...] = ()
    before: SetupOutcome | None = None
    cut: set[int] = set()
    for k, setup in enumerate(todo):
        low, high = k / len(todo), (k + 1) / len(todo)
        work.report, work.note = part(report, low, high), _within(note, low, high)
        done = run_setup(plan, setup, meshes, work, title, sides, before)
        cut |= {outcome.operation.number for outcome in done.outcomes if outcome.path.moves}
        goes_on = k + 1 < len(todo) and todo[k + 1].parent_id == setup.parent_id
        before = done if goes_on else None
        idle = [operation.number for operation in setup.worked if operation.number not in cut]
        if setup.may_be_idle and idle and not goes_on:
            raise Refused(f"operation {idle[0]}: there is nothing to cut for it in any tile: give it another boundary")
        if not goes_on:
            sides = (*sides, kind_of(done.space.setup).side(plan, done.block))
        yield done
    work.report, work.note = report, note
