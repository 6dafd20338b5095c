"""Constrained Delaunay triangulation of points and segments on the plan.

Points are snapped to a grid of 2^-16 mm, so that orientation is decided in whole numbers, without error; only how well
shaped the triangles are is decided in floating point. Insertion and legalisation by flips: Lawson (1977); segments by
flips: Sloan (1993). Segments may cross: a point is set where they do.
"""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64, I32, I64, U8
from nephos.core.errors import Refused
from nephos.core.parallel import inlined, kernel

__all__ = ["GRID", "Triangulation", "triangulated"]

GRID = 2.0**-16
"""Points lie on a grid of this pitch (mm)."""
LARGEST = 4000.0
"""No two points may lie farther apart along an axis (mm): orientation would not be exact any more."""
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


@inlined
def _turn(px, py, a, b, x, y):  # type: ignore[no-untyped-def]
    """Twice the area of a, b, (x, y): more than 0 where they turn left. Exact: products stay under 2^62."""
    return (px[b] - px[a]) * (y - py[a]) - (py[b] - py[a]) * (x - px[a])


@inlined
def _turn3(px, py, a, b, c):  # type: ignore[no-untyped-def]
    return (px[b] - px[a]) * (py[c] - py[a]) - (py[b] - py[a]) * (px[c] - px[a])


@inlined
def _in_circle(px, py, a, b, c, d):  # type: ignore[no-untyped-def]
    """Whether d lies clearly in the circle through a, b, c, which turn left."""
    ax, ay = float(px[a] - px[d]), float(py[a] - py[d])
    bx, by = float(px[b] - px[d]), float(py[b] - py[d])
    cx, cy = float(px[c] - px[d]), float(py[c] - py[d])
    aa, bb, cc = ax * ax + ay * ay, bx * bx + by * by, cx * cx + cy * cy
    det = aa * (bx * cy - by * cx) - bb * (ax * cy - ay * cx) + cc * (ax * by - ay * bx)
    size = aa * (abs(bx * cy) + abs(by * cx)) + bb * (abs(ax * cy) + abs(ay * cx)) + cc * (abs(ax * by) + abs(ay * bx))
    return det > 1e-12 * size


@inlined
def _corner(tri, t, v):  # type: ignore[no-untyped-def]
    """Which corner of t the vertex v is; -1 for none."""
    if tri[t, 0] == v:
        return 0
    if tri[t, 1] == v:
        return 1
    return 2 if tri[t, 2] == v else -1


@inlined
def _beside(adj, t, s):  # type: ignore[no-untyped-def]
    """Which side of t the triangle s lies at."""
    if adj[t, 0] == s:
        return 0
    return 1 if adj[t, 1] == s else 2


@inlined
def _can_flip(px, py, tri, adj, t, k):  # type: ignore[no-untyped-def]
    """Whether side k of t lies in a strictly convex quadrilateral."""
    s = adj[t, k]
    a = tri[t, k]
    b, c = tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
    d = tri[s, _beside(adj, s, t)]
    return _turn3(px, py, a, b, d) > 0 and _turn3(px, py, a, d, c) > 0


@kernel
def _flip(tri, adj, fixed, mask, of, t, k):  # type: ignore[no-untyped-def]
    """Turn side k of t, b-c, to a-d. Afterwards t is (a, b, d) and the other one (a, d, c)."""
    s = adj[t, k]
    j = _beside(adj, s, t)
    a, b, c, d = tri[t, k], tri[t, (k + 1) % 3], tri[t, (k + 2) % 3], tri[s, j]
    k1, k2, j1, j2 = (k + 1) % 3, (k + 2) % 3, (j + 1) % 3, (j + 2) % 3
    ca, ab, bd, dc = adj[t, k1], adj[t, k2], adj[s, j1], adj[s, j2]
    fca, fab, fbd, fdc = fixed[t, k1], fixed[t, k2], fixed[s, j1], fixed[s, j2]
    mca, mab, mbd, mdc = mask[t, k1], mask[t, k2], mask[s, j1], mask[s, j2]
    tri[t, 0], tri[t, 1], tri[t, 2] = a, b, d
    tri[s, 0], tri[s, 1], tri[s, 2] = a, d, c
    # Side q lies over corner q: of (a, b, d) they are b-d, d-a, a-b.
    adj[t, 0], adj[t, 1], adj[t, 2] = bd, s, ab
    adj[s, 0], adj[s, 1], adj[s, 2] = dc, ca, t
    fixed[t, 0], fixed[t, 1], fixed[t, 2] = fbd, 0, fab
    fixed[s, 0], fixed[s, 1], fixed[s, 2] = fdc, fca, 0
    mask[t, 0], mask[t, 1], mask[t, 2] = mbd, np.uint64(0), mab
    mask[s, 0], mask[s, 1], mask[s, 2] = mdc, mca, np.uint64(0)
    if bd >= 0:
        adj[bd, _beside(adj, bd, s)] = t
    if ca >= 0:
        adj[ca, _beside(adj, ca, t)] = s
    of[a], of[b], of[d], of[c] = t, t, t, s
    return s


