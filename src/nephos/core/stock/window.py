"""A small window of the block at full resolution, cut with all moves that pass over it."""

import numpy as np

from nephos.core.arrays import F32, F64
from nephos.core.cutters import Profile
from nephos.core.errors import Refused
from nephos.core.stock.block import Grid
from nephos.core.stock.intervals import Intervals
from nephos.core.stock.sweep import sweep

MOST = 1_500_000
"""Columns of a window at most."""

Moves = tuple[F64, Profile]
"""Moves (n + 1, 3) and the cutter."""


def window_grid(low: tuple[float, float], high: tuple[float, float], pitch: float) -> Grid:
    """The grid of a window between two corners (mm).

    Raises
    ------
    Refused
        Where it has no room, or more columns than can be looked at.
    """
    nx, ny = round((high[0] - low[0]) / pitch), round((high[1] - low[1]) / pitch)
    if nx < 2 or ny < 2:
        raise Refused("the window is too small: make it larger")
    if nx * ny > MOST:
        finest = ((high[0] - low[0]) * (high[1] - low[1]) / MOST) ** 0.5
        raise Refused(
            f"at {pitch:g} mm this window has {nx * ny / 1e6:.1f} million columns: make it smaller, or give "
            f"{finest:.2g} mm or more"
        )
    return Grid(low[0] + pitch / 2, low[1] + pitch / 2, pitch, nx, ny)


def near(points: F64, grid: Grid, reach: float) -> F64:
    """The moves that come within `reach` of the grid, all others broken off: (m + 1, 3), with a gap (not a number)
    where some are left out."""
    low = np.array([grid.x0, grid.y0]) - reach - grid.pitch
    high = np.array([grid.xs[-1], grid.ys[-1]]) + reach + grid.pitch
    a, b = points[:-1, :2], points[1:, :2]
    close = ((np.fmin(a, b) <= high) & (np.fmax(a, b) >= low)).all(axis=1)
    chosen = np.flatnonzero(close)
    if not len(chosen):
        return np.empty((0, 3))
    found = np.full((3 * len(chosen), 3), np.nan)
    found[0::3], found[1::3] = points[chosen], points[chosen + 1]
    return found


def cut_window(top: F32, foot: float, grid: Grid, cuts: list[Moves], intervals: Intervals | None = None) -> F32:
    """Heights (ny, nx) of a window after all cuts, from `top` (ny, nx), never under `foot`; `intervals` of its columns
    where they have gaps."""
    heights: F32 = top.copy()
    touched = np.full(top.shape, -1, np.int32)
    for points, cutter in cuts:
        moves = near(points, grid, cutter.radius)
        if len(moves) > 1:
            sweep(heights, touched, grid, moves, np.ones(len(moves) - 1, np.uint8), 0, cutter, intervals=intervals)
    return np.maximum(heights, np.float32(foot))
