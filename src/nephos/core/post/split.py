"""Files that are too large for a controller, cut into several that go on safely where the one before ended."""

from dataclasses import replace

import numpy as np

from nephos.core.arrays import I64
from nephos.core.errors import Refused
from nephos.core.post.arcs import ArcPath
from nephos.core.post.schema import Post
from nephos.core.post.write import Program, Step, arcs_of
from nephos.core.toolpath import Toolpath

_WORTH = 0.6
"""A place at the clearance is preferred where the file is at least so full by then."""
_LEAST = 50
"""Fewer moves in a file than this are not worth a file."""
_MARGIN = 0.97
"""Of the room in a file, as the lines after a cut carry words that they did not carry before."""


def too_large(program: Program, post: Post) -> bool:
    """Whether a file is more than the post allows."""
    lines = program.text.count(b"\n")
    return lines > (post.most_lines or lines) or len(program.text) > 1024 * (post.most_kilobytes or len(program.text))


def slice_of(arcs: ArcPath, first: int, last: int) -> ArcPath:
    """Moves `first` to `last` (not with it)."""
    path = arcs.path
    part = Toolpath(path.points[first : last + 1], path.kinds[first:last], path.feeds[first:last])
    mine = slice(first, last)
    return ArcPath(part, arcs.centres[mine], arcs.turns[mine], arcs.firsts[mine], arcs.ends[mine])


def split_steps(post: Post, steps: list[Step], whole: Program) -> list[list[Step]]:
    """The steps of a file that is too large, as those of several files.

    A file ends where the cutter is at the clearance anyway, or else in the middle of a path: there the cutter goes
    straight up, and in the next file over the place and down again to where it was, at the feed for entering.

    Parameters
    ----------
    whole : the file that is too large, whose lines tell how much room each move takes.
    """
    ends = np.flatnonzero(np.frombuffer(whole.text, np.uint8) == 10) + 1
    sizes = np.diff(ends, prepend=0)
    moving = sum(len(np.unique(lines)) for lines in whole.move_lines)
    written = sum(int(sizes[np.unique(lines) - 1].sum()) for lines in whole.move_lines)
    other_lines, other_bytes = len(sizes) - moving + 8, len(whole.text) - written + 400
    room = (
        np.array([(post.most_lines or 2**60) - other_lines, 1024 * (post.most_kilobytes or 2**50) - other_bytes])
        * _MARGIN
    )
    if room[0] < _LEAST or room[1] < _LEAST * sizes.max():
        raise Refused(
            f"the post '{post.title}' allows so small a file that its own lines fill it: allow more lines or kilobytes"
        )
    files: list[list[Step]] = [[]]
    used = np.zeros(2)
    for step, lines in zip(steps, whole.move_lines, strict=True):
        arcs = arcs_of(post, step)
        taken = np.stack([np.ones(len(lines)), sizes[lines - 1]], 1).cumsum(axis=0)
        first = 0
        while first < len(lines):
            before = taken[first - 1] if first else np.zeros(2)
            fits = int(min(np.searchsorted(taken[:, k] - before[k], room[k] - used[k], side="right") for k in (0, 1)))
            last = _cut_at(arcs, step.clearance, first, fits, len(lines))
            if last > first:
                files[-1].append(
                    replace(step, arcs=slice_of(arcs, first, last), resumed=first > 0, broken=last < len(lines))
                )
                used += taken[last - 1] - before
            if last < len(lines):
                files.append([])
                used = np.zeros(2)
            first = last
    return [steps for steps in files if steps]


def from_the_nearest_turn(post: Post, steps: list[Step], turn: float) -> list[Step]:
    """The steps of a file on a bar, shifted by whole turns so that A starts within half a turn of 0.

    A helix that is split into several files ends many turns from 0. Unshifted, each file would start with a rapid over
    all of these turns.

    Parameters
    ----------
    turn : value of a whole turn in the word of the rotary axis, in the unit of the paths.
    """
    by = round(float(arcs_of(post, steps[0]).path.points[0, 1]) / turn) * turn
    return [_moved_round(step, by) for step in steps] if by else steps


def _moved_round(step: Step, by: float) -> Step:
    back = np.array([0.0, -by, 0.0])
    arcs = None if step.arcs is None else replace(step.arcs, path=step.arcs.path.moved(back))
    return replace(step, path=step.path.moved(back), arcs=arcs)


def _cut_at(arcs: ArcPath, clearance: float, first: int, fits: int, count: int) -> int:
    """Before which move the file is cut: the last one at the clearance if the file is nearly full by then."""
    if fits >= count:
        return count
    high: I64 = np.flatnonzero(arcs.path.points[first + 1 : fits + 1, 2] >= clearance - 1e-9) + first + 1
    if len(high) and high[-1] - first >= _WORTH * (fits - first):
        return int(high[-1])
    return max(fits, first)
