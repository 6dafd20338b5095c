"""Reads RS-274 programs (ISO 6983 words) without knowing who wrote them.

Nothing here is shared with the writer: what is shown, timed and certified is what this finds in
the text.
"""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F32, F64, I64, U8
from nephos.core.bands import inlined, kernel
from nephos.core.errors import Refused

_STATES = {
    1: "the number '{word}' cannot be read",
    2: "the word '{word}' is none that Nephos can follow",
    3: "a comment is not closed",
    4: "there is a feed move before any feed was given",
    5: "there is a move before G0 or G1 was given",
    6: "the arc's end does not lie on its circle",
    7: "the arc has no centre (I and J) and no radius (R)",
    8: "the arc begins where the cutter is not known to be",
}
_CHORD = 0.001
"""How far (mm) the chords that stand for an arc may lie off it."""
_OFF_CIRCLE = 0.02
"""How far (mm) the end of an arc may lie off its circle by rounding."""


@dataclass(frozen=True)
class Reading:
    """The moves of a program. `away` (n,) uint8, 1 for moves in the machine's own coordinates, of which the end is not known.

    `points` (n + 1, 3) float64 millimetres; coordinates not yet given are not a number. `rapid`
    (n,) uint8, `feeds` (n,) float32 mm/min, `lines` (n,) int64 from 1 (the chords of an arc share theirs), `tools` (n,) and
    `speeds` (n,) the T and S in force.
    """

    points: F64
    rapid: U8
    feeds: F32
    lines: I64
    tools: I64
    speeds: F32
    away: U8


@kernel
def _chords(x, y, cx, cy, qx, qy, clockwise):  # type: ignore[no-untyped-def]
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
def _note(count, is_rapid, feed, line, tool, speed, rapid, feeds, lines, tools, speeds):  # type: ignore[no-untyped-def]
    """Write down what is in force for one move; returns how many there are."""
    rapid[count] = 1 if is_rapid else 0
    feeds[count] = feed
    lines[count] = line
    tools[count] = tool
    speeds[count] = speed
    return count + 1


@kernel
def _centre_of_radius(x, y, qx, qy, r, clockwise):  # type: ignore[no-untyped-def]
    """Centre of an arc given by its radius; a negative one takes the longer way round. Not a number where there is none."""
    dx, dy = qx - x, qy - y
    d2 = dx * dx + dy * dy
    h2 = r * r - d2 / 4.0
    if d2 == 0.0 or h2 < -_OFF_CIRCLE * abs(r):
        return np.nan, np.nan
    h = np.sqrt(max(h2, 0.0) / d2)
    if clockwise != (r < 0.0):
        h = -h
    return x + dx / 2.0 - h * dy, y + dy / 2.0 + h * dx


