"""Runs the stages of a plan: from its meshes to toolpaths, programs, the proof and the comparison.

The order of the stages is in `stages/of_plan.py`. A change recalculates what depends on it and nothing else, and undo
finds the old results where they were."""

import time
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from nephos.core.errors import Refused
from nephos.core.findings.overrides import overridden
from nephos.core.parallel import Report, part
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.post.preview import preview
from nephos.core.setups.registry import kind_of
from nephos.core.stages.of_plan import OperationStages, SetupStages, job_stages, stages_of
from nephos.core.stages.outcome import setup_outcome
from nephos.core.stages.programs import programs_of
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.stage import Stage
from nephos.core.stages.work import Meshes, Note, Step, Work
from nephos.core.strategies.registry import strategy


def _check(plan: Plan, setup: Setup, operation: Operation) -> None:
    """Refuse an operation that its setup or its cutter cannot do."""
    kind = strategy(operation.strategy)
    kind_of(setup).check(plan, operation)
    if operation.cutter.shape not in kind.shapes:
        raise Refused(
            f"operation {operation.number}: {kind.title} cannot be done with a "
            f"{operation.cutter.shape} cutter: use one of {', '.join(kind.shapes)}"
        )


def _run_operation(work: Work, stages: OperationStages, report: Report) -> None:
    """Work out the stages of an operation one after another, with their share of the progress."""
    work.of(stages.passes, part(report, 0.0, 0.5))
    work.of(stages.path, part(report, 0.5, 0.75))
    work.of(stages.moves)
    work.of(stages.block, part(report, 0.75, 0.85))
    if len(work.result(stages.block).arrays["suspects"]):
        work.of(stages.rapids, part(report, 0.85, 0.9))
    work.of(stages.gouges, part(report, 0.9, 0.93))
    if stages.arcs is not None:
        work.of(stages.arcs, part(report, 0.93, 0.95))
    # Kept, and not held: they are as large as the block, and few ask for them again.
    work.result(stages.frames)
    report(1.0)


def run_setup(plan: Plan, setup: Setup, meshes: Meshes, work: Work, title: str = "Nephos") -> SetupOutcome:
    """Work out one setup of a plan, to its programs and its comparison; what earlier setups cut is worked out with it.
    `setup` may be another version of one of the plan's."""
    if all(item is not setup for item in plan.setups):
        plan = plan.model_copy(update={"setups": tuple(setup if item.id == setup.id else item for item in plan.setups)})
    work.meshes = meshes
    return _run_stages(stages_of(plan)[setup.id], work, title)


def _run_stages(stages: SetupStages, work: Work, title: str) -> SetupOutcome:
    plan, setup = stages.plan, stages.setup
    # What a post writes wrongly is found on a sample, before hours are spent.
    problem = preview(plan.own_post).problem
    if problem:
        raise Refused(f"the post '{plan.own_post.title}': {problem}")
    work.note(Step("place", setup.id), 0.0, 0.0)
    begin = time.perf_counter()
    work.of(stages.space)
    work.of(stages.first)
    work.seconds["place"] = work.seconds.get("place", 0.0) + time.perf_counter() - begin
    todo = list(setup.worked)
    if not todo:
        raise Refused("there is no operation to work out: add one, or switch one on")
    for k, operation in enumerate(todo):
        low, high = 0.9 * k / len(todo), 0.9 * (k + 1) / len(todo)
        work.note(Step("operation", setup.id, operation.number), low, high)
        _check(plan, setup, operation)
        try:
            _run_operation(work, stages.operations[operation.number], part(work.report, low, high))
        except Refused as reason:
            text = str(reason)
            raise Refused(text if text.startswith("operation") else f"operation {operation.number}: {text}") from None
    work.note(Step("compare", setup.id), 0.9, 0.98)
    work.of(stages.compare, part(work.report, 0.9, 0.98))
    work.of(stages.pieces)
    work.note(Step("post", setup.id), 0.98, 1.0)
    begin = time.perf_counter()
    done = setup_outcome(work, stages, plan, setup)
    done = replace(done, programs=programs_of(done.space, done.outcomes, title, overridden(done)))
    work.seconds["post"] = work.seconds.get("post", 0.0) + time.perf_counter() - begin
    work.report(1.0)
    return done


def _within(note: Note, low: float, high: float) -> Note:
    """Steps of a setup as shares of the whole calculation, of which it is the part from `low` to `high`."""

    def noted(step: Step, first: float, last: float) -> None:
        note(step, low + (high - low) * first, low + (high - low) * last)

    return noted


def run_plan(plan: Plan, meshes: Meshes, work: Work, title: str = "Nephos") -> Iterator[SetupOutcome]:
    """Work out all setups of a plan that have something to do, one after another in the order of the sheet; those with
    tiles tile by tile."""
    plan = plan.as_cut()
    work.meshes = meshes
    todo = [stages for stages in stages_of(plan).values() if stages.operations]
    if not todo:
        raise Refused("there is no operation to work out: add one, or switch one on")
    report, note = work.report, work.note
    cut: set[int] = set()
    for k, stages in enumerate(todo):
        low, high = k / len(todo), (k + 1) / len(todo)
        work.report, work.note = part(report, low, high), _within(note, low, high)
        done = _run_stages(stages, work, title)
        setup = stages.setup
        cut |= {outcome.operation.number for outcome in done.outcomes if outcome.path.moves}
        following = todo[k + 1] if k + 1 < len(todo) else None
        goes_on = following is not None and following.setup.parent_id == setup.parent_id
        idle = [operation.number for operation in setup.worked if operation.number not in cut]
        if setup.may_be_idle and idle and not goes_on:
            raise Refused(f"operation {idle[0]}: there is nothing to cut for it in any tile: give it another boundary")
        yield done
        _let_go(work, plan, stages, following)
    work.report, work.note = report, note


def _let_go(work: Work, plan: Plan, stages: SetupStages, following: SetupStages | None) -> None:
    """Forget all values but those that the next setup needs, or the finished block: blocks are large."""
    if following is None:
        job = job_stages(plan)
        work.forget(but=[*job.sides, *(item.compare for item in job.setups), *(item.space for item in job.setups)])
        return
    work.of(following.first)
    work.of(following.begun)
    kept: list[Stage[Any]] = [following.space, following.first, following.begun, *following.sides]
    if following.earlier is stages:
        # The passes of the whole board, and the comparison that the next part goes on with.
        kept += [stages.compare, *(item.passes.board for item in stages.operations.values() if item.passes.board)]
        kept += [stages.block]
    work.forget(but=kept)
