"""What each operation brought the block nearer to the model."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from nephos.core.arrays import F32, Bool


@dataclass(frozen=True)
class Gain:
    """Of one operation: how much it `removed` (mm^3), and over the boundary what was `left` after it, on average along
    the normal (mm), and which share of the area was `within` the limit then."""

    number: int
    removed: float
    left: float
    within: float


def gains(
    numbers: list[int],
    volumes: list[float],
    tops: list[F32],
    pitch: float,
    window: tuple[slice, slice],
    under: F32,
    inside: Bool,
    limit: float,
) -> tuple[Gain, ...]:
    """What each of several operations brought.

    Parameters
    ----------
    volumes : of the block before the first and after each (mm^3). tops : (ny, nx) heights of the block after each.
    window : rows and columns of the block that were compared; `under` (heights of the model) and `inside` lie over it.

    Notes
    -----
    The distance along the normal is taken as that straight up times the cosine of the model's slope under it, which is
    exact
    on planes; the comparison of the finished part measures it.
    """
    gy, gx = np.gradient(under.astype(np.float64), pitch)
    cosine = 1.0 / np.sqrt(1.0 + gx * gx + gy * gy)
    found = []
    for number, top, (before, after) in zip(numbers, tops, pairwise(volumes), strict=True):
        distance = ((top[window] - under) * cosine)[inside]
        left = float(np.maximum(distance, 0.0).mean()) if distance.size else 0.0
        within = float((np.abs(distance) <= limit).mean()) if distance.size else 0.0
        found.append(Gain(number, round(before - after, 1), round(left, 4), round(within, 4)))
    return tuple(found)
