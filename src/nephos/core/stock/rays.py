"""Material removal on a bar: the space a cutter takes along moves in x, A and radius, out of rays from the axis.

Each ray stands at a place along the axis and an angle, and holds material from the axis to `top`, but for one gap
between `gap_low` and `gap_high`: the sides of a cutter are parallel and rays are not, so a cutter may leave material
farther out on a ray that it crosses. Where a second gap would arise the shorter one is filled again: the block is never
shown smaller than it is.

A cutter, with all that is above it, is convex, so a ray meets it in one interval. At one angle a move sweeps a convex
body too, which is exact here; where A changes the cutter is taken out at places so close together that less than
`SAG` stays between them.
"""

from math import acos, ceil, cos, floor, pi, sin, sqrt

import numpy as np

from nephos.core.arrays import F32, F64, I32, I64, U8
from nephos.core.cutters.profile import Profile
from nephos.core.parallel import Report, in_parallel, kernel, silent
from nephos.core.stock.block import Grid
from nephos.core.stock.ray_rows import RayArrays, row_any, row_ball, row_ball_along
from nephos.core.stock.sweep import FEW, straightened

PROBED = 0.1
"""A rapid is probed at places twice as far (mm) apart, with a cutter as much larger."""
SAG = 0.001
"""So much (mm) of a cutter's round may stay between two places where A changes."""
Depth = float | np.float32
"""How much a move takes off where it takes most (mm), in the precision that it was found in."""

TURN = 2 * pi
_RAPID = 0


@kernel
def _at_angle(
    rays: RayArrays,
    j0: int,
    x0: float,
    pitch: float,
    step_a: float,
    na: int,
    a: float,
    px: float,
    pz: float,
    length: float,
    m: float,
    p: Profile,
    mark: int,
    probe: bool,
) -> Depth:
    """Take a cutter at the angle a (0 to a turn) out of the rows j0 and on of a band."""
    rows = rays[0].shape[0]
    z = max(min(pz, pz + m * length), 1e-6)
    ball = p.flat == 0.0 and p.slope == np.inf and not probe
    still = length == 0.0
    if ball:
        middle = z + p.corner
        w = np.arcsin(min(1.0, p.corner / middle)) if middle > p.corner else 0.4999 * pi
    else:
        w = min(np.arctan2(p.radius, z), 0.4999 * pi)
    first, last = int(ceil((a - w) / step_a)), int(floor((a + w) / step_a))
    step_c, step_s = cos(step_a), sin(step_a)
    hit: Depth = np.float32(0.0)
    for turn in range(-1, 2):
        lo = max(first + turn * na, j0)
        hi = min(last + turn * na, j0 + rows - 1)
        if lo > hi:
            continue
        phi = (lo - turn * na) * step_a - a
        c, s = cos(phi), sin(phi)
        for q in range(lo, hi + 1):
            if ball and still:
                hit = max(hit, row_ball(rays, q - j0, c, abs(s), px, pz, x0, pitch, p.corner, mark))
            elif ball:
                hit = max(hit, row_ball_along(rays, q - j0, c, abs(s), px, pz, length, m, x0, pitch, p.corner, mark))
            else:
                hit = max(hit, row_any(rays, q - j0, c, abs(s), px, pz, length, m, x0, pitch, p, mark, probe))
            c, s = c * step_c - s * step_s, s * step_c + c * step_s
    return hit


@kernel
def move_rays(
    rays: RayArrays,
    j0: int,
    x0: float,
    pitch: float,
    step_a: float,
    na: int,
    radius: float,
    a: F64,
    b: F64,
    p: Profile,
    lift: float,
    sag: float,
    mark: int,
    probe: bool,
) -> Depth:
    """Take one move (from a to b, places of the unrolled surface) out of the rows of a band; `lift` is added to its
    tip."""
    pa, qa = a[1] / radius, b[1] / radius
    pz, qz = a[2] + lift, b[2] + lift
    dx, turned = b[0] - a[0], qa - pa
    if abs(turned) * max(pz, qz, p.radius) < 1e-6:
        start = pa - TURN * floor(pa / TURN)
        if abs(dx) < 1e-9:
            return _at_angle(rays, j0, x0, pitch, step_a, na, start, a[0], min(pz, qz), 0.0, 0.0, p, mark, probe)
        if dx > 0.0:
            return _at_angle(rays, j0, x0, pitch, step_a, na, start, a[0], pz, dx, (qz - pz) / dx, p, mark, probe)
        return _at_angle(rays, j0, x0, pitch, step_a, na, start, b[0], qz, -dx, (pz - qz) / -dx, p, mark, probe)
    # So close that the cutter's round is true to the sag; of a level one, its side, the chord of the circle that it
    # leaves, and the steps where it goes down.
    high = max(pz, qz) + p.corner
    along = sqrt(dx * dx + (high * turned) ** 2 + (qz - pz) ** 2)
    n = max(int(ceil(along / sqrt(8.0 * (p.corner if p.corner > 0.0 else p.radius) * sag))), 1)
    if p.corner == 0.0:
        chord = 2.0 * acos(max(1.0 - sag / max(high, 0.1), 0.0))
        n = max(n, int(ceil(abs(turned) / chord)), int(ceil(abs(qz - pz) / (10.0 * sag))))
    if probe:
        n = max(int(ceil(along / (2.0 * PROBED))), 1)
    hit: Depth = np.float32(0.0)
    for k in range(1, n + 1):
        t = k / n
        at = pa + t * turned
        at -= TURN * floor(at / TURN)
        hit = max(
            hit,
            _at_angle(rays, j0, x0, pitch, step_a, na, at, a[0] + t * dx, pz + t * (qz - pz), 0.0, 0.0, p, mark, probe),
        )
    return hit


