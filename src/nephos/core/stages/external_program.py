"""A program from anywhere, proved against the stock of a job: what it cuts, what it meets, how long it takes."""

import hashlib
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from nephos.core.arrays import F32, F64
from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.finding import Finding
from nephos.core.findings.proof_checks import motion_findings
from nephos.core.machine.kinematics import move_seconds
from nephos.core.machine.machine import machine_of
from nephos.core.parallel import part
from nephos.core.plan.bar_axis import bar_position
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.post.faults import Shop, program_faults
from nephos.core.post.lex import Words, words_of
from nephos.core.post.read import Reading, read_program
from nephos.core.setups.registry import kind_of
from nephos.core.stages.begun import Begun
from nephos.core.stages.canonical import key_of
from nephos.core.stages.of_plan import stages_of
from nephos.core.stages.outline import OutlineStage
from nephos.core.stages.setup_outcome import Outcome
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.space import setup_space, stock_space
from nephos.core.stages.store import Result, as_result
from nephos.core.stages.work import Meshes, Work
from nephos.core.stock.block import Block
from nephos.core.stock.compare import compare
from nephos.core.stock.cut import cut_block
from nephos.core.stock.frames import record_frames, shown_grid, shown_intervals, shown_top
from nephos.core.stock.rapids import Cuts, close_rapid_depths
from nephos.core.surface.gouge import Gouge, gouges_along
from nephos.core.toolpath import Kind, Toolpath
from nephos.core.units import Units

_LIMIT = 0.05
"""What counts as true to the model (mm), as nothing is known of the steps of a program from elsewhere."""


@dataclass(frozen=True)
class Stretch:
    """Moves `first` to `last` (not with it) of a program, made with one cutter."""

    first: int
    last: int
    cutter: Cutter


def external_key(plan: Plan, setup: Setup, text: bytes, cutters: list[Cutter], usual: int, after: int = 0) -> str:
    """Key of the proof of a program that is run after operation `after` (0: on the block that the setup begins
    with)."""
    stages = stages_of(plan)[setup.id]
    own = stages.operations.get(after)
    return key_of(
        "external",
        4,
        stages.first.key if own is None else own.block.key,
        stages.space.key,
        setup.zero.model_dump(),
        setup.packing,
        plan.block_pitch,
        machine_of(plan.machine),
        plan.own_post.start,
        plan.units,
        [item.model_dump() for item in setup.keep_outs],
        hashlib.sha256(text).hexdigest(),
        [cutter.model_dump() for cutter in cutters],
        usual,
    )


def stretches_of(reading: Reading, cutters: list[Cutter], usual: int, position: float | None = None) -> list[Stretch]:
    """The program by cutters. Moves before any T word are made with cutter number `usual`. In a face of a bar A may be
    at its `position` (degrees), and nowhere else.

    Raises
    ------
    Refused
        Where it calls for a cutter that is not known, or makes no move.
    """
    if not len(reading.rapid):
        raise Refused("the file makes no move")
    for axis, name in enumerate("XYZ"):
        if not np.isfinite(reading.points[:, axis]).any():
            raise Refused(f"the file never says where the cutter is along {name}: it cannot be proved")
    angles = reading.angles[np.isfinite(reading.angles)]
    if (len(angles) and (position is None or np.abs(angles - position).max() > 1e-3)) or reading.inverse.any():
        raise Refused("the file moves a rotary axis: only programs of three axes can be proved here")
    known = {cutter.number: cutter for cutter in cutters}
    tools = np.where(reading.tools == 0, usual, reading.tools)
    found = []
    for first, last in pairwise([0, *(np.flatnonzero(np.diff(tools)) + 1), len(tools)]):
        number = int(tools[first])
        if number not in known:
            raise Refused(
                f"line {reading.lines[first]} of the file calls for cutter {number}, which is not on the list of "
                "cutters: add it there first"
            )
        found.append(Stretch(int(first), int(last), known[number]))
    return found


