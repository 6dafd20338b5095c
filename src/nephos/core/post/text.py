"""Free text (names of jobs, cutters, materials, reasons) made safe to stand in a program. The only way in for such
text.

A controller must never take a letter of a name for a word. Text is normalised first, as that can turn one sign into
another (a full-width bracket into a plain one), and only then reduced to a set of signs that mean nothing in any comment style.
"""

import re
import unicodedata

_SAID = {
    "·": "-",
    "×": "x",
    "ß": "ss",
    "–": "-",
    "—": "-",
    "°": " deg",
    "⌀": "d",
    "Ø": "O",
    "ø": "o",
    "µ": "u",
    "½": " 1/2",
}
_UNSAFE = re.compile(r"[^A-Za-z0-9 .,:+*/'_-]")
_CHECKSUM = re.compile(r"check (?=[0-9a-f]{16})")
_ACTIVE = re.compile(r"^(\W*(?:[A-Z]{2,}|(?i:msg|debug|print|log\w*|probe\w*|abort|eval|py)))\s*,")
"""A comment that begins with a word in capitals, or one of these, and a comma is a command to some controllers."""


def plain_text(text: str) -> str:
    """The text as letters, digits and a few signs of ASCII, with single spaces; other signs are left out.

    >>> plain_text("6 mm） G59 （")
    '6 mm G59'
    >>> plain_text("Tray ⑴ · Føhr")
    'Tray 1 - Fohr'
    """
    for sign, letters in _SAID.items():
        text = text.replace(sign, letters)
    normal = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()
    return _CHECKSUM.sub("check-", " ".join(_UNSAFE.sub(" ", normal).split()))


def comment_text(text: str, marks: str) -> str:
    """Free text for one line of a comment between `marks`, which are taken out, so that it is no command to any
    controller."""
    plain = plain_text(text)
    for mark in marks:
        plain = plain.replace(mark, " ")
    return _ACTIVE.sub(r"\1", " ".join(plain.split()))


def title_text(title: str, marks: str, longest: int) -> str:
    """A title as one line of a comment, of at most `longest` signs; what follows its last comma is kept whole."""
    text = comment_text(title, marks)
    if len(text) <= longest:
        return text
    name, comma, rest = text.rpartition(",")
    room = longest - len(comma + rest)
    return f"{name[:room].rstrip()}{comma}{rest}" if comma and room > 0 else text[:longest]


def file_stem(text: str) -> str:
    """Free text as a part of a file's name: small letters, digits, dots and dashes; `file` where nothing is left."""
    return re.sub(r"[^a-z0-9.]+", "-", plain_text(text).lower()).strip("-.") or "file"
