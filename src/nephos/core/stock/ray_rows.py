"""A cutter taken out of one row of rays at one angle: intervals of rays, in closed form for balls.

What rays are is said in rays.py."""

from math import ceil, floor, sqrt

import numpy as np

from nephos.core.arrays import F32, I32, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.parallel import inlined, kernel
from nephos.core.surface.contact import along_line, underside

__all__ = ["RayArrays", "row_any", "row_ball", "row_ball_along", "through"]

RayArrays = tuple[F32, F32, F32, I32, F32, Bool]
"""What kernels take of rays: `top`, `gap_low`, `gap_high`, `touched` (rows, columns), `bound`, and `gaps` (rows,)."""
_LEVEL = 1e-12
_SOME = 0.01
"""Smallest depth (mm) reported for a cut whose gap replaces another gap."""


@inlined
def _longest(low: float, high: float, a: float, b: float) -> float:
    """The longest stretch (mm) of low .. high outside the gap a .. b, which is empty unless b > a."""
    if b <= a or low >= b or high <= a:
        return high - low
    return max(a - low, high - b, 0.0)


@kernel
def _take(
    top: F32, gap_low: F32, gap_high: F32, touched: I32, j: int, i: int, low: float, high: float, mark: int
) -> np.float32:
    """Take low .. high out of a ray; returns how much (mm) that was at most."""
    old = top[j, i]
    if low >= old or high <= low:
        return np.float32(0.0)
    a, b = gap_low[j, i], gap_high[j, i]
    taken = np.float32(_longest(low, min(high, old), a, b))
    if b > a:
        if low >= a and min(high, old) <= b:
            return np.float32(0.0)
        if low <= b and high >= a:
            low, high = min(low, a), max(high, b)
        elif high < old:
            if high - low <= b - a:
                return np.float32(0.0)
            # The new gap replaces the old one, which is filled. Only the difference is new if two gaps alternate.
            taken = np.float32(max(high - low - (b - a), _SOME))
    touched[j, i] = mark
    if high >= old:
        # What is cut off at the top ends in the gap below where the two meet.
        top[j, i] = low
        if gap_high[j, i] >= low:
            gap_low[j, i] = gap_high[j, i] = np.float32(0.0)
    else:
        gap_low[j, i], gap_high[j, i] = low, high
    return taken


@inlined
def _steepness(rho: float, p: Profile) -> float:
    """Slope of the underside at the distance rho from the axis of the cutter."""
    if rho <= p.flat:
        return 0.0
    if rho < p.knee:
        t = rho - p.flat
        w = sqrt(max(p.corner * p.corner - t * t, 0.0))
        return t / w if w > 0.0 else 1e12
    return p.slope if p.slope < np.inf else 1e12


@inlined
def _swept_over(x: float, y: float, px: float, pz: float, length: float, m: float, p: Profile) -> tuple[float, float]:
    """Height of the underside of the space that cutter `p` sweeps along X, at (x, y); and how far from the cutter's
    axis it is touched there."""
    r = p.radius
    along = x - px
    if m > _LEVEL:
        along -= along_line(min(y, r), m, p)
    elif m < -_LEVEL:
        along += along_line(min(y, r), -m, p)
    along = min(max(along, 0.0), length)
    u = x - px - along
    d = min(sqrt(u * u + y * y), r)
    return pz + m * along + underside(d, p), d