def _outcome(reading: Reading, stretch: Stretch, number: int, plan: Plan) -> Outcome:
    """A stretch as an operation that was worked out, so that the same checks can look at it."""
    moves = slice(stretch.first, stretch.last)
    points = np.ascontiguousarray(reading.points[stretch.first : stretch.last + 1])
    kinds = np.where(reading.rapid[moves] == 1, np.uint8(Kind.RAPID), np.uint8(Kind.CUT))
    seconds = move_seconds(points, kinds, reading.feeds[moves], machine_of(plan.machine))
    operation = Operation(number=number, strategy="finish_raster", cutter=stretch.cutter, settings={})
    return Outcome(
        operation,
        points,
        kinds,
        reading.feeds[moves],
        seconds,
        Toolpath(points, kinds, reading.feeds[moves]),
        np.zeros(len(kinds), np.float32),
        (),
    )


def _trueness(
    space: SetupSpace, block: Block, cutters: list[Cutter], gouges: list[Gouge], work: Work
) -> dict[str, float]:
    region = work.of(OutlineStage.of(space.plan, space.setup, "silhouette"))
    profiles = [cutter.profile for cutter in cutters]
    deepest = max((item.depth for item in gouges), default=0.0)
    return compare(
        block,
        space.surface,
        region,
        space.floor,
        profiles,
        _LIMIT,
        space.plan.tolerance,
        deepest,
        part(work.report, 0.6, 1),
    ).numbers()


def _finding(item: Finding) -> dict[str, object]:
    return item.as_dict() | {"overridden": ""}


def _offset_of(plan: Plan) -> float | None:
    """The work offset that the files of a job use, as 54 for G54; none where its post gives none."""
    words = words_of("\n".join(plan.own_post.start).encode("ascii", "replace"))
    used = words.values[(words.letters == ord("G")) & (words.values >= 54) & (words.values < 60)]
    return float(used[-1]) if len(used) else None


def _faults(reading: Reading, text: bytes, shop: Shop, ends: F64) -> list[Finding]:
    """What the program does that cannot be verified, as findings. `ends` (n,) are the seconds at which each move is
    done."""
    found = []
    for fault in program_faults(reading, text, shop):
        x, y, z = map(float, reading.points[min(fault.move + 1, len(reading.rapid))])
        place = (x, y, z) if np.isfinite([x, y, z]).all() else None
        moment = float(ends[min(fault.move, len(ends) - 1)])
        found.append(Finding(fault.code, fault.level, "program", fault.text, fault.advice, place, moment))
    return found


def _in_file(finding: Finding, reading: Reading, numbers: Words, ends: F64) -> Finding:
    """A finding of a move with the line of the file that has it, and its N word. `ends` (n,) are the seconds at which
    each move is done."""
    if finding.moment is None or not len(ends):
        return finding
    move = min(int(np.searchsorted(ends, finding.moment - 1e-9)), len(ends) - 1)
    line = int(reading.lines[move])
    at = int(np.searchsorted(numbers.lines, line))
    named = at < len(numbers) and numbers.lines[at] == line
    where = f"N{numbers.values[at]:g}, line {line}" if named else f"line {line}"
    return replace(finding, text=f"{finding.text} ({where})")


