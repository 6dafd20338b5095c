"""Free text (names of jobs, cutters, materials, reasons) made safe to stand in a program. The only way in for such text.

A controller must never take a letter of a name for a word. Text is normalised first, as that can turn one sign into
another (a full-width bracket into a plain one), and only then reduced to a set of signs that mean nothing in any comment style.
"""

import re
import unicodedata

_SAID = {"·": "-", "×": "x", "ß": "ss", "–": "-", "—": "-", "°": " deg", "⌀": "d", "Ø": "O", "ø": "o", "µ": "u", "½": " 1/2"}
_UNSAFE = re.compile(r"[^A-Za-z0-9 .,:+*/'_-]")
_CHECKSUM = re.compile(r"check (?=[0-9a-f]{16})")
_ACTIVE = re.compile(r"^(\W*[A-Za-z]+),")
"""A comment that begins with a word and a comma is a command to some controllers (a message, a log, an abort)."""


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
    """Free text for one line of a comment between `marks`, which are taken out, so that it is no command to any controller."""
    plain = plain_text(text)
    for mark in marks:
        plain = plain.replace(mark, " ")
    return _ACTIVE.sub(r"\1", " ".join(plain.split()))


def file_stem(text: str) -> str:
    """Free text as a part of a file's name: small letters, digits, dots and dashes; `file` where nothing is left."""
    return re.sub(r"[^a-z0-9.]+", "-", plain_text(text).lower()).strip("-.") or "file"