@kernel
def _legalize(px, py, tri, adj, fixed, mask, of, stack, n):  # type: ignore[no-untyped-def]
    """Flip sides (triangle, vertex over the side) of `stack` until they are Delaunay."""
    budget = 2000 + 50 * n
    while n > 0 and budget > 0:
        n -= 1
        budget -= 1
        t, v = stack[n, 0], stack[n, 1]
        k = _corner(tri, t, v)
        if k < 0:
            continue
        s = adj[t, k]
        if s < 0 or fixed[t, k]:
            continue
        d = tri[s, _beside(adj, s, t)]
        a, b, c = tri[t, k], tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
        if _in_circle(px, py, a, b, c, d) and _can_flip(px, py, tri, adj, t, k):
            other = _flip(tri, adj, fixed, mask, of, t, k)
            if n + 2 <= len(stack):
                stack[n, 0], stack[n, 1] = t, v
                stack[n + 1, 0], stack[n + 1, 1] = other, v
                n += 2


@kernel
def _locate(px, py, tri, adj, t, x, y):  # type: ignore[no-untyped-def]
    """The triangle that holds (x, y), by walking from t, and on which side the place lies (-1: within it)."""
    while True:
        on = -1
        moved = False
        for q in range(3):
            k = (q + t) % 3
            turn = _turn(px, py, tri[t, (k + 1) % 3], tri[t, (k + 2) % 3], x, y)
            if turn < 0:
                t = adj[t, k]
                moved = True
                break
            if turn == 0:
                on = k
        if not moved:
            return t, on


