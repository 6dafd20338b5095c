"""The block at every moment: for each column of a coarse grid the heights it had, and until when.

A picture of the block at a moment is then a look-up, not a calculation.
"""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F32, F64, I32, I64, U8, U16
from nephos.core.cutters import Profile
from nephos.core.parallel import kernel
from nephos.core.stock.bar import shown_bar_grid
from nephos.core.stock.bar_frames import recorded_rays
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.intervals import Intervals, all_material, lowest_end
from nephos.core.stock.sweep import sweep_rows_with

MOMENTS = 65_000
SHOWN_CELLS = 160_000


@dataclass(frozen=True)
class Frames:
    """Changes of the columns during one operation.

    Column c has the events start[c] .. start[c + 1], in time: at `moment` (uint16, of `moments`
    equal parts of the operation's time) its top fell to `height` (float32, millimetres).
    """

    grid: Grid
    start: I32
    moment: U16
    height: F32
    moments: int


def shown_grid(grid: Grid) -> Grid:
    """The coarse grid over the same ground as `grid`, with at most `SHOWN_CELLS` columns."""
    if grid.radius is not None:
        return shown_bar_grid(grid, SHOWN_CELLS)
    factor = max(1.0, (grid.nx * grid.ny / SHOWN_CELLS) ** 0.5)
    pitch = grid.pitch * factor
    nx = max(int(grid.nx * grid.pitch / pitch), 1)
    ny = max(int(grid.ny * grid.pitch / pitch), 1)
    pitch_x = grid.nx * grid.pitch / nx
    ny = max(round(grid.ny * grid.pitch / pitch_x), 1)
    corner_x, corner_y = grid.x0 - grid.pitch / 2, grid.y0 - grid.pitch / 2
    return Grid(corner_x + pitch_x / 2, corner_y + pitch_x / 2, pitch_x, nx, ny)


def shown_top(block: Block, shown: Grid) -> F32:
    """Heights (ny, nx) float32 of the block at the nearest column of each cell of `shown`."""
    g = block.grid
    i = np.clip(np.rint((shown.xs - g.x0) / g.pitch).astype(int), 0, g.nx - 1)
    j = np.clip(np.rint((shown.ys - g.y0) / g.pitch).astype(int), 0, g.ny - 1)
    return np.ascontiguousarray(block.top[np.ix_(j, i)])


def shown_intervals(block: Block, shown: Grid) -> Intervals:
    """As :func:`shown_top`, the intervals of the columns; none of a bar, whose rays are recorded by their tops."""
    g = block.grid
    if g.radius is not None:
        return all_material(shown.ny, shown.nx)
    i = np.clip(np.rint((shown.xs - g.x0) / g.pitch).astype(int), 0, g.nx - 1)
    j = np.clip(np.rint((shown.ys - g.y0) / g.pitch).astype(int), 0, g.ny - 1)
    low, high = block.intervals
    return Intervals(low[:, j[:, None], i], high[:, j[:, None], i])


def shown_bottom(block: Block, shown: Grid) -> F32:
    """As :func:`shown_top`, of the lowest material."""
    g = block.grid
    i = np.clip(np.rint((shown.xs - g.x0) / g.pitch).astype(int), 0, g.nx - 1)
    j = np.clip(np.rint((shown.ys - g.y0) / g.pitch).astype(int), 0, g.ny - 1)
    return np.ascontiguousarray(block.bottom[np.ix_(j, i)])


