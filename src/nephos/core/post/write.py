"""Program text from toolpaths, after the table of a post."""

from dataclasses import dataclass, field
from textwrap import wrap

import numpy as np

from nephos.core.arrays import F64, I64, U8, Bool
from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.machine.rotary_axis import RotaryAxis
from nephos.core.post.arcs import ArcPath, straight_only, with_arcs
from nephos.core.post.checksum import NO_CHECKSUM, retitled_checksum, with_checksum
from nephos.core.post.control import number_text
from nephos.core.post.move_text import TextForm, TextMoves, put_moves
from nephos.core.post.schema import Post
from nephos.core.post.text import comment_text, title_text
from nephos.core.toolpath import Toolpath

Comment = tuple[str, str]
"""A comment: a word of ours that says what it is about, and free text."""


@dataclass(frozen=True)
class Step:
    """One operation to be written, its path thinned to `tolerance` (mm) by arcs where the post has them.

    A step that goes on where the file before was cut off is `resumed`: the cutter first goes to its beginning over the
    `clearance` and down at the `entering` feed. One that is cut off before its end is `broken`: the cutter goes up at
    its end. The path of a `rotary` one holds the way round in the place of Y (machine/rotary_axis.py)."""

    number: int
    title: str
    cutter: Cutter
    spindle: float
    path: Toolpath
    tolerance: float = 0.01
    coolant: str = "none"
    clearance: float = 0.0
    entering: float = 0.0
    arcs: ArcPath | None = None
    rotary: RotaryAxis | None = None
    resumed: bool = False
    broken: bool = False


@dataclass(frozen=True)
class BarPosition:
    """Where a bar stands while a face of it is cut: the A word (`angle`, degrees), and how high (mm over the work zero)
    the cutter must be while the bar rotates there: its corners sweep more than its faces."""

    angle: float
    height: float


@dataclass(frozen=True)
class Program:
    """One posted file.

    `text` is its bytes. For each operation: `numbers` its number, `lines` the first and last line of the file (from 1)
    that belong to it, `move_lines` (n,) int64 the line of each move as it was written, and `kinds` (n,) uint8 what each
    is for. `leads` are the lines that bring the cutter over the beginning of an operation, `added` those with moves
    that no operation asked for, as the file was cut off or goes on there, or sends the cutter home. `found` is filled
    in when the file was certified: by operation the number of its first move that stands in it, and the line of each
    from there on."""

    name: str
    text: bytes
    numbers: tuple[int, ...]
    lines: tuple[tuple[int, int], ...]
    move_lines: tuple[I64, ...]
    kinds: tuple[U8, ...]
    leads: tuple[int, ...] = ()
    added: tuple[int, ...] = ()
    found: dict[int, tuple[int, I64]] = field(default_factory=dict)

    def asked(self, lines: I64) -> Bool:
        """Which moves that were read from these lines (n,) an operation asked for."""
        own = np.unique(np.concatenate([*self.move_lines, np.array(self.leads, np.int64)]))
        mask: Bool = np.isin(lines, own)
        return mask


def _bytes(word: str) -> U8:
    return np.frombuffer(word.encode("ascii"), np.uint8)


def rounded(points: F64, post: Post) -> I64:
    """Positions (n, 3) as whole numbers of the post's last decimal."""
    return np.rint(points / post.millimetres * 10**post.decimals).astype(np.int64)


def arcs_of(post: Post, step: Step) -> ArcPath:
    """The moves of a step as the post writes them."""
    if step.arcs is not None:
        return step.arcs
    return with_arcs(step.path, step.tolerance) if post.arcs and step.rotary is None else straight_only(step.path)


_SHORTEST = 8
"""Signs of free text that a comment holds at least."""


_INVERSE_PLACES = 6
"""Decimals of an inverse time word: F0.05 with three would be a feed within 1 % only."""
_MINUTE_PLACES = 4
"""Decimals of a feed per minute on a bar: where mostly A moves, it is small."""


def feed_places(post: Post, step: Step) -> int:
    """Decimals of the feed words of a step."""
    if step.rotary is None:
        return post.feed_decimals
    return max(post.feed_decimals, _INVERSE_PLACES if step.rotary.inverse else _MINUTE_PLACES)


