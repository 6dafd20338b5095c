"""The block that a setup begins with, of all that earlier setups have left: columns for a face, rays for a bar.

A face leaves a height field (columns.py), a bar rays from its axis (rays.py). Columns are cut where they run outside of
the rays, and rays where they run over a field; what remains of either are intervals."""

from dataclasses import dataclass, replace
from math import ceil

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F32, F64, U8
from nephos.core.parallel import in_parallel, inlined, kernel
from nephos.core.stock.bar import bar_of_rays, cell_reach, rays_of
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.bound import HALF_DIAGONAL
from nephos.core.stock.columns import MOST, WAYS, CutSide, clip_intervals, crossed, cut_by_sides, height_at, planes_of
from nephos.core.surface.rotary import TURN

__all__ = ["CutBar", "Side", "columns_left", "rays_left"]

_NEAR_AXIS = 0.25
"""Nearer to the axis than this share of the bar's radius cells are too narrow for a bound: material may stand there."""


@dataclass(frozen=True)
class CutBar:
    """What a rotary setup and all before it have left: `block` holds its rays, `matrix` (4, 4) takes stock space to its
    frame, whose X is the axis."""

    setup: str
    matrix: F64
    block: Block


Side = CutSide | CutBar
"""What one setup has cut."""


def columns_left(block: Block, matrix: F64, sides: tuple[Side, ...]) -> Block:
    """A block of columns, one interval each, as other setups have left it.

    Parameters
    ----------
    block : the stock in the frame of a face setup. matrix : (4, 4) from stock space to that frame. sides : what setups
    have cut, in any order.
    """
    bars = [side for side in sides if isinstance(side, CutBar)]
    left = cut_by_sides(block, matrix, tuple(side for side in sides if isinstance(side, CutSide)))
    for bar in bars:
        left = _inside_bar(left, bar, np.ascontiguousarray((bar.matrix @ np.linalg.inv(matrix))[:3]))
    return left


def rays_left(block: Block, matrix: F64, sides: tuple[Side, ...]) -> Block:
    """A bar as other setups have left it; parameters as for :func:`columns_left`.

    Of what is left of a ray behind a second gap, or beyond a gap at the axis, the gap is filled: more material is shown
    than there is, never less."""
    for side in sides:
        if isinstance(side, CutBar):
            block = _both_bars(block, side.block)
        else:
            block = _under_field(block, side, np.ascontiguousarray((side.matrix @ np.linalg.inv(matrix))[:3]))
    return block


def _padded(block: Block) -> tuple[F32, np.ndarray]:
    """The intervals of columns or rays (ny, nx, 2 MOST), the lowest first, and how many are in use."""
    filled = block.high > block.low
    order = np.argsort(np.where(filled, block.low, np.inf), axis=0, kind="stable")
    low, high = np.take_along_axis(block.low, order, 0), np.take_along_axis(block.high, order, 0)
    ends = np.zeros((*block.bound.shape, 2 * MOST), np.float32)
    planes = min(len(low), MOST)
    ends[..., 0 : 2 * planes : 2], ends[..., 1 : 2 * planes : 2] = (
        np.moveaxis(low[:planes], 0, 2),
        np.moveaxis(high[:planes], 0, 2),
    )
    return ends, np.minimum(filled.sum(axis=0), MOST).astype(np.uint8)


@inlined
def _outside_bar(top: F32, gap_low: F32, gap_high: F32, x0: float, pitch: float, x: float, y: float, z: float) -> float:
    """How far (mm) a place lies outside of what rays hold, less than 0 inside; tops straight between rays."""
    ny, nx = top.shape
    r = np.sqrt(y * y + z * z)
    v = np.arctan2(y, z) / TURN * ny
    v = v + ny if v < 0 else v
    u = min(max((x - x0) / pitch, 0.0), nx - 1.0)
    i, j = min(int(u), max(nx - 2, 0)), int(v) % ny
    i1, j1 = min(i + 1, nx - 1), (j + 1) % ny
    fu, fv = u - i, v - int(v)
    here = (top[j, i] * (1 - fu) + top[j, i1] * fu) * (1 - fv) + (top[j1, i] * (1 - fu) + top[j1, i1] * fu) * fv
    jn, im = j if fv < 0.5 else j1, i if fu < 0.5 else i1
    low, high = gap_low[jn, im], gap_high[jn, im]
    if high > low:
        return min(r - low, max(high - r, r - here))
    return r - here


