"""What the words of a program make a machine do (RS274/NGC; ISO 6983): from words to moves and events.

A line is read word by word into slots, then it acts: settings first, then its move. Tables say which slot a letter
fills and which action a G or M code stands for; a code that has none there cannot be followed."""

from typing import Any, NamedTuple

import numpy as np

from nephos.core.arrays import F32, F64, I64, U8
from nephos.core.parallel import inlined, kernel

_CHORD = 0.001
"""How far (mm) the chords that stand for an arc may lie off it."""
_OFF_CIRCLE = 0.02
"""How far (mm) the end of an arc may lie off its circle by rounding."""

(
    UNIT,
    DISTANCE,
    SPINDLE,
    TOOL,
    LENGTH,
    DWELL,
    PAUSE,
    COOLANT,
    OFFSET,
    SKIPPED,
    END,
    CHANGE,
    MACHINE_Z,
    PATH,
    FEED_MODE,
) = range(15)
"""Kinds of events. What their value is: 20 or 21; 90 or 91; 3, 4 or 5; the number of the tool; that of the length
offset, -1 where it is taken off; seconds or what stands at P; 0 or 1; 7, 8 or 9; 54 to 59.3; none; 2 or 30; the number
of the tool that a tool change (M6) puts in; Z in machine coordinates (G53), mm; the corner tolerance (G64 P), mm, not a
number where none is given, 0 for the exact path; 93 or 94."""

PROBLEMS = {
    1: "the number '{word}' cannot be read",
    2: "the word '{word}' is none that Nephos can follow",
    3: "a comment is not closed",
    4: "there is a feed move before any feed was given",
    5: "there is a move before G0 or G1 was given",
    6: "the arc's end does not lie on its circle",
    7: "the arc has no centre (I and J) and no radius (R)",
    8: "the arc begins where the cutter is not known to be",
    9: "there is a move after the end of the program",
    11: "under inverse time (G93) each feed move needs its own F",
    12: "an arc moves the rotary axis",
    10: "the work offset changes in the middle of the program ({word}): only one work zero is known",
    13: "I, J or R stands beside a move that is no arc",
    14: "an arc has both a centre (I and J) and a radius (R)",
}
"""Why a program cannot be followed, by number."""
(
    _NO_NUMBER, _UNKNOWN, _OPEN, _NO_FEED, _NO_MOTION, _OFF, _NO_CENTRE, _NOWHERE, _AFTER_END, _NEW_OFFSET, _NO_TIME,
    _ARC_A, _NO_ARC, _TWO_CENTRES,
) = range(1, 15)  # fmt: skip
_FULL = -1
"""The arrays are too short."""

# Slots that the words of a line fill. Not a number: not given.
X, Y, Z, A, CENTRE_X, CENTRE_Y, R, F, H, P = range(10)
_SLOTS = 10
_NONE = -1
_LETTER_SLOT = np.full(128, _NONE, np.int64)
"""The slot of a letter, by its ASCII code."""
for _letter, _slot in (
    ("X", X),
    ("Y", Y),
    ("Z", Z),
    ("A", A),
    ("I", CENTRE_X),
    ("J", CENTRE_Y),
    ("R", R),
    ("F", F),
    ("H", H),
    ("P", P),
):
    _LETTER_SLOT[ord(_letter)] = _slot

(
    _G_UNKNOWN, _G_NOTHING, _G_MOTION, _G_NO_MOTION, _G_UNIT, _G_DISTANCE, _G_FEED_MODE, _G_EXACT, _G_SMOOTH, _G_DWELL,
    _G_REFERENCE, _G_MACHINE, _G_LENGTH, _G_NO_LENGTH, _G_OFFSET,
) = range(15)  # fmt: skip
_G_ACTION = np.full(1000, _G_UNKNOWN, np.int64)
"""What a G code does, by ten times its number. G17, G40 and G91.1 are what is in force anyway."""
for _codes, _action in (
    ((170, 400, 911), _G_NOTHING),
    ((0, 10, 20, 30), _G_MOTION),
    ((800,), _G_NO_MOTION),
    ((200, 210), _G_UNIT),
    ((900, 910), _G_DISTANCE),
    ((930, 940), _G_FEED_MODE),
    ((610,), _G_EXACT),
    ((640,), _G_SMOOTH),
    ((40,), _G_DWELL),
    ((280, 300), _G_REFERENCE),
    ((530,), _G_MACHINE),
    ((430,), _G_LENGTH),
    ((490,), _G_NO_LENGTH),
    (tuple(range(540, 594)), _G_OFFSET),
):
    _G_ACTION[list(_codes)] = _action

