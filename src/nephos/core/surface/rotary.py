"""A mesh that rotates about X under an upright cutter: its index, and the exact drop along the radius.

Places are those of the unrolled surface: x along the axis, and v = A R upwards, with the rotation A in radians and a
reference radius R. Heights are radii of the tip. At A the triangles near it are rotated by A about X, which brings what
was at +Y up to +Z, and met by the same closed forms as in the planar case (contact.py).
"""

from dataclasses import dataclass
from math import atan2, ceil, cos, floor, pi, sin, sqrt
from typing import NamedTuple

import numpy as np

from nephos.core.arrays import F64, I32, I64, U8
from nephos.core.cutters.profile import Profile
from nephos.core.parallel import inlined, kernel
from nephos.core.surface.contact import underside
from nephos.core.surface.index import edge_keys
from nephos.core.surface.triangle import rest_on

TURN = 2 * pi
_ON_AXIS = 1e-6
"""A triangle that comes so near (mm) to the axis is looked at from all round."""
_PER_CELL = 10.0


class RotaryArrays(NamedTuple):
    """What kernels take of a rotary index.

    `corners` (m, 3, 3) float64 with the axis at y = z = 0; `normals` (m, 4) float64, unit normal and its distance from
    the origin (zeros for a triangle without area); `owned` (m,) uint8 as in
    :class:`~nephos.core.surface.index.GridArrays`; `polar` (m, 4) float64: the first angle (radians, 0 at +Z, a quarter
    turn at +Y), the angle that is covered from there, least and largest radius. The triangles of cell k = q nx + i
    (angle q, place i) are `items[start[k]:start[k + 1]]`, by falling radius `tops`. `radius` : the reference radius."""

    corners: F64
    normals: F64
    owned: U8
    polar: F64
    start: I64
    items: I32
    tops: F64
    x0: float
    cell: float
    nx: int
    wedge: float
    na: int
    radius: float


@dataclass(frozen=True)
class RotaryIndex:
    """Triangles of a placed mesh about the axis X, with the grid over place and angle that finds them.

    `falling` : (m,) int64, the triangles by falling radius. `low`, `high` : (3,) float64, ends of the unrolled surface:
    place, the way round (0 to `radius` times a turn), and distance from the axis, in millimetres."""

    arrays: RotaryArrays
    falling: I64
    low: F64
    high: F64

    @property
    def triangles(self) -> int:
        """Number of triangles."""
        return len(self.arrays.corners)

    @property
    def radius(self) -> float:
        """The reference radius of the unrolled surface, mm."""
        return self.arrays.radius


@kernel
def _normals(corners: F64, out: F64) -> None:
    """Unit normal and distance from the origin (mm) of each triangle (m, 3, 3) into `out` (m, 4)."""
    for t in range(len(corners)):
        a, b, c = corners[t, 0], corners[t, 1], corners[t, 2]
        ex, ey, ez = b[0] - a[0], b[1] - a[1], b[2] - a[2]
        fx, fy, fz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
        nx, ny, nz = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
        n = sqrt(nx * nx + ny * ny + nz * nz)
        if n > 1e-30:
            out[t, 0], out[t, 1], out[t, 2] = nx / n, ny / n, nz / n
            out[t, 3] = (nx * a[0] + ny * a[1] + nz * a[2]) / n


@inlined
def _edge_radius(ay: float, az: float, by: float, bz: float) -> float:
    """Distance from the axis to an edge, seen along the axis."""
    uy, uz = by - ay, bz - az
    d2 = uy * uy + uz * uz
    t = min(max(-(ay * uy + az * uz) / d2, 0.0), 1.0) if d2 > 0.0 else 0.0
    py, pz = ay + t * uy, az + t * uz
    return sqrt(py * py + pz * pz)


