"""A bar against the model: what is left and what is gouged on each ray, along the surface normal."""

from math import ceil, inf

import numpy as np
import shapely

from nephos.core.arrays import F32, F64, Bool
from nephos.core.cutters import Profile
from nephos.core.parallel import Report, in_parallel, kernel, part, silent
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.compare import REACH, Comparison, deciding
from nephos.core.stock.rays import sweep_rays
from nephos.core.surface.drop import Surface, drop_grid
from nephos.core.surface.index import GridArrays, SurfaceIndex
from nephos.core.surface.nearest import distance_at
from nephos.core.surface.rotary import RotaryIndex

_POINT = Profile.of(0.0, 1e-6)
_LOOKED_AT = 150_000
"""Rays at which what cutters could reach is looked at, about, where there are more."""


@kernel
def _deviations(
    grid: GridArrays,
    top: F32,
    under: F64,
    x0: float,
    v0: float,
    pitch: float,
    radius: float,
    reach: float,
    deepest: float,
    out: F32,
) -> None:
    """Deviation (mm) of the rays `top` (rows, columns) of a bar from the model along its normal into `out`, as for a
    block; `under` is the model seen along the rays, row j at the angle (v0 + j pitch) / radius."""
    rows, columns = top.shape
    for j in range(rows):
        a = (v0 + j * pitch) / radius
        s, c = np.sin(a), np.cos(a)
        for i in range(columns):
            r = np.float64(top[j, i])
            gap = r - under[j, i]
            size = abs(gap)
            if size > 1e-4:
                limit = min(size, reach)
                distance = distance_at(grid, x0 + i * pitch, r * s, r * c, limit)
                if distance < limit or size <= reach:
                    size = distance
            out[j, i] = -min(size, deepest) if gap < -1e-4 else size


def lowest_left_on_bar(index: Surface, grid: Grid, cutter: Profile, floor: float) -> F32:
    """(ny, nx) the lowest radii that a cutter leaves that has been at every place of a grid all round a bar."""
    more = ceil(cutter.radius / grid.pitch)
    wide = Grid(grid.x0 - more * grid.pitch, 0.0, grid.pitch, grid.nx + 2 * more, grid.ny, grid.radius)
    tips = drop_grid(index, wide.x0, 0.0, wide.pitch, wide.nx, wide.ny, cutter, floor)
    # At each place twice, so that the cutter stands there, and then a gap.
    slots = np.full((wide.ny, wide.nx, 3, 3), np.nan)
    slots[..., :2, 0], slots[..., :2, 1], slots[..., :2, 2] = wide.xs[:, None], wide.ys[:, None, None], tips[..., None]
    moves = slots.reshape(-1, 3)
    top = np.full((wide.ny, wide.nx), 2 * float(index.high[2]) + 10.0, np.float32)
    none, touched = np.zeros_like(top), np.zeros(top.shape, np.int32)
    sweep_rays(top, none, none.copy(), touched, wide, moves, np.ones(len(moves) - 1, np.uint8), 0, cutter)
    found: F32 = top[:, more : more + grid.nx]
    return found


def _reachable(
    index: RotaryIndex, grid: Grid, under: F64, cutters: list[Profile], floor: float, tolerance: float
) -> Bool:
    """(ny, nx), where cutters that are dropped at every place leave no more than the tolerance. Looked at on fewer rays
    where there are many."""
    factor = next((f for f in (1, 2, 3, 4, 6, 8, 12, 24) if grid.nx * grid.ny <= _LOOKED_AT * f * f), 24)
    coarse = Grid(grid.x0, 0.0, grid.pitch * factor, -(-grid.nx // factor), grid.ny // factor, grid.radius)
    left = np.minimum.reduce([lowest_left_on_bar(index, coarse, cutter, floor) for cutter in deciding(cutters)])
    gap = left - under[::factor, ::factor]
    whole = np.repeat(np.repeat(gap <= tolerance, factor, axis=0), factor, axis=1)
    reached: Bool = whole[: grid.ny, : grid.nx]
    return reached


def compare_bar(
    block: Block,
    index: RotaryIndex,
    surface: SurfaceIndex,
    region: shapely.Geometry,
    floor: float,
    cutters: list[Profile],
    limit: float,
    tolerance: float,
    gouge: float | None = None,
    report: Report = silent,
) -> Comparison:
    """Measure a bar over `region` of its unrolled surface against the model, which is `surface` about the axis.

    `floor` : radius of the core, which stays. The other parameters are those of
    :func:`~nephos.core.stock.compare.compare`.
    """
    g = block.grid
    x_low, _, x_high, _ = region.bounds
    _, columns = g.window((x_low, 0.0), (x_high, 0.0))
    grid = Grid(g.x0 + columns.start * g.pitch, 0.0, g.pitch, columns.stop - columns.start, g.ny, g.radius)
    top = np.ascontiguousarray(block.top[:, columns])
    model = drop_grid(index, grid.x0, 0.0, grid.pitch, grid.nx, grid.ny, _POINT, 0.0, part(report, 0, 0.3))
    under = np.maximum(model, floor)
    reachable = _reachable(index, grid, under, cutters, floor, max(tolerance, limit / 2))
    report(0.5)
    deviation: F32 = np.empty_like(top)

    def work(first: int, last: int) -> None:
        _deviations(
            surface.arrays,
            top[first:last],
            under[first:last],
            grid.x0,
            first * grid.pitch,
            grid.pitch,
            index.radius,
            REACH,
            inf if gouge is None else gouge,
            deviation[first:last],
        )

    in_parallel(work, grid.ny, max(1, grid.ny // 32), part(report, 0.5, 1))
    # The core stays: what is left of it over a thinner model is meant.
    core = (model < floor) & (top >= floor)
    deviation[core] = np.minimum(deviation[core], (top - floor)[core])
    shapely.prepare(region)
    xs, ys = np.meshgrid(grid.xs, grid.ys)
    deviation[~shapely.intersects_xy(region, xs, ys)] = np.nan
    return Comparison(grid, deviation, reachable, limit, under.astype(np.float32), gouge or 0.0)
