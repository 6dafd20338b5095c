"""Which setup left each place of the finished block's surface: the one whose cuts lie nearest to it."""

from collections.abc import Sequence

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F32, F64, I32, Bool
from nephos.core.stock.block import Grid
from nephos.core.stock.passed_on import CutBar, Side
from nephos.core.surface.rotary import TURN

__all__ = ["UNCUT", "cells_under", "left_by"]

UNCUT = -1
"""No setup has cut here: the stock's own surface."""
_NEAR = 4
"""A place may be off the cells around it by so many pitches: the solid is coarser than the field."""


def cells_under(points: F64, matrix: F64, grid: Grid) -> tuple[I32, I32, F64]:
    """Rows (n,), columns (n,) and heights (n,) (mm) of places (n, 3), in stock space, on a grid in the frame of
    `matrix` (4, 4): heights along its axis, or from the axis of a bar. Places beside the grid are at its rim."""
    seen = points @ matrix[:3, :3].T + matrix[:3, 3]
    if grid.radius is None:
        y, heights = seen[:, 1], seen[:, 2]
    else:
        y, heights = np.arctan2(seen[:, 1], seen[:, 2]) % TURN * grid.radius, np.hypot(seen[:, 1], seen[:, 2])
        if grid.ny == round(TURN * grid.radius / grid.pitch):
            y = np.where(y > grid.ys[-1] + 0.5 * grid.pitch, grid.y0, y)
    j = np.clip(np.round((y - grid.y0) / grid.pitch), 0, grid.ny - 1).astype(np.int32)
    i = np.clip(np.round((seen[:, 0] - grid.x0) / grid.pitch), 0, grid.nx - 1).astype(np.int32)
    return j, i, heights


def _surface_of(side: Side, top: float) -> tuple[F32, Bool]:
    """The field that a side has cut, and where it has cut: below `top` (mm) for a face."""
    if isinstance(side, CutBar):
        return side.block.top, side.block.touched >= 0
    return side.field, side.field < top - 1e-3


def left_by(points: F64, sides: Sequence[Side], tops: Sequence[float]) -> np.ndarray:
    """(n,) int8, the index of the side whose cuts left each place, or :data:`UNCUT`.

    Parameters
    ----------
    points : (n, 3) places on the surface of the finished block, in stock space. sides : what each setup has cut, in
    their order. tops : how high (mm) the stock of each side was, in its own frame.

    Notes
    -----
    A place lies on a field where its height is between the lowest and the highest of the cells around it: so walls
    count too. Of sides that come equally near, the later one has it.
    """
    nearest = np.full(len(points), np.inf)
    found = np.full(len(points), UNCUT, np.int8)
    for k, (side, top) in enumerate(zip(sides, tops, strict=True)):
        field, cut = _surface_of(side, top)
        mode = ["wrap", "nearest"] if isinstance(side, CutBar) else "nearest"
        low, high = (part(field, 3, mode=mode) for part in (ndimage.minimum_filter, ndimage.maximum_filter))
        near = ndimage.maximum_filter(cut, 3, mode=mode)
        grid = side.block.grid if isinstance(side, CutBar) else side.grid
        j, i, heights = cells_under(points, side.matrix, grid)
        off = np.maximum(np.maximum(low[j, i] - heights, heights - high[j, i]), 0.0)
        mine = near[j, i] & (off <= np.minimum(nearest, _NEAR * grid.pitch))
        nearest = np.where(mine, off, nearest)
        found[mine] = k
    return found
