"""A post is data: this is what may stand in its file (documented in docs/posts.md)."""

import json
import re
from functools import cache
from importlib.resources import files
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field, ValidationError, model_validator

from nephos.core.errors import Refused
from nephos.core.plain_errors import plain_message
from nephos.core.value import Value

BLANKS = ("spindle", "spindle_wait", "tool", "cutter", "operation")
"""What may stand in braces in the lines of a post."""

_BLANK = re.compile(r"\{([^{}]*)\}")
_WORD = r"^[A-Za-z][A-Za-z0-9.]*$"


def _fillable(lines: tuple[str, ...]) -> tuple[str, ...]:
    """Lines of plain signs whose blanks are known."""
    for number, line in enumerate(lines, 1):
        if not line.isascii() or not line.isprintable():
            raise ValueError(f"line {number} may hold plain letters, digits and signs only, all in one line")
        unknown = [name for name in _BLANK.findall(line) if name not in BLANKS]
        if unknown:
            raise ValueError(
                f"line {number}: {{{unknown[0]}}} is not known; use {', '.join('{' + name + '}' for name in BLANKS)}"
            )
        if set(_BLANK.sub("", line)) & set("{}"):
            raise ValueError(f"line {number} has a brace without its partner")
    return lines


Lines = Annotated[tuple[Annotated[str, Field(max_length=200)], ...], Field(max_length=400), AfterValidator(_fillable)]


class LineNumbers(Value):
    """Whether lines begin with N words, and which; after `last` they begin anew."""

    on: bool = True
    first: int = Field(default=1, ge=0, le=99_999)
    step: int = Field(default=1, ge=1, le=1000)
    last: int | None = Field(default=None, ge=10, le=99_999_999)


class Comment(Value):
    """Whether there are comments, what they stand between, and how long one may be."""

    on: bool = True
    open: str = Field(default="(", pattern=r"^[!-/:-@\[-`{-~]$")
    close: str = Field(default=")", pattern=r"^[!-/:-@\[-`{-~]?$")
    longest: int = Field(default=72, ge=8, le=240)


class Words(Value):
    """The words of a move; `i` and `j` are the centre of an arc from its beginning."""

    rapid: str = Field(default="G0", pattern=_WORD, max_length=6)
    feed: str = Field(default="G1", pattern=_WORD, max_length=6)
    x: str = Field(default="X", pattern=_WORD, max_length=3)
    y: str = Field(default="Y", pattern=_WORD, max_length=3)
    z: str = Field(default="Z", pattern=_WORD, max_length=3)
    f: str = Field(default="F", pattern=_WORD, max_length=3)
    clockwise: str = Field(default="G2", pattern=_WORD, max_length=6)
    counterclockwise: str = Field(default="G3", pattern=_WORD, max_length=6)
    i: str = Field(default="I", pattern=_WORD, max_length=3)
    j: str = Field(default="J", pattern=_WORD, max_length=3)


class Coolant(Value):
    """Lines that turn coolant on and off, where an operation asks for it."""

    mist: Lines = ("M7",)
    flood: Lines = ("M8",)
    off: Lines = ("M9",)


class RotaryWords(Value):
    """How the way round a bar is written: as A in degrees, or as Y where the bar is driven in the place of the Y axis.

    Y counts `per_turn` millimetres a turn; without it the bar's own circumference. `sense` is 1 where a positive word
    brings what is at +Y up to +Z. Feeds are inverse time (G93) or a minute. `start` and `end` stand around the
    operations of a program, after the post's own start and before its end."""

    word: Literal["A", "Y"] = "A"
    per_turn: float | None = Field(default=None, gt=0, le=10_000, allow_inf_nan=False)
    sense: Literal[1, -1] = 1
    feed: Literal["inverse", "minute"] = "inverse"
    start: Lines = ()
    end: Lines = ()