@kernel
def through(
    x: float, c: float, s: float, px: float, pz: float, length: float, m: float, p: Profile
) -> tuple[float, float]:
    """Where a ray enters and leaves the space that cutter `p` sweeps along X from px to px + length, rising by m a mm.

    The ray stands at x and runs off at an angle with cosine c > 0 and sine s >= 0 from the cutter's axis. Both are
    infinite where it passes by. Newton's method on a convex function, from below: it never goes too far.
    """
    r = p.radius
    away = max(px - x, x - px - length, 0.0)
    if away >= r:
        return np.inf, np.inf
    side = sqrt(r * r - away * away)
    rho = min(pz, pz + m * length) / c
    gap = 0.0
    for _ in range(60):
        y = rho * s
        if y > side:
            return np.inf, np.inf
        height, d = _swept_over(x, y, px, pz, length, m, p)
        gap = height - rho * c
        if gap <= 1e-7:
            break
        change = (_steepness(d, p) * y / d * s if d > 0.0 else 0.0) - c
        if change >= -1e-9:
            return np.inf, np.inf
        rho -= gap / change
    if gap > 1e-4:
        return np.inf, np.inf
    if s < 1e-9:
        return rho, np.inf
    out = side / s
    # It leaves by the side if it is over the rim there; else, to be sure, where it would leave the round below the rim.
    if out * c < max(pz, pz + m * length) + p.rim:
        low, high = rho, out
        for _ in range(40):
            middle = 0.5 * (low + high)
            height, _d = _swept_over(x, middle * s, px, pz, length, m, p)
            if height <= middle * c:
                low = middle
            else:
                high = middle
        out = low
    return rho, max(out, rho)


@inlined
def row_ball(
    rays: RayArrays, j: int, c: float, s: float, px: float, pz: float, x0: float, pitch: float, r: float, mark: int
) -> float:
    """Take a ball that stands still out of one row of rays.

    Most rays have been cut deeper before: they are passed over without a root.
    """
    top, gap_low, gap_high, touched, _, gaps = rays
    middle = pz + r
    near, off = middle * c, middle * s
    w2 = r * r - off * off
    hit = 0.0
    if w2 <= 0.0:
        return hit
    w = sqrt(w2)
    a = max(int(ceil((px - w - x0) / pitch)), 0)
    b = min(int(floor((px + w - x0) / pitch)), top.shape[1] - 1)
    r2, s2 = r * r, s * s
    gapped = gaps[j]
    for i in range(a, b + 1):
        u = x0 - px + i * pitch
        u2 = u * u
        old = np.float64(top[j, i])
        d = near - old
        if d > 0.0 and d * d + u2 >= w2:
            continue
        q = sqrt(max(w2 - u2, 0.0))
        low = near - q
        if u2 + old * old * s2 <= r2 and (old * c >= middle or -d <= q):
            # The end of the ray lies in the cutter: all goes from where it enters.
            hit = max(hit, _longest(low, old, np.float64(gap_low[j, i]), np.float64(gap_high[j, i])))
            top[j, i] = low
            touched[j, i] = mark
            if gapped and gap_high[j, i] >= low and gap_high[j, i] > 0.0:
                top[j, i] = min(np.float32(low), gap_low[j, i])
                gap_low[j, i] = gap_high[j, i] = np.float32(0.0)
        else:
            high = near + q
            if high * c >= middle:
                high = sqrt(max(r2 - u2, 0.0)) / s if s > 1e-12 else 1e9
            gaps[j] = True
            hit = max(hit, _take(top, gap_low, gap_high, touched, j, i, np.float32(low), np.float32(high), mark))
    return hit


