"""Program text from toolpaths, after the table of a post."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64, I64, U8
from nephos.core.bands import kernel
from nephos.core.cutters import Cutter
from nephos.core.paths.toolpath import Toolpath
from nephos.core.post.arcs import straight_only, with_arcs
from nephos.core.post.schema import Post


@dataclass(frozen=True)
class Step:
    """One operation to be written, its path thinned to `tolerance` (mm) by arcs where the post has them."""

    number: int
    title: str
    cutter: Cutter
    spindle: float
    path: Toolpath
    tolerance: float = 0.01


@dataclass(frozen=True)
class Program:
    """One posted file.

    `text` is its bytes. For each operation: `numbers` its number, `lines` the first and last line
    of the file (from 1) that belong to it, `move_lines` (n,) int64 the line of each move as it was written, and
    `kinds` (n,) uint8 what each is for.
    """

    name: str
    text: bytes
    numbers: tuple[int, ...]
    lines: tuple[tuple[int, int], ...]
    move_lines: tuple[I64, ...]
    kinds: tuple[U8, ...]


@kernel
def _put_text(out, at, word):  # type: ignore[no-untyped-def]
    for k in range(len(word)):
        out[at + k] = word[k]
    return at + len(word)


@kernel
def _put_integer(out, at, value):  # type: ignore[no-untyped-def]
    if value == 0:
        out[at] = 48
        return at + 1
    digits = 0
    rest = value
    while rest > 0:
        rest //= 10
        digits += 1
    rest = value
    for k in range(digits):
        out[at + digits - 1 - k] = 48 + rest % 10
        rest //= 10
    return at + digits


@kernel
def _put_fixed(out, at, units, decimals):  # type: ignore[no-untyped-def]
    """`units` is the number times 10**decimals, an integer; at least one digit stands on both sides."""
    if units < 0:
        out[at] = 45
        at += 1
        units = -units
    scale = 10**decimals
    at = _put_integer(out, at, units // scale)
    if decimals == 0:
        return at
    out[at] = 46
    at += 1
    rest = units % scale
    for k in range(decimals):
        out[at + decimals - 1 - k] = 48 + rest % 10
        rest //= 10
    at += decimals
    while out[at - 1] == 48 and out[at - 2] != 46:
        at -= 1
    return at


@kernel
def _put_moves(  # type: ignore[no-untyped-def]
    out, units, kinds, feeds, centres, turns, decimals, feed_decimals, number, number_step, first_line, move_lines,
    rapid, feed, clockwise, counterclockwise, wx, wy, wz, wf, wi, wj, line_end,
):
    """Write the moves to points 1..n; words are left out where they repeat. Returns the length."""
    at = 0
    line = first_line
    mode = -1
    last_feed = np.int64(-1)
    for k in range(len(kinds)):
        moved = False
        for axis in range(3):
            moved = moved or units[k + 1, axis] != units[k, axis]
        if not moved:
            move_lines[k] = line - 1  # where the cutter stands already
            continue
        if number >= 0:
            out[at] = 78
            at = _put_integer(out, at + 1, number)
            number += number_step
            out[at] = 32
            at += 1
        is_feed = 0 if kinds[k] == 0 else 1
        wanted = is_feed if turns[k] == 0 else 2 if turns[k] < 0 else 3
        if wanted != mode:
            at = _put_text(out, at, rapid if wanted == 0 else feed if wanted == 1 else clockwise if wanted == 2 else counterclockwise)
            out[at] = 32
            at += 1
            mode = wanted
        if units[k + 1, 0] != units[k, 0] or turns[k] != 0:
            at = _put_fixed(out, _put_text(out, at, wx), units[k + 1, 0], decimals)
            out[at] = 32
            at += 1
        if units[k + 1, 1] != units[k, 1] or turns[k] != 0:
            at = _put_fixed(out, _put_text(out, at, wy), units[k + 1, 1], decimals)
            out[at] = 32
            at += 1
        if turns[k] != 0:
            at = _put_fixed(out, _put_text(out, at, wi), centres[k, 0] - units[k, 0], decimals)
            out[at] = 32
            at = _put_fixed(out, _put_text(out, at + 1, wj), centres[k, 1] - units[k, 1], decimals)
            out[at] = 32
            at += 1
        if units[k + 1, 2] != units[k, 2]:
            at = _put_fixed(out, _put_text(out, at, wz), units[k + 1, 2], decimals)
            out[at] = 32
            at += 1
        if is_feed == 1 and feeds[k] != last_feed:
            at = _put_fixed(out, _put_text(out, at, wf), feeds[k], feed_decimals)
            last_feed = feeds[k]
        else:
            at -= 1
        at = _put_text(out, at, line_end)
        move_lines[k] = line
        line += 1
    return at, line, number


def _bytes(word: str) -> U8:
    return np.frombuffer(word.encode("ascii"), np.uint8)


def rounded(points: F64, post: Post) -> I64:
    """Positions (n, 3) as whole numbers of the post's last decimal."""
    return np.rint(points / post.millimetres * 10**post.decimals).astype(np.int64)


