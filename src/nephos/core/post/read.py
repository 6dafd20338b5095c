"""Reads RS-274 programs (ISO 6983 words) without knowing who wrote them.

Nothing here is shared with the writer: what is certified is what this finds in the text. The lexer (lex.py) finds the
words; the interpreter here keeps the state that a controller has and turns them into moves and events.
"""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F32, F64, I64, U8
from nephos.core.errors import Refused
from nephos.core.parallel import inlined, kernel
from nephos.core.post.known_words import check_bytes, check_words
from nephos.core.post.lex import words_of

_STATES = {
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
"""Kinds of events. What their value is: 20 or 21; 90 or 91; 3, 4 or 5; the number of the tool; that of the length offset,
-1 where it is taken off; seconds or what stands at P; 0 or 1; 7, 8 or 9; 54 to 59.3; none; 2 or 30; the number of the
tool that a tool change (M6) puts in; Z in machine coordinates (G53), mm; the corner tolerance (G64 P), mm, not a number
where none is given, 0 for the exact path; 93 or 94."""


@dataclass(frozen=True)
class Reading:
    """The moves of a program. `away` (n,) uint8, 1 for moves in the machine's own coordinates, of which the end is not
    known.

    `points` (n + 1, 3) float64 millimetres; coordinates not yet given are not a number. `rapid`
    (n,) uint8, `feeds` (n,) float32 mm/min, `lines` (n,) int64 from 1 (the chords of an arc share theirs), `tools` (n,)
    the tool in the spindle (of a program without tool changes the one selected last) and `speeds` (n,) the S in force. `angles` (n + 1,) float64, where the A word has the part, degrees; not a number
    where none was given. `inverse` (n,) uint8, 1 where F is inverse time (G93), in 1 / min. `events` (m, 4) float64: kind, value, line, and before which move it comes.
    """

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


@kernel
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
def _note(
    count: int,
    is_rapid: int,
    feed: float,
    line: int,
    tool: int,
    speed: float,
    angle: float,
    timed: bool,
    rapid: U8,
    feeds: F32,
    lines: I64,
    tools: I64,
    speeds: F32,
    angles: F64,
    inverse: U8,
) -> int:
    """Write down what is in force for one move; returns how many there are."""
    rapid[count] = 1 if is_rapid else 0
    feeds[count] = feed
    lines[count] = line
    tools[count] = tool
    speeds[count] = speed
    angles[count + 1] = angle
    inverse[count] = 1 if timed else 0
    return count + 1


@kernel
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
def _event(events: F64, count: int, kind: int, value: float, line: int, move: int) -> int:
    """Write down an event; returns how many there are."""
    events[count, 0], events[count, 1], events[count, 2], events[count, 3] = kind, value, line, move
    return count + 1


@inlined
def _differs(a: float, b: float) -> bool:
    """Whether one coordinate is another than before; one that was not known and is not known still is the same."""
    return a != b and (a == a or b == b)


@kernel
def _interpret(
    letters: U8,
    values: F64,
    word_lines: I64,
    points: F64,
    rapid: U8,
    feeds: F32,
    lines: I64,
    tools: I64,
    speeds: F32,
    away: U8,
    events: F64,
    angles: F64,
    inverse: U8,
    problem: I64,
    by_hand: bool,
) -> tuple[int, int]:
    """Moves and events of words; returns how many of each there are, -1 moves where the arrays are too short. Where a word
    cannot be followed, `problem` gets the state and the number of the word. `by_hand` : the program has no tool change, so
    that a T word says which tool is in the spindle."""
    n = len(letters)
    k = 0
    count = happened = 0
    x = y = z = a = np.nan
    timed = False
    angles[0] = np.nan
    motion = -1
    absolute = True
    scale = 1.0
    feed = 0.0
    tool = selected = 0
    speed = 0.0
    offset = 0.0
    ended = False
    points[0, 0] = points[0, 1] = points[0, 2] = np.nan
    while k < n:
        line = word_lines[k]
        begin = k
        nx = ny = nz = ni = nj = nr = na = nf = np.nan
        has = moveless = elsewhere = reference = dwells = lengthens = changes = smooths = False
        pause = np.nan
        number_h = -1.0
        while k < n and word_lines[k] == line:
            letter, value = letters[k], values[k]
            if value != value:
                problem[0], problem[1] = 3 if letter == 40 else 1, k
                return count, happened
            if letter == 88:
                nx = value
                has = True
            elif letter == 89:
                ny = value
                has = True
            elif letter == 90:
                nz = value
                has = True
            elif letter == 73:
                ni = value
                has = True
            elif letter == 74:
                nj = value
                has = True
            elif letter == 82:
                nr = value
                has = True
            elif letter == 65:
                na = value
                has = True
            elif letter == 70:
                nf = value
            elif letter == 83:
                speed = value
            elif letter == 84:
                selected = int(value)
                if by_hand:
                    tool = selected
                happened = _event(events, happened, 3, value, line, count)
            elif letter == 72:
                number_h = value
            elif letter == 80:
                pause = value
            elif letter == 47:
                happened = _event(events, happened, 9, 0.0, line, count)
            elif letter == 71:
                code = int(round(value * 10))
                if code == 0 or code == 10 or code == 20 or code == 30:
                    motion = code // 10
                elif code == 200 or code == 210:
                    scale = 25.4 if code == 200 else 1.0
                    happened = _event(events, happened, 0, value, line, count)
                elif code == 900 or code == 910:
                    absolute = code == 900
                    happened = _event(events, happened, 1, value, line, count)
                elif code == 930 or code == 940:
                    if timed != (code == 930):
                        feed = 0.0
                    timed = code == 930
                    happened = _event(events, happened, 14, value, line, count)
                elif code == 800:
                    motion = -1
                elif code == 610:
                    happened = _event(events, happened, 13, 0.0, line, count)
                elif code == 640:
                    smooths = True
                elif code == 40:
                    moveless = dwells = True
                elif code == 280 or code == 300:
                    elsewhere = reference = True
                elif code == 530:
                    elsewhere = True
                elif code == 430:
                    lengthens = True
                elif code == 490:
                    happened = _event(events, happened, 4, -1.0, line, count)
                elif 540 <= code <= 593:
                    if offset != 0.0 and offset != value and count > 0:
                        problem[0], problem[1] = 10, k
                        return count, happened
                    offset = value
                    happened = _event(events, happened, 8, value, line, count)
                elif not (code == 170 or code == 400 or code == 911):
                    problem[0], problem[1] = 2, k
                    return count, happened
            elif letter == 77:
                code = int(value)
                if 97 <= code <= 99:
                    # Calls of other programs: what they do is not known.
                    problem[0], problem[1] = 2, k
                    return count, happened
                if code == 0 or code == 1:
                    happened = _event(events, happened, 6, value, line, count)
                elif code == 2 or code == 30:
                    ended = True
                    happened = _event(events, happened, 10, value, line, count)
                elif 3 <= code <= 5:
                    happened = _event(events, happened, 2, value, line, count)
                elif code == 6:
                    changes = True
                elif 7 <= code <= 9:
                    happened = _event(events, happened, 7, value, line, count)
            elif not (letter == 78 or letter == 79):
                problem[0], problem[1] = 2, k
                return count, happened
            k += 1
        if nf == nf:
            feed = nf if timed else nf * scale
        if dwells:
            happened = _event(events, happened, 5, pause, line, count)
        if smooths:
            happened = _event(events, happened, 13, pause * scale, line, count)
        if changes:
            tool = selected
            happened = _event(events, happened, 11, tool, line, count)
        if lengthens:
            happened = _event(events, happened, 4, number_h, line, count)
        if ended and (elsewhere or (has and not moveless)):
            problem[0], problem[1] = 9, begin
            return count, happened
        if elsewhere:
            if count + 2 >= len(rapid):
                return -1, happened
            if reference:
                # Through the place that the line names, as a rapid.
                px = x if nx != nx else nx * scale if absolute else x + nx * scale
                py = y if ny != ny else ny * scale if absolute else y + ny * scale
                pz = z if nz != nz else nz * scale if absolute else z + nz * scale
                pa = a if na != na else na if absolute else a + na
                if has and (absolute or _differs(px, x) or _differs(py, y) or _differs(pz, z) or _differs(pa, a)):
                    x, y, z, a = px, py, pz, pa
                    points[count + 1, 0], points[count + 1, 1], points[count + 1, 2] = x, y, z
                    count = _note(
                        count, 1, 0.0, line, tool, speed, a, timed, rapid, feeds, lines, tools, speeds, angles, inverse
                    )
            elif nz == nz:
                happened = _event(events, happened, 12, nz * scale, line, count)
            # In the machine's own coordinates: where that is from the work zero is not known.
            a = np.nan if na == na or not has else a
            x = np.nan if nx == nx or not has else x
            y = np.nan if ny == ny or not has else y
            z = np.nan if nz == nz or not has else z
            points[count + 1, 0], points[count + 1, 1], points[count + 1, 2] = x, y, z
            away[count] = 1
            count = _note(
                count, 1, 0.0, line, tool, speed, a, timed, rapid, feeds, lines, tools, speeds, angles, inverse
            )
        elif has and not moveless:
            if motion < 2 and (ni == ni or nj == nj or nr == nr):
                problem[0], problem[1] = 13, begin
                return count, happened
            if motion < 0 or (motion >= 1 and feed <= 0.0):
                problem[0], problem[1] = 5 if motion < 0 else 4, begin
                return count, happened
            if timed and motion >= 1 and nf != nf:
                problem[0], problem[1] = 11, begin
                return count, happened
            if motion >= 2 and nr == nr and (ni == ni or nj == nj):
                problem[0], problem[1] = 14, begin
                return count, happened
            if motion >= 2 and na == na:
                problem[0], problem[1] = 12, begin
                return count, happened
            if motion >= 2:
                if not (ni == ni or nj == nj or nr == nr) or not (x == x and y == y):
                    problem[0], problem[1] = 7 if not (ni == ni or nj == nj or nr == nr) else 8, begin
                    return count, happened
                qx = x if nx != nx else nx * scale if absolute else x + nx * scale
                qy = y if ny != ny else ny * scale if absolute else y + ny * scale
                qz = z if nz != nz else nz * scale if absolute else z + nz * scale
                cx = x + (ni * scale if ni == ni else 0.0)
                cy = y + (nj * scale if nj == nj else 0.0)
                if not (ni == ni or nj == nj):
                    cx, cy = _centre_of_radius(x, y, qx, qy, nr * scale, motion == 2)
                if not abs(np.hypot(qx - cx, qy - cy) - np.hypot(x - cx, y - cy)) <= _OFF_CIRCLE:
                    problem[0], problem[1] = 6, begin
                    return count, happened
                parted, step = _chords(x, y, cx, cy, qx, qy, motion == 2)
                if count + parted + 1 >= len(rapid):
                    return -1, happened
                ax, ay = x - cx, y - cy
                for part in range(1, parted):
                    cos, sin = np.cos(part * step), np.sin(part * step)
                    points[count + 1, 0] = cx + cos * ax - sin * ay
                    points[count + 1, 1] = cy + sin * ax + cos * ay
                    points[count + 1, 2] = z + (qz - z) * part / parted
                    count = _note(
                        count, 0, feed, line, tool, speed, a, timed, rapid, feeds, lines, tools, speeds, angles, inverse
                    )
            if count + 1 >= len(rapid):
                return -1, happened
            if nx == nx:
                x = nx * scale if absolute else x + nx * scale
            if ny == ny:
                y = ny * scale if absolute else y + ny * scale
            if nz == nz:
                z = nz * scale if absolute else z + nz * scale
            if na == na:
                a = na if absolute else a + na
            points[count + 1, 0], points[count + 1, 1], points[count + 1, 2] = x, y, z
            rate = feed if motion >= 1 else 0.0
            count = _note(
                count,
                motion == 0,
                rate,
                line,
                tool,
                speed,
                a,
                timed,
                rapid,
                feeds,
                lines,
                tools,
                speeds,
                angles,
                inverse,
            )
    return count, happened


def read_program(text: bytes) -> Reading:
    """Parse a program.

    Understands straight moves (G0, G1) with A, feeds a minute (G94) and inverse time (G93), arcs on the level plane and helices (G2, G3 with I and J from their beginning, or
    R), which are given as chords within a thousandth of a millimetre, G20 and G21, G90 and G91, one work offset (G54 to
    G59.3), dwell, F, S, T, M words, tool length offsets, line numbers, and comments in brackets or behind a semicolon.
    After moves in the machine's own coordinates (G28, G30, G53) the axes that they name are not known.

    Raises
    ------
    Refused
        At the first word that it cannot follow, with its line: a program that is only half understood must not be
        certified. So at another plane, another work offset, G92, subprograms, and moves after the end of the program.
    """
    check_bytes(text)
    words = words_of(text)
    check_words(words, text)
    by_hand = not ((words.letters == ord("M")) & (words.values == 6.0)).any()
    most = text.count(b"\n") + 3
    count = -1
    while count < 0:
        points = np.empty((most + 1, 3))
        rapid, feeds = np.empty(most, np.uint8), np.empty(most, np.float32)
        lines, tools = np.empty(most, np.int64), np.empty(most, np.int64)
        speeds, away = np.empty(most, np.float32), np.zeros(most, np.uint8)
        angles, inverse = np.empty(most + 1), np.zeros(most, np.uint8)
        events, problem = np.empty((_most_events(words.letters) + 1, 4)), np.zeros(2, np.int64)
        count, happened = _interpret(
            words.letters,
            words.values,
            words.lines,
            points,
            rapid,
            feeds,
            lines,
            tools,
            speeds,
            away,
            events,
            angles,
            inverse,
            problem,
            by_hand,
        )
        most *= 2
    if problem[0]:
        at = int(words.starts[problem[1]])
        word = text[at : at + 24].split()[:1]
        shown = word[0].decode("ascii", "replace") if word else ""
        raise Refused(f"line {words.lines[problem[1]]}: {_STATES[int(problem[0])].format(word=shown)}")
    return Reading(
        points[: count + 1],
        rapid[:count],
        feeds[:count],
        lines[:count],
        tools[:count],
        speeds[:count],
        away[:count],
        events[:happened].copy(),
        angles[: count + 1],
        inverse[:count],
    )


def _most_events(letters: U8) -> int:
    """How many events words can make at most: G, M, T, H words and slashes, and one more for each G."""
    return int(2 * np.count_nonzero(np.isin(letters, (71, 77, 84, 72, 47, 90))))
