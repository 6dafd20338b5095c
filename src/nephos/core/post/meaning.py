"""How far a text that was read back leads from what it was meant to say."""

import numpy as np

from nephos.core.arrays import I64
from nephos.core.post.read import Reading
from nephos.core.post.schema import Post
from nephos.core.post.write import Program, Step, arcs_of

MOVES_BY_ITSELF = "a line of the post moves the cutter: take it out, or give it in the machine's own coordinates (G53)"


def off_by(post: Post, steps: list[Step], program: Program, reading: Reading) -> float:
    """The farthest (mm) that any move ends from where its step has it, beyond the last decimal of the post; 0 where none does.

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
    return f"read back, it does not say what was meant: {where}; look at the unit, the words, and the lines at the start"


def strays(program: Program, reading: Reading) -> I64:
    """Lines with moves that neither an operation nor the writer asked for, other than in the machine's own coordinates."""
    own = program.asked(reading.lines) | np.isin(reading.lines, program.added) | (reading.away == 1)
    found: I64 = reading.lines[~own]
    return found