@kernel
def _polar(corners: F64, out: F64) -> None:
    """Angles and radii that each triangle covers, seen along the axis."""
    for t in range(len(corners)):
        ay, az = corners[t, 0, 1], corners[t, 0, 2]
        by, bz = corners[t, 1, 1], corners[t, 1, 2]
        cy, cz = corners[t, 2, 1], corners[t, 2, 2]
        far = sqrt(max(ay * ay + az * az, by * by + bz * bz, cy * cy + cz * cz))
        near = min(_edge_radius(ay, az, by, bz), _edge_radius(by, bz, cy, cz), _edge_radius(cy, cz, ay, az))
        u = ay * bz - az * by
        v = by * cz - bz * cy
        w = cy * az - cz * ay
        around = (u >= 0.0 and v >= 0.0 and w >= 0.0) or (u <= 0.0 and v <= 0.0 and w <= 0.0)
        if near < _ON_AXIS or (around and abs(u + v + w) > 1e-12):
            out[t, 0], out[t, 1], out[t, 2] = 0.0, TURN, 0.0
        else:
            first = atan2(ay, az)
            low = high = 0.0
            for k in range(2):
                angle = atan2(by, bz) if k == 0 else atan2(cy, cz)
                off = angle - first
                off -= TURN * np.round(off / TURN)
                low, high = min(low, off), max(high, off)
            start = first + low
            out[t, 0] = start - TURN * floor(start / TURN)
            out[t, 1], out[t, 2] = high - low, near
        out[t, 3] = far


@kernel
def _span(
    corners: F64, polar: F64, t: int, x0: float, cell: float, nx: int, wedge: float, na: int
) -> tuple[int, int, int, int]:
    """The cells that a triangle lies in: first and last place, first angle, and how many angles from there."""
    low = min(corners[t, 0, 0], corners[t, 1, 0], corners[t, 2, 0])
    high = max(corners[t, 0, 0], corners[t, 1, 0], corners[t, 2, 0])
    i0, i1 = max(int((low - x0) / cell), 0), min(int((high - x0) / cell), nx - 1)
    # A hair more on both sides, for rounding.
    q0 = int(floor((polar[t, 0] - 1e-9) / wedge))
    q1 = int(floor((polar[t, 0] + polar[t, 1] + 1e-9) / wedge))
    return i0, i1, q0, min(q1 - q0 + 1, na)


@kernel
def _count(corners: F64, polar: F64, x0: float, cell: float, nx: int, wedge: float, na: int, counts: I64) -> None:
    """Add 1 to `counts` (na nx,) of each cell, an angle of `wedge` radians by `cell` mm of X, that a triangle meets."""
    for t in range(len(corners)):
        i0, i1, q0, many = _span(corners, polar, t, x0, cell, nx, wedge, na)
        for k in range(many):
            q = (q0 + k + na) % na
            for i in range(i0, i1 + 1):
                counts[q * nx + i] += 1


@kernel
def _fill(
    corners: F64,
    polar: F64,
    order: I64,
    x0: float,
    cell: float,
    nx: int,
    wedge: float,
    na: int,
    start: I64,
    items: I32,
    tops: F64,
) -> None:
    """List the triangles of each cell in the `order` given (the largest radius first) into `items`, from `start[k]`,
    with their largest radii (mm) in `tops`."""
    cursor = start[:-1].copy()
    for t in order:
        i0, i1, q0, many = _span(corners, polar, t, x0, cell, nx, wedge, na)
        for k in range(many):
            q = (q0 + k + na) % na
            for i in range(i0, i1 + 1):
                at = cursor[q * nx + i]
                items[at] = t
                tops[at] = polar[t, 3]
                cursor[q * nx + i] = at + 1


