"""A grid over the XY plane that says which triangles lie under a place, highest first."""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from nephos.core.arrays import F64, I32, I64, U8
from nephos.core.parallel import kernel


class GridArrays(NamedTuple):
    """What kernels take of an index.

    `corners` (m, 3, 3) float64, neighbours side by side; `planes` (m, 5) float64, for each facet the plane z = p0 + p1
    x + p2 y, then |(p1, p2)| and sqrt(1 + p1^2 + p2^2) (infinite for an upright facet); `owned` (m,) uint8, which edges
    ab, bc, ca (bits 0 to 2) and vertices a, b, c (bits 3 to 5) this triangle answers for, so that a shared one is
    looked at once, and an edge at the bottom of a valley, which no cutter can rest on without touching a side, not at
    all. The triangles of cell k are `items[start[k]:start[k + 1]]`, by falling top."""

    corners: F64
    planes: F64
    owned: U8
    start: I32
    items: I32
    tops: F64
    coarse_tops: F64
    x0: float
    y0: float
    cell: float
    nx: int
    ny: int


COARSE = 8
"""Fine cells along the side of a coarse cell, which knows only how high anything in it reaches."""


@dataclass(frozen=True)
class SurfaceIndex:
    """Triangles of a placed mesh, with the grid that finds them.

    `falling` : (m,) int64, the triangles by falling top height.
    `low`, `high` : (3,) float64, the box of the surface in millimetres.
    """

    arrays: GridArrays
    falling: I64
    low: F64
    high: F64

    @property
    def triangles(self) -> int:
        """Number of triangles."""
        return len(self.arrays.corners)


@kernel
def _count(corners: F64, x0: float, y0: float, cell: float, nx: int, ny: int, counts: I64) -> None:
    """Add 1 to `counts` (nx ny,) of each cell that the box of a triangle (m, 3, 3) meets."""
    for t in range(len(corners)):
        i0, i1, j0, j1 = _span(corners[t], x0, y0, cell, nx, ny)
        for j in range(j0, j1 + 1):
            for i in range(i0, i1 + 1):
                counts[j * nx + i] += 1


@kernel
def _span(tri: F64, x0: float, y0: float, cell: float, nx: int, ny: int) -> tuple[int, int, int, int]:
    """First and last column, first and last row of the cells that the box of a triangle (3, 3) meets."""
    i0 = int((min(tri[0, 0], tri[1, 0], tri[2, 0]) - x0) / cell)
    i1 = int((max(tri[0, 0], tri[1, 0], tri[2, 0]) - x0) / cell)
    j0 = int((min(tri[0, 1], tri[1, 1], tri[2, 1]) - y0) / cell)
    j1 = int((max(tri[0, 1], tri[1, 1], tri[2, 1]) - y0) / cell)
    return max(i0, 0), min(i1, nx - 1), max(j0, 0), min(j1, ny - 1)


@kernel
def _fill(
    corners: F64, order: I64, x0: float, y0: float, cell: float, nx: int, ny: int, start: I32, items: I32, tops: F64
) -> None:
    """List the triangles of each cell in the `order` given (the highest first) into `items`, from `start[k]`, with
    their highest points (mm) in `tops`."""
    cursor = start[:-1].copy()
    for t in order:
        top = max(corners[t, 0, 2], corners[t, 1, 2], corners[t, 2, 2])
        i0, i1, j0, j1 = _span(corners[t], x0, y0, cell, nx, ny)
        for j in range(j0, j1 + 1):
            for i in range(i0, i1 + 1):
                k = j * nx + i
                items[cursor[k]] = t
                tops[cursor[k]] = top
                cursor[k] += 1