class _Writer:
    def __init__(self, post: Post) -> None:
        self.post = post
        self.parts: list[bytes] = []
        self.line = 1
        self.number = post.line_numbers.first if post.line_numbers.on else -1

    def words(self, text: str) -> None:
        prefix = ""
        if self.number >= 0:
            prefix = f"N{self.number} "
            self.number += self.post.line_numbers.step
        self.parts.append(f"{prefix}{text}{self.post.line_end}".encode("ascii", "replace"))
        self.line += 1

    def comment(self, text: str) -> None:
        style = self.post.comment
        for mark in (style.open, style.close):
            text = text.replace(mark, " ")
        text = " ".join(text.split())
        self.parts.append(f"{style.open}{text[:style.longest]}{style.close}{self.post.line_end}".encode("ascii", "replace"))
        self.line += 1

    def moves(self, path: Toolpath, tolerance: float) -> tuple[I64, U8]:
        post = self.post
        arcs = with_arcs(path, tolerance) if post.arcs else straight_only(path)
        path = arcs.path
        units = rounded(path.points, post)
        centres = np.rint(arcs.centres / post.millimetres * 10**post.decimals).astype(np.int64)
        feeds = np.rint(path.feeds / post.millimetres * 10**post.feed_decimals).astype(np.int64)
        out = np.empty((6 * 24 + 16) * path.moves + 16, np.uint8)
        lines = np.empty(path.moves, np.int64)
        w = post.words
        length, self.line, self.number = _put_moves(
            out, units, path.kinds, feeds, centres, arcs.turns, post.decimals, post.feed_decimals, self.number,
            post.line_numbers.step, self.line, lines, _bytes(w.rapid), _bytes(w.feed), _bytes(w.clockwise), _bytes(w.counterclockwise),
            _bytes(w.x), _bytes(w.y), _bytes(w.z), _bytes(w.f), _bytes(w.i), _bytes(w.j), _bytes(post.line_end),
        )
        self.parts.append(out[:length].tobytes())
        return lines, path.kinds


def write_program(post: Post, name: str, header: list[str], steps: list[Step], spindle_wait: float,
                  home: tuple[float, float] | None = None) -> Program:
    """The text of one program: `header` as comments, then each step with its cutter.

    Each step begins with the cutter going up to the clearance, then across, with all words
    written, so that it can be read and started on its own. At `home`, X and Y from the work zero, the
    cutter is left at the end, at the height that the last step ends at.
    """
    writer = _Writer(post)
    for text in header:
        writer.comment(text)
    for text in post.start:
        writer.words(text)
    numbers, ranges, move_lines, written = [], [], [], []
    tool = None
    for step in steps:
        fields = {
            "spindle": f"{step.spindle:g}", "spindle_wait": f"{spindle_wait:g}",
            "tool": str(step.cutter.number), "cutter": step.cutter.name,
        }
        first = writer.line
        writer.comment(f"{step.number} {step.title}, {step.cutter.name}")
        if step.cutter.number != tool:
            for text in post.cutter_change:
                writer.words(text.format(**fields))
            tool = step.cutter.number
        for text in post.operation_start:
            writer.words(text.format(**fields))
        start = rounded(step.path.points[:1], post)[0] / 10**post.decimals
        digits = post.decimals
        writer.words(f"{post.words.rapid} {post.words.z}{start[2]:.{digits}f}")
        writer.words(
            f"{post.words.rapid} {post.words.x}{start[0]:.{digits}f} {post.words.y}{start[1]:.{digits}f}"
        )
        lines, kinds = writer.moves(step.path, step.tolerance)
        for text in post.operation_end:
            writer.words(text.format(**fields))
        numbers.append(step.number)
        ranges.append((first, writer.line - 1))
        move_lines.append(lines)
        written.append(kinds)
    if home is not None:
        x, y = rounded(np.array([[*home, 0.0]]), post)[0][:2] / 10**post.decimals
        writer.words(f"{post.words.rapid} {post.words.x}{x:.{post.decimals}f} {post.words.y}{y:.{post.decimals}f}")
    for text in post.end:
        writer.words(text)
    return Program(f"{name}.{post.extension}", b"".join(writer.parts), tuple(numbers), tuple(ranges),
                   tuple(move_lines), tuple(written))
