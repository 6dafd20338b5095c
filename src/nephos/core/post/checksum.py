"""A check word in the header of a file, by which it can be told later whether it is as it was posted."""

import hashlib
import re
from typing import Literal

_WORD = re.compile(rb"check ([0-9a-f]{16})\b")
_TITLE = re.compile(rb"\([^()]*\)|;.*")
_HEAD = 8192
"""The check word stands in the first so many bytes of a file."""

NO_CHECKSUM = "check " + 16 * "0"
"""What the header says until the file is whole."""


def _digest(text: bytes) -> bytes:
    """Of the text with noughts for its check word and one kind of line end, as some ways of copying change those."""
    plain = text.replace(b"\r\n", b"\n")
    first, end, rest = plain.partition(b"\n")
    # The title names the job, which may be renamed after that. What is no comment is no title.
    if _TITLE.fullmatch(first):
        plain = end + rest
    found = _WORD.search(plain[:_HEAD])
    if found:
        plain = plain[: found.start(1)] + 16 * b"0" + plain[found.end(1) :]
    return hashlib.sha256(plain).hexdigest()[:16].encode()


def with_checksum(text: bytes) -> bytes:
    """The text with its check word filled in, where its header has room for one."""
    return text.replace(NO_CHECKSUM.encode(), b"check " + _digest(text), 1)


def check_word(text: bytes) -> str:
    """The check word that a file carries; empty where it has none."""
    found = _WORD.search(text[:_HEAD])
    return found.group(1).decode() if found else ""


def checksum_state(text: bytes) -> Literal["intact", "altered", "none"]:
    """Whether a file is as it was posted, was changed after that, or carries no check word."""
    word = check_word(text)
    if not word:
        return "none"
    return "intact" if _digest(text) == word.encode() else "altered"
