"""Cutter contact with one facet, edge or vertex, in the drop direction (-Z).

Every cutter here is a surface of revolution that is convex and described by the height of its
underside over its tip, h(rho), at the distance rho from the axis:

    h(rho) = 0                                      for rho <= a
    h(rho) = c - sqrt(c^2 - (rho - a)^2)            for a < rho <= a + c

with `a` the radius of the flat bottom and `c` the corner radius. A flat cutter has c = 0, a ball
cutter a = 0, a bull-nose cutter both. A cutter grown by s in all directions (stock to leave) has
the same `a` and the corner radius c + s, so it belongs to the family as well.

The tip rests at the largest of z(p) - h(|p - axis|) over all points p of the part. As h is convex
that is a concave function over a plane or a line, so the one stationary point, where it exists
inside the facet, is its maximum, and otherwise the maximum is on the border.
(Maximum of cutter surface over part surface: drop-cutter, as in Choi and Jerard, "Sculptured
Surface Machining", 1998, chapter 6.)
"""

from math import sqrt

import numpy as np

from nephos.core.bands import inlined, kernel

NOTHING = -np.inf
_LEVEL = 1e-12


@inlined
def underside(rho: float, a: float, c: float) -> float:
    """Height h(rho) of the cutter's underside over its tip; infinite outside the cutter."""
    if rho <= a:
        return 0.0
    t = rho - a
    if t > c:
        return np.inf
    return c - sqrt(c * c - t * t)


@inlined
def on_vertex(x: float, y: float, a: float, c: float, px: float, py: float, pz: float) -> float:
    """Tip height of a cutter at (x, y) that rests on a point."""
    dx = px - x
    dy = py - y
    d2 = dx * dx + dy * dy
    r = a + c
    if d2 > r * r:
        return NOTHING
    return pz - underside(sqrt(d2), a, c)


@kernel
def _bull_on_line(d: float, m: float, a: float, c: float) -> float:
    """Distance along a line of slope m >= 0 from the foot of the axis to the contact (corner part).

    Solves h'(rho) t / rho = m with rho^2 = d^2 + t^2 by Newton steps kept inside a bracket. The
    height is stationary there, so its error is the square of the error of t.
    """
    low = sqrt(max(a * a - d * d, 0.0))
    high = sqrt(max((a + c) * (a + c) - d * d, 0.0))
    t = 0.5 * (low + high)
    for _ in range(80):
        rho = sqrt(d * d + t * t)
        u = rho - a
        if u <= 0.0:
            low = t
            t = 0.5 * (low + high)
            continue
        w = sqrt(max(c * c - u * u, 0.0))
        if w <= 0.0:
            high = t
            t = 0.5 * (low + high)
            continue
        slope = u / w
        f = slope * t / rho - m
        if f > 0.0:
            high = t
        else:
            low = t
        df = c * c / (w * w * w) * (t / rho) * (t / rho) + slope * d * d / (rho * rho * rho)
        step = t - f / df if df > 0.0 else 0.5 * (low + high)
        if step <= low or step >= high:
            step = 0.5 * (low + high)
        if abs(step - t) < 1e-11 or high - low < 1e-11:
            return step
        t = step
    return t


@inlined
def _ball_on_edge(
    x: float, y: float, c: float, px: float, py: float, pz: float, qx: float, qy: float, qz: float,
) -> float:
    """`on_edge` for a ball, in lengths times the edge's own, which saves most roots and divisions."""
    ux = qx - px
    uy = qy - py
    uz = qz - pz
    length2 = ux * ux + uy * uy
    wx = x - px
    wy = y - py
    across = wx * uy - wy * ux
    r2 = c * c * length2 - across * across
    if r2 < 0.0 or length2 < 1e-20:
        return NOTHING
    along = wx * ux + wy * uy
    half = sqrt(r2)
    space = sqrt(length2 + uz * uz)
    s = along * space + half * uz
    if s < 0.0 or s > length2 * space:
        return NOTHING
    return pz + (uz * along + half * space) / length2 - c