@kernel
def _insert(px, py, tri, adj, fixed, mask, of, count, p, start, stack):  # type: ignore[no-untyped-def]
    """Insert point p; returns the vertex that stands there, and the number of triangles."""
    x, y = px[p], py[p]
    t, on = _locate(px, py, tri, adj, start, x, y)
    for q in range(3):
        v = tri[t, q]
        if px[v] == x and py[v] == y:
            return v, count
    a, b, c = tri[t, 0], tri[t, 1], tri[t, 2]
    if on < 0:
        t1, t2 = count, count + 1
        count += 2
        n0, n1, n2 = adj[t, 0], adj[t, 1], adj[t, 2]
        f0, f1, f2 = fixed[t, 0], fixed[t, 1], fixed[t, 2]
        m0, m1, m2 = mask[t, 0], mask[t, 1], mask[t, 2]
        tri[t, 0], tri[t, 1], tri[t, 2] = p, b, c
        tri[t1, 0], tri[t1, 1], tri[t1, 2] = p, c, a
        tri[t2, 0], tri[t2, 1], tri[t2, 2] = p, a, b
        adj[t, 0], adj[t, 1], adj[t, 2] = n0, t1, t2
        adj[t1, 0], adj[t1, 1], adj[t1, 2] = n1, t2, t
        adj[t2, 0], adj[t2, 1], adj[t2, 2] = n2, t, t1
        fixed[t, 0], fixed[t, 1], fixed[t, 2] = f0, 0, 0
        fixed[t1, 0], fixed[t1, 1], fixed[t1, 2] = f1, 0, 0
        fixed[t2, 0], fixed[t2, 1], fixed[t2, 2] = f2, 0, 0
        zero = np.uint64(0)
        mask[t, 0], mask[t, 1], mask[t, 2] = m0, zero, zero
        mask[t1, 0], mask[t1, 1], mask[t1, 2] = m1, zero, zero
        mask[t2, 0], mask[t2, 1], mask[t2, 2] = m2, zero, zero
        if n1 >= 0:
            adj[n1, _beside(adj, n1, t)] = t1
        if n2 >= 0:
            adj[n2, _beside(adj, n2, t)] = t2
        of[p], of[a], of[b], of[c] = t, t1, t, t
        stack[0, 0], stack[1, 0], stack[2, 0] = t, t1, t2
        stack[0, 1], stack[1, 1], stack[2, 1] = p, p, p
        _legalize(px, py, tri, adj, fixed, mask, of, stack, 3)
        return p, count
    # On side b-c of (a, b, c): both triangles there are halved.
    k = on
    a, b, c = tri[t, k], tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
    s = adj[t, k]
    j = _beside(adj, s, t)
    d = tri[s, j]
    k1, k2, j1, j2 = (k + 1) % 3, (k + 2) % 3, (j + 1) % 3, (j + 2) % 3
    ca, ab, bd, dc = adj[t, k1], adj[t, k2], adj[s, j1], adj[s, j2]
    fca, fab, fbd, fdc = fixed[t, k1], fixed[t, k2], fixed[s, j1], fixed[s, j2]
    mca, mab, mbd, mdc = mask[t, k1], mask[t, k2], mask[s, j1], mask[s, j2]
    fbc, mbc = fixed[t, k], mask[t, k]
    t1, s1 = count, count + 1
    count += 2
    tri[t, 0], tri[t, 1], tri[t, 2] = p, a, b
    tri[t1, 0], tri[t1, 1], tri[t1, 2] = p, c, a
    tri[s, 0], tri[s, 1], tri[s, 2] = p, b, d
    tri[s1, 0], tri[s1, 1], tri[s1, 2] = p, d, c
    adj[t, 0], adj[t, 1], adj[t, 2] = ab, s, t1
    adj[t1, 0], adj[t1, 1], adj[t1, 2] = ca, t, s1
    adj[s, 0], adj[s, 1], adj[s, 2] = bd, s1, t
    adj[s1, 0], adj[s1, 1], adj[s1, 2] = dc, t1, s
    zero = np.uint64(0)
    fixed[t, 0], fixed[t, 1], fixed[t, 2] = fab, fbc, 0
    fixed[t1, 0], fixed[t1, 1], fixed[t1, 2] = fca, 0, fbc
    fixed[s, 0], fixed[s, 1], fixed[s, 2] = fbd, 0, fbc
    fixed[s1, 0], fixed[s1, 1], fixed[s1, 2] = fdc, fbc, 0
    mask[t, 0], mask[t, 1], mask[t, 2] = mab, mbc, zero
    mask[t1, 0], mask[t1, 1], mask[t1, 2] = mca, zero, mbc
    mask[s, 0], mask[s, 1], mask[s, 2] = mbd, zero, mbc
    mask[s1, 0], mask[s1, 1], mask[s1, 2] = mdc, mbc, zero
    if ca >= 0:
        adj[ca, _beside(adj, ca, t)] = t1
    if dc >= 0:
        adj[dc, _beside(adj, dc, s)] = s1
    of[p], of[a], of[b], of[c], of[d] = t, t, t, t1, s
    stack[0, 0], stack[1, 0], stack[2, 0], stack[3, 0] = t, t1, s, s1
    stack[0, 1], stack[1, 1], stack[2, 1], stack[3, 1] = p, p, p, p
    _legalize(px, py, tri, adj, fixed, mask, of, stack, 4)
    return p, count


@kernel
def _edge(tri, adj, of, a, b):  # type: ignore[no-untyped-def]
    """The triangle and side that run from a to b; -1 where there is none."""
    t = of[a]
    first = t
    while True:
        k = _corner(tri, t, a)
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
        k = _corner(tri, t, a)
        if tri[t, (k + 1) % 3] == b:
            return t, (k + 2) % 3
        t = adj[t, (k + 2) % 3]
        if t < 0:
            return -1, -1


@inlined
def _fix(tri, adj, fixed, mask, t, k, m):  # type: ignore[no-untyped-def]
    s = adj[t, k]
    j = _beside(adj, s, t)
    fixed[t, k], fixed[s, j] = 1, 1
    mask[t, k] ^= m
    mask[s, j] = mask[t, k]


@kernel
def _first_crossed(px, py, tri, adj, of, a, b):  # type: ignore[no-untyped-def]
    """Where the way from a to b leaves the triangles at a: the triangle and its side over a, or a vertex on the way."""
    t = of[a]
    while True:
        k = _corner(tri, t, a)
        c, d = tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
        left, right = _turn3(px, py, a, b, d), _turn3(px, py, a, b, c)
        if right == 0 and (px[c] - px[a]) * (px[b] - px[a]) + (py[c] - py[a]) * (py[b] - py[a]) > 0:
            return t, k, c
        if right < 0 < left:
            return t, k, -1
        t = adj[t, (k + 1) % 3]


