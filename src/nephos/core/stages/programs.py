"""The files of a setup: grouped as its post changes cutters, headed, cut to the size that a controller takes, read back
and held against what was planned."""

from dataclasses import dataclass, replace

import numpy as np

from nephos.core.arrays import F64, Bool
from nephos.core.errors import Refused
from nephos.core.machine.machine import machine_of
from nephos.core.machine.rotary_axis import RotaryAxis
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Override
from nephos.core.plan.setups.setup import Setup
from nephos.core.post.control import PlannedStep, control_words, planned_control, spindle_faults, unplanned
from nephos.core.post.faults import certified_fault
from nephos.core.post.leads import leads_differ
from nephos.core.post.meaning import MOVES_BY_ITSELF, difference, lines_of_moves
from nephos.core.post.read import Reading, read_program
from nephos.core.post.schema import Post
from nephos.core.post.split import split_steps, too_large
from nephos.core.post.text import file_stem
from nephos.core.post.write import Comment, Program, Step, arcs_of, write_program
from nephos.core.setups.registry import kind_of
from nephos.core.stages.setup_outcome import Outcome
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.strategies.registry import strategy
from nephos.core.toolpath import Toolpath

_ASIDE = 1e-6
"""Moves that a split adds go straight up and down: so far (mm) they may go aside, by rounding in the text."""
LOW = 0.01
"""So far (mm) under the clearance the text may put the cutter by rounding."""


@dataclass(frozen=True)
class Posted:
    """A file with the steps that it was written from."""

    program: Program
    steps: tuple[Step, ...]


def step_of(
    operation: Operation, path: Toolpath, tolerance: float, clearance: float = 0.0, rotary: RotaryAxis | None = None
) -> Step:
    """An operation as it is given to the writer; `path` and `clearance` count from the work zero."""
    return Step(
        operation.number,
        strategy(operation.strategy).title,
        operation.cutter,
        operation.spindle_speed,
        path,
        tolerance,
        operation.coolant,
        clearance,
        operation.entering_feed,
        rotary=rotary,
    )


def _file_name(setup: Setup, operations: list[Operation], post: Post) -> str:
    """Setup, number of the first operation, cutter: files sort in the order that they are run in."""
    name = operations[0].cutter.name if post.changes == "file" else "all"
    cutter = file_stem(name.replace(",", "").replace("/", "-"))
    prefix = "-".join(file_stem(label).upper() for label in setup.file_labels)
    return f"{prefix}-{operations[0].number:03d}_{cutter}"


def by_file(outcomes: tuple[Outcome, ...], post: Post) -> list[list[Outcome]]:
    """Runs of operations that share a file: those with one cutter, or all of them where cutters are changed within
    it."""
    if not outcomes:
        return []
    if post.changes != "file":
        return [list(outcomes)]
    runs: list[list[Outcome]] = []
    for outcome in outcomes:
        if runs and runs[-1][-1].operation.cutter == outcome.operation.cutter:
            runs[-1].append(outcome)
        else:
            runs.append([outcome])
    return runs


def header_lines(
    space: SetupSpace, outcomes: list[Outcome], title: str, stops: tuple[Override, ...] = ()
) -> list[Comment]:
    """The comments at the top of a file."""
    stock = space.plan.stock
    bottom = np.min([np.nanmin(outcome.points, axis=0) for outcome in outcomes], axis=0) - space.zero
    top = np.max([np.nanmax(outcome.points, axis=0) for outcome in outcomes], axis=0) - space.zero
    ends = kind_of(space.setup).extent_in_words(bottom, top)
    seconds = sum(outcome.total_seconds for outcome in outcomes)
    cutters = {outcome.operation.cutter.number: outcome.operation.cutter.name for outcome in outcomes}
    return [
        ("job", title),
        ("setup", space.setup.name),
        ("zero", space.setup.zero_in_words()),
        ("stock", f"{stock.length:g} x {stock.width:g} x {stock.thickness:g} mm - {stock.material.name}"),
        *(("bar", text) for text in kind_of(space.setup).clamped_in_words(space.plan)),
        *(("cutter", f"{number} - {name}") for number, name in cutters.items()),
        ("extent", f"{ends} mm"),
        ("time", f"about {max(seconds / 60, 1):.0f} min"),
        *(("stop", f"posted in spite of: {item.text} - {item.reason}") for item in stops),
    ]


def programs_of(
    space: SetupSpace, outcomes: tuple[Outcome, ...], title: str, stops: tuple[Override, ...] = ()
) -> tuple[Program, ...]:
    """All files of a setup, each certified; `stops` are those that were overridden, which the files tell.

    Raises
    ------
    Refused
        Where a file cannot be written as the post asks for it, or does not say what was planned.
    """
    post = space.plan.own_post
    programs: list[Program] = []
    # An operation with nothing to do is left out: its place would be the corner of the stock, where a chuck may be.
    cut = tuple(outcome for outcome in outcomes if outcome.path.moves)
    for run in by_file(cut, post):
        programs += certify(files_of(space, run, title, post, stops), run, space, post)
    return tuple(programs)


