"""Thin places of the finished part, on columns of its block."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64, Bool
from nephos.core.stock.block import Block

THIN = 1.0
"""Wood below this thickness (mm) is likely to break."""
_LEVEL = 0.7
"""Smallest cosine of the slope at which thickness is measured. On steeper surface the rim of any round part would count
as thin."""
_LEAST = 0.02
"""Columns with less material (mm) are empty."""


@dataclass(frozen=True)
class ThinPlaces:
    """Area of the part that is thinner than :data:`THIN`, seen along the columns.

    `share` : of the area of the part. `area` : mm^2. `least` : smallest thickness, mm. `place` : of that, in the frame
    of the block."""

    share: float
    area: float
    least: float
    place: tuple[float, float, float]


def thin_places(block: Block, part: Bool) -> ThinPlaces | None:
    """Thin places of the finished part below surface that faces along the columns; none if there are none.

    The thickness is the height of the highest interval of a column, times the cosine of the slope.

    Parameters
    ----------
    block : the finished block. part : (ny, nx) bool, columns that hold some of the part.
    """
    solid = block.high - block.low > _LEAST
    tops = np.where(solid, block.high, -np.inf)
    first = np.expand_dims(tops.argmax(axis=0), 0)
    top = np.take_along_axis(block.high, first, axis=0)[0]
    thick = np.take_along_axis(np.where(solid, block.high - block.low, 0.0), first, axis=0)[0]
    inside = part & (thick > 0)
    if not inside.any() or min(top.shape) < 2:
        return None
    upright = _upright(top, inside, block.grid.pitch)
    thin = inside & (upright > _LEVEL) & (thick * upright < THIN)
    if not thin.any():
        return None
    measured = np.where(thin, thick * upright, np.inf)
    j, i = np.unravel_index(int(measured.argmin()), measured.shape)
    grid = block.grid
    return ThinPlaces(
        float(thin.sum() / inside.sum()),
        float(thin.sum() * grid.pitch**2),
        float(measured[j, i]),
        (float(grid.xs[i]), float(grid.ys[j]), float(top[j, i])),
    )


def _upright(top: F64, inside: Bool, pitch: float) -> F64:
    """(ny, nx) cosine of the slope; 0 at the rim of `inside`, where the slope is unknown."""
    gy, gx = np.gradient(top.astype(np.float64), pitch)
    found = 1 / np.sqrt(1 + gx**2 + gy**2)
    padded = np.pad(inside, 1)
    whole = padded[:-2, 1:-1] & padded[2:, 1:-1] & padded[1:-1, :-2] & padded[1:-1, 2:]
    result: F64 = np.where(whole, found, 0.0)
    return result
