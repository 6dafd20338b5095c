"""The words of an RS-274 program (ISO 6983), with the line that each stands on. Nothing here knows what a word
means."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64, I32, I64, U8
from nephos.core.parallel import inlined, kernel

OPEN = 40
"""The letter of a word that stands for a comment that is not closed: an opening bracket."""
MOST_DIGITS = 15
"""Digits before the point that a number may have; a number with more cannot be read."""
SKIP = 47
"""The letter of the word at the beginning of a line that a controller may leave out: a slash."""


@dataclass(frozen=True)
class Words:
    """Words (n,) in their order: `letters` uint8 (capitals), `values` float64, `lines` int64 from 1, `starts` int64
    where each begins in the text. The value of a letter without a number is none (NaN)."""

    letters: U8
    values: F64
    lines: I64
    starts: I64

    def __len__(self) -> int:
        return len(self.letters)

    def word(self, k: int) -> str:
        """Word number `k` as it is written."""
        return f"{chr(self.letters[k])}{self.values[k]:g}"

    def only(self, mask: np.ndarray) -> "Words":
        """The words where `mask` (n,) is true."""
        return Words(self.letters[mask], self.values[mask], self.lines[mask], self.starts[mask])


@inlined
def _number_at(text: U8, k: int) -> tuple[float, int]:
    """The number that begins at `k`, and where it ends; not a number where there is none that can be read."""
    n = len(text)
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
        if digits <= MOST_DIGITS:
            whole = whole * 10 + (text[k] - 48)
        digits += 1
        k += 1
    # A number that does not fit would come out as another one.
    long = digits > MOST_DIGITS
    if k < n and text[k] == 46:
        k += 1
        while k < n and 48 <= text[k] <= 57:
            if tens < 1e15:
                parts = parts * 10 + (text[k] - 48)
                tens *= 10.0
            digits += 1
            k += 1
    return (sign * (whole + parts / tens) if digits > 0 and not long else np.nan), k


@kernel
def _lex(text: U8, letters: U8, values: F64, lines: I32, starts: I32) -> int:
    """Write the words of a text (n,) uint8 into the arrays; returns how many there are."""
    n = len(text)
    k = 0
    line = 1
    count = 0
    fresh = True
    while k < n:
        c = text[k]
        if c == 10:
            line += 1
            fresh = True
            k += 1
            continue
        if c <= 32 or c == 37:
            k += 1
            continue
        if c == 59:
            while k < n and text[k] != 10:
                k += 1
            continue
        begin = k
        if c == 40:
            while k < n and text[k] != 41 and text[k] != 10:
                k += 1
            if k < n and text[k] == 41:
                k += 1
                continue
            letters[count], values[count], lines[count], starts[count] = 40, np.nan, line, begin
            count += 1
            continue
        if c == 47 and fresh:
            letters[count], values[count], lines[count], starts[count] = 47, 0.0, line, begin
            count += 1
            fresh = False
            k += 1
            continue
        fresh = False
        letter = c - 32 if 97 <= c <= 122 else c
        k += 1
        while k < n and text[k] == 32:
            k += 1
        value, k = _number_at(text, k)
        letters[count] = letter
        values[count] = value
        lines[count], starts[count] = line, begin
        count += 1
    return count


def words_of(text: bytes) -> Words:
    """All words of a text, comments left out."""
    data = np.frombuffer(text, np.uint8)
    # A word may be one sign. What is not written to takes no memory.
    most = len(data) + 1
    letters, values = np.empty(most, np.uint8), np.empty(most)
    lines, starts = np.empty(most, np.int32), np.empty(most, np.int32)
    count = _lex(data, letters, values, lines, starts)
    return Words(
        letters[:count].copy(), values[:count].copy(), lines[:count].astype(np.int64), starts[:count].astype(np.int64)
    )
