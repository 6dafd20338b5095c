"""Constrained Delaunay triangulation of points and segments on the plan.

Points are snapped to a grid of 2^-16 mm, so that orientation is decided in whole numbers, without error; only how well
shaped the triangles are is decided in floating point (delaunay.py). Segments are made by flips: Sloan (1993). They may
cross: a point is set where they do.
"""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64, I32, I64, U8, U64
from nephos.core.errors import Refused
from nephos.core.parallel import inlined, kernel
from nephos.core.relief.delaunay import beside, can_flip, corner, flip, insert, turn3

__all__ = ["GRID", "Triangulation", "triangulated"]

GRID = 2.0**-16
"""Points lie on a grid of this pitch (mm)."""
LARGEST = 4000.0
"""No two points may lie farther apart along an axis (mm): orientation would not be exact any more."""
_NEAR = 2.0
"""A segment goes through points that it passes within so many grid steps."""
_SLIVER = 8.0
"""Triangles less wide than so many grid steps come from snapping."""
_FAR = 1.0
"""The four corners that enclose all points lie so many times their extent away."""


@dataclass(frozen=True)
class Triangulation:
    """Triangles over points on the plan, turning left.

    `points` (n, 2) float64 millimetres; `triangles` (m, 3) int32; `regions` (m,) uint64, one bit for each area that the
    triangle lies in; `index` (k,) int32, which point each of the k given points became."""

    points: F64
    triangles: I32
    regions: np.ndarray
    index: I32


@kernel
def _edge(tri: I32, adj: I32, of: I32, a: int, b: int) -> tuple[int, int]:
    """The triangle and side that run from a to b; -1 where there is none."""
    t = of[a]
    first = t
    while True:
        k = corner(tri, t, a)
        if tri[t, (k + 1) % 3] == b:
            return t, (k + 2) % 3
        t = adj[t, (k + 1) % 3]
        if t == first:
            return -1, -1
        if t < 0:
            break
    # The fan of a corner of the frame is open: the other way round.
    t = first
    while True:
        k = corner(tri, t, a)
        if tri[t, (k + 1) % 3] == b:
            return t, (k + 2) % 3
        t = adj[t, (k + 2) % 3]
        if t < 0:
            return -1, -1


@inlined
def _fix(tri: I32, adj: I32, fixed: U8, mask: U64, t: int, k: int, m: int) -> None:
    """Make side `k` of triangle `t` a fixed one, on both of its triangles, and toggle the curve `m` in its mask."""
    s = adj[t, k]
    j = beside(adj, s, t)
    fixed[t, k], fixed[s, j] = 1, 1
    mask[t, k] ^= m
    mask[s, j] = mask[t, k]


@inlined
def _on_way(px: I64, py: I64, a: int, b: int, v: int) -> bool:
    """Whether the way from a to b passes so near to v that it goes through it.

    Without that, two lines that almost lie on each other would cross again at every point that is set."""
    ux, uy = float(px[b] - px[a]), float(py[b] - py[a])
    wx, wy = float(px[v] - px[a]), float(py[v] - py[a])
    square = ux * ux + uy * uy
    along = wx * ux + wy * uy
    return 0 < along < square and abs(float(turn3(px, py, a, b, v))) <= _NEAR * np.sqrt(square)


@kernel
def _first_crossed(px: I64, py: I64, tri: I32, adj: I32, of: I32, a: int, b: int) -> tuple[int, int, int]:
    """Where the way from a to b leaves the triangles at a: the triangle and its side over a, or a vertex on the way."""
    t = of[a]
    while True:
        k = corner(tri, t, a)
        c, d = tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
        left, right = turn3(px, py, a, b, d), turn3(px, py, a, b, c)
        if right == 0 and (px[c] - px[a]) * (px[b] - px[a]) + (py[c] - py[a]) * (py[b] - py[a]) > 0:
            return t, k, c
        if right < 0 < left:
            if _on_way(px, py, a, b, c):
                return t, k, c
            if _on_way(px, py, a, b, d):
                return t, k, d
            return t, k, -1
        t = adj[t, (k + 1) % 3]


