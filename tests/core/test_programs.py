"""Programs that a controller takes and that cannot be verified: each is refused or gets a finding, none is passed
over."""

import numpy as np
import pytest

from nephos.core.cutters import standard_cutter
from nephos.core.errors import Refused
from nephos.core.machine.machine import MACHINES
from nephos.core.post.faults import Shop, program_faults
from nephos.core.post.interpret import DWELL, OFFSET, PAUSE, SPINDLE, TOOL
from nephos.core.post.lex import words_of
from nephos.core.post.read import read_program
from nephos.core.stages.external_program import stretches_of

HEAD = "G21 G90 G17 G40 G49 G94 G54\nT1 M6\nS12000 M3\nG4 P4\nG0 Z5\nX0 Y0\n"
SOUND = HEAD + "G1 Z-1 F300\nX20 F900\nG0 Z5\nM5\nM30\n"


def faults(text: str) -> list[tuple[str, str, int]]:
    data = text.encode()
    return [(fault.code, fault.level, fault.line) for fault in program_faults(read_program(data), data)]


def test_a_sound_program_has_no_fault() -> None:
    assert faults(SOUND) == []


REFUSED = [
    ("G55 after moves in G54", HEAD + "G55\nG1 X5 F100\n", "line 7: the work offset changes"),
    ("an offset that comes late", HEAD + "G54\nG1 X5 F100\nG56\nX9\n", "line 9: the work offset changes"),
    ("G92", HEAD + "G92 X0\n", "none that Nephos can follow"),
    ("G10", HEAD + "G10 L2 P1 X5\n", "none that Nephos can follow"),
    ("moves after M30", SOUND + "G0 X50\n", "line 12: there is a move after the end"),
    ("moves after M2", HEAD + "M2\nX5\n", "after the end"),
    ("machine moves after M30", SOUND + "G53 G0 Z0\n", "after the end"),
    ("another plane", HEAD + "G18\nG2 X5 Z0 I2 K0 F100\n", "none that Nephos can follow"),
    ("no feed", HEAD + "G1 X5\n", "before any feed"),
    ("no G0 or G1", "G21 G90\nX5 Y5\n", "before G0 or G1"),
    ("a subprogram", HEAD + "M98 P100\n", "none that Nephos can follow"),
    ("a canned cycle", HEAD + "G81 X1 Y1 Z-3 R2 F100\n", "none that Nephos can follow"),
    ("cutter compensation", HEAD + "G41 D1\n", "none that Nephos can follow"),
    ("a variable", HEAD + "#1=5\n", "line 7: "),
    ("an arc with A", HEAD + "G1 F100 X0 Y0\nG2 X2 I1 A1\n", "an arc moves the rotary axis"),
    ("inverse time without its feed", HEAD + "G93\nG1 X5 F2\nX6\n", "each feed move needs its own F"),
    ("a comment that never ends", HEAD + "(half of it\nG1 X5 F9\n", "a comment is not closed"),
]


@pytest.mark.parametrize(("text", "said"), [item[1:] for item in REFUSED], ids=[item[0] for item in REFUSED])
def test_what_cannot_be_followed_is_refused(text: str, said: str) -> None:
    with pytest.raises(Refused, match=said):
        read_program(text.encode())


