"""Checksum in the header of a file: shows later whether the file is unchanged since it was posted.

Of its 16 hexadecimal digits the first twelve are of all but the first line, the others of the first line. That line
names the job, which may be renamed after the file was posted: then they alone are written anew."""

import hashlib
import re
from typing import Literal

_WORD = re.compile(rb"check ([0-9a-f]{16})\b")
_TITLE = re.compile(rb"\([^()]*\)|;.*")
HEAD = 8192
"""The check word stands in this many bytes at the beginning of a file."""
_BODY = 12

NO_CHECKSUM = "check " + 16 * "0"
"""What the header says until the file is whole."""


def _plain(text: bytes) -> tuple[bytes, bytes]:
    """The first line and the rest of a text, with zeros for its check word and one kind of line end, as some ways of
    copying change those."""
    plain = text.replace(b"\r\n", b"\n")
    found = _WORD.search(plain[:HEAD])
    if found:
        plain = plain[: found.start(1)] + 16 * b"0" + plain[found.end(1) :]
    first, end, rest = plain.partition(b"\n")
    return first, end + rest


def _hex(text: bytes, digits: int) -> bytes:
    return hashlib.sha256(text).hexdigest()[:digits].encode()


def _word_of(text: bytes) -> bytes:
    """The check word that a text should have."""
    first, rest = _plain(text)
    body = _hex(rest, _BODY)
    return body + _hex(body + first, 16 - _BODY)


def _older_word(text: bytes) -> bytes:
    """The check word of files that were posted before the first line was under it."""
    first, rest = _plain(text)
    # What is no comment is no title.
    return _hex(rest if _TITLE.fullmatch(first) else first + rest, 16)


def with_checksum(text: bytes) -> bytes:
    """The text with its check word filled in, where its header has room for one."""
    return text.replace(NO_CHECKSUM.encode(), b"check " + _word_of(text), 1)


def retitled_checksum(head: bytes) -> bytes:
    """The head of a file whose first line was changed by us, with the digits of that line written anew. No more than
    the head is needed."""
    found = _WORD.search(head[:HEAD])
    if not found:
        return head
    first = head.partition(b"\n")[0].rstrip(b"\r")
    body = found.group(1)[:_BODY]
    return head[: found.start(1)] + body + _hex(body + first, 16 - _BODY) + head[found.end(1) :]


def check_word(text: bytes) -> str:
    """The check word that a file carries; empty where it has none."""
    found = _WORD.search(text[:HEAD])
    return found.group(1).decode() if found else ""


def body_word(word: str) -> str:
    """The digits of a check word that do not depend on the name of the job."""
    return word[:_BODY]


def checksum_state(text: bytes) -> Literal["intact", "altered", "none"]:
    """Whether a file is as it was posted, was changed after that, or carries no check word."""
    word = check_word(text).encode()
    if not word:
        return "none"
    return "intact" if word in (_word_of(text), _older_word(text)) else "altered"
