"""Cutter contact with one facet, edge or vertex, in the drop direction (-Z).

Every cutter here is a surface of revolution that is convex and described by the height of its
underside over its tip, h(rho), at the distance rho from the axis: level, then round, then a cone
(:class:`nephos.core.cutters.profile.Profile`). A cutter grown by s in all directions (stock to leave)
has a corner radius larger by s, so it belongs to the family as well.

The tip rests at the largest of z(p) - h(|p - axis|) over all points p of the part. As h is convex
that is a concave function over a plane or a line, so the one stationary point, where it exists
inside the facet, is its maximum, and otherwise the maximum is on the border. Over a plane of slope g
the stationary point lies where h'(rho) = g: on the round for g below the cone's slope, on the rim above it.
(Maximum of cutter surface over part surface: drop-cutter, as in Choi and Jerard, "Sculptured
Surface Machining", 1998, chapter 6.)
"""

from math import sqrt

import numpy as np

from nephos.core.cutters.profile import Profile
from nephos.core.parallel import inlined, kernel

NOTHING = -np.inf
_LEVEL = 1e-12


@inlined
def underside(rho: float, p: Profile) -> float:
    """Height h(rho) of the underside of cutter `p` over its tip; infinite outside the cutter."""
    if rho <= p.flat:
        return 0.0
    if rho <= p.knee:
        t = rho - p.flat
        return p.corner - sqrt(max(p.corner * p.corner - t * t, 0.0))
    if rho <= p.radius:
        return p.rise + p.slope * (rho - p.knee)
    return np.inf


@inlined
def on_vertex(x: float, y: float, p: Profile, px: float, py: float, pz: float) -> float:
    """Tip height of cutter `p` at (x, y) that rests on a point."""
    dx = px - x
    dy = py - y
    d2 = dx * dx + dy * dy
    if d2 > p.radius * p.radius:
        return NOTHING
    return pz - underside(sqrt(d2), p)


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
    x: float,
    y: float,
    c: float,
    px: float,
    py: float,
    pz: float,
    qx: float,
    qy: float,
    qz: float,
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
def along_line(d: float, m: float, p: Profile) -> float:
    """Distance along a line of slope m >= 0, uphill from the foot of the axis, to the contact with cutter `p`.

    `d` (at most the radius) is how far the axis stands from the line on the plan. It is where m t - h(sqrt(d^2 + t^2))
    is largest."""
    if p.slope < np.inf:
        first = sqrt(p.knee * p.knee - d * d) if d < p.knee else 0.0
        if m * p.knee > p.slope * first or d >= p.knee:
            far = sqrt(max(p.radius * p.radius - d * d, 0.0))
            if m >= p.slope:
                return far
            return min(max(d * m / sqrt(p.slope * p.slope - m * m), first), far)
    if p.corner == 0.0:
        return sqrt(max(p.flat * p.flat - d * d, 0.0))
    if p.flat == 0.0:
        return sqrt(max(p.corner * p.corner - d * d, 0.0)) * m / sqrt(1.0 + m * m)
    return _bull_on_line(d, m, p.flat, p.corner)


@kernel
def on_edge(x: float, y: float, p: Profile, px: float, py: float, pz: float, qx: float, qy: float, qz: float) -> float:
    """Tip height of cutter `p` at (x, y) that rests on the inside of the edge p-q (not on its ends)."""
    if p.flat == 0.0 and p.slope == np.inf:
        return _ball_on_edge(x, y, p.corner, px, py, pz, qx, qy, qz)
    ux = qx - px
    uy = qy - py
    length2 = ux * ux + uy * uy
    if length2 < 1e-20:
        return NOTHING
    length = sqrt(length2)
    s0 = ((x - px) * ux + (y - py) * uy) / length
    d = abs((x - px) * uy - (y - py) * ux) / length
    if d > p.radius:
        return NOTHING
    m = (qz - pz) / length
    slope = abs(m)
    if slope < _LEVEL:
        s = min(max(s0, 0.0), length)
        if p.knee > p.flat and (s0 < 0.0 or s0 > length):
            return NOTHING
        return pz + m * s - underside(sqrt(d * d + (s - s0) * (s - s0)), p)
    t = along_line(d, slope, p)
    s = s0 + t if m > 0.0 else s0 - t
    if s < 0.0 or s > length:
        return NOTHING
    return pz + m * s - underside(min(sqrt(d * d + t * t), p.radius), p)


@inlined
def inside_triangle(
    x: float,
    y: float,
    ax: float,
    ay: float,
    bx: float,
    by: float,
    cx: float,
    cy: float,
) -> bool:
    """Whether (x, y) lies in a triangle on the plan, its border counted in, however it runs round."""
    u = (bx - ax) * (y - ay) - (by - ay) * (x - ax)
    v = (cx - bx) * (y - by) - (cy - by) * (x - bx)
    w = (ax - cx) * (y - cy) - (ay - cy) * (x - cx)
    return (u >= 0.0 and v >= 0.0 and w >= 0.0) or (u <= 0.0 and v <= 0.0 and w <= 0.0)


@kernel
def on_facet(
    x: float,
    y: float,
    p: Profile,
    ax: float,
    ay: float,
    az: float,
    bx: float,
    by: float,
    bz: float,
    cx: float,
    cy: float,
    cz: float,
) -> float:
    """Tip height of cutter `p` at (x, y) that rests on the inside of a triangle."""
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
    gx = -nx / nz
    gy = -ny / nz
    g = sqrt(gx * gx + gy * gy)
    rho = p.radius
    if g <= p.slope:
        rho = p.flat + p.corner * g / sqrt(1.0 + g * g)
    px = x
    py = y
    if g > _LEVEL:
        px += rho * gx / g
        py += rho * gy / g
    if not inside_triangle(px, py, ax, ay, bx, by, cx, cy):
        return NOTHING
    return az + gx * (px - ax) + gy * (py - ay) - underside(rho, p)


@kernel
def on_triangle(
    x: float,
    y: float,
    p: Profile,
    ax: float,
    ay: float,
    az: float,
    bx: float,
    by: float,
    bz: float,
    cx: float,
    cy: float,
    cz: float,
) -> float:
    """Tip height of cutter `p` at (x, y) that rests on a triangle; `-inf` where it misses it.

    `p` is a :class:`~nephos.core.cutters.profile.Profile`; the rest are the triangle's vertices, in millimetres.
    Exact to rounding for all shapes but bull-nose, whose edges are within 1e-9 mm.
    """
    best = on_facet(x, y, p, ax, ay, az, bx, by, bz, cx, cy, cz)
    if best > NOTHING:
        return best
    best = max(on_edge(x, y, p, ax, ay, az, bx, by, bz), on_edge(x, y, p, bx, by, bz, cx, cy, cz))
    best = max(best, on_edge(x, y, p, cx, cy, cz, ax, ay, az))
    best = max(best, on_vertex(x, y, p, ax, ay, az))
    best = max(best, on_vertex(x, y, p, bx, by, bz))
    return max(best, on_vertex(x, y, p, cx, cy, cz))