_M_NOTHING, _M_PAUSE, _M_END, _M_SPINDLE, _M_CHANGE, _M_COOLANT, _M_CALL = range(7)
_M_ACTION = np.full(100, _M_NOTHING, np.int64)
"""What an M code does, by its number. What calls of other programs (M97 to M99) do is not known."""
for _codes, _action in (
    ((0, 1), _M_PAUSE),
    ((2, 30), _M_END),
    ((3, 4, 5), _M_SPINDLE),
    ((6,), _M_CHANGE),
    ((7, 8, 9), _M_COOLANT),
    ((97, 98, 99), _M_CALL),
):
    _M_ACTION[list(_codes)] = _action

# What a line asks for besides filling slots.
_MOVES, _DWELLS, _SMOOTHS, _CHANGES, _LENGTHENS, _ELSEWHERE, _BY_REFERENCE, _FLAGS = range(8)


class Moves(NamedTuple):
    """Arrays that moves and events are written to, as in :class:`nephos.core.post.read.Reading`."""

    points: F64
    rapid: U8
    feeds: F32
    lines: I64
    tools: I64
    speeds: F32
    away: U8
    events: F64
    angles: F64
    inverse: U8


_STATE = np.dtype(
    [
        ("at", np.float64, 4),
        ("slots", np.float64, _SLOTS),
        ("flags", np.uint8, _FLAGS),
        ("feed", np.float64),
        ("speed", np.float64),
        ("scale", np.float64),
        ("work_offset", np.float64),
        ("count", np.int64),
        ("happened", np.int64),
        ("motion", np.int64),
        ("absolute", np.int64),
        ("timed", np.int64),
        ("tool", np.int64),
        ("selected", np.int64),
        ("ended", np.int64),
        ("by_hand", np.int64),
    ],
    align=True,
)
"""What is in force. `at` : X, Y, Z, A of the tip, not a number where it is not known. `slots`, `flags` : of the line
that is read. `scale` : millimetres of a unit. `count`, `happened` : moves and events so far. A record: numba reads its
fields without counting references, which would take longer than all else here."""
State = Any
"""A record of :data:`_STATE`."""


def new_state(by_hand: bool) -> np.ndarray:
    """The state (1,) before a program. `by_hand` : it has no tool change, so that a T word says which tool is in the
    spindle."""
    state = np.zeros(1, _STATE)
    state["at"], state["slots"], state["scale"] = np.nan, np.nan, 1.0
    state["motion"], state["absolute"], state["by_hand"] = -1, 1, by_hand
    return state


@inlined
def _event(out: Moves, state: State, kind: int, value: float, line: int) -> None:
    """Write down an event."""
    k = state.happened
    out.events[k, 0], out.events[k, 1], out.events[k, 2], out.events[k, 3] = kind, value, line, state.count
    state.happened = k + 1


@inlined
def _note(out: Moves, state: State, is_rapid: bool, line: int) -> None:
    """Write down what is in force for one move, whose end is written already."""
    count = state.count
    out.rapid[count] = 1 if is_rapid else 0
    out.feeds[count] = 0.0 if is_rapid else state.feed
    out.lines[count] = line
    out.tools[count] = state.tool
    out.speeds[count] = state.speed
    out.angles[count + 1] = state.at[A]
    out.inverse[count] = state.timed
    state.count = count + 1