@kernel
def _segment(px, py, tri, adj, fixed, mask, of, count, points, a, b, m, todo, held, rest, crossed, stack):  # type: ignore[no-untyped-def]
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
            j = _beside(adj, s, t)
            other = mask[t, k]
            fixed[t, k], fixed[s, j] = 0, 0
            mask[t, k], mask[s, j] = np.uint64(0), np.uint64(0)
            ta, tb = float(_turn3(px, py, c, d, a)), float(_turn3(px, py, c, d, b))
            share = ta / (ta - tb)
            px[points] = px[a] + np.int64(round(share * float(px[b] - px[a])))
            py[points] = py[a] + np.int64(round(share * float(py[b] - py[a])))
            p, count = _insert(px, py, tri, adj, fixed, mask, of, count, points, t, stack)
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
        j = _beside(adj, s, t)
        v = tri[s, j]
        if v == b:
            break
        turn = _turn3(px, py, a, b, v)
        if turn == 0 or n == len(crossed):
            # The way passes through v: first as far as there.
            todo[rest, 0], todo[rest, 1], held[rest] = v, b, m
            rest += 1
            b = v
            break
        # v on the left: the way leaves over the side from d' = v to the vertex on the right.
        t = s
        k = _corner(tri, s, d) if turn > 0 else _corner(tri, s, c)
    at, tries = 0, 0
    while at < n and tries < 100 * n + 1000:
        tries += 1
        c, d = crossed[at, 0], crossed[at, 1]
        t, k = _edge(tri, adj, of, c, d)
        if t < 0:
            at += 1
            continue
        if not _can_flip(px, py, tri, adj, t, k):
            # To the end of the row; others first.
            for q in range(at, n - 1):
                crossed[q, 0], crossed[q, 1] = crossed[q + 1, 0], crossed[q + 1, 1]
            crossed[n - 1, 0], crossed[n - 1, 1] = c, d
            continue
        u = tri[t, k]
        s = adj[t, k]
        v = tri[s, _beside(adj, s, t)]
        _flip(tri, adj, fixed, mask, of, t, k)
        at += 1
        if u in (a, b) or v in (a, b):
            continue
        if (_turn3(px, py, a, b, u) > 0) != (_turn3(px, py, a, b, v) > 0):
            at -= 1
            for q in range(at, n - 1):
                crossed[q, 0], crossed[q, 1] = crossed[q + 1, 0], crossed[q + 1, 1]
            crossed[n - 1, 0], crossed[n - 1, 1] = u, v
    t, k = _edge(tri, adj, of, a, b)
    if t >= 0:
        _fix(tri, adj, fixed, mask, t, k, m)
        return count, points, rest
    # Flips did not bring the side about: halve the segment, which is then easier.
    px[points], py[points] = (px[a] + px[b]) // 2, (py[a] + py[b]) // 2
    p, count = _insert(px, py, tri, adj, fixed, mask, of, count, points, of[a], stack)
    if p == points:
        points += 1
    for u in (a, b):
        if u != p:
            todo[rest, 0], todo[rest, 1], held[rest] = u, p, m
            rest += 1
    return count, points, rest


@kernel
def _place(px, py, order, n, tri, adj, fixed, mask, of, at, stack):  # type: ignore[no-untyped-def]
    """Insert all points; returns the number of triangles."""
    a, b, c, d = n, n + 1, n + 2, n + 3
    tri[0, 0], tri[0, 1], tri[0, 2] = a, b, c
    tri[1, 0], tri[1, 1], tri[1, 2] = a, c, d
    adj[0, 0], adj[0, 1], adj[0, 2] = -1, 1, -1
    adj[1, 0], adj[1, 1], adj[1, 2] = -1, -1, 0
    of[a], of[b], of[c], of[d] = 0, 0, 0, 1
    count, last = 2, 0
    for p in order:
        v, count = _insert(px, py, tri, adj, fixed, mask, of, count, p, last, stack)
        at[p] = v
        last = of[v]
    return count


@kernel
def _follow(px, py, n, count, tri, adj, fixed, mask, of, ends, masks, todo, held, crossed, stack):  # type: ignore[no-untyped-def]
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
def _flood(adj, mask, outside, regions, seen, stack):  # type: ignore[no-untyped-def]
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
def _thin(px, py, tri, adj, count, width, regions, out):  # type: ignore[no-untyped-def]
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
            area = float(_turn3(px, py, tri[at, 0], tri[at, 1], tri[at, 2]))
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
    Triangles cover all areas; beyond them they need not reach the convex hull. Where segments cross, a point is set within a grid step of both.
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
