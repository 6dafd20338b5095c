"""Where a cutter rests on one triangle, as the drops over both kinds of index ask for it."""

from math import sqrt

from nephos.core.cutters.profile import Profile
from nephos.core.parallel import inlined
from nephos.core.surface.contact import inside_triangle, on_edge, on_vertex, underside


@inlined
def rest_on(
    ax: float,
    ay: float,
    az: float,
    bx: float,
    by: float,
    bz: float,
    cx: float,
    cy: float,
    cz: float,
    mask: int,
    sx: float,
    sy: float,
    x: float,
    y: float,
    p: Profile,
    bound: float,
    best: float,
) -> float:
    """Tip height over a triangle where it lifts the cutter above `best`, else `best`.

    (sx, sy) is the contact shift, not a number for an upright facet; `bound` the tip over its plane.
    """
    dx = max(min(ax, bx, cx) - x, x - max(ax, bx, cx), 0.0)
    dy = max(min(ay, by, cy) - y, y - max(ay, by, cy), 0.0)
    d2 = dx * dx + dy * dy
    r = p.radius
    if d2 > r * r or max(az, bz, cz) - underside(sqrt(d2), p) <= best:
        return best
    if inside_triangle(x + sx, y + sy, ax, ay, bx, by, cx, cy):
        return bound
    if mask & 1 and max(az, bz) > best:
        best = max(best, on_edge(x, y, p, ax, ay, az, bx, by, bz))
    if mask & 2 and max(bz, cz) > best:
        best = max(best, on_edge(x, y, p, bx, by, bz, cx, cy, cz))
    if mask & 4 and max(cz, az) > best:
        best = max(best, on_edge(x, y, p, cx, cy, cz, ax, ay, az))
    if mask & 8 and az > best:
        best = max(best, on_vertex(x, y, p, ax, ay, az))
    if mask & 16 and bz > best:
        best = max(best, on_vertex(x, y, p, bx, by, bz))
    if mask & 32 and cz > best:
        best = max(best, on_vertex(x, y, p, cx, cy, cz))
    return best
