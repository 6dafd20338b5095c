"""Thin places of the finished part, on columns of its block."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64, Bool
from nephos.core.stock.block import Block

THIN = 1.0
"""Wood thinner than this (mm) breaks while it is cut, sanded or carried."""
_LEVEL = 0.7
"""Cosine of the slope up to which the thickness is measured along columns: on steeper ground the edge of any round part
would count as thin."""
_LEAST = 0.02
"""Columns with less material (mm) hold nothing of the part."""


@dataclass(frozen=True)
class ThinPlaces:
    """How much of the part, seen along the columns, is thinner than :data:`THIN` (`area`, mm^2, and its `share`), the
    thickness at the thinnest place (mm), and where that is, in the frame of the block."""

    share: float
    area: float
    least: float
    place: tuple[float, float, float]


def thin_places(block: Block, part: Bool) -> ThinPlaces | None:
    """Where the finished part is thin below a surface that faces along the columns; none where it is thin nowhere.

    The thickness is that of the highest interval of a column, square to the surface.

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
    """(ny, nx) how much of the surface's direction is along the columns; 0 beside an edge, where slopes are unknown."""
    gy, gx = np.gradient(top.astype(np.float64), pitch)
    found = 1 / np.sqrt(1 + gx**2 + gy**2)
    padded = np.pad(inside, 1)
    whole = padded[:-2, 1:-1] & padded[2:, 1:-1] & padded[1:-1, :-2] & padded[1:-1, 2:]
    result: F64 = np.where(whole, found, 0.0)
    return result