@kernel
def _column_rows(
    ends: F32,
    counts: U8,
    j0: int,
    x0: float,
    y0: float,
    pitch: float,
    rel: F64,
    top: F32,
    gap_low: F32,
    gap_high: F32,
    bx0: float,
    bpitch: float,
    widest: float,
    thinnest: float,
) -> None:
    """Clip rows of columns, from row `j0` of their grid on, by a bar. `rel` (3, 4) takes them to its frame; no ray is
    longer than `widest`, and none begins a gap or ends nearer to the axis than `thinnest`."""
    rows, columns = counts.shape
    dx, dy, dz = rel[0, 2], rel[1, 2], rel[2, 2]
    across = dy * dy + dz * dz
    cut, made = np.empty(2 * WAYS + 2), np.empty(2 * WAYS + 2)
    for j in range(rows):
        y = y0 + (j0 + j) * pitch
        for i in range(columns):
            count = counts[j, i]
            if count == 0:
                continue
            x = x0 + i * pitch
            px = rel[0, 0] * x + rel[0, 1] * y + rel[0, 3]
            py = rel[1, 0] * x + rel[1, 1] * y + rel[1, 3]
            pz = rel[2, 0] * x + rel[2, 1] * y + rel[2, 3]
            # The line comes nearest to the axis at `near`, and is within a radius half a chord to both sides of that.
            near = -(py * dy + pz * dz) / across
            square = (py + near * dy) ** 2 + (pz + near * dz) ** 2
            if square >= widest * widest:
                counts[j, i] = 0
                continue
            half = np.sqrt((widest * widest - square) / across)
            core = np.sqrt(max(thinnest * thinnest - square, 0.0) / across)
            first = max(near - half, ends[j, i, 0] - bpitch)
            last = min(near + half, ends[j, i, 2 * count - 1] + bpitch)
            n, before, begun, step, t = 0, 0.0, False, 0.0, first
            while True:
                over = _outside_bar(top, gap_low, gap_high, bx0, bpitch, px + t * dx, py + t * dy, pz + t * dz)
                n = crossed(cut, n, t, step, over, before, not begun)
                before, begun = over, True
                if t >= last:
                    break
                step = min(0.5 * bpitch, last - t)
                if core > bpitch and near - core < t < near + core - bpitch:
                    # All material on this stretch.
                    step = min(near + core, last) - t
                t += step
            if before <= 0 and n < WAYS:
                cut[2 * n + 1] = np.inf
                n += 1
            counts[j, i] = clip_intervals(ends[j, i], count, 0, n, cut, made)


@kernel
def _column_bound(
    bound: F32,
    j0: int,
    x0: float,
    y0: float,
    pitch: float,
    rel: F64,
    over: F32,
    bx0: float,
    bpitch: float,
    reach: float,
    near_axis: float,
    foot: float,
) -> None:
    """Lower the bound of whole cells to where a bar may have material: `over` is its bound with all cells around, and a
    cell with half a step along its column reaches `reach` mm."""
    rows, columns = bound.shape
    ny, nx = over.shape
    dx, dy, dz = rel[0, 2], rel[1, 2], rel[2, 2]
    step = 0.5 * bpitch
    for j in range(rows):
        y = y0 + (j0 + j) * pitch
        for i in range(columns):
            x = x0 + i * pitch
            px = rel[0, 0] * x + rel[0, 1] * y + rel[0, 3]
            py = rel[1, 0] * x + rel[1, 1] * y + rel[1, 3]
            pz = rel[2, 0] * x + rel[2, 1] * y + rel[2, 3]
            t = np.float64(bound[j, i])
            while t > foot:
                qy, qz = py + t * dy, pz + t * dz
                r = np.sqrt(qy * qy + qz * qz)
                k = min(max(int(np.floor((px + t * dx - bx0) / bpitch + 0.5)), 0), nx - 1)
                v = int(np.floor(np.arctan2(qy, qz) / TURN * ny + 0.5)) % ny
                if r <= near_axis or r - reach <= over[v, k]:
                    t = min(t + step, np.float64(bound[j, i]))
                    break
                t -= step
            bound[j, i] = np.float32(max(t, foot))


