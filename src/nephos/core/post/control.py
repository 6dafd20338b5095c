"""All that a program makes a controller do besides moving: units, offsets, spindle, coolant, cutters, dwell, end.

The words are read from the text by a scanner that knows nothing of the writer, and held, word by word, against those
that the post's own lines ask for with the numbers of the plan. Free text takes no part in it: a name that gets anything
else into the program is found here."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import I64
from nephos.core.post.lex import Words, words_of
from nephos.core.post.schema import Post

_SAME = 1e-6


_MOVING = np.array([ord(letter) for letter in "XYZAIJRF"], np.uint8)


def control_words(text: bytes) -> Words:
    """All words of the lines of a program that hold more than G0 to G3, X, Y, Z, A, I, J, R and F. Comments and N words
    are left out."""
    words = words_of(text)
    words = words.only((words.letters != ord("N")) | np.isnan(words.values))
    moving = (words.letters == ord("G")) & np.isin(words.values, (0.0, 1.0, 2.0, 3.0))
    moving |= np.isin(words.letters, _MOVING) & ~np.isnan(words.values)
    return words.only(np.isin(words.lines, np.unique(words.lines[~moving])))


@dataclass(frozen=True)
class PlannedStep:
    """What is planned of one step of a file: numbers only. `coolant` names the lines of the post that turn it on."""

    operation: int
    tool: int
    spindle: float
    coolant: str
    rotary: bool = False


def number_text(value: float) -> str:
    """A number as it stands in a post's lines: no exponent, at most three decimals."""
    return f"{value:.3f}".rstrip("0").rstrip(".")


def planned_control(post: Post, steps: list[PlannedStep], spindle_wait: float) -> Words:
    """The words that a file of these steps is to hold, by the post's own lines."""
    lines: list[str] = []

    def add(texts: tuple[str, ...], step: PlannedStep) -> None:
        fields = {
            "spindle": number_text(step.spindle),
            "spindle_wait": number_text(spindle_wait),
            "tool": str(step.tool),
            "operation": str(step.operation),
            "cutter": "",
        }
        lines.extend(text.format(**fields) for text in texts)

    add(post.start, steps[0])
    around = post.rotary if steps[0].rotary else None
    if around is not None:
        add(around.start, steps[0])
    tool = None
    for step in steps:
        if step.tool != tool:
            add(post.cutter_first if tool is None and post.cutter_first else post.cutter_change, step)
        add(post.operation_start, step)
        if tool is None:
            add(post.warm_up, step)
        if step.coolant != "none":
            add(getattr(post.coolant, step.coolant), step)
            add(post.coolant.off, step)
        add(post.operation_end, step)
        tool = step.tool
    if around is not None:
        add(around.end, steps[0])
    add(post.end, steps[0])
    return control_words("\n".join(lines).encode("ascii", "replace"))


def unplanned(found: Words, planned: Words) -> str:
    """In words the first thing that a program makes a controller do otherwise than planned; empty where there is
    none."""
    for k in range(max(len(found), len(planned))):
        if k >= len(planned):
            return f"line {found.lines[k]}: {found.word(k)} was not planned"
        if k >= len(found):
            return f"{planned.word(k)} is missing"
        same = abs(found.values[k] - planned.values[k]) <= _SAME or (
            np.isnan(found.values[k]) and np.isnan(planned.values[k])
        )
        if found.letters[k] != planned.letters[k] or not same:
            return f"line {found.lines[k]}: {found.word(k)} is read where {planned.word(k)} was planned"
    return ""


def spindle_faults(found: Words, feeding: I64, speeds: list[tuple[int, int, float]]) -> str:
    """In words where the cutter feeds with the spindle off or at another speed; empty where it does not.

    Parameters
    ----------
    feeding : (m,) lines of all feed moves, rising. speeds : first and last line of each step, and its planned speed.

    Notes
    -----
    A post that never starts the spindle, for one that is switched by hand, is taken at its word.
    """
    turns = np.flatnonzero((found.letters == 77) & np.isin(found.values, (3.0, 4.0, 5.0)))
    if not (found.values[turns] != 5.0).any():
        return ""
    rates = np.flatnonzero(found.letters == 83)
    for first, last, speed in speeds:
        mine = feeding[(feeding >= first) & (feeding <= last)]
        if not len(mine):
            continue
        before = turns[found.lines[turns] <= mine[0]]
        within = turns[(found.lines[turns] > mine[0]) & (found.lines[turns] < mine[-1])]
        if not len(before) or found.values[before[-1]] == 5.0 or (found.values[within] == 5.0).any():
            return f"line {mine[0]}: it cuts with the spindle off"
        named = rates[found.lines[rates] <= mine[0]]
        if len(named) and abs(found.values[named[-1]] - speed) > 0.51:
            return f"line {mine[0]}: the spindle turns at {found.values[named[-1]]:g}, planned are {speed:g}"
    return ""