@kernel
def _coarse(start: I32, tops: F64, nx: int, ny: int, size: int) -> F64:
    """The highest point (mm) in each square of `size` cells a side, minus infinity where it is empty."""
    cx = (nx + size - 1) // size
    cy = (ny + size - 1) // size
    out = np.full(cx * cy, -np.inf)
    for j in range(ny):
        for i in range(nx):
            k = j * nx + i
            if start[k + 1] > start[k]:
                q = (j // size) * cx + i // size
                out[q] = max(out[q], tops[start[k]])
    return out


@kernel
def _planes(corners: F64, out: F64) -> None:
    """The plane of each triangle (m, 3, 3) as z = a + gx x + gy y, with its slope and sqrt(1 + slope^2), into `out` (m,
    5); infinity where it is upright or without area."""
    for t in range(len(corners)):
        a, b, c = corners[t, 0], corners[t, 1], corners[t, 2]
        ex, ey, ez = b[0] - a[0], b[1] - a[1], b[2] - a[2]
        fx, fy, fz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
        nx = ey * fz - ez * fy
        ny = ez * fx - ex * fz
        nz = ex * fy - ey * fx
        n = np.sqrt(nx * nx + ny * ny + nz * nz)
        if n < 1e-30 or abs(nz) < 1e-9 * n:
            out[t] = np.inf
            continue
        gx = -nx / nz
        gy = -ny / nz
        slope = np.sqrt(gx * gx + gy * gy)
        out[t, 0] = a[2] - gx * a[0] - gy * a[1]
        out[t, 1] = gx
        out[t, 2] = gy
        out[t, 3] = slope
        out[t, 4] = np.sqrt(1.0 + slope * slope)


@kernel
def _valley(vertices: F64, faces: I32, planes: F64, t: int, s: int, p: int, q: int) -> bool:
    """Whether triangles t and s, on both sides of the edge p-q, rise clearly out of each other's plane."""
    if not (np.isfinite(planes[t, 0]) and np.isfinite(planes[s, 0])):
        return False
    ot = faces[t, 0] + faces[t, 1] + faces[t, 2] - p - q
    os = faces[s, 0] + faces[s, 1] + faces[s, 2] - p - q
    ux = vertices[q, 0] - vertices[p, 0]
    uy = vertices[q, 1] - vertices[p, 1]
    side_t = ux * (vertices[ot, 1] - vertices[p, 1]) - uy * (vertices[ot, 0] - vertices[p, 0])
    side_s = ux * (vertices[os, 1] - vertices[p, 1]) - uy * (vertices[os, 0] - vertices[p, 0])
    if side_t * side_s >= 0.0:
        return False
    over = vertices[os, 2] - (planes[t, 0] + planes[t, 1] * vertices[os, 0] + planes[t, 2] * vertices[os, 1])
    return over > 1e-7 * planes[t, 4]


@kernel
def _own(vertices: F64, faces: I32, planes: F64, edge_order: I64, edge_keys: I64, count: int, owned: U8) -> None:
    """Give each edge and vertex of a mesh to one triangle, in the bits of `owned` (m,): 1, 2, 4 for edges, 8, 16, 32
    for vertices. Edges in valleys, which no cutter rests on, belong to none."""
    seen = np.zeros(len(vertices), np.bool_)
    for t in range(len(faces)):
        for k in range(3):
            if not seen[faces[t, k]]:
                seen[faces[t, k]] = True
                owned[t] |= np.uint8(8 << k)
    first = 0
    while first < len(edge_order):
        last = first + 1
        key = edge_keys[edge_order[first]]
        while last < len(edge_order) and edge_keys[edge_order[last]] == key:
            last += 1
        t = edge_order[first] // 3
        p = key // count
        q = key % count
        valley = last == first + 2 and _valley(vertices, faces, planes, t, edge_order[first + 1] // 3, p, q)
        if not valley:
            owned[t] |= np.uint8(1 << (edge_order[first] % 3))
        first = last


def edge_keys(faces: I32, count: int) -> I64:
    """One number (3 m,) int64 for each edge of each triangle, equal where two share the edge."""
    ends = faces.astype(np.int64)
    following = np.roll(ends, -1, axis=1)
    return (np.minimum(ends, following) * count + np.maximum(ends, following)).ravel()


def with_walls(vertices: F64, faces: I32, foot: float) -> tuple[F64, I32]:
    """The mesh with a wall from each open edge down to the height `foot`.

    That is how an open sheet is cut: what lies under its rim stays. No cutter rests on a wall that
    did not rest on the edge above it, but distances near a rim are then those to the cut part.
    """
    keys = edge_keys(faces, len(vertices))
    order = np.argsort(keys, kind="stable")
    new = np.concatenate([[True], keys[order][1:] != keys[order][:-1], [True]])
    open_edges = order[new[:-1] & new[1:]]
    if len(open_edges) == 0:
        return vertices, faces
    p = faces.ravel()[open_edges]
    q = np.roll(faces, -1, axis=1).ravel()[open_edges]
    below = np.concatenate([vertices[p], vertices[q]])
    below[:, 2] = np.minimum(below[:, 2], foot)
    n, m = len(vertices), len(p)
    under_p, under_q = n + np.arange(m), n + m + np.arange(m)
    walls = np.concatenate([np.stack([q, p, under_p], 1), np.stack([q, under_p, under_q], 1)])
    return np.concatenate([vertices, below]), np.concatenate([faces, walls]).astype(np.int32)


def build_index(vertices: F64, faces: I32) -> SurfaceIndex:
    """Index the triangles `vertices[faces]` ((n, 3) float64 millimetres, (m, 3) int32).

    The cell is as large as holds about ten triangles, and never less than a thousandth of the
    longest side, so that memory stays in proportion to the mesh.
    """
    corners = vertices[faces]
    low, high = vertices.min(axis=0), vertices.max(axis=0)
    width, depth = max(high[0] - low[0], 1e-6), max(high[1] - low[1], 1e-6)
    cell = max(np.sqrt(10.0 * width * depth / len(faces)), max(width, depth) / 2000.0)
    nx, ny = int(width / cell) + 1, int(depth / cell) + 1
    middle = ((corners.mean(axis=1)[:, :2] - low[:2]) / cell).astype(np.int64)
    near = np.argsort(middle[:, 1] * nx + middle[:, 0], kind="stable")
    faces = np.ascontiguousarray(faces[near])
    corners = np.ascontiguousarray(corners[near])
    falling = np.argsort(-corners[:, :, 2].max(axis=1), kind="stable")
    planes = np.empty((len(corners), 5))
    _planes(corners, planes)
    keys = edge_keys(faces, len(vertices))
    owned = np.zeros(len(faces), np.uint8)
    _own(vertices, faces, planes, np.argsort(keys, kind="stable"), keys, len(vertices), owned)
    start = np.zeros(nx * ny + 1, np.int64)
    _count(corners, low[0], low[1], cell, nx, ny, start[1:])
    np.cumsum(start, out=start)
    items = np.empty(start[-1], np.int32)
    tops = np.empty(start[-1], np.float64)
    start32 = start.astype(np.int32)
    _fill(corners, falling, low[0], low[1], cell, nx, ny, start32, items, tops)
    arrays = GridArrays(
        corners,
        planes,
        owned,
        start32,
        items,
        tops,
        _coarse(start32, tops, nx, ny, COARSE),
        float(low[0]),
        float(low[1]),
        float(cell),
        nx,
        ny,
    )
    return SurfaceIndex(arrays, falling, low, high)
