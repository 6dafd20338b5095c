"""The block that a setup begins with: columns along its own axis through what earlier sides have left.

Each side that has cut leaves one height field in its own frame; the material is the intersection of them all with the
stock. A column is a ray along the axis of the setup, and what remains of it are intervals."""

from dataclasses import dataclass, replace
from math import ceil, hypot, sqrt

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F32, F64, U8
from nephos.core.parallel import in_parallel, inlined, kernel
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.bound import HALF_DIAGONAL

MOST = 6
"""Intervals of a column at most; where there are more, the smallest gaps between them are filled."""
WAYS = 127
"""Intervals of a line at most while it is cut by one side."""
_LEAP = 8
"""Rays go on by so many cells at once where the field is all higher, or all lower, than they are."""
_ALONG = 1e-9
"""A ray that goes sideways by less than this is parallel to the axis of the other side."""


@dataclass(frozen=True)
class CutSide:
    """What one setup has cut away, seen along its own axis.

    `matrix` (4, 4) takes stock space to the orientation frame of the setup. `field` (ny, nx) float32 over `grid`: all
    material above it is gone. `bound` (ny, nx) float32: over the whole cell none stands higher."""

    setup: str
    matrix: F64
    grid: Grid
    field: F32
    bound: F32


@kernel
def height_at(field: F32, x0: float, y0: float, pitch: float, x: float, y: float) -> float:
    """Height of a field at a place, straight between the centres of cells; beside the grid that of its rim."""
    ny, nx = field.shape
    u = min(max((x - x0) / pitch, 0.0), nx - 1.0)
    v = min(max((y - y0) / pitch, 0.0), ny - 1.0)
    i = min(int(u), max(nx - 2, 0))
    j = min(int(v), max(ny - 2, 0))
    i1, j1 = min(i + 1, nx - 1), min(j + 1, ny - 1)
    u -= i
    v -= j
    return (field[j, i] * (1 - u) + field[j, i1] * u) * (1 - v) + (field[j1, i] * (1 - u) + field[j1, i1] * u) * v


@kernel
def clip_intervals(ends: F32, count: int, first: int, last: int, cut: F64, made: F64) -> int:
    """Keep of a column's intervals, `ends` (2 MOST,) of which `count` are in use, what lies in the intervals `cut`.

    Returns how many are in use then. `made` is room for the result."""
    n = 0
    for a in range(count):
        for b in range(first, last):
            low, high = max(ends[2 * a], cut[2 * b]), min(ends[2 * a + 1], cut[2 * b + 1])
            if high > low and n < len(made) // 2:
                made[2 * n], made[2 * n + 1] = low, high
                n += 1
    while n > len(ends) // 2:
        least, at = np.inf, 0
        for k in range(n - 1):
            gap = made[2 * k + 2] - made[2 * k + 1]
            if gap < least:
                least, at = gap, k
        made[2 * at + 1] = made[2 * at + 3]
        for k in range(at + 1, n - 1):
            made[2 * k], made[2 * k + 1] = made[2 * k + 2], made[2 * k + 3]
        n -= 1
    for k in range(2 * n):
        ends[k] = made[k]
    return n


@inlined
def crossed(cut: F64, n: int, t: float, step: float, over: float, before: float, first: bool) -> int:
    """Note in `cut` where a line of material begins or ends between t - step and t, `before` and `over` how far it lay
    outside there; returns how many intervals have ended. At the `first` place material goes back without end."""
    if first:
        if over <= 0:
            cut[0] = -np.inf
    elif over <= 0 < before:
        if n < WAYS:
            cut[2 * n] = t - step * over / (over - before)
    elif before <= 0 < over and n < WAYS:
        cut[2 * n + 1] = t - step * over / (over - before)
        n += 1
    return n


