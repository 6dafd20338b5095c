"""Make triangles that share a corner share a vertex."""

import numpy as np

from nephos.core.arrays import F64, I32, I64
from nephos.core.parallel import kernel


@kernel
def _weld(bits: I64, slots: I64, first: I64, number: I32) -> int:
    """Open addressing over the bit patterns of the coordinates; returns how many are distinct."""
    mask = len(slots) - 1
    count = 0
    for k in range(len(bits)):
        h = bits[k, 0] * -7046029254386353131 + bits[k, 1] * -4417276706812531889
        h = (h + bits[k, 2] * 1609587929392839161) * -7046029254386353131
        h = (h ^ (h >> 32)) & mask
        while True:
            other = slots[h]
            if other < 0:
                slots[h] = k
                first[count] = k
                number[k] = count
                count += 1
                break
            if bits[k, 0] == bits[other, 0] and bits[k, 1] == bits[other, 1] and bits[k, 2] == bits[other, 2]:
                number[k] = number[other]
                break
            h = (h + 1) & mask
    return count


def weld(corners: F64) -> tuple[F64, I32]:
    """Vertices (n, 3) float64 and faces (m, 3) int32 of triangles `corners` (m, 3, 3).

    Corners are one vertex where they are equal to the bit.
    """
    points = np.ascontiguousarray(corners.reshape(-1, 3) + 0.0)
    slots = np.full(1 << max(int(2 * len(points)).bit_length(), 4), -1, np.int64)
    first = np.empty(len(points), np.int64)
    number = np.empty(len(points), np.int32)
    count = _weld(points.view(np.int64), slots, first, number)
    return points[first[:count]], number.reshape(-1, 3)
