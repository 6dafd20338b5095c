"""Programs that a controller takes and that cannot be verified: each is refused or gets a finding, none is passed over."""

import numpy as np
import pytest

from nephos.core.errors import Refused
from nephos.core.post.faults import program_faults
from nephos.core.post.lex import words_of
from nephos.core.post.read import DWELL, OFFSET, PAUSE, SPINDLE, TOOL, read_program

HEAD = "G21 G90 G17\nT1 M6\nS12000 M3\nG0 Z5\nX0 Y0\n"
SOUND = HEAD + "G1 Z-1 F300\nX20 F900\nG0 Z5\nM5\nM30\n"


def faults(text: str) -> list[tuple[str, str, int]]:
    return [(fault.code, fault.level, fault.line) for fault in program_faults(read_program(text.encode()))]


def test_a_sound_program_has_no_fault() -> None:
    assert faults(SOUND) == []


REFUSED = [
    ("G55 after moves in G54", "G54\n" + HEAD + "G55\nG1 X5 F100\n", "line 7: the work offset changes"),
    ("an offset that comes late", HEAD + "G54\nG1 X5 F100\nG56\nX9\n", "line 8: the work offset changes"),
    ("G92", HEAD + "G92 X0\n", "none that Nephos can follow"),
    ("G10", HEAD + "G10 L2 P1 X5\n", "none that Nephos can follow"),
    ("moves after M30", SOUND + "G0 X50\n", "line 11: there is a move after the end"),
    ("moves after M2", HEAD + "M2\nX5\n", "after the end"),
    ("machine moves after M30", SOUND + "G53 G0 Z0\n", "after the end"),
    ("another plane", HEAD + "G18\nG2 X5 Z0 I2 K0 F100\n", "none that Nephos can follow"),
    ("no feed", HEAD + "G1 X5\n", "before any feed"),
    ("no G0 or G1", "G21 G90\nX5 Y5\n", "before G0 or G1"),
    ("a subprogram", HEAD + "M98 P100\n", "none that Nephos can follow"),
    ("a canned cycle", HEAD + "G81 X1 Y1 Z-3 R2 F100\n", "none that Nephos can follow"),
    ("cutter compensation", HEAD + "G41 D1\n", "none that Nephos can follow"),
    ("a variable", HEAD + "#1=5\n", "line 6: "),
    ("an arc with A", HEAD + "G1 F100 X0 Y0\nG2 X2 I1 A1\n", "an arc moves the rotary axis"),
    ("inverse time without its feed", HEAD + "G93\nG1 X5 F2\nX6\n", "each feed move needs its own F"),
    ("a comment that never ends", HEAD + "(half of it\nG1 X5 F9\n", "a comment is not closed"),
]


@pytest.mark.parametrize(("text", "said"), [item[1:] for item in REFUSED], ids=[item[0] for item in REFUSED])
def test_what_cannot_be_followed_is_refused(text: str, said: str) -> None:
    with pytest.raises(Refused, match=said):
        read_program(text.encode())


FAULTS = [
    ("the spindle is off", SOUND.replace("S12000 M3\n", "").replace("M5\n", "S9 M3\n"), [("spindle-off", "stop", 5)]),
    ("the spindle stops", SOUND.replace("X20 F900", "M5\nX20 F900"), [("spindle-off", "stop", 8)]),
    ("no spindle at all", SOUND.replace("S12000 M3\n", ""), [("spindle-by-hand", "caution", 5)]),
    ("no speed", SOUND.replace("S12000 M3", "M3"), [("spindle-speed", "caution", 6)]),
    ("no unit", SOUND.replace("G21 ", ""), [("unit-missing", "caution", 4)]),
    ("no kind of distance", SOUND.replace("G90 ", ""), [("distance-missing", "caution", 4)]),
    ("another unit", SOUND.replace("X20 F900", "G20\nX1 F30"), [("unit-change", "caution", 7)]),
    ("another tool's length", SOUND.replace("T1 M6", "T1 M6\nG43 H9"), [("length-offset", "stop", 3)]),
    ("a line that may be left out", SOUND.replace("X20 F900", "/X20 F900"), [("lines-skipped", "caution", 7)]),
]


@pytest.mark.parametrize(("text", "expected"), [item[1:] for item in FAULTS], ids=[item[0] for item in FAULTS])
def test_what_cannot_be_verified_is_found(text: str, expected: list[tuple[str, str, int]]) -> None:
    assert faults(text) == expected


def test_the_right_length_of_each_tool_is_no_fault() -> None:
    more = "T2 M6\nG43 H2\nG0 Z5\nG1 Z-1 F300\nG49\n"
    assert faults(SOUND.replace("T1 M6", "T1 M6\nG43 H1").replace("M5\n", more + "M5\n")) == []


def test_events_stand_in_their_order_with_line_and_move() -> None:
    text = "G54 G21 G90\nT3 M6\nS8000 M3\nG4 P2.5\nG0 X1 Y1 Z5\nM0\nG1 X2 F100\n"
    reading = read_program(text.encode())
    told = [(int(kind), value, int(line), int(move)) for kind, value, line, move in reading.events]
    for event in ((OFFSET, 54, 1, 0), (TOOL, 3, 2, 0), (SPINDLE, 3, 3, 0), (DWELL, 2.5, 4, 0), (PAUSE, 0, 6, 1)):
        assert event in told
    assert [line for _, _, line, _ in told] == sorted(line for _, _, line, _ in told)


def test_words_come_with_their_lines_whatever_stands_between() -> None:
    words = words_of(b"n10 g1x-1.5(a (b) Y+2\r\n;Z9\n /G0Z.5%\nT")
    found = [(words.word(k), int(words.lines[k])) for k in range(len(words))]
    assert found == [("N10", 1), ("G1", 1), ("X-1.5", 1), ("Y2", 1), ("/0", 3), ("G0", 3), ("Z0.5", 3), ("Tnan", 4)]


def test_any_bytes_give_words_or_none_but_no_fault() -> None:
    rng = np.random.default_rng(5)
    for _ in range(300):
        data = rng.integers(1, 128, rng.integers(0, 60)).astype(np.uint8).tobytes()
        words = words_of(data)
        assert len(words) <= len(data) and (np.diff(words.starts) > 0).all()