@kernel
def _cast_rows(
    ends: F32,
    counts: U8,
    j0: int,
    x0: float,
    y0: float,
    pitch: float,
    rel: F64,
    field: F32,
    around: F32,
    fx0: float,
    fy0: float,
    fpitch: float,
    low: float,
    high: float,
) -> None:
    """Clip rows of columns, from row `j0` of their grid on, by a field. `rel` (3, 4) takes them to its frame; `low` and
    `high` are the ends of the longest ray. `around` (2, ., .) holds the lowest and the highest of the field within a
    leap of each of its coarse cells."""
    rows, columns = counts.shape
    dx, dy, dz = rel[0, 2], rel[1, 2], rel[2, 2]
    speed = sqrt(dx * dx + dy * dy)
    cut = np.empty(2 * WAYS + 2)
    made = np.empty(2 * WAYS + 2)
    for j in range(rows):
        y = y0 + (j0 + j) * pitch
        for i in range(columns):
            count = counts[j, i]
            if count == 0:
                continue
            x = x0 + i * pitch
            cx = rel[0, 0] * x + rel[0, 1] * y + rel[0, 3]
            cy = rel[1, 0] * x + rel[1, 1] * y + rel[1, 3]
            cz = rel[2, 0] * x + rel[2, 1] * y + rel[2, 3]
            n = 0
            if speed < 1e-9:
                h = height_at(field, fx0, fy0, fpitch, cx, cy)
                if dz < 0:
                    cut[0], cut[1] = cz - h, np.inf
                else:
                    cut[0], cut[1] = -np.inf, h - cz
                n = 1
            else:
                step = 0.5 * fpitch / speed
                first, last = max(low, ends[j, i, 0] - step), min(high, ends[j, i, 2 * count - 1] + step)
                steps = max(int(np.ceil((last - first) / step)), 1)
                step = (last - first) / steps
                before = 0.0
                k = -1
                while k < steps:
                    k += 1
                    t = first + k * step
                    if 0 < k < steps:
                        # Where the field is all higher, or all lower, than the ray for a while, nothing changes there.
                        fi = min(max(int((cx + t * dx - fx0) / (fpitch * _LEAP)), 0), around.shape[2] - 1)
                        fj = min(max(int((cy + t * dy - fy0) / (fpitch * _LEAP)), 0), around.shape[1] - 1)
                        slack = fpitch * _LEAP * abs(dz) / speed
                        ray = cz + t * dz
                        if (before <= 0 and ray + slack < around[0, fj, fi]) or (
                            before > 0 and ray - slack > around[1, fj, fi]
                        ):
                            k = min(k + 2 * _LEAP - 1, steps - 1)
                            continue
                    over = cz + t * dz - height_at(field, fx0, fy0, fpitch, cx + t * dx, cy + t * dy)
                    n = crossed(cut, n, t, step, over, before, k == 0)
                    before = over
                if before <= 0 and n < WAYS:
                    cut[2 * n + 1] = np.inf
                    n += 1
            counts[j, i] = clip_intervals(ends[j, i], count, 0, n, cut, made)


@kernel
def _bound_rows(
    bound: F32,
    j0: int,
    x0: float,
    y0: float,
    pitch: float,
    rel: F64,
    over: F32,
    fx0: float,
    fy0: float,
    fpitch: float,
    low: float,
    high: float,
) -> None:
    """Lower the bound of whole cells by the field `over` of another side, which holds the highest of all cells that a
    cell of this one may see."""
    rows, columns = bound.shape
    fny, fnx = over.shape
    dx, dy, dz = rel[0, 2], rel[1, 2], rel[2, 2]
    speed = sqrt(dx * dx + dy * dy)
    slack = HALF_DIAGONAL * pitch * sqrt(rel[2, 0] * rel[2, 0] + rel[2, 1] * rel[2, 1])
    step = high - low
    if speed > 1e-9:
        step = min(0.5 * fpitch / speed, step)
    for j in range(rows):
        y = y0 + (j0 + j) * pitch
        for i in range(columns):
            x = x0 + i * pitch
            cx = rel[0, 0] * x + rel[0, 1] * y + rel[0, 3]
            cy = rel[1, 0] * x + rel[1, 1] * y + rel[1, 3]
            cz = rel[2, 0] * x + rel[2, 1] * y + rel[2, 3] - slack
            t = min(np.float64(bound[j, i]), high)
            while t > low:
                fi = min(max(int(np.floor((cx + t * dx - fx0) / fpitch + 0.5)), 0), fnx - 1)
                fj = min(max(int(np.floor((cy + t * dy - fy0) / fpitch + 0.5)), 0), fny - 1)
                # Between t - step and t + step the ray is nowhere deeper in the field than this.
                if speed < 1e-9:
                    highest = min(t, over[fj, fi] - cz) if dz > 0 else t
                    t = (
                        highest
                        if cz + (highest if dz > 0 else t) * dz <= over[fj, fi] + 1e-6 and highest > low
                        else low
                    )
                    break
                if cz + t * dz - step * abs(dz) <= over[fj, fi]:
                    t = min(t + step, np.float64(bound[j, i]))
                    break
                t -= step
            bound[j, i] = np.float32(max(t, low))