@kernel
def _flip_away(
    px: I64, py: I64, tri: I32, adj: I32, fixed: U8, mask: U64, of: I32, a: int, b: int, crossed: I32, n: int
) -> None:
    """Flip the first `n` sides of `crossed` until none crosses the way from a to b, or too often."""
    at, tries = 0, 0
    while at < n and tries < 100 * n + 1000:
        tries += 1
        c, d = crossed[at, 0], crossed[at, 1]
        t, k = _edge(tri, adj, of, c, d)
        if t < 0:
            at += 1
            continue
        if not can_flip(px, py, tri, adj, t, k):
            # To the end of the row; others first.
            for q in range(at, n - 1):
                crossed[q, 0], crossed[q, 1] = crossed[q + 1, 0], crossed[q + 1, 1]
            crossed[n - 1, 0], crossed[n - 1, 1] = c, d
            continue
        u = tri[t, k]
        s = adj[t, k]
        v = tri[s, beside(adj, s, t)]
        flip(tri, adj, fixed, mask, of, t, k)
        at += 1
        if u in (a, b) or v in (a, b):
            continue
        if (turn3(px, py, a, b, u) > 0) != (turn3(px, py, a, b, v) > 0):
            at -= 1
            for q in range(at, n - 1):
                crossed[q, 0], crossed[q, 1] = crossed[q + 1, 0], crossed[q + 1, 1]
            crossed[n - 1, 0], crossed[n - 1, 1] = u, v


@kernel
def _segment(
    px: I64,
    py: I64,
    tri: I32,
    adj: I32,
    fixed: U8,
    mask: U64,
    of: I32,
    count: int,
    points: int,
    a: int,
    b: int,
    m: int,
    todo: I32,
    held: U64,
    rest: int,
    crossed: I32,
    stack: I32,
) -> tuple[int, int, int]:
    """Make the segment a-b of `todo` a fixed side, or as far as it is free; what is left of it, and of others that it
    cuts, is put on `todo`. Returns the numbers of triangles and points, and how much is to do."""
    t, k, on = _first_crossed(px, py, tri, adj, of, a, b)
    if on >= 0:
        e, side = _edge(tri, adj, of, a, on)
        _fix(tri, adj, fixed, mask, e, side, m)
        if on != b:
            todo[rest, 0], todo[rest, 1], held[rest] = on, b, m
            rest += 1
        return count, points, rest
    n = 0
    while True:
        c, d = tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
        if fixed[t, k]:
            # Cut both where they cross.
            s = adj[t, k]
            j = beside(adj, s, t)
            other = mask[t, k]
            fixed[t, k], fixed[s, j] = 0, 0
            mask[t, k], mask[s, j] = np.uint64(0), np.uint64(0)
            ta, tb = float(turn3(px, py, c, d, a)), float(turn3(px, py, c, d, b))
            share = ta / (ta - tb)
            px[points] = px[a] + np.int64(round(share * float(px[b] - px[a])))
            py[points] = py[a] + np.int64(round(share * float(py[b] - py[a])))
            p, count = insert(px, py, tri, adj, fixed, mask, of, count, points, t, stack)
            if p == points:
                points += 1
            for q in range(4):
                u, v = (c, d, a, b)[q], p
                if u != v:
                    todo[rest, 0], todo[rest, 1], held[rest] = u, v, other if q < 2 else m
                    rest += 1
            return count, points, rest
        crossed[n, 0], crossed[n, 1] = c, d
        n += 1
        s = adj[t, k]
        j = beside(adj, s, t)
        v = tri[s, j]
        if v == b:
            break
        turn = turn3(px, py, a, b, v)
        if _on_way(px, py, a, b, v) or n == len(crossed):
            # The way passes through v, or there is no room: first as far as there.
            todo[rest, 0], todo[rest, 1], held[rest] = v, b, m
            rest += 1
            b = v
            break
        # v on the left: the way leaves over the side from d' = v to the vertex on the right.
        t = s
        k = corner(tri, s, d) if turn > 0 else corner(tri, s, c)
    _flip_away(px, py, tri, adj, fixed, mask, of, a, b, crossed, n)
    t, k = _edge(tri, adj, of, a, b)
    if t >= 0:
        _fix(tri, adj, fixed, mask, t, k, m)
        return count, points, rest
    # Flips did not bring the side about: halve the segment, which is then easier.
    px[points], py[points] = (px[a] + px[b]) // 2, (py[a] + py[b]) // 2
    p, count = insert(px, py, tri, adj, fixed, mask, of, count, points, of[a], stack)
    if p == points:
        points += 1
    for u in (a, b):
        if u != p:
            todo[rest, 0], todo[rest, 1], held[rest] = u, p, m
            rest += 1
    return count, points, rest


