"""Reads RS-274 programs (ISO 6983 words) without knowing who wrote them.

Nothing here is shared with the writer: what is certified is what this finds in the text. The lexer (lex.py) finds the
words; the interpreter (interpret.py) keeps the state that a controller has and turns them into moves and events.
"""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F32, F64, I64, U8
from nephos.core.errors import Refused
from nephos.core.post.interpret import PROBLEMS, Moves, interpret, new_state
from nephos.core.post.known_words import check_bytes, check_words
from nephos.core.post.lex import words_of


@dataclass(frozen=True)
class Reading:
    """The moves of a program. `away` (n,) uint8, 1 for moves in the machine's own coordinates, of which the end is not
    known.

    `points` (n + 1, 3) float64 millimetres; coordinates not yet given are not a number. `rapid`
    (n,) uint8, `feeds` (n,) float32 mm/min, `lines` (n,) int64 from 1 (the chords of an arc share theirs), `tools` (n,)
    the tool in the spindle (of a program without tool changes the one selected last) and `speeds` (n,) the S in force.
    `angles` (n + 1,) float64, where the A word has the part, degrees; not a number where none was given. `inverse` (n,)
    uint8, 1 where F is inverse time (G93), in 1 / min. `events` (m, 4) float64: kind, value, line, and before which
    move it comes.
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


def read_program(text: bytes) -> Reading:
    """Parse a program.

    Understands straight moves (G0, G1) with A, feeds a minute (G94) and inverse time (G93), arcs on the level plane and
    helices (G2, G3 with I and J from their beginning, or R), which are given as chords within a thousandth of a
    millimetre, G20 and G21, G90 and G91, one work offset (G54 to G59.3), dwell, F, S, T, M words, tool length offsets,
    line numbers, and comments in brackets or behind a semicolon. After moves in the machine's own coordinates (G28,
    G30, G53) the axes that they name are not known.

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
        out = Moves(
            points=np.full((most + 1, 3), np.nan),
            rapid=np.empty(most, np.uint8),
            feeds=np.empty(most, np.float32),
            lines=np.empty(most, np.int64),
            tools=np.empty(most, np.int64),
            speeds=np.empty(most, np.float32),
            away=np.zeros(most, np.uint8),
            events=np.empty((_most_events(words.letters) + 1, 4)),
            angles=np.full(most + 1, np.nan),
            inverse=np.zeros(most, np.uint8),
        )
        count, happened, problem, at_word = interpret(words.letters, words.values, words.lines, new_state(by_hand), out)
        most *= 2
    if problem:
        at = int(words.starts[at_word])
        word = text[at : at + 24].split()[:1]
        shown = word[0].decode("ascii", "replace") if word else ""
        raise Refused(f"line {words.lines[at_word]}: {PROBLEMS[problem].format(word=shown)}")
    return Reading(
        points=out.points[: count + 1],
        rapid=out.rapid[:count],
        feeds=out.feeds[:count],
        lines=out.lines[:count],
        tools=out.tools[:count],
        speeds=out.speeds[:count],
        away=out.away[:count],
        events=out.events[:happened].copy(),
        angles=out.angles[: count + 1],
        inverse=out.inverse[:count],
    )


def _most_events(letters: U8) -> int:
    """How many events words can make at most: G, M, T, H words and slashes, and one more for each G."""
    return int(2 * np.count_nonzero(np.isin(letters, (71, 77, 84, 72, 47, 90))))
