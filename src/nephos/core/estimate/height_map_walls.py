"""What level contours there are over a coarse picture of the ground: how long, and in how many runs."""

from dataclasses import dataclass
from math import hypot, radians, tan

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F32, F64, I16, I64, U8, Bool
from nephos.core.cutters import Profile
from nephos.core.estimate.estimate import StockEstimate
from nephos.core.estimate.height_map import levels_to
from nephos.core.estimate.height_map_levels import FRAME, listed, pieces_of
from nephos.core.memo import Memo
from nephos.core.parallel import in_parallel, kernel
from nephos.core.strategies.clearing.levels import BOTTOM, contour_heights

_LOOKED_AT = 48
"""Of more levels than that, so many are looked at."""
_SHARES = 16
"""Into so many equal shares of their contours walls are divided by how tall they are."""
_TOUCHING = 0.6
"""Runs (mm) nearer than about this are one."""
_ROWS = 64


@dataclass(frozen=True)
class Walls:
    """Level contours of the tip over steep ground: how long they are in all (mm), how many runs of them end somewhere,
    how many are closed, and on how many levels. `tall` is how tall (mm) the walls are round places on them, the lowest
    first, each for as much of the contours as any other."""

    length: float
    open: float
    closed: float
    levels: int
    tall: tuple[float, ...]


@dataclass(frozen=True)
class _Sloped:
    """Of a picture: the `tips`, their `slope` (rise over run), and `where` the axis goes, (ny, nx)."""

    tips: F32
    slope: F32
    where: Bool


_SLOPED: Memo[_Sloped] = Memo(16)
_WALLS: Memo[Walls] = Memo(64)


@kernel
def _crossed(tips: F32, where: Bool, levels: F32, first: int, last: int, begins: I16, ends: I16) -> None:
    """For rows `first` to `last`: the levels, the highest first, that a cell is not above but one beside it is, from
    `begins` to before `ends`."""
    nx = tips.shape[1]
    above, on = 0, 0
    for j in range(first, last):
        for i in range(1, nx - 1):
            if where[j, i]:
                high = max(tips[j, i - 1], tips[j, i + 1], tips[j - 1, i], tips[j + 1, i])
                above = levels_to(levels, high, above)
                on = levels_to(levels, tips[j, i], on)
                begins[j + FRAME, i + FRAME] = above
                ends[j + FRAME, i + FRAME] = on


