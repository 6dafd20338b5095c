"""Polylines with fewer points."""

from math import sqrt

import numpy as np

from nephos.core.arrays import F64, I64
from nephos.core.parallel import kernel


@kernel
def _off_chord(points: F64, first: int, last: int, tolerance: float) -> int:
    """The point between `first` and `last` that lies farthest off their chord, -1 if none is too far."""
    px, py, pz = points[first, 0], points[first, 1], points[first, 2]
    dx, dy, dz = points[last, 0] - px, points[last, 1] - py, points[last, 2] - pz
    d2 = dx * dx + dy * dy + dz * dz
    inverse = 1.0 / d2 if d2 > 0.0 else 0.0
    worst = tolerance * tolerance
    found = -1
    for k in range(first + 1, last):
        ex, ey, ez = points[k, 0] - px, points[k, 1] - py, points[k, 2] - pz
        t = min(max((ex * dx + ey * dy + ez * dz) * inverse, 0.0), 1.0)
        ex -= t * dx
        ey -= t * dy
        ez -= t * dz
        off = ex * ex + ey * ey + ez * ez
        if off > worst:
            worst = off
            found = k
    return found


@kernel
def _thin(points: F64, ends: I64, tolerance: float, longest: int, kept: I64) -> int:
    """Indices of the points (n, 3) that stay so that no point that goes is more than `tolerance` mm off, into `kept`
    (n,), and how many (Douglas and Peucker 1973). `ends` (k,) are points that always stay; stretches have at most
    `longest` points."""
    stack = np.empty((128 + len(points), 2), np.int64)
    count = 0
    begin = 0
    for end in ends:
        kept[count] = begin
        count += 1
        first = begin
        while first < end:
            # Stretches of bounded length keep the work in proportion to the number of points.
            last = min(first + longest, end)
            depth = 0
            stack[0, 0] = first
            stack[0, 1] = last
            while depth >= 0:
                a = stack[depth, 0]
                b = stack[depth, 1]
                k = _off_chord(points, a, b, tolerance) if b > a + 1 else -1
                if k < 0:
                    kept[count] = b
                    count += 1
                    depth -= 1
                else:
                    stack[depth, 0] = k
                    stack[depth, 1] = b
                    depth += 1
                    stack[depth, 0] = a
                    stack[depth, 1] = k
            first = last
        begin = end + 1
    return count


def thin(points: F64, ends: I64, tolerance: float, longest: int = 512) -> I64:
    """Indices (k,) int64 of the points of several polylines that are enough to stay within `tolerance`.

    Parameters
    ----------
    points : (n, 3) float64, the polylines one behind the other.
    ends : index of the last point of each polyline, rising; ends[-1] == n - 1.
    tolerance : largest distance of a left-out point from the chord, in millimetres.

    Notes
    -----
    Ramer, "An iterative procedure for the polygonal approximation of plane curves", 1972, over
    stretches of at most `longest` points. First and last points of polylines always stay.
    """
    kept = np.empty(len(points) + len(points) // longest + 2, np.int64)
    count = _thin(np.ascontiguousarray(points), np.asarray(ends, np.int64), tolerance, longest, kept)
    return kept[:count]


@kernel
def _resample_count(points: F64, spacing: float) -> int:
    """How many points a polyline (n, 3) has with steps of at most `spacing` mm."""
    total = 1
    for k in range(len(points) - 1):
        total += max(int(np.ceil(_length(points, k) / spacing)), 1)
    return total


@kernel
def _length(points: F64, k: int) -> float:
    """Length (mm) of segment `k` of a polyline (n, 3)."""
    dx = points[k + 1, 0] - points[k, 0]
    dy = points[k + 1, 1] - points[k, 1]
    dz = points[k + 1, 2] - points[k, 2]
    return sqrt(dx * dx + dy * dy + dz * dz)


@kernel
def densified(points: F64, spacing: float) -> F64:
    """The polyline (n, 3) with points added so that none are more than `spacing` mm apart."""
    out = np.empty((_resample_count(points, spacing), 3))
    out[0] = points[0]
    at = 1
    for k in range(len(points) - 1):
        parts = max(int(np.ceil(_length(points, k) / spacing)), 1)
        for q in range(1, parts + 1):
            t = q / parts
            for axis in range(3):
                out[at, axis] = points[k, axis] + t * (points[k + 1, axis] - points[k, axis])
            at += 1
    return out


def from_nearest(ring: F64, at: F64 | None) -> F64:
    """A closed ring (n, 2 or 3) begun at its vertex nearest to `at` (2,) on the plan; as it is where `at` is none."""
    if at is None:
        return ring
    k = int(((ring[:-1, :2] - at) ** 2).sum(axis=1).argmin())
    turned: F64 = np.concatenate([ring[k:-1], ring[: k + 1]])
    return turned