@kernel
def on_edge(
    x: float, y: float, a: float, c: float,
    px: float, py: float, pz: float, qx: float, qy: float, qz: float,
) -> float:
    """Tip height of a cutter at (x, y) that rests on the inside of the edge p-q (not on its ends)."""
    if a == 0.0:
        return _ball_on_edge(x, y, c, px, py, pz, qx, qy, qz)
    ux = qx - px
    uy = qy - py
    length2 = ux * ux + uy * uy
    if length2 < 1e-20:
        return NOTHING
    length = sqrt(length2)
    s0 = ((x - px) * ux + (y - py) * uy) / length
    d = ((x - px) * uy - (y - py) * ux) / length
    r = a + c
    r2 = r * r - d * d
    if r2 < 0.0:
        return NOTHING
    m = (qz - pz) / length
    slope = abs(m)
    if slope < _LEVEL:
        s = min(max(s0, 0.0), length)
        if c > 0.0 and (s0 < 0.0 or s0 > length):
            return NOTHING
        return pz + m * s - underside(sqrt(d * d + (s - s0) * (s - s0)), a, c)
    if c == 0.0:
        t = sqrt(r2)
    else:
        t = _bull_on_line(abs(d), slope, a, c)
    s = s0 + t if m > 0.0 else s0 - t
    if s < 0.0 or s > length:
        return NOTHING
    if c == 0.0:
        return pz + m * s
    return pz + m * s - underside(sqrt(d * d + t * t), a, c)


@inlined
def inside_triangle(
    x: float, y: float,
    ax: float, ay: float, bx: float, by: float, cx: float, cy: float,
) -> bool:
    """Whether (x, y) lies in a triangle on the plan, its border counted in, however it runs round."""
    u = (bx - ax) * (y - ay) - (by - ay) * (x - ax)
    v = (cx - bx) * (y - by) - (cy - by) * (x - bx)
    w = (ax - cx) * (y - cy) - (ay - cy) * (x - cx)
    return (u >= 0.0 and v >= 0.0 and w >= 0.0) or (u <= 0.0 and v <= 0.0 and w <= 0.0)


@kernel
def on_facet(
    x: float, y: float, a: float, c: float,
    ax: float, ay: float, az: float, bx: float, by: float, bz: float,
    cx: float, cy: float, cz: float,
) -> float:
    """Tip height of a cutter at (x, y) that rests on the inside of a triangle."""
    ex = bx - ax
    ey = by - ay
    ez = bz - az
    fx = cx - ax
    fy = cy - ay
    fz = cz - az
    nx = ey * fz - ez * fy
    ny = ez * fx - ex * fz
    nz = ex * fy - ey * fx
    n = sqrt(nx * nx + ny * ny + nz * nz)
    if n < 1e-30 or abs(nz) < 1e-9 * n:
        return NOTHING
    if nz < 0.0:
        n = -n
    nx /= n
    ny /= n
    nz /= n
    px = x - c * nx
    py = y - c * ny
    if a > 0.0:
        g = sqrt(nx * nx + ny * ny)
        if g > _LEVEL:
            px -= a * nx / g
            py -= a * ny / g
    if not inside_triangle(px, py, ax, ay, bx, by, cx, cy):
        return NOTHING
    z = az - (nx * (px - ax) + ny * (py - ay)) / nz
    return z + c * nz - c


@kernel
def on_triangle(
    x: float, y: float, a: float, c: float,
    ax: float, ay: float, az: float, bx: float, by: float, bz: float,
    cx: float, cy: float, cz: float,
) -> float:
    """Tip height of a cutter at (x, y) that rests on a triangle; `-inf` where it misses it.

    `a` and `c` are the flat and the corner radius in millimetres; the rest are the triangle's
    vertices. Exact to rounding for flat and ball cutters, within 1e-9 mm for bull-nose edges.
    """
    best = on_facet(x, y, a, c, ax, ay, az, bx, by, bz, cx, cy, cz)
    if best > NOTHING:
        return best
    best = max(on_edge(x, y, a, c, ax, ay, az, bx, by, bz), on_edge(x, y, a, c, bx, by, bz, cx, cy, cz))
    best = max(best, on_edge(x, y, a, c, cx, cy, cz, ax, ay, az))
    best = max(best, on_vertex(x, y, a, c, ax, ay, az))
    best = max(best, on_vertex(x, y, a, c, bx, by, bz))
    return max(best, on_vertex(x, y, a, c, cx, cy, cz))
