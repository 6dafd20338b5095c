"""What a program does that may be followed but not verified: spindle, units, lengths, lines that may be left out."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from nephos.core.post.read import DISTANCE, LENGTH, SKIPPED, SPINDLE, UNIT, Reading


@dataclass(frozen=True)
class Fault:
    """What is wrong with a program: a finding without the row of a sheet. `line` is from 1, `move` the first it is about."""

    code: str
    level: Literal["stop", "caution", "note"]
    text: str
    advice: str
    line: int
    move: int


def _spindle(reading: Reading) -> list[Fault]:
    """Cutting while the spindle stands; a program that never starts it may be for one that is switched by hand."""
    feeding = np.flatnonzero(reading.rapid == 0)
    turns = reading.events[reading.events[:, 0] == SPINDLE]
    if not len(feeding):
        return []
    first = int(feeding[0])
    if not (turns[:, 1] != 5).any():
        text = "the program never starts the spindle"
        advice = "start it by hand before the program, or add M3 with a speed"
        return [Fault("spindle-by-hand", "caution", text, advice, int(reading.lines[first]), first)]
    # What is in force at each move: the last event before it.
    at = np.searchsorted(turns[:, 3], feeding, side="right") - 1
    off = feeding[(at < 0) | (turns[np.maximum(at, 0), 1] == 5)]
    if len(off):
        line, move = int(reading.lines[off[0]]), int(off[0])
        return [
            Fault(
                "spindle-off",
                "stop",
                f"line {line} cuts with the spindle off",
                "start the spindle before it",
                line,
                move,
            )
        ]
    still = feeding[reading.speeds[feeding] <= 0]
    if len(still):
        line, move = int(reading.lines[still[0]]), int(still[0])
        text = f"line {line} cuts at no speed: no S word was given"
        return [Fault("spindle-speed", "caution", text, "give the speed with an S word", line, move)]
    return []


def _units(reading: Reading) -> list[Fault]:
    """No unit or no kind of distance given before the first move, or the unit changed after it."""
    found = []
    for kind, code, name, words in (
        (UNIT, "unit-missing", "unit", "G20 or G21"),
        (DISTANCE, "distance-missing", "kind of distance", "G90 or G91"),
    ):
        mine = reading.events[reading.events[:, 0] == kind]
        if not len(mine) or mine[0, 3] > 0:
            text = f"no {name} is given before the first move: the controller takes what it was left with"
            line = int(reading.lines[0]) if len(reading.lines) else 1
            found.append(Fault(code, "caution", text, f"begin the program with {words}", line, 0))
    units = reading.events[reading.events[:, 0] == UNIT]
    later = units[1:][(units[1:, 1] != units[:-1, 1]) & (units[1:, 3] > 0)] if len(units) else units
    if len(later):
        line = int(later[0, 2])
        text = f"the unit changes in line {line}, in the middle of the program"
        found.append(Fault("unit-change", "caution", text, "write the program in one unit", line, int(later[0, 3])))
    return found


def _lengths(reading: Reading) -> list[Fault]:
    """A tool length offset of another tool than the one in the spindle."""
    for _, value, line, move in reading.events[reading.events[:, 0] == LENGTH]:
        at = min(int(move), len(reading.tools) - 1)
        tool = int(reading.tools[at]) if at >= 0 else 0
        if value >= 0 and tool > 0 and int(value) != tool:
            text = f"line {int(line)} takes the length of tool {int(value)} while tool {tool} is in the spindle"
            return [Fault("length-offset", "stop", text, f"call G43 H{tool}", int(line), int(move))]
    return []


def _skipped(reading: Reading) -> list[Fault]:
    """Lines with a slash, which a controller may leave out."""
    lines = reading.events[reading.events[:, 0] == SKIPPED]
    if not len(lines):
        return []
    line, move = int(lines[0, 2]), int(lines[0, 3])
    text = f"{len(lines)} lines begin with a slash, the first is line {line}: the controller may leave them out"
    return [
        Fault("lines-skipped", "caution", text, "take the slashes out; the proof cuts with these lines", line, move)
    ]


def program_faults(reading: Reading) -> tuple[Fault, ...]:
    """All faults of a program, stops first."""
    found = [*_spindle(reading), *_units(reading), *_lengths(reading), *_skipped(reading)]
    return tuple(sorted(found, key=lambda fault: ("stop", "caution", "note").index(fault.level)))
