"""Distance from points to the surface."""

from math import sqrt

import numpy as np

from nephos.core.parallel import inlined, kernel
from nephos.core.surface.index import GridArrays


@inlined
def _to_triangle(
    px: float,
    py: float,
    pz: float,
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
    """Squared distance from a point to a triangle (Ericson, "Real-Time Collision Detection", 5.1.5)."""
    abx, aby, abz = bx - ax, by - ay, bz - az
    acx, acy, acz = cx - ax, cy - ay, cz - az
    apx, apy, apz = px - ax, py - ay, pz - az
    d1 = abx * apx + aby * apy + abz * apz
    d2 = acx * apx + acy * apy + acz * apz
    v = 0.0
    w = 0.0
    if not (d1 <= 0.0 and d2 <= 0.0):
        d3 = d1 - (abx * abx + aby * aby + abz * abz)
        d4 = d2 - (abx * acx + aby * acy + abz * acz)
        d5 = d1 - (abx * acx + aby * acy + abz * acz)
        d6 = d2 - (acx * acx + acy * acy + acz * acz)
        vc = d1 * d4 - d3 * d2
        vb = d5 * d2 - d1 * d6
        va = d3 * d6 - d5 * d4
        if d3 >= 0.0 and d4 <= d3:
            v = 1.0
        elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
            v = d1 / (d1 - d3)
        elif d6 >= 0.0 and d5 <= d6:
            w = 1.0
        elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
            w = d2 / (d2 - d6)
        elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
            w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
            v = 1.0 - w
        else:
            s = va + vb + vc
            v = vb / s if s > 0.0 else 0.0
            w = vc / s if s > 0.0 else 0.0
    ex = apx - v * abx - w * acx
    ey = apy - v * aby - w * acy
    ez = apz - v * abz - w * acz
    return ex * ex + ey * ey + ez * ez


@kernel
def distance_at(grid: GridArrays, x: float, y: float, z: float, reach: float) -> float:
    """Distance in millimetres from (x, y, z) to the nearest triangle, at most `reach`."""
    corners, start, items, tops = grid.corners, grid.start, grid.items, grid.tops
    best = reach * reach
    cell = grid.cell
    i0, i1 = (
        max(int(np.floor((x - reach - grid.x0) / cell)), 0),
        min(int(np.floor((x + reach - grid.x0) / cell)), grid.nx - 1),
    )
    j0, j1 = (
        max(int(np.floor((y - reach - grid.y0) / cell)), 0),
        min(int(np.floor((y + reach - grid.y0) / cell)), grid.ny - 1),
    )
    if i1 < i0 or j1 < j0:
        return reach
    ic = min(max(int(np.floor((x - grid.x0) / cell)), i0), i1)
    jc = min(max(int(np.floor((y - grid.y0) / cell)), j0), j1)
    # Ring by ring of cells, the nearest first: near triangles rule out most of the others.
    for ring in range(max(ic - i0, i1 - ic, jc - j0, j1 - jc) + 1):
        if ring > 1 and (ring - 1) * cell * (ring - 1) * cell >= best:
            break
        for j in range(max(jc - ring, j0), min(jc + ring, j1) + 1):
            gy = max(grid.y0 + j * cell - y, y - grid.y0 - (j + 1) * cell, 0.0)
            side = abs(j - jc) == ring
            step = 1 if side or ring == 0 else 2 * ring
            for i in range(ic - ring, ic + ring + 1, step):
                if i < i0 or i > i1:
                    continue
                gx = max(grid.x0 + i * cell - x, x - grid.x0 - (i + 1) * cell, 0.0)
                if gx * gx + gy * gy >= best:
                    continue
                for q in range(start[j * grid.nx + i], start[j * grid.nx + i + 1]):
                    # The highest come first: no later one reaches up to here.
                    below = z - tops[q]
                    if below > 0.0 and below * below >= best:
                        break
                    t = items[q]
                    az, bz, cz = corners[t, 0, 2], corners[t, 1, 2], corners[t, 2, 2]
                    gz = max(min(az, bz, cz) - z, 0.0)
                    if gz * gz >= best:
                        continue
                    d = _to_triangle(
                        x,
                        y,
                        z,
                        corners[t, 0, 0],
                        corners[t, 0, 1],
                        az,
                        corners[t, 1, 0],
                        corners[t, 1, 1],
                        bz,
                        corners[t, 2, 0],
                        corners[t, 2, 1],
                        cz,
                    )
                    best = min(best, d)
    return sqrt(best)