class Post(Value):
    """A table of words, formats, headers and changes.

    `changes` says how cutters are changed: in a `file` of its own for each, at a `pause` in one file, or by the
    machine's `changer`. The line lists may hold the words of `BLANKS` in braces. `cutter_first` stands for the first
    cutter of a file, `cutter_change` for the others; `warm_up` follows the first start of the spindle."""

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]*$", max_length=60)
    title: str = Field(min_length=1, max_length=120)
    extension: str = Field(pattern=r"^[A-Za-z0-9]{1,8}$")
    unit: Literal["mm", "in"]
    decimals: int = Field(ge=1, le=6)
    feed_decimals: int = Field(default=0, ge=0, le=3)
    arcs: bool = Field(default=False, description="whether level arcs are written as such")
    full_words: bool = Field(default=False, description="whether words that repeat are written again")
    changes: Literal["file", "pause", "changer"] = "file"
    line_numbers: LineNumbers = LineNumbers()
    line_end: Literal["\n", "\r\n"] = "\n"
    comment: Comment = Comment()
    words: Words = Words()
    coolant: Coolant = Coolant()
    rotary: RotaryWords | None = Field(default=None, description="of setups whose part rotates; none: it posts none")
    longest_line: int | None = Field(
        default=None, ge=20, le=1000, description="characters that the controller takes in a line"
    )
    most_lines: int | None = Field(default=None, ge=200, le=100_000_000, description="lines that it takes in a file")
    most_kilobytes: int | None = Field(default=None, ge=16, le=4_000_000, description="how large a file it takes")
    start: Lines = ()
    warm_up: Lines = ()
    operation_start: Lines = ()
    operation_end: Lines = ()
    cutter_first: Lines = ()
    cutter_change: Lines = ()
    end: Lines = ()

    @model_validator(mode="after")
    def _numbers_have_room(self) -> "Post":
        if self.line_numbers.last is not None and self.line_numbers.last <= self.line_numbers.first:
            raise ValueError("line numbers: the last one must be higher than the first")
        return self

    @property
    def millimetres(self) -> float:
        """Millimetres in one unit of the program."""
        return 25.4 if self.unit == "in" else 1.0


_UNIT_WORDS = {"mm": "G21", "in": "G20"}
_LINES = ("start", "warm_up", "operation_start", "operation_end", "cutter_first", "cutter_change", "end")


def in_unit(post: Post, unit: Literal["mm", "in"] | None) -> Post:
    """The post with its programs in another unit: the unit's word, one decimal more in inches, one less in millimetres.

    Raises
    ------
    Refused
        Where the post does not give its unit with G20 or G21, so that it cannot be changed.
    """
    if unit is None or unit == post.unit:
        return post
    old, new = (re.compile(rf"\b{_UNIT_WORDS[post.unit]}\b"), _UNIT_WORDS[unit])
    lines = {name: tuple(old.sub(new, line) for line in getattr(post, name)) for name in _LINES}
    if all(lines[name] == getattr(post, name) for name in _LINES):
        raise Refused(f"the post '{post.title}' gives no unit with {_UNIT_WORDS[post.unit]}: take the unit of the post")
    finer = 1 if unit == "in" else -1
    decimals = min(max(post.decimals + finer, 3), 6)
    feeds = min(max(post.feed_decimals + finer, 0), 3)
    return post.model_copy(update={"unit": unit, "decimals": decimals, "feed_decimals": feeds, **lines})


def checked_post(document: object) -> Post:
    """A post from a document; refuses it with what is wrong and where, each in one sentence."""
    try:
        return Post.model_validate(document)
    except ValidationError as error:
        raise Refused("; ".join(_sentence(dict(item)) for item in error.errors())) from None


def _sentence(item: dict[str, Any]) -> str:
    place = " > ".join(str(step).replace("_", " ") for step in item["loc"])
    said = {"extra_forbidden": "is nothing that a post has"}.get(item["type"])
    if item["type"] == "string_pattern_mismatch":
        said = {
            "id": "may hold small letters, digits and dashes",
            "extension": "may hold letters and digits, at most eight",
            "open": "must be one sign, such as ( or ;",
            "close": "must be one sign, such as ), or nothing",
        }.get(str(item["loc"][-1]), "must begin with a letter and hold letters and digits only")
    message = said or plain_message(item)
    return f"{place}: {message}" if place and item["type"] == "value_error" else f"{place} {message}".strip()


def parse_post(text: str) -> Post:
    """Read a post file; refuses it with what is wrong and where."""
    try:
        document = json.loads(text)
    except json.JSONDecodeError as error:
        raise Refused(f"line {error.lineno} of the post is not JSON: {error.msg}") from None
    return checked_post(document)


@cache
def shipped_posts() -> dict[str, Post]:
    """The shipped posts by their id."""
    entries = [entry for entry in (files(__package__) / "posts").iterdir() if entry.name.endswith(".json")]
    return {
        post.id: post for post in sorted((parse_post(entry.read_text()) for entry in entries), key=lambda post: post.id)
    }


def post_named(key: str) -> Post:
    """The shipped post called `key`."""
    known = shipped_posts()
    if key not in known:
        raise Refused(f"there is no post '{key}': use one of {', '.join(sorted(known))}")
    return known[key]


def post_of(choice: "str | Post") -> Post:
    """The post that a plan names, or holds."""
    return choice if isinstance(choice, Post) else post_named(choice)