@kernel
def _sweep(
    rays: RayArrays,
    j0: int,
    x0: float,
    pitch: float,
    step_a: float,
    na: int,
    radius: float,
    points: F64,
    kinds: U8,
    ids: I64,
    p: Profile,
    probed: bool,
    rapid: Profile,
    lift: float,
    sag: float,
    hits: F32,
    bodies: F64,
    strikes: F64,
) -> None:
    """Take moves out of the rows of a band one after another. Rapids take nothing: where they are `probed`, it is with
    the cutter `rapid`, whose tip is `lift` over them. `bodies` (b, 2) are radius and height of what stands over the
    flutes; `strikes` (b, 2) gets how deep each goes at worst, and in which move."""
    most = rays[4]
    highest = np.float32(0.0)
    for j in range(len(most)):
        highest = max(highest, most[j])
    for k in range(len(kinds)):
        a, b = points[k], points[k + 1]
        if not (a[0] == a[0] and b[0] == b[0] and a[2] == a[2] and b[2] == b[2] and a[1] == a[1] and b[1] == b[1]):
            continue
        low = min(a[2], b[2])
        if min(low, low + (lift if kinds[k] == _RAPID else 0.0)) >= highest:
            continue
        for q in range(len(bodies)):
            if low + bodies[q, 1] < highest:
                r = bodies[q, 0]
                body = Profile(r, 0.0, np.inf, r, r, 0.0, 0.0)
                deep = move_rays(rays, j0, x0, pitch, step_a, na, radius, a, b, body, bodies[q, 1], sag, 0, True)
                if deep > strikes[q, 0]:
                    strikes[q, 0], strikes[q, 1] = deep, ids[k]
        if kinds[k] == _RAPID:
            if not probed or (a[0] == b[0] and a[1] == b[1] and b[2] >= a[2]):
                # Straight up goes only where the cutter has been.
                continue
            hit = move_rays(rays, j0, x0, pitch, step_a, na, radius, a, b, rapid, lift, sag, 0, True)
        else:
            hit = move_rays(rays, j0, x0, pitch, step_a, na, radius, a, b, p, 0.0, sag, np.int32(ids[k]), False)
        hits[k] = max(hits[k], hit)


def sweep_rays(
    top: F32,
    gap_low: F32,
    gap_high: F32,
    touched: I32,
    grid: Grid,
    points: F64,
    kinds: U8,
    first_id: int,
    cutter: Profile,
    rapid: Profile | None = None,
    rapid_lift: float = 0.0,
    bodies: F64 | None = None,
    report: Report = silent,
    sag: float = SAG,
    straight: float = 0.0,
) -> tuple[F32, F64]:
    """Take moves out of rays in place.

    Parameters
    ----------
    top, gap_low, gap_high : (ny, nx) float32, rows by angle, columns by place, mm from the axis.
    touched : (ny, nx) int32, gets the number of the move that cut a ray last.
    points : (n + 1, 3) float64 places of the unrolled surface; those not yet known are not a number.
    rapid : with which cutter rapids are probed, its tip `rapid_lift` over them; without one they are passed over.
    bodies : (b, 2) float64, radius and height over the tip of what stands above the flutes.
    straight : moves that lie within this (mm) of a straight line are taken as one; their hits stand at the last.

    Returns
    -------
    hits : (n,) float32, how much each move takes off where it takes most, or a probed rapid would.
    strikes : (b, 2) float64, how deep each body goes into material at worst, and in which move (counted from 0).
    """
    radius = grid.radius
    if radius is None:
        raise ValueError("the grid is not that of a bar")
    bodies = np.empty((0, 2)) if bodies is None else np.ascontiguousarray(bodies)
    band = grid.ny if len(kinds) < FEW else max(1, -(-grid.ny // 8))
    moves = len(kinds)
    points, chosen = straightened(points, kinds, straight)
    # The rows count from A = 0, where the first of a coarser grid does not lie.
    points = points - np.array([0.0, grid.y0, 0.0])
    ids, kinds = first_id + chosen, kinds[chosen]
    hits = np.zeros((-(-grid.ny // band), len(chosen)), np.float32)
    strikes = np.zeros((len(hits), len(bodies), 2))

    def work(first: int, last: int) -> None:
        rows = slice(first, last)
        most = top[rows].max(axis=1)
        _sweep(
            (top[rows], gap_low[rows], gap_high[rows], touched[rows], most, gap_high[rows].any(axis=1)),
            first,
            grid.x0,
            grid.pitch,
            TURN / grid.ny,
            grid.ny,
            radius,
            points,
            kinds,
            ids,
            cutter,
            rapid is not None,
            rapid or cutter,
            rapid_lift,
            sag,
            hits[first // band],
            bodies,
            strikes[first // band],
        )

    in_parallel(work, grid.ny, band, report)
    found = np.zeros((len(bodies), 2))
    for k in range(len(bodies)):
        worst = int(strikes[:, k, 0].argmax())
        found[k] = strikes[worst, k, 0], strikes[worst, k, 1] - first_id
    every = np.zeros(moves, np.float32)
    every[chosen] = hits.max(axis=0, initial=0.0)
    return every, found
