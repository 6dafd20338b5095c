"""The files of a setup: grouped as its post changes cutters, headed, cut to the size that a controller takes, read back and held
against what was planned."""

import numpy as np

from nephos.core.arrays import I64
from nephos.core.errors import Refused
from nephos.core.machine.kinematics import machine_named
from nephos.core.paths.registry import strategy
from nephos.core.paths.toolpath import Kind, Toolpath
from nephos.core.plan.outcome import Outcome
from nephos.core.plan.place import zero_in_words
from nephos.core.plan.schema import Operation, Plan, Setup
from nephos.core.plan.space import SetupSpace
from nephos.core.post.read import Reading, read_program
from nephos.core.post.schema import Post, post_of
from nephos.core.post.split import split_steps, too_large
from nephos.core.post.write import Program, Step, write_program

_ASIDE = 1e-6
"""Moves that a split adds go straight up and down: so far (mm) they may go aside, by rounding in the text."""


def step_of(operation: Operation, path: Toolpath, plan: Plan, clearance: float) -> Step:
    """An operation as it is given to the writer."""
    return Step(operation.number, strategy(operation.strategy).title, operation.cutter, operation.spindle_speed, path, plan.tolerance,
                operation.coolant, clearance, operation.entering_feed)


def _file_name(setup: Setup, operations: list[Operation], post: Post) -> str:
    name = operations[0].cutter.name if post.changes == "file" else "all"
    return f"{setup.id}-{operations[0].number}-{name}".lower().replace(" ", "-").replace(",", "").replace("/", "-")


def by_file(outcomes: tuple[Outcome, ...], post: Post) -> list[list[Outcome]]:
    """Runs of operations that share a file: those with one cutter, or all of them where cutters are changed within it."""
    if post.changes != "file":
        return [list(outcomes)]
    runs: list[list[Outcome]] = []
    for outcome in outcomes:
        if runs and runs[-1][-1].operation.cutter == outcome.operation.cutter:
            runs[-1].append(outcome)
        else:
            runs.append([outcome])
    return runs


def header_lines(space: SetupSpace, outcomes: list[Outcome], title: str) -> list[str]:
    """What the comments at the top of a file tell."""
    plan, stock = space.plan, space.plan.stock
    bottom = np.min([np.nanmin(outcome.points, axis=0) for outcome in outcomes], axis=0)
    top = np.max([np.nanmax(outcome.points, axis=0) for outcome in outcomes], axis=0)
    seconds = sum(outcome.total_seconds for outcome in outcomes)
    cutters = {outcome.operation.cutter.number: outcome.operation.cutter.name for outcome in outcomes}
    return [
        title, f"{space.setup.name}: zero at {zero_in_words(space.setup)}",
        f"stock {stock.length:g} x {stock.width:g} x {stock.thickness:g} mm, {stock.material.name}",
        *(f"cutter {number}: {name}" for number, name in cutters.items()),
        f"X {bottom[0]:.3f} to {top[0]:.3f}, Y {bottom[1]:.3f} to {top[1]:.3f}, Z {bottom[2]:.3f} to {top[2]:.3f} mm",
        f"about {max(seconds / 60, 1):.0f} min",
        *(f"posted in spite of a stop: {item.text}; {item.reason}" for item in plan.overrides),
    ]


def programs_of(space: SetupSpace, outcomes: tuple[Outcome, ...], title: str) -> tuple[Program, ...]:
    """All files of a setup, each certified.

    Raises
    ------
    Refused
        Where a file cannot be written as the post asks for it, or does not say what was planned.
    """
    post = post_of(space.plan.post)
    programs: list[Program] = []
    for run in by_file(outcomes, post):
        files = _files_of(space, run, title, post)
        certify(files, run, space.clearance, space.setup.home)
        programs += files
    return tuple(programs)


