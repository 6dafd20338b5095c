"""Kernels that write moves as the words of a program."""

import numpy as np

from nephos.core.arrays import I8, I64, U8
from nephos.core.parallel import kernel


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


@kernel
def put_moves(
    out: U8,
    units: I64,
    kinds: U8,
    feeds: I64,
    centres: I64,
    turns: I8,
    decimals: int,
    feed_decimals: int,
    full: bool,
    every_feed: bool,
    number: int,
    number_first: int,
    number_step: int,
    number_last: int,
    first_line: int,
    move_lines: I64,
    rapid: U8,
    feed: U8,
    clockwise: U8,
    counterclockwise: U8,
    wx: U8,
    wy: U8,
    wz: U8,
    wf: U8,
    wi: U8,
    wj: U8,
    line_end: U8,
) -> tuple[int, int, int]:
    """Write the moves to points 1..n; words that repeat are left out unless `full`. Returns the length."""
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
            if number > number_last:
                number = number_first
            out[at] = 32
            at += 1
        is_feed = 0 if kinds[k] == 0 else 1
        wanted = is_feed if turns[k] == 0 else 2 if turns[k] < 0 else 3
        if full or wanted != mode:
            at = _put_text(
                out,
                at,
                rapid if wanted == 0 else feed if wanted == 1 else clockwise if wanted == 2 else counterclockwise,
            )
            out[at] = 32
            at += 1
            mode = wanted
        if full or units[k + 1, 0] != units[k, 0] or turns[k] != 0:
            at = _put_fixed(out, _put_text(out, at, wx), units[k + 1, 0], decimals)
            out[at] = 32
            at += 1
        if full or units[k + 1, 1] != units[k, 1] or turns[k] != 0:
            at = _put_fixed(out, _put_text(out, at, wy), units[k + 1, 1], decimals)
            out[at] = 32
            at += 1
        if turns[k] != 0:
            at = _put_fixed(out, _put_text(out, at, wi), centres[k, 0] - units[k, 0], decimals)
            out[at] = 32
            at = _put_fixed(out, _put_text(out, at + 1, wj), centres[k, 1] - units[k, 1], decimals)
            out[at] = 32
            at += 1
        if (full and turns[k] == 0) or units[k + 1, 2] != units[k, 2]:
            at = _put_fixed(out, _put_text(out, at, wz), units[k + 1, 2], decimals)
            out[at] = 32
            at += 1
        if is_feed == 1 and (full or every_feed or feeds[k] != last_feed):
            at = _put_fixed(out, _put_text(out, at, wf), feeds[k], feed_decimals)
            last_feed = feeds[k]
        else:
            at -= 1
        at = _put_text(out, at, line_end)
        move_lines[k] = line
        line += 1
    return at, line, number