@kernel
def _own(faces: I32, edge_order: I64, keys: I64, count: int, owned: U8) -> None:
    """Each shared edge and vertex belongs to one triangle. Edges in valleys too: which they are changes with A."""
    seen = np.zeros(count, np.bool_)
    for t in range(len(faces)):
        for k in range(3):
            if not seen[faces[t, k]]:
                seen[faces[t, k]] = True
                owned[t] |= np.uint8(8 << k)
    for n in range(len(edge_order)):
        if n == 0 or keys[edge_order[n]] != keys[edge_order[n - 1]]:
            owned[edge_order[n] // 3] |= np.uint8(1 << (edge_order[n] % 3))


def build_rotary_index(vertices: F64, faces: I32, radius: float) -> RotaryIndex:
    """Index the triangles `vertices[faces]` ((n, 3) float64 mm, (m, 3) int32), which rotate about the axis y = z = 0.

    `radius` (mm) is that of the surface that is unrolled: v = A radius.
    """
    low, high = float(vertices[:, 0].min()), float(vertices[:, 0].max())
    length = max(high - low, 1e-6)
    far = max(float(np.hypot(vertices[:, 1], vertices[:, 2]).max()), 1e-6)
    middle = vertices[faces].mean(axis=1)
    mean = max(float(np.hypot(middle[:, 1], middle[:, 2]).mean()), 0.05 * far)
    cell = max(sqrt(_PER_CELL * length * TURN * mean / len(faces)), length / 4000.0)
    na = int(min(max(ceil(TURN * mean / cell), 8), 4096))
    wedge, nx = TURN / na, int(length / cell) + 1
    angles = np.arctan2(middle[:, 1], middle[:, 2]) % TURN
    near = np.argsort(
        (angles / wedge).astype(np.int64) * nx + ((middle[:, 0] - low) / cell).astype(np.int64), kind="stable"
    )
    faces = np.ascontiguousarray(faces[near])
    corners = np.ascontiguousarray(vertices[faces])
    normals, polar = np.zeros((len(faces), 4)), np.empty((len(faces), 4))
    _normals(corners, normals)
    _polar(corners, polar)
    keys = edge_keys(faces, len(vertices))
    owned = np.zeros(len(faces), np.uint8)
    _own(faces, np.argsort(keys, kind="stable"), keys, len(vertices), owned)
    falling = np.argsort(-polar[:, 3], kind="stable")
    start = np.zeros(nx * na + 1, np.int64)
    _count(corners, polar, low, cell, nx, wedge, na, start[1:])
    np.cumsum(start, out=start)
    items, tops = np.empty(start[-1], np.int32), np.empty(start[-1])
    _fill(corners, polar, falling, low, cell, nx, wedge, na, start, items, tops)
    arrays = RotaryArrays(
        corners, normals, owned, polar, start, items, tops, low, float(cell), nx, wedge, na, float(radius)
    )
    ends = np.array([low, 0.0, 0.0]), np.array([high, TURN * radius, far])
    return RotaryIndex(arrays, falling, *ends)


@inlined
def _plane_at(normals: F64, t: int, c: float, s: float, x: float, p: Profile) -> tuple[float, float, float]:
    """Of the plane of triangle t, rotated: the tip over it at (x, 0), and the shift from the axis to where it is
    touched. Infinite and not a number for an upright one."""
    nz = normals[t, 1] * s + normals[t, 2] * c
    if abs(nz) < 1e-9:
        return np.inf, np.nan, np.nan
    ny = normals[t, 1] * c - normals[t, 2] * s
    gx, gy, lean = -normals[t, 0] / nz, -ny / nz, 1.0 / abs(nz)
    over = normals[t, 3] / nz + gx * x
    slope = sqrt(gx * gx + gy * gy)
    if slope > p.slope:
        bound, reach = over + p.radius * slope - p.rim, p.radius / slope
    else:
        bound = over + p.flat * slope + p.corner * (lean - 1.0)
        reach = p.corner / lean + (p.flat / slope if slope > 1e-12 else 0.0)
    return bound, reach * gx, reach * gy


@inlined
def _rest_rotated(
    corners: F64,
    owned: U8,
    t: int,
    c: float,
    s: float,
    sx: float,
    sy: float,
    x: float,
    p: Profile,
    bound: float,
    best: float,
) -> float:
    """Tip height over triangle t, rotated by the angle with cosine c and sine s, where it is above `best`."""
    return rest_on(
        corners[t, 0, 0],
        corners[t, 0, 1] * c - corners[t, 0, 2] * s,
        corners[t, 0, 1] * s + corners[t, 0, 2] * c,
        corners[t, 1, 0],
        corners[t, 1, 1] * c - corners[t, 1, 2] * s,
        corners[t, 1, 1] * s + corners[t, 1, 2] * c,
        corners[t, 2, 0],
        corners[t, 2, 1] * c - corners[t, 2, 2] * s,
        corners[t, 2, 1] * s + corners[t, 2, 2] * c,
        owned[t],
        sx,
        sy,
        x,
        0.0,
        p,
        bound,
        best,
    )


@inlined
def _try(corners: F64, normals: F64, owned: U8, t: int, c: float, s: float, x: float, p: Profile, best: float) -> float:
    """The higher of `best` and the tip (mm) of cutter `p` at (x, 0) on triangle `t`, rotated by the angle of cosine `c`
    and sine `s`."""
    bound, sx, sy = _plane_at(normals, t, c, s, x, p)
    if bound <= best:
        return best
    return _rest_rotated(corners, owned, t, c, s, sx, sy, x, p, bound, best)


@kernel
def rotary_drop_at(grid: RotaryArrays, x: float, v: float, p: Profile, floor_: float, hint: int) -> tuple[float, int]:
    """Tip radius of the cutter `p` at the place (x, v), never under `floor_` (0 or more), and the triangle it rests on.

    A point of the part that lifts the tip above z stands less than atan(radius / z) beside the cutter's axis, so all
    else is passed over; near the axis that is a quarter turn to both sides.
    """
    corners, normals, owned = grid.corners, grid.normals, grid.owned
    start, items, tops = grid.start, grid.items, grid.tops
    angle = v / grid.radius
    c, s = cos(angle), sin(angle)
    best = floor_
    rest = -1
    if hint >= 0:
        z = _try(corners, normals, owned, hint, c, s, x, p, best)
        if z > best:
            best = z
            rest = hint
    r = p.radius
    cell, wedge, na, nx = grid.cell, grid.wedge, grid.na, grid.nx
    i0 = max(int(floor((x - r - grid.x0) / cell)), 0)
    i1 = min(int(floor((x + r - grid.x0) / cell)), nx - 1)
    if i0 > i1:
        return best, rest
    angle -= TURN * floor(angle / TURN)
    home = int(angle / wedge)
    most = min(int(atan2(r, max(best, 0.0)) / wedge) + 1, na // 2)
    for side in range(2 * most + 1):
        # From the middle outwards: near triangles rule out most of the others.
        k = (side + 1) // 2 if side % 2 == 1 else -(side // 2)
        q = home + k
        gap = max(q * wedge - angle, angle - (q + 1) * wedge, 0.0)
        if gap >= 0.5 * pi:
            continue
        across = max(best, 0.0) * np.tan(gap)
        if across > r:
            continue
        lean = cos(gap)
        q = (q % na + na) % na
        for i in range(i0, i1 + 1):
            at = q * nx + i
            first, last = start[at], start[at + 1]
            if first == last or tops[first] * lean <= best:
                continue
            dx = max(grid.x0 + i * cell - x, x - grid.x0 - (i + 1) * cell, 0.0)
            d2 = dx * dx + across * across
            if d2 > r * r:
                continue
            lift = underside(sqrt(d2), p)
            for n in range(first, last):
                if tops[n] * lean - lift <= best:
                    break
                z = _try(corners, normals, owned, items[n], c, s, x, p, best)
                if z > best:
                    best = z
                    rest = items[n]
    return best, rest


@kernel
def drop_by_triangle(
    grid: RotaryArrays,
    falling: I64,
    x0: float,
    y0: float,
    step_x: float,
    step_v: float,
    j0: int,
    p: Profile,
    floor_: float,
    out: F64,
) -> None:
    """Raise the tips in `out` (rows from j0 on, by angle) triangle by triangle, the farthest from the axis first."""
    corners, normals, owned, polar = grid.corners, grid.normals, grid.owned, grid.polar
    rows, columns = out.shape
    r = p.radius
    step_a = step_v / grid.radius
    first_a = (y0 + j0 * step_v) / grid.radius
    last_a = first_a + (rows - 1) * step_a
    cosines, sines = np.empty(rows), np.empty(rows)
    for j in range(rows):
        cosines[j], sines[j] = cos(first_a + j * step_a), sin(first_a + j * step_a)
    everywhere = atan2(r, max(floor_, 0.0))
    for t in falling:
        ax, bx, cx = corners[t, 0, 0], corners[t, 1, 0], corners[t, 2, 0]
        left, right = min(ax, bx, cx), max(ax, bx, cx)
        if polar[t, 3] <= floor_:
            break
        i0 = max(int(ceil((left - r - x0) / step_x)), 0)
        i1 = min(int(floor((right + r - x0) / step_x)), columns - 1)
        if i0 > i1:
            continue
        near = polar[t, 2]
        reach = everywhere if near <= r else min(everywhere, np.arcsin(r / near))
        low, high = polar[t, 0] - reach - 1e-9, polar[t, 0] + polar[t, 1] + reach + 1e-9
        if high - low >= TURN:
            low, high = first_a, first_a + TURN - 1e-12
        for turn in range(int(ceil((first_a - high) / TURN)), int(floor((last_a - low) / TURN)) + 1):
            ja = max(int(ceil((low + turn * TURN - first_a) / step_a)), 0)
            jb = min(int(floor((high + turn * TURN - first_a) / step_a)), rows - 1)
            for j in range(ja, jb + 1):
                c, s = cosines[j], sines[j]
                ay = corners[t, 0, 1] * c - corners[t, 0, 2] * s
                by = corners[t, 1, 1] * c - corners[t, 1, 2] * s
                cy = corners[t, 2, 1] * c - corners[t, 2, 2] * s
                dy = max(min(ay, by, cy), -max(ay, by, cy), 0.0)
                if dy > r:
                    continue
                az = corners[t, 0, 1] * s + corners[t, 0, 2] * c
                bz = corners[t, 1, 1] * s + corners[t, 1, 2] * c
                cz = corners[t, 2, 1] * s + corners[t, 2, 2] * c
                top = max(az, bz, cz) - underside(dy, p)
                if top <= floor_:
                    continue
                bound, sx, sy = _plane_at(normals, t, c, s, 0.0, p)
                gx = 0.0
                if bound < np.inf:
                    gx = -normals[t, 0] / (normals[t, 1] * s + normals[t, 2] * c)
                half = sqrt(r * r - dy * dy)
                for i in range(
                    max(int(ceil((left - half - x0) / step_x)), i0),
                    min(int(floor((right + half - x0) / step_x)), i1) + 1,
                ):
                    x = x0 + i * step_x
                    best = out[j, i]
                    over = bound + gx * x
                    if best < top and best < over:
                        out[j, i] = rest_on(ax, ay, az, bx, by, bz, cx, cy, cz, owned[t], sx, sy, x, 0.0, p, over, best)


def unrolled(points: F64, radius: float) -> F64:
    """Points (n, 3) about the axis, as places of the unrolled surface: x, A radius with A from 0 to a turn,
    distance."""
    angles = np.arctan2(points[:, 1], points[:, 2]) % TURN
    return np.column_stack([points[:, 0], angles * radius, np.hypot(points[:, 1], points[:, 2])])


def rolled(places: F64, radius: float) -> F64:
    """Places (n, 3) of the unrolled surface as points about the axis, with A = 0 at +Z and a quarter turn at +Y."""
    angles = places[:, 1] / radius
    return np.column_stack([places[:, 0], places[:, 2] * np.sin(angles), places[:, 2] * np.cos(angles)])


def spacing_at(index: object, angle: float, height: float) -> float:
    """How much farther apart lines at an `angle` (degrees, from X) may lie on the unrolled surface, to be as far apart
    as planned at a radius `height` (mm); 1 for a part that does not rotate."""
    if not isinstance(index, RotaryIndex):
        return 1.0
    share = min(max(height / index.radius, 0.05), 1.0)
    a = np.radians(angle)
    return float(np.hypot(np.cos(a), share * np.sin(a)) / share)


def rounder(cutter: Profile, radius: float) -> Profile:
    """The cutter whose tips bend as much, on a plane, as this one's do on the unrolled surface of that radius."""
    corner = cutter.corner
    return (
        cutter
        if corner == 0
        else Profile.of(cutter.flat, corner * radius / (corner + radius), cutter.slope, cutter.radius)
    )