@kernel
def row_ball_along(
    rays: RayArrays,
    j: int,
    c: float,
    s: float,
    px: float,
    pz: float,
    length: float,
    m: float,
    x0: float,
    pitch: float,
    r: float,
    mark: int,
) -> float:
    """Take a ball that goes along X from px, rising by m a mm, out of one row of rays: a capsule, in closed form."""
    top, gap_low, gap_high, touched, _, gaps = rays
    lean = sqrt(1.0 + m * m)
    ux, uz, whole = 1.0 / lean, m / lean, length * lean
    mz, qx, qz = pz + r, px + length, pz + m * length + r
    highest, lowest = max(mz, qz), min(mz, qz)
    off = lowest * s
    hit = 0.0
    if off >= r:
        return hit
    # No ray of the row is met nearer to the axis than this.
    least = lowest * c - sqrt(r * r - off * off)
    a = max(int(ceil((px - r - x0) / pitch)), 0)
    b = min(int(floor((qx + r - x0) / pitch)), top.shape[1] - 1)
    k = c * uz
    share = 1.0 - k * k
    r2, s2 = r * r, s * s
    for i in range(a, b + 1):
        old = np.float64(top[j, i])
        if old <= least:
            continue
        x = x0 + i * pitch
        wx = x - px
        wu = wx * ux - mz * uz
        rise = -mz * c - wu * k
        disc = rise * rise - share * (wx * wx + mz * mz - wu * wu - r2)
        if disc <= 0.0:
            continue
        q = sqrt(disc)
        low, high = (-rise - q) / share, (-rise + q) / share
        t = wu + low * k
        far = wu + high * k
        if far < 0.0 or far > whole:
            # Past the end of the cylinder only the ball at that end goes on: it is left out, to be sure.
            high = max(((0.0 if far < 0.0 else whole) - wu) / k, low)
        if t < 0.0 or t > whole:
            # It enters by the ball at one end.
            u, centre = (wx, mz) if t < 0.0 else (x - qx, qz)
            w2 = r2 - centre * centre * s2 - u * u
            if w2 <= 0.0:
                continue
            q = sqrt(w2)
            low, high = centre * c - q, centre * c + q
        if low >= old:
            continue
        away = max(-wx, x - qx, 0.0)
        side2 = r2 - away * away
        if old * old * s2 <= side2 and old * c >= highest:
            hit = max(hit, _longest(low, old, np.float64(gap_low[j, i]), np.float64(gap_high[j, i])))
            top[j, i] = low
            touched[j, i] = mark
            if gaps[j] and gap_high[j, i] >= low and gap_high[j, i] > 0.0:
                top[j, i] = min(np.float32(low), gap_low[j, i])
                gap_low[j, i] = gap_high[j, i] = np.float32(0.0)
        else:
            out = sqrt(max(side2, 0.0)) / s if s > 1e-12 else 1e9
            high = out if out * c >= highest else min(high, out)
            gaps[j] = True
            hit = max(hit, _take(top, gap_low, gap_high, touched, j, i, np.float32(low), np.float32(high), mark))
    return hit


@kernel
def row_any(
    rays: RayArrays,
    j: int,
    c: float,
    s: float,
    px: float,
    pz: float,
    length: float,
    m: float,
    x0: float,
    pitch: float,
    p: Profile,
    mark: int,
    probe: bool,
) -> np.float32:
    """Take a cutter that goes along X out of one row of rays, or only `probe` how much that would be."""
    top, gap_low, gap_high, touched, _, gaps = rays
    columns = top.shape[1]
    a = max(int(ceil((px - p.radius - x0) / pitch)), 0)
    b = min(int(floor((px + length + p.radius - x0) / pitch)), columns - 1)
    lowest = min(pz, pz + m * length) / c
    level_flat = p.corner == 0.0 and p.slope == np.inf and m == 0.0
    hit = np.float32(0.0)
    for i in range(a, b + 1):
        if top[j, i] <= lowest:
            continue
        x = x0 + i * pitch
        if level_flat:
            away = max(px - x, x - px - length, 0.0)
            side2 = p.radius * p.radius - away * away
            low, high = lowest, 1e9
            if side2 < lowest * lowest * s * s:
                continue
            if s > 1e-12:
                high = sqrt(side2) / s
        else:
            low, high = through(x, c, s, px, pz, length, m, p)
            if not low < np.inf:
                continue
            high = min(high, 1e9)
        if probe:
            if low < top[j, i]:
                deep = min(high, top[j, i]) - low
                if gap_high[j, i] > gap_low[j, i] and low >= gap_low[j, i]:
                    deep = min(high, top[j, i]) - max(low, gap_high[j, i])
                hit = max(hit, np.float32(deep))
        else:
            hit = max(hit, _take(top, gap_low, gap_high, touched, j, i, np.float32(low), np.float32(high), mark))
            gaps[j] |= gap_high[j, i] > np.float32(0.0)
    return hit