FAULTS = [
    ("the spindle is off", SOUND.replace("S12000 M3\n", "").replace("M5\n", "S9 M3\n"), [("spindle-off", "stop", 6)]),
    ("the spindle stops", SOUND.replace("X20 F900", "M5\nX20 F900"), [("spindle-off", "stop", 9)]),
    ("no spindle at all", SOUND.replace("S12000 M3\n", ""), [("spindle-by-hand", "caution", 6)]),
    ("no speed", SOUND.replace("S12000 M3", "M3"), [("spindle-speed", "caution", 7)]),
    ("backwards", SOUND.replace("M3\n", "M4\n"), [("spindle-backwards", "stop", 3)]),
    ("no unit", SOUND.replace("G21 ", ""), [("states-missing", "caution", 5)]),
    ("no kind of distance", SOUND.replace("G90 ", ""), [("states-missing", "caution", 5)]),
    ("no offset", SOUND.replace(" G54", ""), [("states-missing", "caution", 5)]),
    ("another unit", SOUND.replace("X20 F900", "G20\nX1 F30"), [("unit-change", "caution", 8)]),
    ("another tool's length", SOUND.replace("T1 M6", "T1 M6\nG43 H9"), [("length-offset", "stop", 3)]),
    (
        "a length taken off",
        SOUND.replace("T1 M6", "T1 M6\nG43 H1").replace("X20", "G49\nX20"),
        [("length-dropped", "stop", 9)],
    ),
    ("a tool not put in", SOUND.replace("X20", "T2\nX20"), [("tool-not-changed", "stop", 8)]),
    ("round corners", SOUND.replace("G94", "G94 G64 P5"), [("corner-tolerance", "stop", 1)]),
    ("down in machine coordinates", SOUND.replace("M5", "G53 G0 Z-100\nM5"), [("machine-z", "stop", 10)]),
    ("a line that may be left out", SOUND.replace("X20 F900", "/X20 F900"), [("lines-skipped", "caution", 8)]),
    ("an active comment", SOUND.replace("M5", "( m s g , x)\nM5"), [("comment-active", "caution", 10)]),
]


@pytest.mark.parametrize(("text", "expected"), [item[1:] for item in FAULTS], ids=[item[0] for item in FAULTS])
def test_what_cannot_be_verified_is_found(text: str, expected: list[tuple[str, str, int]]) -> None:
    assert [fault for fault in faults(text) if fault[0] != "spindle-left-on"] == expected


def test_the_right_length_of_each_tool_is_no_fault() -> None:
    more = "T2 M6\nG43 H2\nG0 Z5\nG1 Z-1 F300\n"
    assert faults(SOUND.replace("T1 M6", "T1 M6\nG43 H1").replace("M5\n", more + "M5\n")) == []


def test_a_reference_point_is_gone_to_through_the_place_that_the_line_names() -> None:
    there = read_program(b"G21 G90\nG0 X1 Y2 Z5\nG28 Z0\n")
    assert there.points[2].tolist() == [1, 2, 0] and there.rapid[1] == 1 and not there.away[1]
    assert there.away[2] == 1 and np.isnan(there.points[3, 2])
    down = read_program(b"G21 G90\nG0 X1 Y2 Z5\nG91 G30 Z-30\n")
    assert down.points[2].tolist() == [1, 2, -25]
    up = read_program(b"G21 G90\nG0 X1 Y2 Z5\nG91 G28 Z0\n")
    assert len(up.rapid) == 2 and up.away.tolist() == [0, 1], "from where it is there is nothing to go through"


# --- alterations ------------------------------------------------------------------------------------------------------

CUTTER = standard_cutter("flat", 6, 1).model_copy(update={"spindle": 12000.0, "feed": 1200.0})
SHOP = Shop({1: CUTTER, 2: standard_cutter("ball", 3, 2)}, MACHINES["shed-router"], 54.0)
WHOLE = (
    "G21\nG17 G90 G94 G40 G49\nG54\nT1 M6\nS12000 M3\nG4 P4\nG0 Z5.0\nG0 X10.0 Y10.0\nG1 Z-1.0 F400\n"
    "X40.0 F1200\nY40.0\nG2 X30.0 Y50.0 I-10.0 J0.0\nG1 X10.0\nY10.0\nG0 Z5.0\nM5\nM30\n"
)
LINES = WHOLE.splitlines()
FIRST_MOVE, CUTTING, LAST_MOVE = 6, 10, 14


def replaced(old: str, new: str) -> str:
    assert old in WHOLE
    return WHOLE.replace(old, new, 1)


