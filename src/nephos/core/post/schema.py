"""A post is data: this is what may stand in its file (documented in docs/posts.md)."""

import json
from functools import cache
from importlib.resources import files
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nephos.core.errors import Refused


class _Table(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class LineNumbers(_Table):
    """Whether lines begin with N words, and which."""

    on: bool = True
    first: int = Field(default=1, ge=0)
    step: int = Field(default=1, ge=1, le=1000)


class Comment(_Table):
    """What comments stand between, and how long one may be."""

    open: str = "("
    close: str = ")"
    longest: int = Field(default=72, ge=8, le=240)


class Words(_Table):
    """The words of a move; `i` and `j` are the centre of an arc from its beginning."""

    rapid: str = "G0"
    feed: str = "G1"
    x: str = "X"
    y: str = "Y"
    z: str = "Z"
    f: str = "F"
    clockwise: str = "G2"
    counterclockwise: str = "G3"
    i: str = "I"
    j: str = "J"


class Post(_Table):
    """A table of words, formats, headers and changes.

    The line lists may hold {spindle}, {spindle_wait}, {tool} and {cutter}.
    """

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]*$")
    title: str = Field(min_length=1, max_length=120)
    extension: str = Field(pattern=r"^[A-Za-z0-9]{1,8}$")
    unit: Literal["mm", "in"]
    decimals: int = Field(ge=1, le=6)
    feed_decimals: int = Field(default=0, ge=0, le=3)
    arcs: bool = Field(default=False, description="whether level arcs are written as such")
    line_numbers: LineNumbers = LineNumbers()
    line_end: Literal["\n", "\r\n"] = "\n"
    comment: Comment = Comment()
    words: Words = Words()
    start: tuple[str, ...] = ()
    operation_start: tuple[str, ...] = ()
    operation_end: tuple[str, ...] = ()
    cutter_change: tuple[str, ...] = ()
    end: tuple[str, ...] = ()

    @property
    def millimetres(self) -> float:
        """Millimetres in one unit of the program."""
        return 25.4 if self.unit == "in" else 1.0


def parse_post(text: str) -> Post:
    """Read a post file; refuses it with what is wrong and where."""
    try:
        return Post.model_validate(json.loads(text))
    except json.JSONDecodeError as error:
        raise Refused(f"line {error.lineno} of the post is not JSON: {error.msg}") from None
    except ValidationError as error:
        first = error.errors()[0]
        raise Refused(f"the post's '{'.'.join(map(str, first['loc']))}': {first['msg']}") from None


def shipped_posts() -> dict[str, str]:
    """Titles of the shipped posts by their id."""
    keys = sorted(entry.name.removesuffix(".json") for entry in (files(__package__) / "posts").iterdir() if entry.name.endswith(".json"))
    return {key: post_named(key).title for key in keys}


@cache
def post_named(key: str) -> Post:
    """The shipped post called `key`."""
    known = {entry.name.removesuffix(".json"): entry for entry in (files(__package__) / "posts").iterdir()}
    if key not in known:
        raise Refused(f"there is no post '{key}': use one of {', '.join(sorted(known))}")
    return parse_post(known[key].read_text())