@inlined
def _note_here(out: Moves, state: State, is_rapid: bool, line: int) -> None:
    """Write down a move to where the tip is now."""
    count = state.count
    for axis in range(3):
        out.points[count + 1, axis] = state.at[axis]
    _note(out, state, is_rapid, line)


@inlined
def _target(state: State, axis: int) -> float:
    """Where the line takes an axis; where it is already, if the line does not name it. Angles have no unit."""
    value, here = state.slots[axis], state.at[axis]
    if value != value:
        return here
    if axis != A:
        value *= state.scale
    return value if state.absolute == 1 else here + value


@inlined
def _take_g(out: Moves, state: State, value: float, line: int) -> int:
    """Take a G word; returns a problem, or 0."""
    flags = state.flags
    code = int(round(value * 10))
    action = _G_ACTION[code] if 0 <= code < len(_G_ACTION) else _G_UNKNOWN
    if action == _G_UNKNOWN:
        return _UNKNOWN
    if action == _G_MOTION:
        state.motion = code // 10
    elif action == _G_NO_MOTION:
        state.motion = -1
    elif action == _G_UNIT:
        state.scale = 25.4 if code == 200 else 1.0
        _event(out, state, UNIT, value, line)
    elif action == _G_DISTANCE:
        state.absolute = 1 if code == 900 else 0
        _event(out, state, DISTANCE, value, line)
    elif action == _G_FEED_MODE:
        timed = 1 if code == 930 else 0
        if state.timed != timed:
            state.feed = 0.0
        state.timed = timed
        _event(out, state, FEED_MODE, value, line)
    elif action == _G_OFFSET:
        if state.work_offset != 0.0 and state.work_offset != value and state.count > 0:
            return _NEW_OFFSET
        state.work_offset = value
        _event(out, state, OFFSET, value, line)
    elif action == _G_EXACT:
        _event(out, state, PATH, 0.0, line)
    elif action == _G_NO_LENGTH:
        _event(out, state, LENGTH, -1.0, line)
    else:
        _flag(flags, action)
    return 0


@inlined
def _flag(flags: U8, action: int) -> None:
    """Note what a G code asks of the line as a whole, once all its words are read."""
    if action == _G_SMOOTH:
        flags[_SMOOTHS] = 1
    elif action == _G_DWELL:
        flags[_DWELLS] = 1
    elif action == _G_LENGTH:
        flags[_LENGTHENS] = 1
    elif action == _G_REFERENCE:
        flags[_ELSEWHERE] = flags[_BY_REFERENCE] = 1
    elif action == _G_MACHINE:
        flags[_ELSEWHERE] = 1


@inlined
def _take_m(out: Moves, state: State, value: float, line: int) -> int:
    """Take an M word; returns a problem, or 0."""
    code = int(value)
    action = _M_ACTION[code] if 0 <= code < len(_M_ACTION) else _M_NOTHING
    if action == _M_CALL:
        return _UNKNOWN
    if action == _M_PAUSE:
        _event(out, state, PAUSE, value, line)
    elif action == _M_END:
        state.ended = 1
        _event(out, state, END, value, line)
    elif action == _M_SPINDLE:
        _event(out, state, SPINDLE, value, line)
    elif action == _M_CHANGE:
        state.flags[_CHANGES] = 1
    elif action == _M_COOLANT:
        _event(out, state, COOLANT, value, line)
    return 0


@inlined
def _take_word(out: Moves, state: State, letter: int, value: float, line: int) -> int:
    """Take a word of a line; returns a problem, or 0."""
    if value != value:
        return _OPEN if letter == 40 else _NO_NUMBER
    slot = _LETTER_SLOT[letter] if letter < 128 else _NONE
    if slot != _NONE:
        state.slots[slot] = value
        if slot < F:
            state.flags[_MOVES] = 1
        return 0
    if letter == 71:
        return _take_g(out, state, value, line)
    if letter == 77:
        return _take_m(out, state, value, line)
    if letter == 83:
        state.speed = value
    elif letter == 84:
        state.selected = int(value)
        if state.by_hand == 1:
            state.tool = state.selected
        _event(out, state, TOOL, value, line)
    elif letter == 47:
        _event(out, state, SKIPPED, 0.0, line)
    elif letter not in (78, 79):
        return _UNKNOWN
    return 0


