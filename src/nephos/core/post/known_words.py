"""The G and M words that Nephos knows (ISO 6983, RS-274), and which words may stand together on a line.

A program with a word that is not listed here, or with two words on a line of which only one can hold, is refused: what
it makes a controller do is not known."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64, I64, U8, Bool
from nephos.core.errors import Refused
from nephos.core.post.lex import Words


@dataclass(frozen=True)
class Known:
    """A known word: of the words of one `group` a line may hold one; `does` says what it makes a controller do."""

    group: str
    does: str


G_WORDS: dict[float, Known] = {
    0.0: Known("motion", "rapid"),
    1.0: Known("motion", "straight feed move"),
    2.0: Known("motion", "arc, clockwise"),
    3.0: Known("motion", "arc, counterclockwise"),
    80.0: Known("motion", "no motion mode"),
    4.0: Known("once", "dwell"),
    28.0: Known("once", "reference point"),
    30.0: Known("once", "second reference point"),
    53.0: Known("once", "machine coordinates, for this line"),
    17.0: Known("plane", "arcs on the XY plane"),
    20.0: Known("unit", "inches"),
    21.0: Known("unit", "millimetres"),
    40.0: Known("compensation", "no cutter radius compensation"),
    43.0: Known("length", "tool length offset"),
    49.0: Known("length", "no tool length offset"),
    **{value: Known("offset", "work offset") for value in (54.0, 55.0, 56.0, 57.0, 58.0, 59.0, 59.1, 59.2, 59.3)},
    61.0: Known("path", "exact path"),
    64.0: Known("path", "path with a corner tolerance (P)"),
    90.0: Known("distance", "absolute"),
    91.0: Known("distance", "incremental"),
    91.1: Known("arc distance", "arc centres from the beginning of the arc"),
    93.0: Known("feed mode", "inverse time"),
    94.0: Known("feed mode", "feed per minute"),
}
M_WORDS: dict[float, Known] = {
    0.0: Known("stop", "pause"),
    1.0: Known("stop", "pause where the switch for it is on"),
    2.0: Known("stop", "end of the program"),
    30.0: Known("stop", "end of the program"),
    3.0: Known("spindle", "spindle on, clockwise"),
    4.0: Known("spindle", "spindle on, counterclockwise"),
    5.0: Known("spindle", "spindle off"),
    6.0: Known("tool change", "tool change"),
    7.0: Known("mist", "mist on"),
    8.0: Known("flood", "flood on"),
    9.0: Known("coolant off", "coolant off"),
    48.0: Known("overrides", "overrides on"),
    49.0: Known("overrides", "overrides off"),
}
_CALLS = {97.0, 98.0, 99.0}
_NEEDS: dict[str, tuple[tuple[str, float], ...]] = {
    "H": (("G", 43.0),),
    "P": (("G", 4.0), ("G", 64.0)),
}
"""Letters that mean something beside these words only."""
_NEVER = "LDKQBCUVWE"
"""Letters of which no meaning is known beside the words above."""
_LARGEST = 1e7


def _groups(table: dict[float, Known], first: int) -> tuple[F64, I64]:
    names = sorted({item.group for item in table.values()})
    values = sorted(table)
    return np.array(values), np.array([first + names.index(table[value].group) for value in values], np.int64)


_TABLES = {ord("G"): _groups(G_WORDS, 1000), ord("M"): _groups(M_WORDS, 2000)}


def _refuse(words: Words, k: int, text: bytes, said: str) -> Refused:
    at = int(words.starts[k])
    shown = text[at : at + 24].split()[:1]
    word = shown[0].decode("ascii", "replace") if shown else ""
    return Refused(f"line {words.lines[k]}: {said.format(word=word)}")


def _group_of(words: Words, text: bytes) -> I64:
    """(n,) the group of each word; other letters are groups of their own.

    Raises
    ------
    Refused
        At the first G or M word that is not listed.
    """
    groups = words.letters.astype(np.int64)
    for letter, (values, ids) in _TABLES.items():
        mine = np.flatnonzero(words.letters == letter)
        found = np.clip(np.searchsorted(values, words.values[mine]), 0, len(values) - 1)
        unknown = mine[values[found] != words.values[mine]]
        if len(unknown):
            raise _refuse(words, int(unknown[0]), text, "the word '{word}' is none that Nephos can follow")
        groups[mine] = ids[found]
    return groups


def _first_repeat(lines: I64, groups: I64) -> int | None:
    """The first word whose group occurs earlier on its line."""
    order = np.lexsort((np.arange(len(lines)), groups, lines))
    same = (np.diff(lines[order]) == 0) & (np.diff(groups[order]) == 0)
    return int(order[1:][same].min()) if same.any() else None


def _beside(words: Words, letter: str, values: tuple[float, ...]) -> Bool:
    """(n,) which words stand on a line with one of these."""
    mask = (words.letters == ord(letter)) & np.isin(words.values, values)
    found: Bool = np.isin(words.lines, words.lines[mask])
    return found


def check_words(words: Words, text: bytes) -> None:
    """Refuse a program at the first line of which it is not known what it makes a controller do.

    Raises
    ------
    Refused
        With the line and the word: unknown words, two words of one group on a line, axis words beside a dwell, letters
        without the word that they belong to, numbers out of all bounds.
    """
    read = words.only(~np.isnan(words.values) & (words.letters != 47))
    if not len(read):
        return
    large = np.flatnonzero(np.abs(read.values) >= _LARGEST)
    large = large[read.letters[large] != ord("N")]
    if len(large):
        raise _refuse(read, int(large[0]), text, "the number '{word}' is too large")
    groups = _group_of(read, text)
    repeat = _first_repeat(read.lines, groups)
    if repeat is not None:
        raise _refuse(read, repeat, text, "'{word}' and another word before it on the line cannot both hold")
    never = np.flatnonzero(np.isin(read.letters, np.frombuffer(_NEVER.encode(), np.uint8)))
    if len(never):
        raise _refuse(read, int(never[0]), text, "the word '{word}' is none that Nephos can follow")
    for letter, needs in _NEEDS.items():
        fine = np.zeros(len(read), np.bool_)
        for needed, value in needs:
            fine |= _beside(read, needed, (value,))
        alone = np.flatnonzero((read.letters == ord(letter)) & ~fine)
        if len(alone):
            raise _refuse(read, int(alone[0]), text, "'{word}' without the word that it belongs to")
    moving = np.isin(read.letters, np.frombuffer(b"XYZAIJR", np.uint8))
    waits = np.flatnonzero(moving & _beside(read, "G", (4.0,)))
    if len(waits):
        raise _refuse(read, int(waits[0]), text, "'{word}' beside G4: controllers move there, or wait so long")
    _check_program_number(read, text)


def _check_program_number(words: Words, text: bytes) -> None:
    """A program number (O) may stand at the top only: further down it begins another program."""
    numbers = np.flatnonzero(words.letters == ord("O"))
    if len(numbers) and (numbers[0] > 0 or len(numbers) > 1):
        raise _refuse(words, int(numbers[-1]), text, "'{word}' begins another program")


def check_bytes(text: bytes) -> None:
    """Refuse bytes that controllers act on wherever they stand, and marks that end a program.

    Raises
    ------
    Refused
        At control characters other than tabs and line ends, at a carriage return without a line feed, and at a percent
        sign other than in the first and the last line.
    """
    data: U8 = np.frombuffer(text, np.uint8)
    odd = (data < 32) & (data != 9) & (data != 10) & (data != 13)
    odd |= data == 127
    alone = data == 13
    alone[:-1] &= data[1:] != 10
    for mask, said in (
        (odd, "the control character 0x{byte:02x} in it is a command to some controllers"),
        (alone, "a carriage return without a line feed: some controllers begin a new line there"),
    ):
        if mask.any():
            at = int(mask.argmax())
            raise Refused(f"line {text.count(10, 0, at) + 1}: {said.format(byte=data[at])}")
    _check_percent(text)


def _check_percent(text: bytes) -> None:
    if b"%" not in text:
        return
    bare = text.strip()
    lines = bare.count(b"\n") + 1
    first = text.count(b"\n", 0, text.index(bare)) + 1
    at = text.find(b"%")
    while at >= 0:
        line = text.count(b"\n", 0, at) + 1
        before = text[text.rfind(b"\n", 0, at) + 1 : at]
        ends = line == first + lines - 1 or line == first
        if not ends and b"(" not in before and b";" not in before:
            raise Refused(f"line {line}: a percent sign ends the program there for many controllers: take it out")
        at = text.find(b"%", at + 1)