def _around(field: F32) -> F32:
    """(2, ., .) the lowest and the highest of a field within a leap of each coarse cell of it."""
    ny, nx = (-(-n // _LEAP) * _LEAP for n in field.shape)
    padded = np.pad(field, ((0, ny - field.shape[0]), (0, nx - field.shape[1])), mode="edge")
    blocks = padded.reshape(ny // _LEAP, _LEAP, nx // _LEAP, _LEAP)
    lowest = ndimage.minimum_filter(blocks.min(axis=(1, 3)), size=3, mode="nearest")
    highest = ndimage.maximum_filter(blocks.max(axis=(1, 3)), size=3, mode="nearest")
    found: F32 = np.stack([lowest, highest])
    return found


def planes_of(ends: F32, counts: U8, foot: float) -> tuple[F32, F32]:
    """Intervals (ny, nx, 2 k), of which `counts` (ny, nx) are in use, as planes (k, ny, nx): low and high ends; `foot`
    where there is none."""
    planes = max(int(counts.max(initial=0)), 1)
    used = np.arange(planes)[:, None, None] < counts[None]
    lows = np.where(used, np.moveaxis(ends[..., 0 : 2 * planes : 2], 2, 0), np.float32(foot))
    highs = np.where(used, np.moveaxis(ends[..., 1 : 2 * planes : 2], 2, 0), np.float32(foot))
    return np.ascontiguousarray(lows), np.ascontiguousarray(highs)


def _relative(side: CutSide, matrix: F64) -> F64:
    """(3, 4) from the frame with `matrix` to that of another side."""
    result: F64 = np.ascontiguousarray((side.matrix @ np.linalg.inv(matrix))[:3])
    return result


def cut_by_sides(block: Block, matrix: F64, sides: tuple[CutSide, ...]) -> Block:
    """A block as other sides have left it.

    Parameters
    ----------
    block : the stock in the frame of a setup, one interval a column.
    matrix : (4, 4) from stock space to that frame.
    sides : what setups have cut, in any order.
    """
    if not sides:
        return block
    g, foot = block.grid, block.foot
    top = float(block.high.max())
    ends: F32 = np.zeros((g.ny, g.nx, 2 * MOST), np.float32)
    ends[..., 0], ends[..., 1] = block.low[0], block.high[0]
    counts: U8 = (block.high[0] > block.low[0]).astype(np.uint8)
    bound = block.bound.copy()
    for side in sides:
        rel = _relative(side, matrix)
        if hypot(rel[0, 2], rel[1, 2]) < _ALONG:
            rel[0, 2] = rel[1, 2] = 0.0
        f = side.grid
        # A cell sees all cells of the other side that its own square, and half a step along the ray, may touch.
        seen = ceil((HALF_DIAGONAL * g.pitch + 0.5 * f.pitch) / f.pitch + 0.5)
        around = _around(side.field)
        over = ndimage.maximum_filter(side.bound, size=2 * seen + 1, mode="nearest")

        def work(
            first: int,
            last: int,
            rel: F64 = rel,
            f: Grid = f,
            side: CutSide = side,
            over: F32 = over,
            around: F32 = around,
        ) -> None:
            _cast_rows(
                ends[first:last], counts[first:last], first, g.x0, g.y0, g.pitch, rel, side.field, around,
                f.x0, f.y0, f.pitch, foot, top,
            )  # fmt: skip
            _bound_rows(bound[first:last], first, g.x0, g.y0, g.pitch, rel, over, f.x0, f.y0, f.pitch, foot, top)

        in_parallel(work, g.ny, max(1, g.ny // 16))
    low, high = planes_of(ends, counts, foot)
    left = replace(block, low=low, high=high)
    left = replace(left, field=np.full(bound.shape, top, np.float32))
    return replace(left, bound=np.maximum(bound, left.top))


def inside_box(block: Block, matrix: F64, size: tuple[float, float, float]) -> Block:
    """A full block as the box (from the origin of stock space to `size`) that stands in it at an angle."""
    inverse = np.linalg.inv(matrix)
    g = block.grid
    x, y = np.meshgrid(g.xs, g.ys)
    low, high = block.low[0].astype(np.float64), block.high[0].astype(np.float64)
    bound = block.bound.astype(np.float64)
    for axis in range(3):
        along = inverse[axis, 2]
        across = inverse[axis, 0] * x + inverse[axis, 1] * y + inverse[axis, 3]
        half = (abs(inverse[axis, 0]) + abs(inverse[axis, 1])) * g.pitch / 2
        if abs(along) < _ALONG:
            beside = (across < 0) | (across > size[axis])
            high = np.where(beside, low, high)
            continue
        ends = np.sort(np.stack([-across / along, (size[axis] - across) / along]), axis=0)
        low, high = np.maximum(low, ends[0]), np.minimum(high, ends[1])
        bound = np.minimum(bound, ends[1] + half / abs(along))
    empty = high <= low
    low, high = np.where(empty, block.foot, low), np.where(empty, block.foot, high)
    return replace(
        block,
        low=low[None].astype(np.float32),
        high=high[None].astype(np.float32),
        bound=np.nextafter(np.maximum(bound, block.foot).astype(np.float32), np.float32(np.inf)),
        field=np.full(block.bound.shape, block.high.max(), np.float32),
    )