@inlined
def _chords(x: float, y: float, cx: float, cy: float, qx: float, qy: float, clockwise: bool) -> tuple[int, float]:
    """How many chords stand for an arc, and the angle of each; a full turn where it ends where it began."""
    a = np.arctan2(y - cy, x - cx)
    sweep = np.arctan2(qy - cy, qx - cx) - a
    if clockwise:
        sweep = -sweep
    while sweep <= 1e-9:
        sweep += 2 * np.pi
    r = np.hypot(x - cx, y - cy)
    most = 2 * np.arccos(max(1.0 - _CHORD / max(r, _CHORD), -1.0))
    count = max(int(np.ceil(sweep / most)), 1)
    return count, (-sweep if clockwise else sweep) / count


@inlined
def _centre_of_radius(x: float, y: float, qx: float, qy: float, r: float, clockwise: bool) -> tuple[float, float]:
    """Centre of an arc given by its radius; a negative one takes the longer way round. Not a number where there is
    none."""
    dx, dy = qx - x, qy - y
    d2 = dx * dx + dy * dy
    h2 = r * r - d2 / 4.0
    if d2 == 0.0 or h2 < -_OFF_CIRCLE * abs(r):
        return np.nan, np.nan
    h = np.sqrt(max(h2, 0.0) / d2)
    if clockwise != (r < 0.0):
        h = -h
    return x + dx / 2.0 - h * dy, y + dy / 2.0 + h * dx


@inlined
def _along_arc(out: Moves, state: State, line: int) -> int:
    """Write down all chords of an arc but the last one; returns a problem, or 0."""
    slots, scale, clockwise = state.slots, state.scale, state.motion == 2
    x, y, z = state.at[X], state.at[Y], state.at[Z]
    by_centre = slots[CENTRE_X] == slots[CENTRE_X] or slots[CENTRE_Y] == slots[CENTRE_Y]
    if not by_centre and slots[R] != slots[R]:
        return _NO_CENTRE
    if not (x == x and y == y):
        return _NOWHERE
    qx, qy, qz = _target(state, X), _target(state, Y), _target(state, Z)
    cx = x + (slots[CENTRE_X] * scale if slots[CENTRE_X] == slots[CENTRE_X] else 0.0)
    cy = y + (slots[CENTRE_Y] * scale if slots[CENTRE_Y] == slots[CENTRE_Y] else 0.0)
    if not by_centre:
        cx, cy = _centre_of_radius(x, y, qx, qy, slots[R] * scale, clockwise)
    if not abs(np.hypot(qx - cx, qy - cy) - np.hypot(x - cx, y - cy)) <= _OFF_CIRCLE:
        return _OFF
    parted, step = _chords(x, y, cx, cy, qx, qy, clockwise)
    if state.count + parted + 1 >= len(out.rapid):
        return _FULL
    ax, ay = x - cx, y - cy
    for part in range(1, parted):
        cos, sin = np.cos(part * step), np.sin(part * step)
        count = state.count
        out.points[count + 1, 0] = cx + cos * ax - sin * ay
        out.points[count + 1, 1] = cy + sin * ax + cos * ay
        out.points[count + 1, 2] = z + (qz - z) * part / parted
        _note(out, state, False, line)
    return 0


@inlined
def _cannot_move(state: State) -> int:
    """Why the move of a line cannot be followed; 0 where it can."""
    slots, motion = state.slots, state.motion
    by_centre, by_radius = (
        slots[CENTRE_X] == slots[CENTRE_X] or slots[CENTRE_Y] == slots[CENTRE_Y],
        slots[R] == slots[R],
    )
    if motion < 2 and (by_centre or by_radius):
        return _NO_ARC
    if motion < 0:
        return _NO_MOTION
    if motion >= 1 and state.feed <= 0.0:
        return _NO_FEED
    if motion >= 1 and state.timed == 1 and slots[F] != slots[F]:
        return _NO_TIME
    if motion >= 2 and by_radius and by_centre:
        return _TWO_CENTRES
    if motion >= 2 and slots[A] == slots[A]:
        return _ARC_A
    return 0