def _files_of(space: SetupSpace, run: list[Outcome], title: str, post: Post) -> list[Program]:
    wait = machine_named(space.plan.machine).spindle_wait_seconds
    name = _file_name(space.setup, [item.operation for item in run], post)
    header = header_lines(space, run, title)
    steps = [step_of(o.operation, o.path, space.plan, space.clearance) for o in run]
    whole = write_program(post, name, header, steps, wait, space.setup.home)
    if not too_large(whole, post):
        return [whole]
    parts = split_steps(post, steps, whole)
    files = []
    for k, part in enumerate(parts):
        told = [*header, f"file {k + 1} of {len(parts)}{': run them in this order' if k == 0 else ', goes on from the one before'}"]
        files.append(write_program(post, f"{name}-{k + 1}of{len(parts)}", told, part, wait,
                                   space.setup.home if k + 1 == len(parts) else None))
        if too_large(files[-1], post):
            raise Refused(f"{files[-1].name} would be larger than the post '{post.title}' allows: allow more lines or kilobytes")
    return files


def _planned(program: Program, reading: Reading, clearance: float) -> np.ndarray:  # type: ignore[type-arg]
    """Which moves of a reading operations asked for. What was added must be harmless by itself: over everything, or straight up or down."""
    asked: np.ndarray = ~np.isin(reading.lines, program.added)  # type: ignore[type-arg]
    for k in np.flatnonzero(~asked):
        before, end = reading.points[k], reading.points[k + 1]
        # Between G0 Z and G0 X Y at the beginning of a file the cutter is where it was left: over everything.
        aside = np.nan_to_num(np.abs(end[:2] - before[:2])).max()
        high = end[2] >= clearance - 0.01 and (not before[2] < clearance - 0.01 or aside <= _ASIDE)
        if not high and (reading.rapid[k] == 1 or aside > _ASIDE):
            raise Refused(f"{program.name}, line {reading.lines[k]}: a move that was not planned: it was not posted; please report this")
    return asked


def lines_of_moves(programs: list[Program], run: list[Outcome], clearance: float) -> list[dict[int, tuple[int, I64]]]:
    """For each file, by operation: the number of the operation's first move that stands in it, and the line of each from there on."""
    found: list[dict[int, tuple[int, I64]]] = []
    ends = np.cumsum([len(outcome.kinds) for outcome in run])
    at = 0
    for program in programs:
        reading = read_program(program.text)
        lines = reading.lines[_planned(program, reading, clearance)]
        mine: dict[int, tuple[int, I64]] = {}
        for outcome, end in zip(run, ends, strict=True):
            begin = int(end) - len(outcome.kinds)
            first, last = max(begin, at), min(int(end), at + len(lines))
            if first < last:
                mine[outcome.operation.number] = (first - begin, lines[first - at : last - at])
        found.append(mine)
        at += len(lines)
    return found


def certify(programs: list[Program], run: list[Outcome], clearance: float, home: tuple[float, float] | None = None) -> None:
    """Read the files of a run of operations back and hold them against the moves that were shown, timed and proved.

    Raises
    ------
    Refused
        Where they say anything else. Nothing is posted then.
    """
    readings = [read_program(program.text) for program in programs]
    masks = [_planned(program, reading, clearance) for program, reading in zip(programs, readings, strict=True)]

    def joined(pick: str) -> np.ndarray:  # type: ignore[type-arg]
        values = [reading.points[1:] if pick == "points" else getattr(reading, pick) for reading in readings]
        return np.concatenate([value[mask] for value, mask in zip(values, masks, strict=True)])

    ends, rapid, feeds, tools = joined("points"), joined("rapid") == 1, joined("feeds"), joined("tools")
    at = 0
    for outcome in run:
        count = len(outcome.kinds)
        mine = slice(at, at + count)
        same = (
            len(ends[mine]) == count
            and np.array_equal(ends[mine][2:], outcome.points[3:])
            and np.array_equal(rapid[mine], outcome.kinds == Kind.RAPID)
            and np.array_equal(feeds[mine], outcome.feeds)
            and bool((tools[mine] == outcome.operation.cutter.number).all())
        )
        if not same:
            raise Refused(f"{programs[0].name} does not say what was planned for operation "
                          f"{outcome.operation.number}: it was not posted; please report this")
        at += count
    parked = readings[-1].points[-1, :2]
    if home is not None and not np.abs(parked - home).max() < 0.01:
        raise Refused(f"{programs[-1].name} leaves the cutter elsewhere than was planned: it was not posted; please report this")
    if at != len(rapid):
        raise Refused(f"{programs[-1].name} holds moves that were not planned: it was not posted; please report this")