class _Writer:
    def __init__(self, post: Post) -> None:
        self.post = post
        self.parts: list[bytes] = []
        self.line = 1
        self.number = post.line_numbers.first if post.line_numbers.on else -1
        self.last_number = post.line_numbers.last or 2**62
        self.leads: list[int] = []
        self.added: list[int] = []

    def words(self, text: str) -> None:
        prefix = ""
        if self.number >= 0:
            prefix = f"N{self.number} "
            self.number += self.post.line_numbers.step
            if self.number > self.last_number:
                self.number = self.post.line_numbers.first
        self.parts.append(f"{prefix}{text}{self.post.line_end}".encode("ascii", "replace"))
        self.line += 1

    def lines(self, texts: tuple[str, ...], fields: dict[str, str]) -> None:
        for text in texts:
            self.words(text.format(**fields))

    def comment(self, word: str, text: str) -> None:
        """Free text as comments. Each begins with a `word` of ours: what a comment begins with may be a command to a
        controller."""
        style = self.post.comment
        if not style.on:
            return
        longest = min(style.longest, (self.post.longest_line or 1000) - len(style.open) - len(style.close))
        # What is longer goes on in another comment: nothing that was to be read may be lost.
        for line in wrap(comment_text(text, style.open + style.close), max(longest - len(word) - 2, _SHORTEST)):
            self.raw_comment(f"{word}: {line}")

    def raw_comment(self, text: str) -> None:
        """A comment of the writer's own words."""
        style = self.post.comment
        if style.on and text:
            self.parts.append(f"{style.open}{text}{style.close}{self.post.line_end}".encode("ascii"))
            self.line += 1

    def go(
        self,
        *,
        x: float | None = None,
        y: float | None = None,
        z: float | None = None,
        feed: float | None = None,
        added: bool = False,
        rotary: RotaryAxis | None = None,
        places: int | None = None,
    ) -> None:
        """A move with all its words, in millimetres; without a feed it is a rapid. On a bar Y stands at the axis."""
        post, w = self.post, self.post.words
        text = w.rapid if feed is None else w.feed
        across = 0.0 if rotary is not None and rotary.word == "A" and y is not None else None
        around = w.y if across is None else "A"
        for word, value in ((w.x, x), (w.y, across), (around, y), (w.z, z)):
            if value is not None:
                text += f" {word}{rounded(np.array([value]), post)[0] / 10**post.decimals:.{post.decimals}f}"
        if feed is not None:
            text += f" {w.f}{feed / post.millimetres:.{post.feed_decimals if places is None else places}f}"
        (self.added if added else self.leads).append(self.line)
        self.words(text)

    def moves(self, step: Step, arcs: ArcPath) -> tuple[I64, U8]:
        post, path, rotary = self.post, arcs.path, step.rotary
        places = feed_places(post, step)
        units = rounded(path.points, post)
        centres = np.rint(arcs.centres / post.millimetres * 10**post.decimals).astype(np.int64)
        feeds = np.rint(path.feeds / post.millimetres * 10.0**places).astype(np.int64)
        out = np.empty((8 * 24 + 16) * path.moves + 16, np.uint8)
        lines = np.empty(path.moves, np.int64)
        w, n = post.words, post.line_numbers
        form = TextForm(
            decimals=post.decimals,
            feed_decimals=places,
            full=post.full_words,
            every_feed=rotary is not None and rotary.inverse,
            number_first=n.first,
            number_step=n.step,
            number_last=self.last_number,
            rapid=_bytes(w.rapid),
            feed=_bytes(w.feed),
            clockwise=_bytes(w.clockwise),
            counterclockwise=_bytes(w.counterclockwise),
            x=_bytes(w.x),
            y=_bytes("A" if rotary is not None and rotary.word == "A" else w.y),
            z=_bytes(w.z),
            f=_bytes(w.f),
            i=_bytes(w.i),
            j=_bytes(w.j),
            line_end=_bytes(post.line_end),
        )
        written = TextMoves(units, path.kinds, feeds, centres, arcs.turns)
        length, self.line, self.number = put_moves(out, written, form, self.number, self.line, lines)
        self.parts.append(out[:length].tobytes())
        return lines, path.kinds

    def rotate(self, position: BarPosition) -> None:
        """Rotate the bar to where it stands for all that follows, under the cutter that is up."""
        self.go(z=position.height)
        self.leads.append(self.line)
        self.words(f"{self.post.words.rapid} A{position.angle:.{self.post.decimals}f}")

    def step(
        self,
        step: Step,
        arcs: ArcPath,
        fields: dict[str, str],
        *,
        new_cutter: bool,
        first: bool,
        position: BarPosition | None = None,
    ) -> tuple[I64, U8]:
        """One operation, or a part of it. Before the first one the bar is rotated to its `position`, if it has one."""
        post = self.post
        self.comment("op", f"{step.number} {step.title} - {step.cutter.name}{' - goes on' if step.resumed else ''}")
        if new_cutter:
            self.lines(post.cutter_first if first and post.cutter_first else post.cutter_change, fields)
        self.lines(post.operation_start, fields)
        if first:
            self.lines(post.warm_up, fields)
        if step.coolant != "none":
            self.lines(getattr(post.coolant, step.coolant), fields)
        x, y, z = map(float, arcs.path.points[0])
        over = step.clearance if step.resumed else z
        bar = position if first else None
        if bar is not None:
            self.rotate(bar)
        else:
            self.go(z=over, added=step.resumed)
        self.go(x=x, y=y, added=step.resumed, rotary=step.rotary)
        if bar is not None:
            self.go(z=over, added=step.resumed)
        if step.resumed and z < step.clearance - 1e-9:
            inverse = step.rotary is not None and step.rotary.inverse
            feed = step.entering * post.millimetres / (step.clearance - z) if inverse else step.entering
            self.go(z=z, feed=feed, added=True, places=feed_places(post, step))
        written = self.moves(step, arcs)
        if step.broken and arcs.path.points[-1, 2] < step.clearance - 1e-9:
            self.go(z=step.clearance, added=True)
        if step.coolant != "none":
            self.lines(post.coolant.off, fields)
        self.lines(post.operation_end, fields)
        return written