@kernel
def _read(text, points, rapid, feeds, lines, tools, speeds, away, problem):  # type: ignore[no-untyped-def]
    n = len(text)
    k = 0
    line = 1
    count = 0
    x = y = z = np.nan
    motion = -1
    absolute = True
    scale = 1.0
    feed = 0.0
    tool = 0
    speed = 0.0
    points[0, 0] = points[0, 1] = points[0, 2] = np.nan
    nx = ny = nz = ni = nj = nr = np.nan
    has = False
    moveless = False
    elsewhere = False
    while k <= n:
        c = text[k] if k < n else 10
        if c == 10:
            if elsewhere:
                # In the machine's own coordinates: where that is from the work zero is not known.
                if count + 1 >= len(rapid):
                    return -1
                x = np.nan if nx == nx or not has else x
                y = np.nan if ny == ny or not has else y
                z = np.nan if nz == nz or not has else z
                points[count + 1, 0], points[count + 1, 1], points[count + 1, 2] = x, y, z
                away[count] = 1
                count = _note(count, 1, 0.0, line, tool, speed, rapid, feeds, lines, tools, speeds)
            elif has and not moveless:
                if motion < 0:
                    problem[0], problem[1], problem[2] = 5, line, k
                    return count
                if motion >= 1 and feed <= 0.0:
                    problem[0], problem[1], problem[2] = 4, line, k
                    return count
                if motion >= 2:
                    if not (ni == ni or nj == nj or nr == nr):
                        problem[0], problem[1], problem[2] = 7, line, k
                        return count
                    if not (x == x and y == y):
                        problem[0], problem[1], problem[2] = 8, line, k
                        return count
                    qx = x if nx != nx else nx * scale if absolute else x + nx * scale
                    qy = y if ny != ny else ny * scale if absolute else y + ny * scale
                    qz = z if nz != nz else nz * scale if absolute else z + nz * scale
                    cx = x + (ni * scale if ni == ni else 0.0)
                    cy = y + (nj * scale if nj == nj else 0.0)
                    if not (ni == ni or nj == nj):
                        cx, cy = _centre_of_radius(x, y, qx, qy, nr * scale, motion == 2)
                    if not abs(np.hypot(qx - cx, qy - cy) - np.hypot(x - cx, y - cy)) <= _OFF_CIRCLE:
                        problem[0], problem[1], problem[2] = 6, line, k
                        return count
                    parted, step = _chords(x, y, cx, cy, qx, qy, motion == 2)
                    if count + parted + 1 >= len(rapid):
                        return -1
                    ax, ay = x - cx, y - cy
                    for part in range(1, parted):
                        cos, sin = np.cos(part * step), np.sin(part * step)
                        points[count + 1, 0] = cx + cos * ax - sin * ay
                        points[count + 1, 1] = cy + sin * ax + cos * ay
                        points[count + 1, 2] = z + (qz - z) * part / parted
                        count = _note(count, 0, feed, line, tool, speed, rapid, feeds, lines, tools, speeds)
                if count + 1 >= len(rapid):
                    return -1
                if nx == nx:
                    x = nx * scale if absolute else x + nx * scale
                if ny == ny:
                    y = ny * scale if absolute else y + ny * scale
                if nz == nz:
                    z = nz * scale if absolute else z + nz * scale
                points[count + 1, 0] = x
                points[count + 1, 1] = y
                points[count + 1, 2] = z
                count = _note(count, motion == 0, feed if motion >= 1 else 0.0, line, tool, speed, rapid, feeds, lines, tools, speeds)
            nx = ny = nz = ni = nj = nr = np.nan
            has = False
            moveless = False
            elsewhere = False
            line += 1
            k += 1
            continue
        if c <= 32 or c == 37 or c == 47:
            k += 1
            continue
        if c == 59:
            while k < n and text[k] != 10:
                k += 1
            continue
        if c == 40:
            begin = k
            while k < n and text[k] != 41 and text[k] != 10:
                k += 1
            if k >= n or text[k] == 10:
                problem[0], problem[1], problem[2] = 3, line, begin
                return count
            k += 1
            continue
        begin = k
        letter = c - 32 if 97 <= c <= 122 else c
        k += 1
        while k < n and text[k] == 32:
            k += 1
        sign = 1.0
        if k < n and (text[k] == 43 or text[k] == 45):
            if text[k] == 45:
                sign = -1.0
            k += 1
        whole = np.int64(0)
        parts = np.int64(0)
        tens = 1.0
        digits = 0
        while k < n and 48 <= text[k] <= 57:
            whole = whole * 10 + (text[k] - 48)
            digits += 1
            k += 1
        if k < n and text[k] == 46:
            k += 1
            while k < n and 48 <= text[k] <= 57:
                if tens < 1e15:
                    parts = parts * 10 + (text[k] - 48)
                    tens *= 10.0
                digits += 1
                k += 1
        if digits == 0:
            problem[0], problem[1], problem[2] = 1, line, begin
            return count
        value = sign * (whole + parts / tens)
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
        elif letter == 70:
            feed = value * scale
        elif letter == 83:
            speed = value
        elif letter == 84:
            tool = int(value)
        elif letter == 71:
            code = int(round(value * 10))
            if code == 0 or code == 10 or code == 20 or code == 30:
                motion = code // 10
            elif code == 200:
                scale = 25.4
            elif code == 210:
                scale = 1.0
            elif code == 900:
                absolute = True
            elif code == 910:
                absolute = False
            elif code == 40:
                moveless = True
            elif code == 280 or code == 300 or code == 530:
                elsewhere = True
            elif not (code == 170 or code == 940 or code == 400 or code == 430 or code == 490 or code == 610 or code == 640 or code == 800
                      or code == 911 or (540 <= code <= 593)):
                problem[0], problem[1], problem[2] = 2, line, begin
                return count
        elif letter == 77 and 97 <= int(value) <= 98:
            # Calls of other programs: what they do is not known.
            problem[0], problem[1], problem[2] = 2, line, begin
            return count
        elif letter == 68 or letter == 72 or letter == 76 or 77 <= letter <= 80:
            pass
        else:
            problem[0], problem[1], problem[2] = 2, line, begin
            return count
    return count


def read_program(text: bytes) -> Reading:
    """Parse a program.

    Understands straight moves (G0, G1), arcs on the level plane and helices (G2, G3 with I and J from their beginning, or R), which are
    given as chords within a thousandth of a millimetre, G20 and G21, G90 and G91, dwell, F, S, T, M words, line
    numbers, comments in brackets or behind a semicolon, and words of the plane and offsets that
    change nothing here. After moves in the machine's own coordinates (G28, G30, G53) the axes that they name are not known.

    Raises
    ------
    Refused
        At the first word that it cannot follow, with its line: a program that is only half
        understood must not be certified.
    """
    data = np.frombuffer(text, np.uint8)
    most = text.count(b"\n") + 3
    count = -1
    while count < 0:
        points = np.empty((most + 1, 3))
        rapid, feeds = np.empty(most, np.uint8), np.empty(most, np.float32)
        lines, tools = np.empty(most, np.int64), np.empty(most, np.int64)
        speeds, away = np.empty(most, np.float32), np.zeros(most, np.uint8)
        problem = np.zeros(3, np.int64)
        count = _read(data, points, rapid, feeds, lines, tools, speeds, away, problem)
        most *= 2
    if problem[0]:
        word = text[problem[2] : problem[2] + 24].split()[:1]
        shown = word[0].decode("ascii", "replace") if word else ""
        raise Refused(f"line {problem[1]}: {_STATES[int(problem[0])].format(word=shown)}")
    return Reading(points[: count + 1], rapid[:count], feeds[:count], lines[:count], tools[:count], speeds[:count], away[:count])
