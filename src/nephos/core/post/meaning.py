"""Whether a text that was read back says what it was meant to say: where each move ends, how, how fast, with which
cutter."""

import numpy as np

from nephos.core.arrays import F64, I64
from nephos.core.parallel import kernel
from nephos.core.post.arcs import SAG, VERTEX, ArcPath
from nephos.core.post.read import Reading
from nephos.core.post.schema import Post
from nephos.core.post.write import Program, Step, arcs_of, feed_places
from nephos.core.toolpath import Kind

MOVES_BY_ITSELF = "a line of the post moves the cutter: take it out, or give it in the machine's own coordinates (G53)"
_HAIR = 1e-9


def off_by(post: Post, steps: list[Step], program: Program, reading: Reading) -> float:
    """The farthest (mm) that any move ends from where its step has it, beyond the last decimal of the post; 0 where
    none does.

    Not a number where a move ends at a place that the text leaves unknown.
    """
    worst = 0.0
    for step, lines in zip(steps, program.move_lines, strict=True):
        ends = reading.points[np.searchsorted(reading.lines, lines, side="right")]
        worst = float(np.maximum(worst, np.abs(ends - arcs_of(post, step).path.points[1:]).max(initial=0.0)))
    return 0.0 if worst <= post.millimetres * 10.0**-post.decimals else worst


def goes_astray(post: Post, steps: list[Step], program: Program, reading: Reading) -> str:
    """In words where the text leads instead; empty where it says what was meant."""
    off = off_by(post, steps, program, reading)
    if off == 0.0:
        return ""
    where = "it does not say where the cutter is" if np.isnan(off) else f"it goes {off:.3g} mm elsewhere"
    return (
        f"read back, it does not say what was meant: {where}; look at the unit, the words, and the lines at the start"
    )


@kernel
def _farthest_off(points: F64, first: I64, last: I64, path: F64, begins: I64, ends: I64) -> float:
    """The largest distance (mm) of points[first[k] .. last[k]] from the stretch begins[k] .. ends[k] of a path."""
    worst = 0.0
    for k in range(len(first)):
        for i in range(first[k], last[k] + 1):
            near = np.inf
            for j in range(begins[k], ends[k]):
                ax, ay, az = path[j, 0], path[j, 1], path[j, 2]
                bx, by, bz = path[j + 1, 0] - ax, path[j + 1, 1] - ay, path[j + 1, 2] - az
                px, py, pz = points[i, 0] - ax, points[i, 1] - ay, points[i, 2] - az
                along = bx * bx + by * by + bz * bz
                t = 0.0 if along == 0.0 else min(max((px * bx + py * by + pz * bz) / along, 0.0), 1.0)
                dx, dy, dz = px - t * bx, py - t * by, pz - t * bz
                near = min(near, dx * dx + dy * dy + dz * dz)
            worst = max(worst, near)
    return np.sqrt(worst)


def _arcs_off(post: Post, step: Step, arcs: ArcPath, lines: I64, reading: Reading) -> bool:
    """Whether the arcs of a step, as they were read, leave the path that they stand for."""
    turning = np.flatnonzero(arcs.turns)
    if not len(turning):
        return False
    first = np.searchsorted(reading.lines, lines[turning], side="left") + 1
    last = np.searchsorted(reading.lines, lines[turning], side="right")
    most = (SAG + VERTEX) * step.tolerance + 2 * post.millimetres * 10.0**-post.decimals
    off = _farthest_off(
        reading.points,
        first,
        last,
        np.ascontiguousarray(step.path.points),
        arcs.firsts[turning],
        arcs.ends[turning] + 1,
    )
    return not off <= most


def difference(post: Post, steps: list[Step], program: Program, reading: Reading) -> tuple[int, str] | None:
    """The first step whose moves are not read as they were planned: its number, and what differs. None where all
    are."""
    for step, lines, span in zip(steps, program.move_lines, program.lines, strict=True):
        if not len(lines):
            continue
        arcs = arcs_of(post, step)
        astray = goes_astray(post, [step], _alone(program, lines), reading)
        if astray:
            return step.number, astray
        mine = np.flatnonzero((reading.lines >= span[0]) & (reading.lines <= span[1]))
        written, index = np.unique(lines, return_index=True)
        at = np.searchsorted(written, reading.lines[mine])
        known = written[np.minimum(at, len(written) - 1)] == reading.lines[mine]
        known &= ~np.isin(reading.lines[mine], (*program.leads, *program.added))
        moves, planned = mine[known], index[at[known]]
        if not np.array_equal(reading.rapid[moves] == 1, arcs.path.kinds[planned] == Kind.RAPID):
            return step.number, "a rapid is read where a feed was planned, or a feed for a rapid"
        feeding = reading.rapid[moves] == 0
        timed = step.rotary is not None and step.rotary.inverse
        # Of inverse time the path of the step has the words in millimetres, as all of its numbers.
        read = reading.feeds[moves] * (post.millimetres if timed else 1.0)
        slack = 0.5 * post.millimetres * 10.0 ** -feed_places(post, step) * (1 + 1e-6) + (1e-6 if timed else 1e-3)
        slack = slack + 1e-6 * arcs.path.feeds[planned]
        if (np.abs(read - arcs.path.feeds[planned]) > slack)[feeding].any():
            return step.number, "a feed differs"
        if ((reading.inverse[moves] == 1) != timed)[feeding].any():
            return step.number, "feeds are read as inverse time where they are a minute, or the other way round"
        asked = mine[program.asked(reading.lines[mine])]
        if (reading.tools[asked] != step.cutter.number).any():
            return step.number, "another cutter is in the spindle"
        if _arcs_off(post, step, arcs, lines, reading):
            return step.number, "an arc leaves the path"
    return None


def _alone(program: Program, lines: I64) -> Program:
    """The program with the lines of one operation only."""
    return Program(program.name, b"", (), (), (lines,), ())


def strays(program: Program, reading: Reading) -> I64:
    """Lines with moves that neither an operation nor the writer asked for, other than in the machine's own
    coordinates."""
    own = program.asked(reading.lines) | np.isin(reading.lines, program.added) | (reading.away == 1)
    found: I64 = reading.lines[~own]
    return found


def lines_of_moves(step: Step, arcs: ArcPath, program: Program, k: int) -> tuple[int, I64]:
    """Of step `k` of a program: the number of its operation's first move that stands there, and the line of each.

    The moves are those of the operation, with the two that bring the cutter over its beginning.
    """
    lines, span = program.move_lines[k], program.lines[k]
    if not len(lines):
        return 0, np.array([line for line in program.leads if span[0] <= line <= span[1]], np.int64)
    first = int(arcs.firsts[0])
    own = lines[np.searchsorted(arcs.ends, np.arange(first, int(arcs.ends[-1]) + 1))]
    if step.resumed:
        return first + 2, own
    leads = [line for line in program.leads if span[0] <= line <= span[1]]
    return 0, np.concatenate([np.array(leads, np.int64), own])
