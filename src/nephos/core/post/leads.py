"""Check of the approach to each step of a file: up to the clearance, across, and down if the step continues an
operation.

The expected moves are computed from the steps alone. Only the line numbers come from the writer."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64
from nephos.core.post.read import Reading
from nephos.core.post.schema import Post
from nephos.core.post.write import BarPosition, Program, Step, arcs_of


@dataclass(frozen=True)
class _Lead:
    """Where one move of the approach ends, mm (not a number: as before), and whether it is a rapid."""

    end: tuple[float, float, float]
    rapid: bool = True


def _planned_leads(post: Post, step: Step, position: BarPosition | None) -> list[_Lead]:
    """The moves of an approach, in order. A bar is first rotated to its `position`."""
    x, y, z = map(float, arcs_of(post, step).path.points[0])
    over = step.clearance if step.resumed else z
    stays = float("nan")
    if position is not None:
        up = (stays, stays, position.height)
        leads = [_Lead(up), _Lead(up), _Lead((x, y, position.height)), _Lead((x, y, over))]
    else:
        leads = [_Lead((stays, stays, over)), _Lead((x, y, over))]
    if step.resumed and z < step.clearance - 1e-9:
        leads.append(_Lead((x, y, z), rapid=False))
    return leads


def _as_before(end: tuple[float, float, float], before: F64) -> F64:
    planned = np.array(end)
    return np.where(np.isnan(planned), before, planned)


def leads_differ(
    post: Post, steps: list[Step], program: Program, reading: Reading, position: BarPosition | None
) -> tuple[int, str] | None:
    """The first step whose approach is not read as it is planned: its number, and what differs. None where all are.

    Each move of the approach has its own line, ends within half of the post's last decimal of its place, and
    is the rapid or the feed that it should be; none may be missing.
    """
    slack = 0.5 * post.millimetres * 10.0**-post.decimals * (1 + 1e-6)
    for k, (step, span) in enumerate(zip(steps, program.lines, strict=True)):
        planned = _planned_leads(post, step, position if k == 0 else None)
        inside = (reading.lines >= span[0]) & (reading.lines <= span[1])
        # Lines of the post may lift the cutter in the machine's own coordinates first.
        moves = np.flatnonzero(inside & (reading.away == 0))
        if len(moves) < len(planned):
            return step.number, "the approach is missing"
        for move, lead in zip(moves.tolist(), planned, strict=False):
            alone = (reading.lines == reading.lines[move]).sum() == 1
            expected = _as_before(lead.end, reading.points[move])
            read = reading.points[move + 1]
            same = np.isclose(read, expected, rtol=0, atol=slack, equal_nan=True).all()
            if not (alone and same) or (reading.rapid[move] == 1) != lead.rapid:
                return step.number, f"the approach in line {reading.lines[move]} is another than planned"
    return None