def _inside_bar(block: Block, bar: CutBar, rel: F64) -> Block:
    """Columns as far as they lie inside what a bar has left; `rel` (3, 4) takes their frame to the bar's."""
    g, b = block.grid, bar.block.grid
    top, gap_low, gap_high = rays_of(bar.block)
    gapped = gap_high > gap_low
    thinnest = float(np.where(gapped, np.minimum(gap_low, top), top).min())
    ends, counts = _padded(block)
    radius = float(b.radius or top.max())
    reach = HALF_DIAGONAL * g.pitch + 0.5 * b.pitch + cell_reach(b)
    wide = ceil(reach / b.pitch) + 1
    around = min(ceil(reach / (_NEAR_AXIS * radius * TURN / b.ny)) + 1, b.ny // 2)
    over = ndimage.maximum_filter1d(bar.block.bound, 2 * wide + 1, axis=1, mode="nearest")
    over = ndimage.maximum_filter1d(over, 2 * around + 1, axis=0, mode="wrap")
    bound = block.bound.copy()

    def work(first: int, last: int) -> None:
        _column_rows(
            ends[first:last], counts[first:last], first, g.x0, g.y0, g.pitch, rel, top, gap_low, gap_high, b.x0,
            b.pitch, float(top.max()), thinnest,
        )  # fmt: skip
        _column_bound(
            bound[first:last],
            first,
            g.x0,
            g.y0,
            g.pitch,
            rel,
            over,
            b.x0,
            b.pitch,
            reach,
            _NEAR_AXIS * radius,
            block.foot,
        )

    in_parallel(work, g.ny, max(1, g.ny // 16))
    low, high = planes_of(ends, counts, block.foot)
    full = float(max(block.high.max(), block.cut_field.max()))
    left = replace(
        block, low=low, high=high, touched=np.full_like(block.touched, -1), field=np.full(bound.shape, full, np.float32)
    )
    return replace(left, bound=np.maximum(bound, left.top))


@kernel
def _ray_rows(
    ends: F32,
    counts: U8,
    bound: F32,
    j0: int,
    bx0: float,
    bpitch: float,
    around: int,
    rel: F64,
    field: F32,
    over: F32,
    fx0: float,
    fy0: float,
    fpitch: float,
    lowest: float,
    slack: float,
) -> None:
    """Clip rows of rays, from row `j0` of `around` on, by a field under which all is left, and lower their bound.

    `rel` (3, 4) takes the bar's frame to that of the field; it is nowhere lower than `lowest`. `over` is the bound of
    the field with all cells around that a cell of the bar, `slack` mm large, may touch."""
    rows, columns = counts.shape
    fny, fnx = field.shape
    cut, made = np.empty(2 * WAYS + 2), np.empty(2 * WAYS + 2)
    for j in range(rows):
        angle = (j0 + j) * TURN / around
        s, c = np.sin(angle), np.cos(angle)
        dx, dy, dz = (rel[0, 1] * s + rel[0, 2] * c, rel[1, 1] * s + rel[1, 2] * c, rel[2, 1] * s + rel[2, 2] * c)
        for i in range(columns):
            count = counts[j, i]
            if count == 0:
                continue
            x = bx0 + i * bpitch
            px, py, pz = rel[0, 0] * x + rel[0, 3], rel[1, 0] * x + rel[1, 3], rel[2, 0] * x + rel[2, 3]
            last = np.float64(ends[j, i, 2 * count - 1])
            # As far as the ray is lower than all of the field nothing is cut.
            safe = (lowest - pz) / dz if dz > 1e-9 else (np.inf if pz <= lowest else 0.0)
            if safe < last:
                t = max(safe, 0.0)
                n, before, begun, step = 0, 0.0, False, 0.0
                while True:
                    height = height_at(field, fx0, fy0, fpitch, px + t * dx, py + t * dy)
                    gap = pz + t * dz - height
                    n = crossed(cut, n, t, step, gap, before, not begun)
                    before, begun = gap, True
                    if t >= last:
                        break
                    step = min(0.5 * fpitch, last - t)
                    t += step
                if before <= 0 and n < WAYS:
                    cut[2 * n + 1] = np.inf
                    n += 1
                counts[j, i] = clip_intervals(ends[j, i, :4], count, 0, n, cut, made)
                # Nothing but material goes to the axis: what is gone there is filled again.
                if counts[j, i] > 0 and ends[j, i, 0] > 0:
                    ends[j, i, 0] = np.float32(0.0)
            t = np.float64(bound[j, i])
            while t > 0.0:
                u = min(max(int(np.floor((px + t * dx - fx0) / fpitch + 0.5)), 0), fnx - 1)
                v = min(max(int(np.floor((py + t * dy - fy0) / fpitch + 0.5)), 0), fny - 1)
                if pz + t * dz - slack <= over[v, u]:
                    t = min(t + 0.5 * fpitch, np.float64(bound[j, i]))
                    break
                t -= 0.5 * fpitch
            bound[j, i] = np.float32(max(t, 0.0))


def _under_field(block: Block, side: CutSide, rel: F64) -> Block:
    """Rays as far as they lie under what a face has left; `rel` (3, 4) takes the bar's frame to the face's."""
    b, f = block.grid, side.grid
    ends, counts = _padded(block)
    bound = block.bound.copy()
    slack = cell_reach(b) + 0.5 * f.pitch
    over = ndimage.maximum_filter(side.bound, size=2 * ceil(slack / f.pitch + 0.5) + 1, mode="nearest")
    lowest = float(side.field.min())

    def work(first: int, last: int) -> None:
        _ray_rows(
            ends[first:last], counts[first:last], bound[first:last], first, b.x0, b.pitch, b.ny, rel, side.field, over,
            f.x0, f.y0, f.pitch, lowest, slack,
        )  # fmt: skip

    in_parallel(work, b.ny, max(1, b.ny // 16))
    return _from_intervals(b, ends, counts, bound)


def _from_intervals(grid: Grid, ends: F32, counts: np.ndarray, bound: F32) -> Block:
    """Rays from their intervals: at most two each, the first from the axis."""
    some, gapped = counts > 0, counts > 1
    zero = np.float32(0.0)
    top = np.where(gapped, ends[..., 3], np.where(some, ends[..., 1], zero))
    gap_low, gap_high = np.where(gapped, ends[..., 1], zero), np.where(gapped, ends[..., 2], zero)
    return bar_of_rays(grid, top, gap_low, gap_high, np.full(top.shape, -1, np.int32), np.maximum(bound, top))


def _both_bars(block: Block, other: Block) -> Block:
    """What two rotary setups on one bar have left: the later one has begun with what the earlier one left, and so holds
    less."""
    least = min(other, block, key=lambda item: float((item.high - item.low).clip(0).sum()))
    top, gap_low, gap_high = rays_of(least)
    return bar_of_rays(
        block.grid, top, gap_low, gap_high, np.full(top.shape, -1, np.int32), np.minimum(block.bound, other.bound)
    )
