"""A Delaunay triangulation as arrays, and points inserted into it. Insertion and legalisation by flips: Lawson (1977).

Triangle t has the corners `tri[t]`, turning left; side k lies over corner k, with the triangle `adj[t, k]` beyond it
(-1 for none). A side that is `fixed` is never flipped; its `mask` are the areas that it bounds. `of` is a triangle at
each point. Coordinates are whole numbers, so that orientation is exact.
"""

import numpy as np

from nephos.core.arrays import I32, I64, U8, U64
from nephos.core.parallel import inlined, kernel


@inlined
def _turn(px: I64, py: I64, a: int, b: int, x: int, y: int) -> int:
    """Twice the area of a, b, (x, y): more than 0 where they turn left. Exact: products stay under 2^62."""
    return (px[b] - px[a]) * (y - py[a]) - (py[b] - py[a]) * (x - px[a])


@inlined
def turn3(px: I64, py: I64, a: int, b: int, c: int) -> int:
    """Twice the area of a, b, c: more than 0 where they turn left. Exact, as that of `_turn`."""
    return (px[b] - px[a]) * (py[c] - py[a]) - (py[b] - py[a]) * (px[c] - px[a])


@inlined
def _in_circle(px: I64, py: I64, a: int, b: int, c: int, d: int) -> bool:
    """Whether d lies clearly in the circle through a, b, c, which turn left."""
    ax, ay = float(px[a] - px[d]), float(py[a] - py[d])
    bx, by = float(px[b] - px[d]), float(py[b] - py[d])
    cx, cy = float(px[c] - px[d]), float(py[c] - py[d])
    aa, bb, cc = ax * ax + ay * ay, bx * bx + by * by, cx * cx + cy * cy
    det = aa * (bx * cy - by * cx) - bb * (ax * cy - ay * cx) + cc * (ax * by - ay * bx)
    size = aa * (abs(bx * cy) + abs(by * cx)) + bb * (abs(ax * cy) + abs(ay * cx)) + cc * (abs(ax * by) + abs(ay * bx))
    return det > 1e-12 * size


@inlined
def corner(tri: I32, t: int, v: int) -> int:
    """Which corner of t the vertex v is; -1 for none."""
    if tri[t, 0] == v:
        return 0
    if tri[t, 1] == v:
        return 1
    return 2 if tri[t, 2] == v else -1


@inlined
def beside(adj: I32, t: int, s: int) -> int:
    """Which side of t the triangle s lies at."""
    if adj[t, 0] == s:
        return 0
    return 1 if adj[t, 1] == s else 2


@inlined
def can_flip(px: I64, py: I64, tri: I32, adj: I32, t: int, k: int) -> bool:
    """Whether side k of t lies in a strictly convex quadrilateral."""
    s = adj[t, k]
    a = tri[t, k]
    b, c = tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
    d = tri[s, beside(adj, s, t)]
    return turn3(px, py, a, b, d) > 0 and turn3(px, py, a, d, c) > 0


@kernel
def flip(tri: I32, adj: I32, fixed: U8, mask: U64, of: I32, t: int, k: int) -> int:
    """Turn side k of t, b-c, to a-d. Afterwards t is (a, b, d) and the other one (a, d, c)."""
    s = adj[t, k]
    j = beside(adj, s, t)
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
        adj[bd, beside(adj, bd, s)] = t
    if ca >= 0:
        adj[ca, beside(adj, ca, t)] = s
    of[a], of[b], of[d], of[c] = t, t, t, s
    return s


@kernel
def _legalize(px: I64, py: I64, tri: I32, adj: I32, fixed: U8, mask: U64, of: I32, stack: I32, n: int) -> None:
    """Flip sides (triangle, vertex over the side) of `stack` until they are Delaunay."""
    budget = 2000 + 50 * n
    while n > 0 and budget > 0:
        n -= 1
        budget -= 1
        t, v = stack[n, 0], stack[n, 1]
        k = corner(tri, t, v)
        if k < 0:
            continue
        s = adj[t, k]
        if s < 0 or fixed[t, k]:
            continue
        d = tri[s, beside(adj, s, t)]
        a, b, c = tri[t, k], tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
        if _in_circle(px, py, a, b, c, d) and can_flip(px, py, tri, adj, t, k):
            other = flip(tri, adj, fixed, mask, of, t, k)
            if n + 2 <= len(stack):
                stack[n, 0], stack[n, 1] = t, v
                stack[n + 1, 0], stack[n + 1, 1] = other, v
                n += 2


@kernel
def _locate(px: I64, py: I64, tri: I32, adj: I32, t: int, x: int, y: int) -> tuple[int, int]:
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
def insert(
    px: I64, py: I64, tri: I32, adj: I32, fixed: U8, mask: U64, of: I32, count: int, p: int, start: int, stack: I32
) -> tuple[int, int]:
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
            adj[n1, beside(adj, n1, t)] = t1
        if n2 >= 0:
            adj[n2, beside(adj, n2, t)] = t2
        of[p], of[a], of[b], of[c] = t, t1, t, t
        stack[0, 0], stack[1, 0], stack[2, 0] = t, t1, t2
        stack[0, 1], stack[1, 1], stack[2, 1] = p, p, p
        _legalize(px, py, tri, adj, fixed, mask, of, stack, 3)
        return p, count
    # On side b-c of (a, b, c): both triangles there are halved.
    k = on
    a, b, c = tri[t, k], tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
    s = adj[t, k]
    j = beside(adj, s, t)
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
        adj[ca, beside(adj, ca, t)] = t1
    if dc >= 0:
        adj[dc, beside(adj, dc, s)] = s1
    of[p], of[a], of[b], of[c], of[d] = t, t, t, t1, s
    stack[0, 0], stack[1, 0], stack[2, 0], stack[3, 0] = t, t1, s, s1
    stack[0, 1], stack[1, 1], stack[2, 1], stack[3, 1] = p, p, p, p
    _legalize(px, py, tri, adj, fixed, mask, of, stack, 4)
    return p, count