@kernel
def _beside(cells: I64, walls: Bool, width: int, size: int, blocks: U8, near: Bool) -> None:
    """Which cells are near those on walls: in the same block of `size` cells or in one beside it; `blocks` are all 0
    and have a frame."""
    for k in range(len(cells)):
        if walls[k]:
            blocks[cells[k] // width // size + 1, cells[k] % width // size + 1] = 1
    for k in range(len(cells)):
        j, i = cells[k] // width // size, cells[k] % width // size
        near[k] = walls[k] or blocks[j : j + 3, i : i + 3].max() > 0


@kernel
def _between(tips: F32, slope: F32, steep: Bool, size: int, low: F32, high: F32, contours: F64) -> None:
    """The lowest and the highest tip on the walls in each block of `size` cells, and how much contour there is; blocks
    have a frame."""
    ny, nx = tips.shape
    for j in range(ny):
        for i in range(nx):
            if steep[j, i]:
                v, u = j // size + 1, i // size + 1
                low[v, u] = min(low[v, u], tips[j, i])
                high[v, u] = max(high[v, u], tips[j, i])
                contours[v, u] += slope[j, i]


def _tall(tips: F32, slope: F32, steep: Bool, size: int) -> tuple[float, ...]:
    """How tall walls are between the blocks of `size` cells round each block, as of :class:`Walls`."""
    shape = (tips.shape[0] - 1) // size + 3, (tips.shape[1] - 1) // size + 3
    low, high, contours = np.full(shape, np.inf, np.float32), np.full(shape, -np.inf, np.float32), np.zeros(shape)
    _between(tips, slope, steep, size, low, high, contours)
    # On average as far as one and a half blocks.
    tall = ndimage.maximum_filter(high, 3)[contours > 0] - ndimage.minimum_filter(low, 3)[contours > 0]
    order = np.argsort(tall)
    sums = np.cumsum(contours[contours > 0][order])
    at = np.searchsorted(sums, (np.arange(_SHARES) + 0.5) / _SHARES * sums[-1])
    return tuple(tall[order][at].tolist())


@kernel
def _slopes(tips: F32, step: float, first: int, last: int, out: F32) -> None:
    """For rows `first` to `last`: rise over run, from neighbour to neighbour; nothing on the edge of the picture."""
    for j in range(first, last):
        for i in range(1, tips.shape[1] - 1):
            out[j, i] = hypot(tips[j, i + 1] - tips[j, i - 1], tips[j + 1, i] - tips[j - 1, i]) / (2 * step)


def _sloped(stock_estimate: StockEstimate, profile: Profile, leave: float) -> _Sloped:
    relief = stock_estimate.relief
    tips = relief.tips(profile, leave)
    slope, step = np.zeros(tips.shape, np.float32), np.float32(relief.step)
    in_parallel(lambda first, last: _slopes(tips, step, first + 1, last + 1, slope), len(tips) - 2, _ROWS)
    # Outer walls lie on the edge of where the cutter may be, and their foot beyond it.
    return _Sloped(tips, slope, relief.reach(stock_estimate.region, 2.5 * relief.step))


def _found(
    stock_estimate: StockEstimate, ground: _Sloped, reach: float, steeper: float, overlap: float, stepdown: float
) -> Walls:
    relief, tips = stock_estimate.relief, ground.tips
    steep = ground.where & (ground.slope >= np.float32(tan(radians(steeper))))
    rise = float(ground.slope[steep].sum(dtype=np.float64)) * relief.step**2
    top = float(tips[stock_estimate.region].max(initial=0.0))
    if rise == 0.0 or top <= 2 * BOTTOM:
        return Walls(0.0, 0.0, 0.0, 1, ())
    heights = contour_heights(top, 0.0, stepdown)
    looked_at = (
        heights
        if len(heights) <= _LOOKED_AT
        else heights[((np.arange(_LOOKED_AT) + 0.5) * len(heights) / _LOOKED_AT).astype(np.int64)]
    )
    found = _counted(ground, steep, looked_at, overlap / relief.step, max(round(_TOUCHING / relief.step), 1))
    on_walls, on_all, runs, cut_open = (
        sum(counts) * len(heights) / len(looked_at) for counts in zip(*found, strict=True)
    )
    tall = _tall(tips, ground.slope, steep, max(round(reach / 1.5 / relief.step), 1))
    return Walls(rise * on_all / max(on_walls, 1) * len(heights) / top, cut_open, runs - cut_open, len(heights), tall)


def _counted(ground: _Sloped, steep: Bool, heights: F64, overlap: float, size: int) -> list[tuple[int, int, int, int]]:
    """What :func:`_at_height` finds at each height, the highest first; `overlap` and `size` in cells."""
    ny, nx = ground.tips.shape
    begins, ends = (np.zeros((ny + 2 * FRAME, nx + 2 * FRAME), np.int16) for _ in range(2))
    levels = heights.astype(np.float32)
    in_parallel(
        lambda first, last: _crossed(ground.tips, ground.where, levels, first + 1, last + 1, begins, ends),
        ny - 2,
        _ROWS,
    )
    starts, cells = listed(begins, ends, len(heights))
    return in_parallel(lambda k, _: _at_height(cells[starts[k] : starts[k + 1]], steep, overlap, size), len(heights), 1)


def _at_height(cells: I64, steep: Bool, overlap: float, size: int) -> tuple[int, int, int, int]:
    """Of the cells of a contour: how many are on steep ground, how many within the overlap (in cells) of those, in how
    many runs these are, and how many of these end somewhere; runs nearer to each other than blocks of `size` cells are
    one."""
    shape = steep.shape[0] + 2 * FRAME, steep.shape[1] + 2 * FRAME
    places = np.column_stack(np.divmod(cells, shape[1]))
    walls: Bool = steep[places[:, 0] - FRAME, places[:, 1] - FRAME]
    if not walls.any():
        return 0, 0, 0, 0
    near = walls.copy()
    if overlap > 0:
        # On average one and a half blocks away.
        wide = max(int(overlap / 1.5), 1)
        _beside(cells, walls, shape[1], wide, np.zeros((shape[0] // wide + 3, shape[1] // wide + 3), np.uint8), near)
    return int(walls.sum()), int(near.sum()), *pieces_of(cells, near, shape, size)


def walls_of(
    stock_estimate: StockEstimate, profile: Profile, leave: float, steeper: float, overlap: float, stepdown: float
) -> Walls:
    """The contours at levels a stepdown apart over ground steeper than an angle (degrees), and so far beside it;
    remembered by what they depend on.

    The contours of a height function over an area are, over all heights, as long as its slope summed over the area
    (coarea formula: Federer, "Curvature measures", 1959)."""
    causes = (stock_estimate.place, profile, leave)
    ground = _SLOPED.get(causes, lambda: _sloped(stock_estimate, profile, leave))
    return _WALLS.get(
        (*causes, steeper, overlap, stepdown),
        lambda: _found(stock_estimate, ground, 2 * profile.radius, steeper, overlap, stepdown),
    )
