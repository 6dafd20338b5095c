"""The block against the model: what is left and what is gouged, along the surface normal."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from math import ceil, inf, sqrt

import numpy as np
import shapely

from nephos.core.arrays import F32, F64, Bool
from nephos.core.cutters import Profile
from nephos.core.parallel import Report, in_parallel, kernel, part, silent
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.sweep import sweep
from nephos.core.surface.drop import drop_grid, drop_points
from nephos.core.surface.index import GridArrays, SurfaceIndex
from nephos.core.surface.inside import depth_of_removed
from nephos.core.surface.nearest import distance_at

REACH = 3.0
"""Farther than this from the surface the distance straight down is given instead, in millimetres."""

_NOWHERE = 1e4
"""So far under the floor a point is dropped where there is no surface."""

_CLOSED_CELLS = 400_000
"""Columns at which what cutters could reach is looked at, about, where there are more."""

_POINT = Profile.of(0.0, 1e-6)


def normals_of(under: F32, pitch: float) -> F64:
    """(ny, nx, 3) unit vectors out of a height field."""
    gy, gx = np.gradient(under.astype(np.float64), pitch)
    vectors = np.stack([-gx, -gy, np.ones_like(gx)], axis=-1)
    return np.asarray(vectors / np.linalg.norm(vectors, axis=-1, keepdims=True), np.float64)


@dataclass(frozen=True)
class Comparison:
    """Deviation of each column of the block, over a window of its grid.

    `deviation` : (ny, nx) float32 millimetres along the normal, positive for material left, negative for removed
    material that belongs to the model; not a number outside the boundary. `reachable` : (ny, nx) bool, whether an ideal
    pass of one of the cutters would come within the tolerance there. `under` : (ny, nx) float32 height of the model.
    `gouge` : depth of the deepest gouge along the moves (surface/gouge.py), in millimetres; no column can show more.
    """

    grid: Grid
    deviation: F32
    reachable: Bool
    limit: float
    under: F32
    gouge: float = 0.0

    def numbers(self) -> dict[str, float]:
        """The figures of the report: millimetres, and shares of the area by one limit, which add up to one: within it,
        more left that a cutter of the job could reach, more left that none could, gouged."""
        inside = np.isfinite(self.deviation)
        values = self.deviation[inside]
        if values.size == 0:
            return {}
        reached = np.maximum(self.deviation[inside & self.reachable], 0)
        over, reachable = values > self.limit, self.reachable[inside]
        corners = values[over & ~reachable]
        p50, p95, p99 = np.percentile(reached, (50, 95, 99)) if reached.size else (0.0, 0.0, 0.0)
        figures = {
            "gouge_max": max(float(-values.min()), self.gouge),
            "leftover_p50": p50,
            "leftover_p95": p95,
            "leftover_p99": p99,
            "leftover_max": reached.max(initial=0.0),
            "leftover_max_unreachable": corners.max(initial=0.0),
            "limit": self.limit,
            "within_tolerance": np.mean(np.abs(values) <= self.limit),
            "could_reach": np.mean(over & reachable),
            "unreachable": np.mean(over & ~reachable),
            "gouged": np.mean(values < -self.limit),
        }
        return {key: round(float(value), 5) for key, value in figures.items()}


def laid_over(first: Comparison, then: Comparison) -> Comparison:
    """A comparison with a later one of another window of the same grid laid over it, where that knows something."""
    a, b, pitch = first.grid, then.grid, first.grid.pitch
    x0, y0 = min(a.x0, b.x0), min(a.y0, b.y0)
    nx = round((max(a.xs[-1], b.xs[-1]) - x0) / pitch) + 1
    ny = round((max(a.ys[-1], b.ys[-1]) - y0) / pitch) + 1
    deviation = np.full((ny, nx), np.nan, np.float32)
    reachable = np.zeros((ny, nx), np.bool_)
    under = np.full((ny, nx), min(float(first.under.min()), float(then.under.min())), np.float32)
    for item in (first, then):
        j, i = round((item.grid.y0 - y0) / pitch), round((item.grid.x0 - x0) / pitch)
        at = slice(j, j + item.grid.ny), slice(i, i + item.grid.nx)
        known = np.isfinite(item.deviation) | ~np.isfinite(deviation[at])
        deviation[at] = np.where(known, item.deviation, deviation[at])
        reachable[at] = np.where(known, item.reachable, reachable[at])
        under[at] = np.where(known, item.under, under[at])
    grid = replace(a, x0=x0, y0=y0, nx=nx, ny=ny)
    return Comparison(grid, deviation, reachable, then.limit, under, max(first.gouge, then.gouge))


@kernel
def _deviations(
    grid: GridArrays,
    top: F32,
    under: F64,
    floor: float,
    x0: float,
    y0: float,
    pitch: float,
    reach: float,
    deepest: float,
    out: F32,
) -> None:
    """Deviation (mm) of the block `top` (ny, nx) from the model along its normal into `out` (ny, nx): positive where
    material is left, at most `reach` looked for; negative where it is gouged, at most `deepest`. `under` (ny, nx) is
    the model seen from above, `floor` its lowest height."""
    rows, columns = top.shape
    for j in range(rows):
        for i in range(columns):
            # Under the floor there is no model: what is cut there deeper is no deeper into it.
            z = max(np.float64(top[j, i]), floor)
            x, y = x0 + i * pitch, y0 + j * pitch
            gap = z - under[j, i]
            if gap < -1e-4:
                out[j, i] = -min(depth_of_removed(grid, x, y, z, under[j, i], reach), deepest)
                continue
            size = abs(gap)
            if size > 1e-4:
                limit = min(size, reach)
                distance = distance_at(grid, x, y, z, limit)
                if distance < limit or size <= reach:
                    size = distance
            out[j, i] = size


def lowest_left(
    tips: F64, grid: Grid, cutter: Profile, within: float = inf, drop: Callable[[F64], F64] | None = None
) -> F32:
    """The lowest surface a cutter leaves that has been everywhere, from its tips on the grid.

    Between two neighbouring tips it goes straight, unless the surface between them may stand more than `within` (mm)
    over that way, as on an edge: there it is at the tips alone, and at as many places between as a small cutter needs,
    whose tips `drop` tells."""
    ny, nx = tips.shape
    second = np.zeros_like(tips)
    second[:, 1:-1] = tips[:, 2:] - 2 * tips[:, 1:-1] + tips[:, :-2]
    bulge = np.maximum(-second, 0.0) / 2
    broken = np.ones((ny, nx), np.bool_)
    broken[:, :-1] = np.maximum(bulge[:, :-1], bulge[:, 1:]) > within
    # Where the path is broken the tip comes twice, so that it is cut there on its own, and then a gap.
    slots = np.full((ny, nx, 3, 3), np.nan)
    slots[..., :2, 0], slots[..., :2, 1], slots[..., :2, 2] = grid.xs[:, None], grid.ys[:, None, None], tips[..., None]
    flat = slots[np.stack([np.ones_like(broken), broken, broken], axis=-1)]
    round_ = cutter.corner or cutter.radius
    steps = ceil(grid.pitch / max(sqrt(8 * round_ * within), 1e-9)) if within < inf else 1
    if drop is not None and steps > 1:
        j, i = np.nonzero(broken[:, :-1])
        between = np.linspace(0, 1, steps + 1)[1:-1]
        xy = np.column_stack(
            [(grid.xs[i][:, None] + grid.pitch * between).ravel(), np.repeat(grid.ys[j], len(between))]
        )
        places = np.column_stack([xy, drop(xy)])
        flat = np.concatenate([flat, np.stack([places, places, np.full_like(places, np.nan)], axis=1).reshape(-1, 3)])
    top = np.full((ny, nx), np.inf, np.float32)
    sweep(top, np.zeros((ny, nx), np.int32), grid, flat, np.ones(len(flat) - 1, np.uint8), 0, cutter, straight=0.002)
    return top


def _fills(small: Profile, large: Profile) -> bool:
    """Whether `small`, moved about, fills all of `large`: then it reaches all that `large` reaches."""
    upright = small.slope == inf and large.slope == inf
    return bool(upright and small.corner <= large.corner and small.flat <= large.flat)


def deciding(cutters: list[Profile]) -> list[Profile]:
    """Those of several cutters that decide what could be reached: none that another one fills."""
    kept: list[Profile] = []
    for cutter in sorted(set(cutters), key=lambda item: (item.corner, item.radius)):
        if not any(_fills(other, cutter) for other in kept):
            kept.append(cutter)
    return kept


def _closed_gap(
    index: SurfaceIndex,
    grid: Grid,
    under: F64,
    cutters: list[Profile],
    floor: float,
    tolerance: float,
    report: Report,
) -> tuple[F64, int]:
    """Height (mm) that an ideal pass of the cutters leaves over the surface `under`, and the step between the columns
    that are calculated: 1, unless there are very many."""
    factor = max(1, round((grid.nx * grid.ny / _CLOSED_CELLS) ** 0.5))
    coarse = Grid(grid.x0, grid.y0, grid.pitch * factor, -(-grid.nx // factor), -(-grid.ny // factor))
    closed = np.full((coarse.ny, coarse.nx), np.inf, np.float32)
    chosen = deciding(cutters)
    for k, cutter in enumerate(chosen):
        # A cutter beside the window reaches into it.
        more = ceil(cutter.radius / coarse.pitch)
        wide = Grid(
            coarse.x0 - more * coarse.pitch,
            coarse.y0 - more * coarse.pitch,
            coarse.pitch,
            coarse.nx + 2 * more,
            coarse.ny + 2 * more,
        )
        told = part(report, k / len(chosen), (k + 1) / len(chosen))
        tips = drop_grid(index, wide.x0, wide.y0, wide.pitch, wide.nx, wide.ny, cutter, floor, told)
        left = lowest_left(tips, wide, cutter, tolerance / 2, partial(drop_points, index, cutter=cutter, floor=floor))
        closed = np.minimum(closed, left[more : more + coarse.ny, more : more + coarse.nx])
    gap: F64 = closed - under[::factor, ::factor]
    return gap, factor


def compare(
    block: Block,
    index: SurfaceIndex,
    region: shapely.Geometry,
    floor: float,
    cutters: list[Profile],
    limit: float,
    tolerance: float,
    gouge: float | None = None,
    report: Report = silent,
    ground: float | None = None,
) -> Comparison:
    """Measure the block over `region` against the surface above `floor`.

    Parameters
    ----------
    region : where to measure, on the plan.
    floor : height of the ground where there is no model, or it is lower.
    cutters : those that decide what could be reached: each is dropped at every cell, and what
        stays more than `tolerance` over the surface then is beyond it.
    limit : deviations up to this are within tolerance, in millimetres.
    gouge : depth (mm) of the deepest gouge along the moves that cut the block (surface/gouge.py), where it is known.
    ground : height of the ground beside the model that is cut from several faces.
    """
    known = gouge is not None
    gouge = gouge or 0.0
    x_low, y_low, x_high, y_high = region.bounds
    rows, columns = block.grid.window((x_low, y_low), (x_high, y_high))
    g = block.grid
    grid = Grid(
        g.x0 + columns.start * g.pitch,
        g.y0 + rows.start * g.pitch,
        g.pitch,
        columns.stop - columns.start,
        rows.stop - rows.start,
    )
    top = np.ascontiguousarray(block.top[rows, columns])
    args = (grid.x0, grid.y0, grid.pitch, grid.nx, grid.ny)
    surface = drop_grid(index, *args, _POINT, floor - _NOWHERE, part(report, 0, 0.15))
    under = np.maximum(surface, floor)
    closed_gap, factor = _closed_gap(index, grid, under, cutters, floor, tolerance, part(report, 0.15, 0.35))
    deviation = np.empty_like(top)

    def work(first: int, last: int) -> None:
        _deviations(
            index.arrays,
            top[first:last],
            under[first:last],
            floor,
            grid.x0,
            grid.y0 + first * grid.pitch,
            grid.pitch,
            REACH,
            gouge if known else inf,
            deviation[first:last],
        )

    in_parallel(work, grid.ny, max(1, grid.ny // 32), part(report, 0.35, 1))
    gap = top - under
    slope = np.divide(deviation, gap, out=np.ones_like(gap), where=gap > 1e-4)
    left = np.repeat(np.repeat(closed_gap, factor, axis=0), factor, axis=1)[: grid.ny, : grid.nx]
    reachable = left * np.clip(slope, 0, 1) <= tolerance
    shapely.prepare(region)
    xs, ys = np.meshgrid(grid.xs, grid.ys)
    deviation[~shapely.intersects_xy(region, xs, ys)] = np.nan
    if ground is not None:
        # The ground beside the model is no part of it.
        deviation[np.abs(surface - ground) < tolerance] = np.nan
    # Beside the model there is nothing to gouge: that is where it is cut out, deeper than the floor by more than
    # rounding.
    deviation[(surface <= floor - _NOWHERE) & (top < floor - tolerance)] = np.nan
    return Comparison(grid, deviation, reachable, limit, under.astype(np.float32), gouge if known else 0.0)
