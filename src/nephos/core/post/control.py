"""All that a program makes a controller do besides moving: units, offsets, spindle, coolant, cutters, dwell, end.

The words are read from the text by a scanner that knows nothing of the writer, and held, word by word, against those
that the post's own lines ask for with the numbers of the plan. Free text takes no part in it: a name that
gets anything else into the program is found here.
"""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64, I64, U8
from nephos.core.bands import kernel
from nephos.core.post.schema import Post

_SAME = 1e-6


@dataclass(frozen=True)
class Control:
    """Words (n,) in their order: `letters` uint8, `values` float64, `lines` int64 from 1."""

    letters: U8
    values: F64
    lines: I64

    def __len__(self) -> int:
        return len(self.letters)

    def word(self, k: int) -> str:
        """Word number `k` as it is written."""
        return f"{chr(self.letters[k])}{self.values[k]:g}"


@kernel
def _scan(text, letters, values, lines):  # type: ignore[no-untyped-def]
    """Words of all lines that hold more than a move, into the arrays; returns how many. A letter without a number has a value that is none."""
    n = len(text)
    k = 0
    line = 1
    count = 0
    begin = 0
    control = False
    while k <= n:
        c = text[k] if k < n else 10
        if c == 10:
            count = count if control else begin
            begin = count
            control = False
            line += 1
            k += 1
            continue
        if c <= 32 or c == 37:
            k += 1
            continue
        if c == 59:
            while k < n and text[k] != 10:
                k += 1
            continue
        if c == 40:
            while k < n and text[k] != 41 and text[k] != 10:
                k += 1
            k += 1 if k < n and text[k] == 41 else 0
            continue
        letter = c - 32 if 97 <= c <= 122 else c
        k += 1
        while k < n and text[k] == 32:
            k += 1
        sign = 1.0
        if k < n and (text[k] == 43 or text[k] == 45):
            sign = -1.0 if text[k] == 45 else 1.0
            k += 1
        value = 0.0
        tens = 1.0
        digits = 0
        fraction = False
        while k < n and (48 <= text[k] <= 57 or (text[k] == 46 and not fraction)):
            if text[k] == 46:
                fraction = True
            else:
                value = value * 10.0 + (text[k] - 48)
                tens = tens * 10.0 if fraction else tens
                digits += 1
            k += 1
        value = sign * value / tens if digits else np.nan
        if letter == 78 and digits:
            continue
        moving = (letter == 71 and (value == 0.0 or value == 1.0 or value == 2.0 or value == 3.0)) or (
            digits > 0 and (letter == 88 or letter == 89 or letter == 90 or letter == 73 or letter == 74 or letter == 82 or letter == 70))
        control = control or not moving
        letters[count], values[count], lines[count] = letter, value, line
        count += 1
    return count


def control_words(text: bytes) -> Control:
    """All words of the lines of a program that hold more than G0 to G3, X, Y, Z, I, J, R and F. Comments and N words are left out."""
    data = np.frombuffer(text, np.uint8)
    most = len(data) // 2 + 2
    letters, values, lines = np.empty(most, np.uint8), np.empty(most), np.empty(most, np.int64)
    count = _scan(data, letters, values, lines)
    return Control(letters[:count].copy(), values[:count].copy(), lines[:count].copy())


@dataclass(frozen=True)
class PlannedStep:
    """What is planned of one step of a file: numbers only. `coolant` names the lines of the post that turn it on."""

    operation: int
    tool: int
    spindle: float
    coolant: str


def number_text(value: float) -> str:
    """A number as it stands in a post's lines: no exponent, at most three decimals."""
    return f"{value:.3f}".rstrip("0").rstrip(".")


def planned_control(post: Post, steps: list[PlannedStep], spindle_wait: float) -> Control:
    """The words that a file of these steps is to hold, by the post's own lines."""
    lines: list[str] = []

    def add(texts: tuple[str, ...], step: PlannedStep) -> None:
        fields = {"spindle": number_text(step.spindle), "spindle_wait": number_text(spindle_wait), "tool": str(step.tool),
                  "operation": str(step.operation), "cutter": ""}
        lines.extend(text.format(**fields) for text in texts)

    add(post.start, steps[0])
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
    add(post.end, steps[0])
    return control_words("\n".join(lines).encode("ascii", "replace"))


def unplanned(found: Control, planned: Control) -> str:
    """In words the first thing that a program makes a controller do otherwise than planned; empty where there is none."""
    for k in range(max(len(found), len(planned))):
        if k >= len(planned):
            return f"line {found.lines[k]}: {found.word(k)} was not planned"
        if k >= len(found):
            return f"{planned.word(k)} is missing"
        same = abs(found.values[k] - planned.values[k]) <= _SAME or (np.isnan(found.values[k]) and np.isnan(planned.values[k]))
        if found.letters[k] != planned.letters[k] or not same:
            return f"line {found.lines[k]}: {found.word(k)} stands where {planned.word(k)} was planned"
    return ""


def spindle_faults(found: Control, feeding: I64, speeds: list[tuple[int, int, float]]) -> str:
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
