"""Free text (names of jobs, cutters, materials, reasons) made safe to stand in a program. The only way in for such
text.

A controller must never take a letter of a name for a word. Text is normalised first, as that can turn one sign into
another (a full-width bracket into a plain one), and only then reduced to a set of signs that mean nothing in any
comment style.
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
_COMMAS = re.compile(r"\s*,[\s,]*")
_UNSAFE = re.compile(r"[^A-Za-z0-9 .,:+*/'_-]")
_CHECKSUM = re.compile(r"check (?=[0-9a-f]{16})")
_COMMANDS = rb"msg|debug|print|log(?:open|append|close)?|probe(?:open|close)|abort|eval|py(?:run|eval)?"
_ACTIVE = re.compile(rb"[(;]\s*(?:\w+\s*,|(?:" + _COMMANDS + rb")\b)", re.IGNORECASE)
_SPREAD = re.compile(rb"[(;](?:" + _COMMANDS + rb"),", re.IGNORECASE)
"""Comments that begin with a word and a comma, or with one of these words, are commands to some controllers, whatever
spaces stand between the letters."""


def active_comment(text: bytes) -> int:
    """The first line (from 1) with a comment that is a command to some controllers; 0 where there is none.

    >>> active_comment(b"G21\\n( m s g , change)\\n")
    2
    """
    for found in re.finditer(rb"[(;][^)\n]*", text):
        squeezed = found.group(0).replace(b" ", b"").replace(b"\t", b"")
        if _ACTIVE.match(found.group(0)) or _SPREAD.match(squeezed):
            return text.count(b"\n", 0, found.start()) + 1
    return 0


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
    """Free text for a comment between `marks`, which are removed. Commas become dashes: some controllers treat
    the word before a comma as a command.

    >>> comment_text("MSG,, lime (wet)", "()")
    'MSG - lime wet'
    """
    plain = _COMMAS.sub(" - ", plain_text(text).strip(" ,"))
    for mark in marks:
        plain = plain.replace(mark, " ")
    return " ".join(plain.split())


def title_text(title: str, marks: str, longest: int) -> str:
    """A title as one line of a comment, of at most `longest` signs; what follows its last comma is kept whole.

    >>> title_text("Heron, gate 4, revision 7", "()", 30)
    'job: Heron - gate 4 revision 7'
    >>> title_text("Heron, gate 4, revision 7", "()", 22)
    'job: Heron revision 7'
    """
    name, _, rest = title.rpartition(",")
    first, last = comment_text(name, marks), comment_text(rest, marks)
    room = longest - len("job: ") - len(last) - 1
    text = f"job: {first[: max(room, 0)].rstrip()} {last}" if first and room > 0 else f"job: {last}"
    return text[:longest].rstrip()


def file_stem(text: str) -> str:
    """Free text as a part of a file's name: small letters, digits, dots and dashes; `file` where nothing is left."""
    return re.sub(r"[^a-z0-9.]+", "-", plain_text(text).lower()).strip("-.") or "file"