@kernel
def _place(
    px: I64, py: I64, order: I64, n: int, tri: I32, adj: I32, fixed: U8, mask: U64, of: I32, at: I32, stack: I32
) -> int:
    """Insert all points; returns the number of triangles."""
    a, b, c, d = n, n + 1, n + 2, n + 3
    tri[0, 0], tri[0, 1], tri[0, 2] = a, b, c
    tri[1, 0], tri[1, 1], tri[1, 2] = a, c, d
    adj[0, 0], adj[0, 1], adj[0, 2] = -1, 1, -1
    adj[1, 0], adj[1, 1], adj[1, 2] = -1, -1, 0
    of[a], of[b], of[c], of[d] = 0, 0, 0, 1
    count, last = 2, 0
    for p in order:
        v, count = insert(px, py, tri, adj, fixed, mask, of, count, p, last, stack)
        at[p] = v
        last = of[v]
    return count


@kernel
def _follow(
    px: I64,
    py: I64,
    n: int,
    count: int,
    tri: I32,
    adj: I32,
    fixed: U8,
    mask: U64,
    of: I32,
    ends: I32,
    masks: U64,
    todo: I32,
    held: U64,
    crossed: I32,
    stack: I32,
) -> tuple[int, int]:
    """Make all segments fixed sides; returns the numbers of triangles and points, -1 where there is no room."""
    points = n + 4
    for q in range(len(ends)):
        todo[0, 0], todo[0, 1], held[0] = ends[q, 0], ends[q, 1], masks[q]
        rest = 1
        while rest > 0:
            rest -= 1
            a, b, m = todo[rest, 0], todo[rest, 1], held[rest]
            if a == b:
                continue
            if points + 2 >= len(px) or count + 6 >= len(tri) or rest + 8 >= len(todo):
                return -1, -1
            count, points, rest = _segment(
                px, py, tri, adj, fixed, mask, of, count, points, a, b, m, todo, held, rest, crossed, stack
            )
    return count, points


@kernel
def _flood(adj: I32, mask: U64, outside: int, regions: U64, seen: U8, stack: I32) -> None:
    """Which areas each triangle lies in: none outside, and one more or less over each of its outlines."""
    stack[0] = outside
    seen[outside] = 1
    n = 1
    while n > 0:
        n -= 1
        t = stack[n]
        for k in range(3):
            s = adj[t, k]
            if s >= 0 and not seen[s]:
                seen[s] = 1
                regions[s] = regions[t] ^ mask[t, k]
                stack[n] = s
                n += 1


@kernel
def _thin(px: I64, py: I64, tri: I32, adj: I32, count: int, width: float, regions: U64, out: U64) -> None:
    """Give triangles less wide than `width` (in grid steps) the areas of what lies beyond their longest side.

    Where outlines cross or lie along each other snapping leaves such slivers, which would stand up as fins."""
    for t in range(count):
        at = t
        for _ in range(8):
            longest, side = 0.0, 0
            for k in range(3):
                a, b = tri[at, (k + 1) % 3], tri[at, (k + 2) % 3]
                length = float(px[b] - px[a]) ** 2 + float(py[b] - py[a]) ** 2
                if length > longest:
                    longest, side = length, k
            area = float(turn3(px, py, tri[at, 0], tri[at, 1], tri[at, 2]))
            if area >= width * np.sqrt(longest) or adj[at, side] < 0:
                break
            at = adj[at, side]
        out[t] = regions[at]


def _joined(ends: I32, masks: np.ndarray) -> tuple[I32, np.ndarray]:
    """Segments between the same points as one: it bounds the areas that an odd number of them bound."""
    if len(ends) == 0:
        return ends, masks
    order = np.sort(ends, axis=1).astype(np.int64)
    key = (order[:, 0] << 32) | order[:, 1]
    by = np.argsort(key, kind="stable")
    first = np.flatnonzero(np.concatenate([[True], np.diff(key[by]) != 0]))
    return ends[by[first]], np.bitwise_xor.reduceat(masks[by], first)


