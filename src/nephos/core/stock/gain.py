"""What each operation brought the block nearer to the model."""

from dataclasses import dataclass

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
    before: F32,
    tops: list[F32],
    pitch: float,
    window: tuple[slice, slice],
    under: F32,
    inside: Bool,
    limit: float,
    around: float | None = None,
) -> tuple[Gain, ...]:
    """What each of several operations brought.

    Parameters
    ----------
    before : (ny, nx) heights of the block before the first, `tops` after each.
    around : reference radius of a bar, whose heights are radii; none for a block.
    window : rows and columns of the block that were compared; `under` (heights of the model) and `inside` lie over it.

    Notes
    -----
    The distance along the normal is taken as that straight up times the cosine of the model's slope under it, which is
    exact
    on planes; the comparison of the finished part measures it.
    """
    gy, gx = np.gradient(under.astype(np.float64), pitch)
    cosine = 1.0 / np.sqrt(1.0 + gx * gx + gy * gy)
    found, last = [], before
    for number, top in zip(numbers, tops, strict=True):
        if around is None:
            taken = float((last - top).sum(dtype=np.float64))
        else:
            # Each ray stands for a wedge: (r1^2 - r2^2) / 2 times its angle.
            taken = float(((last - top) * (last + top)).sum(dtype=np.float64)) / (2 * around)
        removed = taken * pitch * pitch
        distance = ((top[window] - under) * cosine)[inside]
        left = float(np.maximum(distance, 0.0).mean()) if distance.size else 0.0
        within = float((np.abs(distance) <= limit).mean()) if distance.size else 0.0
        found.append(Gain(number, round(removed, 1), round(left, 4), round(within, 4)))
        last = top
    return tuple(found)