def files_of(
    space: SetupSpace, run: list[Outcome], title: str, post: Post, stops: tuple[Override, ...] = ()
) -> list[Posted]:
    """The files of a run of operations, not yet certified: one, or several where it would be too large."""
    wait = machine_of(space.plan.machine).spindle_wait_seconds
    name = _file_name(space.setup, [item.operation for item in run], post)
    header = header_lines(space, run, title, stops)
    steps = kind_of(space.setup).steps(space, run, post)
    position = kind_of(space.setup).bar_stand(space)
    whole = write_program(post, name, header, steps, wait, space.setup.home, position)
    if not too_large(whole, post):
        return [Posted(whole, tuple(steps))]
    parts = split_steps(post, steps, whole)
    parts = [kind_of(space.setup).resumed(space.plan, post, part) for part in parts]
    files = []
    for k, part in enumerate(parts):
        told = [
            *header,
            (
                "file",
                f"{k + 1} of {len(parts)}{' - run them in this order' if k == 0 else ' - goes on from the one before'}",
            ),
        ]
        home = space.setup.home if k + 1 == len(parts) else None
        program = write_program(post, f"{name}-{k + 1}of{len(parts)}", told, part, wait, home, position)
        if too_large(program, post):
            raise Refused(
                f"{program.name} would be larger than the post '{post.title}' allows: allow more lines or kilobytes"
            )
        files.append(Posted(program, tuple(part)))
    return files


def _harmless(before: F64, end: F64, rapid: bool, clearance: float) -> bool:
    """Whether a move that a split or the way home added is so by itself: over everything, or straight up or down at a
    feed."""
    # Between G0 Z and G0 X Y at the beginning of a file the cutter is where it was left: over everything.
    aside = float(np.nan_to_num(np.abs(end[:2] - before[:2])).max())
    high = end[2] >= clearance - LOW and (not before[2] < clearance - LOW or aside <= _ASIDE)
    return bool(high or (not rapid and aside <= _ASIDE))


def _planned(program: Program, reading: Reading, clearance: float) -> Bool:
    """Which moves of a reading operations asked for; the others must be harmless."""
    asked = program.asked(reading.lines)
    for k in np.flatnonzero(~asked):
        before, end, line = reading.points[k], reading.points[k + 1], int(reading.lines[k])
        if reading.away[k]:
            if before[2] < clearance - LOW:
                raise Refused(
                    f"{program.name}, line {line}: a line of the post moves the cutter in the machine's own "
                    "coordinates while it is "
                    "below the clearance: let it go up first"
                )
        elif line not in program.added:
            raise Refused(f"{program.name}, line {line}: {MOVES_BY_ITSELF}")
        elif not _harmless(before, end, reading.rapid[k] == 1, clearance):
            raise Refused(
                f"{program.name}, line {line}: a move that was not planned: it was not posted; please report this"
            )
    return asked


def _controls_as_planned(
    program: Program, reading: Reading, run: list[Outcome], post: Post, wait: float, rotary: bool
) -> None:
    """Refuse a file that makes a controller do anything besides moving that was not planned."""
    by_number = {outcome.operation.number: outcome.operation for outcome in run}
    mine = [by_number[number] for number in program.numbers]
    planned = planned_control(
        post, [PlannedStep(o.number, o.cutter.number, o.spindle_speed, o.coolant, rotary) for o in mine], wait
    )
    found = control_words(program.text)
    fault = unplanned(found, planned)
    if not fault:
        speeds = [
            (first, last, operation.spindle_speed) for (first, last), operation in zip(program.lines, mine, strict=True)
        ]
        fault = spindle_faults(found, reading.lines[reading.rapid == 0], speeds)
    if fault:
        raise Refused(f"{program.name}, {fault}: it was not posted; look at the lines of the post '{post.title}'")


def certify(files: list[Posted], run: list[Outcome], space: SetupSpace, post: Post) -> list[Program]:
    """Read the files of a run of operations back and hold them against the moves that were shown, timed and proved.

    Each move ends where it was planned, to the last decimal of the post; arcs keep to the path that they stand for. All
    else that the files make a controller do is held, word by word, against what the post's lines and the plan's numbers
    ask for (post/control.py).

    Returns
    -------
    The programs, with `found` filled in.

    Raises
    ------
    Refused
        Where they say anything else. Nothing is posted then.
    """
    wait = machine_of(space.plan.machine).spindle_wait_seconds
    clearance, home = space.clearance - float(space.zero[2]), space.setup.home
    done: dict[int, int] = {}
    programs = []
    reading = None
    for file in files:
        program = file.program
        reading = read_program(program.text)
        reading = kind_of(space.setup).held_to_axes(space, program, reading, post)
        _controls_as_planned(program, reading, run, post, wait, kind_of(space.setup).axis(space.plan) is not None)
        fault = certified_fault(reading, program.text)
        if fault:
            raise Refused(f"{program.name}: {fault}: it was not posted; look at the lines of the post '{post.title}'")
        _planned(program, reading, clearance)
        position = kind_of(space.setup).bar_stand(space)
        differs = leads_differ(post, list(file.steps), program, reading, position) or difference(
            post, list(file.steps), program, reading
        )
        if differs:
            number, what = differs
            raise Refused(f"operation {number}, as the post '{post.title}' writes it: {what}")
        found = {}
        for k, step in enumerate(file.steps):
            arcs = arcs_of(post, step)
            found[step.number] = lines_of_moves(step, arcs, program, k)
            if not len(arcs.ends):
                done[step.number] = 0
                continue
            if int(arcs.firsts[0]) != done.get(step.number, 0):
                raise Refused(f"{program.name} leaves out moves of operation {step.number}: please report this")
            done[step.number] = int(arcs.ends[-1]) + 1
        programs.append(replace(program, found=found))
    if any(done.get(outcome.operation.number) != outcome.path.moves for outcome in run) or reading is None:
        raise Refused(f"{files[-1].program.name} does not hold all moves: it was not posted; please report this")
    if home is not None and kind_of(space.setup).goes_home and not np.abs(reading.points[-1, :2] - home).max() < 0.01:
        raise Refused(f"{programs[-1].name} leaves the cutter elsewhere than was planned: please report this")
    return programs
