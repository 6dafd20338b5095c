"""Intervals of material in the columns of a block, as arrays for kernels.

Earlier setups cut from other sides, so a column may have gaps below its top. A height field alone would count such a
gap as material."""

from typing import NamedTuple

import numpy as np

from nephos.core.arrays import F32, F64, Bool
from nephos.core.parallel import inlined, kernel

_MOST = 8
"""Most intervals of a merged column; the smallest gaps beyond that are filled."""


class Intervals(NamedTuple):
    """Ends of the intervals of columns: `low` and `high` (k, ny, nx) float32, mm, in any order; one with high <= low is
    empty. With k = 0 all is material from the top of a column to its foot."""

    low: F32
    high: F32

    def rows(self, first: int, last: int) -> "Intervals":
        """Those of some rows."""
        return Intervals(self.low[:, first:last], self.high[:, first:last])


def all_material(rows: int = 0, columns: int = 0) -> Intervals:
    """The empty intervals of a block without gaps."""
    none = np.zeros((0, rows, columns), np.float32)
    return Intervals(none, none)


@inlined
def top_beneath(low: F32, high: F32, j: int, i: int, z: float) -> float:
    """Top of column (j, i) after removing everything above `z`; -inf for an empty column."""
    best = -np.inf
    for k in range(len(low)):
        if low[k, j, i] < z and high[k, j, i] > low[k, j, i]:
            best = max(best, min(high[k, j, i], z))
    return best


@inlined
def lowest_end(low: F32, high: F32, j: int, i: int) -> float:
    """Bottom of the material of column (j, i); inf for an empty column."""
    lowest = np.inf
    for k in range(len(low)):
        if high[k, j, i] > low[k, j, i]:
            lowest = min(lowest, low[k, j, i])
    return lowest


@inlined
def material_between(low: F32, high: F32, j: int, i: int, a: float, b: float) -> float:
    """Length (mm) of material of column (j, i) between the heights `a` and `b` > a."""
    total = 0.0
    for k in range(len(low)):
        total += max(min(high[k, j, i], b) - max(low[k, j, i], a), 0.0)
    return total


def stands_between(low: F32, high: F32, a: float, b: float) -> Bool:
    """(ny, nx) bool, which columns have material between the heights `a` and `b` > a; `low`, `high` (k, ny, nx)."""
    found: Bool = np.any(np.minimum(high, np.float32(b)) > np.maximum(low, np.float32(a)), axis=0)
    return found


@kernel
def _merged_rows(low: F32, high: F32, factor: int, out_low: F32, out_high: F32) -> None:
    """Merge the intervals of `factor` x `factor` columns: the union of their material."""
    planes, ny, nx = low.shape
    rows, columns = out_low.shape[1:]
    most = len(out_low)
    a = np.empty(planes * factor * factor)
    b = np.empty(planes * factor * factor)
    for j in range(rows):
        for i in range(columns):
            n = 0
            for jj in range(j * factor, min((j + 1) * factor, ny)):
                for ii in range(i * factor, min((i + 1) * factor, nx)):
                    for k in range(planes):
                        if high[k, jj, ii] > low[k, jj, ii]:
                            # Insertion sort by the lower ends.
                            at = n
                            while at > 0 and a[at - 1] > low[k, jj, ii]:
                                a[at], b[at] = a[at - 1], b[at - 1]
                                at -= 1
                            a[at], b[at] = low[k, jj, ii], high[k, jj, ii]
                            n += 1
            kept = 0
            for k in range(n):
                if kept > 0 and a[k] <= b[kept - 1]:
                    b[kept - 1] = max(b[kept - 1], b[k])
                else:
                    a[kept], b[kept] = a[k], b[k]
                    kept += 1
            while kept > most:
                least = 0
                for k in range(kept - 1):
                    if a[k + 1] - b[k] < a[least + 1] - b[least]:
                        least = k
                b[least] = b[least + 1]
                for k in range(least + 1, kept - 1):
                    a[k], b[k] = a[k + 1], b[k + 1]
                kept -= 1
            for k in range(kept):
                out_low[k, j, i], out_high[k, j, i] = a[k], b[k]


def merged(intervals: Intervals, factor: int) -> Intervals:
    """Intervals of a grid that is coarser by an integer `factor`: the union of the columns in each cell."""
    low, high = intervals
    planes, ny, nx = low.shape
    if factor == 1 or not planes:
        return intervals
    shape = (min(_MOST, planes * factor * factor), -(-ny // factor), -(-nx // factor))
    out_low, out_high = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    _merged_rows(np.ascontiguousarray(low), np.ascontiguousarray(high), factor, out_low, out_high)
    used = int((out_high > out_low).any(axis=(1, 2)).sum())
    return Intervals(out_low[:used], out_high[:used])


def volume_of(low: F32, high: F32, pitch: float, around: float | None = None) -> float:
    """Volume (mm^3) of all intervals (k, ny, nx) of columns that are `pitch` mm wide. Of a bar, with the reference
    radius `around`, the columns are rays, and each stands for a wedge: (r1^2 - r2^2) / 2 times its angle."""
    a, b = low.astype(np.float64), np.maximum(high, low).astype(np.float64)
    total: F64 = b - a if around is None else (b * b - a * a) / (2 * around)
    return float(total.sum()) * pitch * pitch
