"""A terrain made solid: upright walls where heights jump, and a flat bottom."""

from itertools import pairwise

import manifold3d
import numpy as np

from nephos.core.arrays import F64, I64
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.parallel import kernel
from nephos.core.relief.sides import ends_of_sides, partners
from nephos.core.relief.terrain import WELD, Terrain

__all__ = ["closed_mesh"]


@kernel
def _strips(ul: I64, ur: I64, vl: I64, vr: I64, count: int, out: I64) -> int:
    """Wall triangles between two chains of corners at the ends of each side; only counted while `out` is empty."""
    n = 0
    for s in range(count):
        i, j = ul[s], vl[s]
        while i != ur[s] or j != vr[s]:
            # The chain that is farther behind goes on, so that no triangle is needlessly thin.
            left, right = abs(ur[s] - i), abs(vr[s] - j)
            if left >= right:
                k = i + (1 if ur[s] > i else -1)
                if len(out):
                    out[n, 0], out[n, 1], out[n, 2] = i, k, j
                i = k
            else:
                k = j + (1 if vr[s] > j else -1)
                if len(out):
                    out[n, 0], out[n, 1], out[n, 2] = i, k, j
                j = k
            n += 1
    return n


def _loops(start: I64, end: I64, points: F64) -> list[I64]:
    """Closed loops of directed sides; where several leave one point, the sharpest right turn is taken."""
    order = np.argsort(start, kind="stable")
    start, end = start[order], end[order]
    first = np.searchsorted(start, end)
    several = np.searchsorted(start, end, side="right") - first
    left = np.ones(len(start), bool)
    loops = []
    for k in range(len(start)):
        if not left[k]:
            continue
        loop, at = [], k
        while left[at]:
            left[at] = False
            loop.append(at)
            among = [q for q in range(first[at], first[at] + several[at]) if left[q]]
            if not among:
                break
            at = among[0] if len(among) == 1 else min(among, key=lambda q: _turn(points, start, end, loop[-1], q))
        loops.append(start[loop])
    return loops


def _turn(points: F64, start: I64, end: I64, before: int, after: int) -> float:
    a = points[end[before]] - points[start[before]]
    b = points[end[after]] - points[start[after]]
    return float(np.arctan2(a[0] * b[1] - a[1] * b[0], a @ b))


def _welded(flat: I64, heights: F64, edge: I64, points: F64) -> tuple[I64, I64, F64]:
    """One corner for each height at each point.

    Returns the corner of each of the `flat` points with its height, the corner at the bottom of the points `edge` (-1
    for others), and the corners (n, 3). Those of one point follow each other by height."""
    count = len(points)
    one = np.zeros(count)
    one[flat] = heights
    several = np.zeros(count, bool)
    several[flat[np.abs(heights - one[flat]) > WELD]] = True
    several[edge[one[edge] > WELD]] = True
    some = np.flatnonzero(several[flat])
    low = edge[several[edge]]
    place = np.concatenate([flat[some], low])
    height = np.concatenate([heights[some], np.zeros(len(low))])
    order = np.lexsort((height, place))
    new = np.ones(len(order), bool)
    new[1:] = (place[order][1:] != place[order][:-1]) | (np.diff(height[order]) > WELD)
    # How many corners each point has, and where its first one is.
    used = np.zeros(count, np.int64)
    used[flat] = 1
    used[several] = np.bincount(place[order][new], minlength=count)[several]
    first = np.concatenate([[0], np.cumsum(used)[:-1]])
    rank = np.cumsum(new) - 1
    starts = np.searchsorted(place[order][new], place[order])
    number = np.empty(len(order), np.int64)
    number[order] = first[place[order]] + rank - starts
    top = first[flat]
    top[some] = number[: len(some)]
    ground = np.full(count, -1, np.int64)
    ground[edge] = first[edge]
    ground[low] = number[len(some) :]
    corners = np.empty((int(used.sum()), 3))
    plain = np.flatnonzero((used == 1) & ~several)
    corners[first[plain], :2], corners[first[plain], 2] = points[plain], one[plain]
    at = order[new]
    corners[number[at], :2], corners[number[at], 2] = points[place[at]], height[at]
    return top, ground, corners


def closed_mesh(terrain: Terrain) -> Mesh:
    """The closed mesh under a terrain, its bottom at 0.

    Raises
    ------
    Refused
        Where no triangle has a height.
    """
    solid = (terrain.heights > WELD).any(axis=1)
    triangles, heights = terrain.triangles[solid], np.maximum(terrain.heights[solid], 0.0)
    if len(triangles) == 0:
        raise Refused("nothing is left of the composition: raise a piece, or cut less away")
    count = len(terrain.points)
    other = partners(triangles, count)
    left = np.flatnonzero(other > np.arange(len(other)))
    right, rim = other[left], np.flatnonzero(other < 0)
    flat = triangles.ravel().astype(np.int64)
    start, end = ends_of_sides(triangles)
    edge = np.unique(start[rim])
    top, ground, vertices = _welded(flat, heights.ravel(), edge, terrain.points)
    corner = top.reshape(-1, 3)
    first, last = corner[:, [1, 2, 0]].ravel(), corner[:, [2, 0, 1]].ravel()
    # A side of the left triangle runs from u to v; the right one has it the other way round.
    ul = np.concatenate([first[left], first[rim]])
    vl = np.concatenate([last[left], last[rim]])
    ur = np.concatenate([last[right], ground[start[rim]]])
    vr = np.concatenate([first[right], ground[end[rim]]])
    jump = np.flatnonzero((ul != ur) | (vl != vr))
    ul, vl, ur, vr = ul[jump], vl[jump], ur[jump], vr[jump]
    walls = np.zeros((_strips(ul, ur, vl, vr, len(jump), np.zeros((0, 3), np.int64)), 3), np.int64)
    if len(walls):
        _strips(ul, ur, vl, vr, len(jump), walls)
    faces = np.concatenate([corner, walls, _bottom(start[rim], end[rim], terrain.points, ground)])
    used = np.zeros(len(vertices), bool)
    used[faces] = True
    renumbered = (np.cumsum(used) - 1)[faces]
    return Mesh(vertices[used], np.ascontiguousarray(renumbered, np.int32), "composition")


def _bottom(start: I64, end: I64, points: F64, ground: I64) -> I64:
    """Triangles that close the bottom, through the points of its outline alone, seen from below."""
    loops = [loop for loop in _loops(start, end, points) if len(loop) > 2]
    ends = np.cumsum([0, *(len(loop) for loop in loops)])
    if sum(float(_area(points[loop])) for loop in loops) <= 0:
        raise Refused("the outline of the composition encloses nothing: check its pieces")
    found = np.asarray(manifold3d.triangulate([points[loop] for loop in loops], 1e-7), np.int64)
    of = np.concatenate([loops[k] for k, _ in enumerate(pairwise(ends))])
    bottom: I64 = ground[of[found]][:, ::-1]
    return bottom


def _area(loop: F64) -> float:
    x, y = loop.T
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2)
