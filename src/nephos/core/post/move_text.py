"""Kernels that write moves as the words of a program."""

from typing import NamedTuple

import numpy as np

from nephos.core.arrays import I8, I64, U8
from nephos.core.parallel import inlined, kernel


@kernel
def _put_text(out: U8, at: int, word: U8) -> int:
    """Put ASCII bytes into `out` from `at`; returns the place behind them."""
    for k in range(len(word)):
        out[at + k] = word[k]
    return at + len(word)


@kernel
def _put_integer(out: U8, at: int, value: int) -> int:
    """Put the digits of a number that is not negative into `out` from `at`; returns the place behind them."""
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
def _put_fixed(out: U8, at: int, units: int, decimals: int) -> int:
    """`units` is the number times 10**decimals, an integer; at least one digit on both sides of the point."""
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


class TextMoves(NamedTuple):
    """Moves on the grid of the text: `units` (n + 1, 3) int64 in its last places, `kinds` (n,), `feeds` (n,) int64 in
    theirs, `centres` (n, 2) int64 of arcs, `turns` (n,) int8, 0 for straight moves, -1 clockwise, 1
    counterclockwise."""

    units: I64
    kinds: U8
    feeds: I64
    centres: I64
    turns: I8


class TextForm(NamedTuple):
    """How moves are written. `decimals`, `feed_decimals` : places. `full` : all words on each line. `every_feed` : F on
    each feed move. `number_first`, `number_step`, `number_last` : of N words. The others are the bytes of each word."""

    decimals: int
    feed_decimals: int
    full: bool
    every_feed: bool
    number_first: int
    number_step: int
    number_last: int
    rapid: U8
    feed: U8
    clockwise: U8
    counterclockwise: U8
    x: U8
    y: U8
    z: U8
    f: U8
    i: U8
    j: U8
    line_end: U8


@inlined
def _put_word(out: U8, at: int, word: U8, value: int, decimals: int) -> int:
    """Write a word with a number and a space after it; returns where the next one begins."""
    at = _put_fixed(out, _put_text(out, at, word), value, decimals)
    out[at] = 32
    return at + 1


@inlined
def _put_number(out: U8, at: int, number: int, form: TextForm) -> tuple[int, int]:
    """Write the N word of a line, where there are any; returns where the next word begins, and the next number."""
    if number < 0:
        return at, number
    out[at] = 78
    at = _put_integer(out, at + 1, number)
    out[at] = 32
    number += form.number_step
    return at + 1, form.number_first if number > form.number_last else number


@inlined
def _put_motion(out: U8, at: int, wanted: int, form: TextForm) -> int:
    """Write the word of a rapid (0), a feed (1), or an arc clockwise (2) or counterclockwise (3), and a space."""
    if wanted == 0:
        at = _put_text(out, at, form.rapid)
    elif wanted == 1:
        at = _put_text(out, at, form.feed)
    elif wanted == 2:
        at = _put_text(out, at, form.clockwise)
    else:
        at = _put_text(out, at, form.counterclockwise)
    out[at] = 32
    return at + 1


@kernel
def put_moves(
    out: U8, moves: TextMoves, form: TextForm, number: int, first_line: int, move_lines: I64
) -> tuple[int, int, int]:
    """Write the moves to points 1..n into `out`, and the line of each into `move_lines` (n,). Words that repeat are
    left out unless the form is full. Returns the length, the next line, and the next line number (below 0: none)."""
    units, kinds, feeds, turns = moves.units, moves.kinds, moves.feeds, moves.turns
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
        at, number = _put_number(out, at, number, form)
        is_feed = 0 if kinds[k] == 0 else 1
        wanted = is_feed if turns[k] == 0 else 2 if turns[k] < 0 else 3
        if form.full or wanted != mode:
            at = _put_motion(out, at, wanted, form)
            mode = wanted
        if form.full or units[k + 1, 0] != units[k, 0] or turns[k] != 0:
            at = _put_word(out, at, form.x, units[k + 1, 0], form.decimals)
        if form.full or units[k + 1, 1] != units[k, 1] or turns[k] != 0:
            at = _put_word(out, at, form.y, units[k + 1, 1], form.decimals)
        if turns[k] != 0:
            at = _put_word(out, at, form.i, moves.centres[k, 0] - units[k, 0], form.decimals)
            at = _put_word(out, at, form.j, moves.centres[k, 1] - units[k, 1], form.decimals)
        if (form.full and turns[k] == 0) or units[k + 1, 2] != units[k, 2]:
            at = _put_word(out, at, form.z, units[k + 1, 2], form.decimals)
        if is_feed == 1 and (form.full or form.every_feed or feeds[k] != last_feed):
            at = _put_fixed(out, _put_text(out, at, form.f), feeds[k], form.feed_decimals)
            last_feed = feeds[k]
        else:
            at -= 1
        at = _put_text(out, at, form.line_end)
        move_lines[k] = line
        line += 1
    return at, line, number