@inlined
def _move(out: Moves, state: State, line: int) -> int:
    """Write down the move of a line; returns a problem, or 0."""
    problem = _cannot_move(state)
    if problem == 0 and state.motion >= 2:
        problem = _along_arc(out, state, line)
    if problem != 0:
        return problem
    if state.count + 1 >= len(out.rapid):
        return _FULL
    for axis in range(4):
        state.at[axis] = _target(state, axis)
    _note_here(out, state, state.motion == 0, line)
    return 0


@inlined
def _differs(a: float, b: float) -> bool:
    """Whether one coordinate is another than before; one that was not known and is not known still is the same."""
    return a != b and (a == a or b == b)


@inlined
def _move_away(out: Moves, state: State, line: int) -> int:
    """Write down a move in the machine's own coordinates: where it ends is not known. Returns a problem, or 0."""
    slots, at, has = state.slots, state.at, state.flags[_MOVES] == 1
    if state.count + 2 >= len(out.rapid):
        return _FULL
    if state.flags[_BY_REFERENCE] == 1:
        # Through the place that the line names, as a rapid.
        moved = state.absolute == 1
        for axis in range(4):
            moved = moved or _differs(_target(state, axis), at[axis])
        if has and moved:
            for axis in range(4):
                at[axis] = _target(state, axis)
            _note_here(out, state, True, line)
    elif slots[Z] == slots[Z]:
        _event(out, state, MACHINE_Z, slots[Z] * state.scale, line)
    for axis in range(4):
        if slots[axis] == slots[axis] or not has:
            at[axis] = np.nan
    out.away[state.count] = 1
    _note_here(out, state, True, line)
    return 0


@inlined
def _end_line(out: Moves, state: State, line: int) -> int:
    """Do what a line asks for, once all its words are read; returns a problem, or 0."""
    slots, flags, scale = state.slots, state.flags, state.scale
    if slots[F] == slots[F]:
        state.feed = slots[F] if state.timed == 1 else slots[F] * scale
    if flags[_DWELLS] == 1:
        _event(out, state, DWELL, slots[P], line)
    if flags[_SMOOTHS] == 1:
        _event(out, state, PATH, slots[P] * scale, line)
    if flags[_CHANGES] == 1:
        state.tool = state.selected
        _event(out, state, CHANGE, state.tool, line)
    if flags[_LENGTHENS] == 1:
        _event(out, state, LENGTH, slots[H] if slots[H] == slots[H] else -1.0, line)
    moves = flags[_MOVES] == 1 and flags[_DWELLS] == 0
    if state.ended == 1 and (flags[_ELSEWHERE] == 1 or moves):
        return _AFTER_END
    if flags[_ELSEWHERE] == 1:
        return _move_away(out, state, line)
    return _move(out, state, line) if moves else 0


@kernel
def interpret(letters: U8, values: F64, word_lines: I64, states: np.ndarray, out: Moves) -> tuple[int, int, int, int]:
    """Moves and events of words; returns how many of each there are, -1 moves where the arrays are too short. Then the
    number of a problem, 0 without one, and the number of the word that it lies at."""
    state = states[0]
    slots, flags = state.slots, state.flags
    k, n = 0, len(letters)
    while k < n:
        line, begin = word_lines[k], k
        for slot in range(_SLOTS):
            slots[slot] = np.nan
        for flag in range(_FLAGS):
            flags[flag] = 0
        while k < n and word_lines[k] == line:
            problem = _take_word(out, state, letters[k], values[k], line)
            if problem != 0:
                return state.count, state.happened, problem, k
            k += 1
        problem = _end_line(out, state, line)
        if problem == _FULL:
            return -1, state.happened, 0, 0
        if problem != 0:
            return state.count, state.happened, problem, begin
    return state.count, state.happened, 0, 0