@kernel
def _record(
    top: F32,
    touched: I32,
    x0: float,
    y0: float,
    pitch: float,
    points: F64,
    kinds: U8,
    moment: I64,
    cutter: Profile,
    cells: I32,
    moments: U16,
    heights: F32,
    hits: F32,
    ids: I64,
    low_ends: F32,
    high_ends: F32,
) -> int:
    """Sweep moment by moment; writes the columns that changed. Returns how many, or -1 if there is no room."""
    rows, columns = top.shape
    count = 0
    first = 0
    radius = cutter.radius
    n = len(kinds)
    while first < n:
        last = first + 1
        while last < n and moment[last] == moment[first]:
            last += 1
        low_x = low_y = np.inf
        high_x = high_y = -np.inf
        for k in range(first, last + 1):
            if points[k, 0] == points[k, 0]:
                low_x, high_x = min(low_x, points[k, 0]), max(high_x, points[k, 0])
                low_y, high_y = min(low_y, points[k, 1]), max(high_y, points[k, 1])
        if low_x <= high_x:
            ja = max(int(np.floor((low_y - radius - y0) / pitch)), 0)
            jb = min(int(np.ceil((high_y + radius - y0) / pitch)), rows - 1)
            ia = max(int(np.floor((low_x - radius - x0) / pitch)), 0)
            ib = min(int(np.ceil((high_x + radius - x0) / pitch)), columns - 1)
            if ja <= jb and ia <= ib:
                if count + (jb - ja + 1) * (ib - ia + 1) > len(cells):
                    return -1
                part, marks, hit = top[ja : jb + 1], touched[ja : jb + 1], hits[first:last]
                path, numbers = points[first : last + 1], ids[first:last]
                low, high = low_ends[:, ja : jb + 1], high_ends[:, ja : jb + 1]
                sweep_rows_with(part, marks, x0, y0, pitch, ja, path, numbers, cutter, hit, low, high)
                for j in range(ja, jb + 1):
                    for i in range(ia, ib + 1):
                        if touched[j, i] >= first:
                            cells[count] = j * columns + i
                            moments[count] = moment[first]
                            # An empty column is shown with zero height at its lower end.
                            gone = top[j, i] == -np.inf
                            heights[count] = lowest_end(low_ends, high_ends, j, i) if gone else top[j, i]
                            touched[j, i] = -1
                            count += 1
        first = last
    return count


def record_frames(
    top: F32,
    grid: Grid,
    points: F64,
    kinds: U8,
    seconds: F64,
    cutter: Profile,
    intervals: Intervals | None = None,
) -> Frames:
    """Cut `top` (ny, nx) over `grid` and keep what changed when; `top` is left as it was.

    `points`, `kinds`, `intervals` as in :func:`nephos.core.stock.sweep.sweep`; `seconds` (n,) of each move.
    """
    columns = all_material(*top.shape) if intervals is None else intervals
    ends = np.cumsum(seconds)
    total = max(float(ends[-1]) if len(ends) else 0.0, 1e-9)
    moment = np.minimum((ends / total * MOMENTS).astype(np.int64), MOMENTS)
    room = 4 * top.size + 100_000
    if grid.radius is not None:
        return _as_frames(*recorded_rays(top, grid, points, kinds, moment, cutter, 5 * room), grid)
    ids = np.arange(len(kinds), dtype=np.int64)
    while True:
        cells = np.empty(room, np.int32)
        moments = np.empty(room, np.uint16)
        heights = np.empty(room, np.float32)
        count = _record(
            top.copy(),
            np.full(top.shape, -1, np.int32),
            grid.x0,
            grid.y0,
            grid.pitch,
            np.ascontiguousarray(points),
            kinds,
            moment,
            cutter,
            cells,
            moments,
            heights,
            np.zeros(len(kinds), np.float32),
            ids,
            *columns,
        )
        if count >= 0:
            break
        room *= 2
    return _as_frames(cells[:count], moments[:count], heights[:count], grid)


def _as_frames(cells: I32, moments: U16, heights: F32, grid: Grid) -> Frames:
    """Changes in the order of time, sorted by column."""
    order = np.argsort(cells, kind="stable")
    size = grid.nx * grid.ny
    start = np.zeros(size + 1, np.int32)
    np.cumsum(np.bincount(cells, minlength=size), out=start[1:])
    return Frames(grid, start, moments[order], heights[order], MOMENTS)