def inserted(line: str, before: int) -> str:
    return "\n".join([*LINES[:before], line, *LINES[before:]]) + "\n"


TAKEN_OUT = [
    "G21\n",
    "G17 ",
    "G90 ",
    "G94 ",
    "G40 ",
    " G49",
    "G54\n",
    "T1 ",
    " M6",
    "T1 M6\n",
    "S12000 ",
    " M3",
    "G4 P4\n",
    " P4",
    "M5\n",
    "M30\n",
]
WORDS_CHANGED = [
    ("G21", "G20"),
    ("G90", "G91"),
    ("G94", "G93"),
    ("G94", "G95"),
    ("G40", "G41"),
    ("G40", "G42"),
    ("G17", "G18"),
    ("G17", "G19"),
    ("G49", "G43"),
    ("G49", "G43 H1 H2"),
    ("G49", "G43 H7"),
    ("G49", "G44 H1"),
    ("G49", "G43.1"),
    ("T1 M6", "T2"),
    ("T1 M6", "T9999 M6"),
    ("T1 M6", "M6"),
    ("S12000", "S60000"),
    ("S12000", "S1200"),
    ("S12000", "S0"),
    ("S12000", "S-12000"),
    ("M3", "M4"),
    ("M3", "M5"),
    ("M3", "M3 M5"),
    ("M3", "M19"),
    ("M3", "M-3"),
    ("M3", "M03.5"),
    ("P4", "P4000"),
    ("P4", "P-1"),
    ("G4 P4", "G4 P4 Z-30"),
    ("G4 P4", "G4 P1 X500 Y500"),
    ("G4 P4", "G4 X4"),
    ("G4 P4", "G04.1 P4"),
    ("F1200", "F12000"),
    ("F1200", "F99999"),
    ("F1200", "F0"),
    ("F1200", "F-5"),
    ("M5", "M-5"),
    ("M5", "M55"),
    ("M30", "M-30"),
    ("M30", "M300"),
    ("M30", "M99"),
    ("M30", "M0"),
    ("M30", "M1"),
    ("G1 Z", "G1.04 Z"),
    ("G1 Z", "G01.5 Z"),
    ("G1 Z", "G-1 Z"),
    ("G1 Z", "G1 G0 Z"),
    ("G1 Z", "G11 Z"),
    ("X40.0", "X18446744073709551626"),
    ("X40.0", "X99999999999999999"),
    ("X40.0", "X40.0 X50.0"),
    ("X40.0", "X40.0\rG0 Z-9"),
    ("X40.0", "X4e1"),
    ("X40.0", "X--40"),
    ("X40.0", "X40.0 Q1"),
    ("X40.0", "X40.0 U1"),
    ("X40.0", "X#1"),
    ("X40.0", "X[20+20]"),
    ("X40.0", "X40.0 P2"),
    ("X40.0", "X40.0 H1"),
    ("X40.0", "X40.0 L5"),
    ("X40.0", "X40.0 D1"),
    ("X40.0", "X40.0 I5"),
    ("X40.0", "X40.0 R5"),
    ("X40.0", "X40.0 A90"),
    ("X40.0", "X40.0 B90"),
    ("X40.0", "X40.0 E1"),
    ("X40.0", "/X40.0"),
    ("I-10.0 J0.0", "R10 I-10.0"),
    ("I-10.0 J0.0", "K1"),
    ("I-10.0 J0.0", ""),
    ("G54", "G55"),
    ("G54", "G56"),
    ("G54", "G59.3"),
    ("G54", "G54.1 P1"),
    ("G54", "G54 G55"),
]
"""A word of the program, and what stands in its place."""
PUT_IN = [
    "M0",
    "M1",
    "M2",
    "M30",
    "M4",
    "M5",
    "M7",
    "M8",
    "M47",
    "M49",
    "M60",
    "M62 P1",
    "M66",
    "M70",
    "M71",
    "M72",
    "M73",
    "M97 P1",
    "M98 P100",
    "M99",
    "M100",
    "M106",
    "M-1",
    "M6",
    "T2",
    "T2 M6",
    "S500",
    "S50000",
    "G10 L2 P1 Z-9",
    "G10 L20 P1 X0",
    "G18",
    "G19",
    "G20",
    "G28",
    "G28 Z0",
    "G28 Z-30",
    "G91 G28 Z-30",
    "G28.1",
    "G30",
    "G30 Z-30",
    "G31 Z-5",
    "G33 Z-1 K1",
    "G38.2 Z-5 F50",
    "G41 D1",
    "G41.1 D3",
    "G42 D1",
    "G43 H9",
    "G43.2 H1",
    "G50",
    "G51 X2",
    "G52 X5",
    "G53 Z-100",
    "G53 G0 Z-100",
    "G53 G1 Z-50 F100",
    "G55",
    "G59",
    "G61.1",
    "G64",
    "G64 P5",
    "G65 P1",
    "G66",
    "G68 R45",
    "G73 X1 Y1 Z-3 R1 Q1 F100",
    "G76",
    "G80",
    "G81 X1 Y1 Z-3 R2 F100",
    "G83 X1 Z-3 R1 Q1",
    "G90.1",
    "G91",
    "G92 X0",
    "G92.1",
    "G93",
    "G95",
    "G96 S200",
    "G98",
    "G99",
    "O100",
    "O100 sub",
    "L5",
    "D1",
    "P3",
    "%",
    "#1=5",
    "#<a>=1",
    "$H",
    "!",
    "~",
    "?",
    "\x18",
    "\x00",
    "\x1b",
    "\x7f",
    "é",
    "X",
    "G",
    "(open",
    "(MSG,stop)",
    "(DEBUG,#1)",
    "(PRINT,1)",
    "(PROBEOPEN f)",
    "(LOGOPEN,f)",
    "(ABORT,now)",
    "( m s g , x)",
    "(pyrun x)",
    ";py,x=1",
    "/G0 Z-9",
]
"""Lines that are put into the program."""
ALTERED = (
    [(f"without {old!r}", replaced(old, "")) for old in TAKEN_OUT]
    + [(f"{old!r} to {new!r}", replaced(old, new)) for old, new in WORDS_CHANGED]
    + [(f"{line!r} at {at}", inserted(line, at)) for line in PUT_IN for at in (FIRST_MOVE, CUTTING, LAST_MOVE)]
)
HARMLESS = {"'M5' at 14", "'G80' at 6", "'G80' at 14", "'T2' at 14", "'S500' at 14", "'S50000' at 14"}
"""Alterations after which a controller does the same as before, or what the moves show."""


def told(text: str) -> list[str]:
    """What is said of a program: why it is refused, or its faults."""
    data = text.encode("latin-1")
    try:
        reading = read_program(data)
        parts = stretches_of(reading, list(SHOP.cutters.values()), 1)
    except Refused as reason:
        return [str(reason)]
    # Parts that are cut with another cutter are shown and proved with it.
    others = [f"cut with {part.cutter.name}" for part in parts if part.cutter.number != 1]
    return [fault.code for fault in program_faults(reading, data, SHOP)] + others


def test_the_program_that_is_altered_has_no_fault() -> None:
    assert told(WHOLE) == [] and len(ALTERED) >= 300


@pytest.mark.parametrize("name", [name for name, _ in ALTERED])
def test_no_alteration_of_what_steers_the_machine_is_silent(name: str) -> None:
    text = dict(ALTERED)[name]
    if name in HARMLESS:
        return
    said = told(text)
    if not said:
        # Moves that go elsewhere are met by the proof: there the block shows them.
        moved = read_program(text.encode()).points
        assert not np.array_equal(moved, read_program(WHOLE.encode()).points, equal_nan=True), text
        return
    assert said, text


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