def prove_external(
    plan: Plan,
    setup: Setup,
    meshes: Meshes,
    text: bytes,
    cutters: list[Cutter],
    usual: int,
    work: Work,
    after: int = 0,
    begun: Begun | None = None,
) -> str:
    """Prove a program against the stock of a setup, as the operations up to `after` have left it (`begun`; uncut where
    none is given); the answer is the key of what was found.

    The result's facts tell `moves`, `lines`, `seconds`, `low` and `high` (extents), `findings`, `compare`, and `parts`:
    for each cutter its number, name and the keys of two results like those of an operation, its moves and its changes
    of the block."""
    key = external_key(plan, setup, text, cutters, usual, after)

    def made() -> Result:
        kind_of(setup).check_external()
        reading = read_program(text)
        shop = Shop({item.number: item for item in cutters}, machine_of(plan.machine), _offset_of(plan))
        stretches = stretches_of(reading, cutters, usual, bar_position(plan, setup))
        space = stock_space(plan, setup)
        # What it says counts from the work zero.
        reading = replace(reading, points=reading.points + space.zero)
        stock = block = kind_of(space.setup).first_block(plan)
        if begun is not None:
            stock, block = begun.stock, begun.block
        work.meshes = meshes
        modelled = setup_space(plan, setup, work) if any(model.shown for model in plan.models) else None
        parts: list[dict[str, object]] = []
        found: list[Finding] = []
        before = 0.0
        history: list[Cuts] = [] if begun is None else list(begun.history)
        first_move = sum(len(kinds) for _, kinds, _ in history)
        gouges: list[Gouge] = []
        seconds: list[F64] = []
        for k, stretch in enumerate(stretches):
            outcome = _outcome(reading, stretch, k + 1, plan)
            grid = shown_grid(block.grid)
            shown: F32 = shown_top(block, grid)
            cut = cut_block(block, outcome.points, outcome.kinds, first_move + stretch.first, stretch.cutter)
            cuts = (outcome.points, outcome.kinds, stretch.cutter.profile)
            close = close_rapid_depths(stock, history, cuts, cut.suspects, cut.cells)
            into = (
                gouges_along(modelled.index, outcome.points, stretch.cutter.profile, plan.tolerance) if modelled else ()
            )
            outcome, block = (
                replace(outcome, depths=np.maximum(cut.depths, close), struck=cut.struck, gouges=into),
                cut.block,
            )
            history.append(cuts)
            gouges += into
            frames = record_frames(
                shown,
                grid,
                outcome.points,
                outcome.kinds,
                outcome.seconds,
                stretch.cutter.profile,
                shown_intervals(block, grid),
            )
            names = (f"{key}-{k}-moves", f"{key}-{k}-frames")
            work.store.put(
                names[0],
                "external",
                as_result(
                    {"moves": len(outcome.kinds), "seconds": outcome.total_seconds},
                    points=outcome.points,
                    kinds=outcome.kinds,
                    feeds=outcome.feeds,
                    seconds=outcome.seconds,
                ),
            )
            work.store.put(
                names[1],
                "external",
                as_result(
                    grid.facts() | {"moments": frames.moments},
                    start=frames.start,
                    moment=frames.moment,
                    height=frames.height,
                ),
            )
            units: Units = plan.units
            found += motion_findings(space, outcome, before, units)
            parts.append(
                {
                    "number": k + 1,
                    "cutter": stretch.cutter.model_dump(),
                    "outline": stretch.cutter.outline(),
                    "seconds": outcome.total_seconds,
                    "moves": names[0],
                    "frames": names[1],
                }
            )
            before += outcome.total_seconds
            seconds.append(outcome.seconds)
            work.report(0.6 * (k + 1) / len(stretches))
        cut_with = [item.cutter for item in stretches]
        ends = np.cumsum(np.concatenate(seconds))
        words = words_of(text)
        numbers = words.only(words.letters == ord("N"))
        met = [_in_file(item, reading, numbers, ends) for item in found]
        return as_result(
            {
                "moves": len(reading.rapid),
                "lines": text.count(b"\n") + (not text.endswith(b"\n")),
                "seconds": before,
                "low": (np.nanmin(reading.points, axis=0) - space.zero).tolist(),
                "high": (np.nanmax(reading.points, axis=0) - space.zero).tolist(),
                "findings": [_finding(item) for item in (*_faults(reading, text, shop, ends), *met)],
                "parts": parts,
                "compare": _trueness(modelled, block, cut_with, gouges, work) if modelled else {},
            }
        )

    work.stage(key, "external", made)
    return key