def _curve_order(x: I64, y: I64) -> I64:
    """The order of points along a space-filling curve (Morton, 1966), so that each lies near the one before."""
    bits = []
    for value in (x, y):
        span = max(int(value.max() - value.min()), 1)
        v = ((value - value.min()).astype(np.float64) * (65535.0 / span)).astype(np.uint64)
        for shift, keep in (
            (16, 0x0000FFFF0000FFFF),
            (8, 0x00FF00FF00FF00FF),
            (4, 0x0F0F0F0F0F0F0F0F),
            (2, 0x3333333333333333),
            (1, 0x5555555555555555),
        ):
            v = (v | (v << np.uint64(shift))) & np.uint64(keep)
        bits.append(v)
    return np.argsort(bits[0] | (bits[1] << np.uint64(1)), kind="stable")


def triangulated(points: F64, segments: I32, masks: np.ndarray) -> Triangulation:
    """The constrained Delaunay triangulation of points and segments.

    Parameters
    ----------
    points : (k, 2) float64 millimetres, within 4 m of each other. segments : (s, 2) int32, ends among the points;
    they may cross and overlap. masks : (s,) uint64, the areas whose outline each segment is a part of; closed outlines
    must close. A segment that bounds nothing has none.

    Raises
    ------
    Refused
        Where the points are farther apart than 4 m.

    Notes
    -----
    Triangles cover all areas; beyond them they need not reach the convex hull. Where segments cross, a point is set
    within a grid step of both.
    """
    if float(np.ptp(points, axis=0).max()) > LARGEST or not np.isfinite(points).all():
        raise Refused(f"the relief is more than {LARGEST / 1000:g} m long: make it smaller")
    snapped = np.round(points / GRID).astype(np.int64)
    n, s = len(points), len(segments)
    low, high = snapped.min(axis=0), snapped.max(axis=0)
    reach = int(_FAR * max(int((high - low).max()), 1024))
    frame = np.array(
        [
            [low[0] - reach, low[1] - reach],
            [high[0] + reach, low[1] - reach],
            high + reach,
            [low[0] - reach, high[1] + reach],
        ]
    )
    order = _curve_order(snapped[:, 0], snapped[:, 1])
    room = n + 4 + 2 * s + 4096
    while True:
        px, py = np.zeros(room, np.int64), np.zeros(room, np.int64)
        px[: n + 4], py[: n + 4] = np.concatenate([snapped, frame]).T
        tri, adj = np.zeros((2 * room + 8, 3), np.int32), np.full((2 * room + 8, 3), -1, np.int32)
        fixed: U8 = np.zeros(tri.shape, np.uint8)
        mask = np.zeros(tri.shape, np.uint64)
        of, at = np.zeros(room, np.int32), np.zeros(n, np.int32)
        todo, held = np.zeros((room + 65536, 2), np.int32), np.zeros(room + 65536, np.uint64)
        crossed, stack = np.zeros((262144, 2), np.int32), np.zeros((65536, 2), np.int32)
        count = _place(px, py, order, n, tri, adj, fixed, mask, of, at, stack)
        ends, held_masks = _joined(at[np.asarray(segments, np.int32)], np.asarray(masks, np.uint64))
        count, used = _follow(px, py, n, count, tri, adj, fixed, mask, of, ends, held_masks, todo, held, crossed, stack)
        if count >= 0:
            break
        room *= 2
    flooded = np.zeros(count, np.uint64)
    _flood(adj, mask, of[n], flooded, np.zeros(count, np.uint8), np.zeros(count, np.int32))
    regions = np.zeros(count, np.uint64)
    _thin(px, py, tri, adj, count, _SLIVER, flooded, regions)
    kept = ~((tri[:count] >= n) & (tri[:count] < n + 4)).any(axis=1)
    number = np.full(used, -1, np.int32)
    triangles = tri[:count][kept]
    live = np.unique(triangles)
    number[live] = np.arange(len(live), dtype=np.int32)
    xy: F64 = np.asarray(np.stack([px[live], py[live]], 1) * GRID, np.float64)
    return Triangulation(xy, number[triangles], regions[kept], number[at])