def title_line(post: Post, title: str) -> str:
    """The title of a file as its first comment holds it, without the marks."""
    style = post.comment
    longest = min(style.longest, (post.longest_line or 1000) - len(style.open) - len(style.close))
    return title_text(title, style.open + style.close, longest) or "untitled"


def retitled(post: Post, head: bytes, title: str) -> bytes:
    """The first bytes of a file of this post (as many as hold its check word) under another title; as they are where
    the file has no title."""
    style = post.comment
    first, end, rest = head.partition(b"\n")
    ends = first[len(first.rstrip(b"\r")) :] + end
    line = first.rstrip(b"\r").decode("ascii", "replace")
    if not style.on or not (line.startswith(style.open) and line.endswith(style.close)):
        return head
    named = f"{style.open}{title_line(post, title)}{style.close}".encode("ascii")
    return retitled_checksum(named + ends + rest)


def _fields(step: Step, post: Post) -> dict[str, str]:
    """The values of the blanks in a post's lines, for one step."""
    name = comment_text(step.cutter.name, post.comment.open + post.comment.close)
    return {
        "spindle": number_text(step.spindle),
        "tool": str(step.cutter.number),
        "cutter": name,
        "operation": str(step.number),
    }


def write_program(
    post: Post,
    name: str,
    header: list[Comment],
    steps: list[Step],
    spindle_wait: float,
    home: tuple[float, float] | None = None,
    position: BarPosition | None = None,
) -> Program:
    """The text of one program: `header` as comments, the title first, with a check word, then each step with its
    cutter. A bar that a face is cut on is first rotated to its `position`.

    Each step begins with the cutter going up to the clearance, then across, with all words
    written, so that it can be read and started on its own. At `home`, X and Y from the work zero, the
    cutter is left at the end, at the height that the last step ends at.

    Raises
    ------
    Refused
        Where a line is longer than the post allows.
    """
    writer = _Writer(post)
    if header:
        writer.raw_comment(title_line(post, header[0][1]))
    for word, text in header[1:]:
        writer.comment(word, text)
    if header:
        writer.raw_comment(NO_CHECKSUM)
    plain = _fields(steps[0], post) | {"spindle_wait": number_text(spindle_wait)}
    writer.lines(post.start, plain)
    around = post.rotary if steps[0].rotary is not None else None
    if around is not None:
        writer.lines(around.start, plain)
    numbers, ranges, move_lines, written = [], [], [], []
    tool = None
    for step in steps:
        fields = plain | _fields(step, post)
        first = writer.line
        lines, kinds = writer.step(
            step,
            arcs_of(post, step),
            fields,
            new_cutter=step.cutter.number != tool,
            first=tool is None,
            position=position,
        )
        tool = step.cutter.number
        numbers.append(step.number)
        ranges.append((first, writer.line - 1))
        move_lines.append(lines)
        written.append(kinds)
    if home is not None and around is None:
        writer.go(x=home[0], y=home[1], added=True)
    if around is not None:
        writer.lines(around.end, plain)
    writer.lines(post.end, plain)
    whole = with_checksum(b"".join(writer.parts))
    _check_lines(whole, post)
    return Program(
        f"{name}.{post.extension}",
        whole,
        tuple(numbers),
        tuple(ranges),
        tuple(move_lines),
        tuple(written),
        tuple(writer.leads),
        tuple(writer.added),
    )


def _check_lines(text: bytes, post: Post) -> None:
    if post.longest_line is None:
        return
    ends = np.flatnonzero(np.frombuffer(text, np.uint8) == 10)
    lengths = np.diff(ends, prepend=-1) - len(post.line_end)
    if len(lengths) and lengths.max() > post.longest_line:
        raise Refused(
            f"line {int(lengths.argmax()) + 1} has {int(lengths.max())} characters, but the post '{post.title}' allows "
            f"{post.longest_line}: leave out line numbers or decimal places, or words that repeat"
        )
