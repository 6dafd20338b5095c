"""Where on the plan an operation works: by slope, level ground, height, and what is left to take."""

from dataclasses import replace
from math import ceil, inf

import numpy as np
import shapely
from shapely.affinity import scale, translate
from shapely.geometry import MultiPolygon

from nephos.core.arrays import F64
from nephos.core.parallel import silent
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.compare import lowest_left
from nephos.core.stock.compare_bar import lowest_left_on_bar
from nephos.core.strategies.clearing.levels import Field, filled, polygons_of, tip_field
from nephos.core.strategies.registry import Task
from nephos.core.surface.chart import Chart, chart_of
from nephos.core.surface.drop import drop_grid

LEVEL = 0.8
"""Ground that the cutter rests on with less slope than this, in degrees, is level."""
_CELLS = 600_000
_AXIS = 0.1
"""Nearer to the axis of a bar (mm) slopes are not measured."""


def contact_field(task: Task, leave: float) -> Field:
    """Tip heights over the region on a grid that is fine enough to tell slopes by."""
    x_low, y_low, x_high, y_high = task.region.bounds
    step = max(task.cutter.profile.radius / 6, 0.15, ((x_high - x_low) * (y_high - y_low) / _CELLS) ** 0.5)
    field = tip_field(task.index, task.region, task.cutter.profile.grown(leave), step, task.floor - leave, silent)
    return replace(field, radius=chart_of(task.index).radius)


def slopes_of(field: Field) -> F64:
    """Slope, in degrees, of the surface of tips: that of the part where the cutter touches it. On a bar it is counted
    from the round at that place."""
    dy, dx = np.gradient(field.tips, field.step)
    if field.radius:
        # So much shorter than on the unrolled surface is the way round at the tip.
        dy *= field.radius / np.maximum(field.tips, _AXIS)
    slopes: F64 = np.degrees(np.arctan(np.hypot(dx, dy)))
    return slopes


def slope_region(field: Field, low: float, high: float) -> shapely.Geometry:
    """Where the cutter touches ground of `low` to `high` degrees."""
    if low <= 0 and high >= 90:
        return shapely.box(-1e6, -1e6, 1e6, 1e6)
    return filled(
        Field(field.x0, field.y0, field.step, slopes_of(field)), low if low > 0 else -inf, high if high < 90 else inf
    )


def facing_region(field: Field, high: float) -> shapely.Geometry:
    """Where the cutter touches ground that is turned away about X by no more than `high` degrees."""
    dy = np.gradient(field.tips, field.step, axis=0)
    return filled(Field(field.x0, field.y0, field.step, np.degrees(np.arctan(np.abs(dy)))), -inf, high)


def level_region(field: Field, radius: float) -> shapely.Geometry:
    """Where the cutter rests on level ground, in pieces that are wider than a cutter's radius."""
    level = filled(Field(field.x0, field.y0, field.step, slopes_of(field)), -inf, LEVEL)
    return level.buffer(-radius / 2).buffer(radius / 2)


def under_ceiling(field: Field, ceiling: float) -> shapely.Geometry:
    """Where the tip stays at or under a height."""
    return filled(field, -inf, ceiling)


def left_over(task: Task, limit: float) -> shapely.Geometry:
    """Where the block stands more than `limit` over what this cutter would leave, with room for the cutter to roll
    in."""
    if task.block is None:
        raise ValueError("stock left over can be measured on a block only")
    g, profile = task.block.grid, task.cutter.profile
    chart = chart_of(task.index)
    if chart.is_round:
        return _left_on_bar(task, task.block, chart, limit)
    x_low, y_low, x_high, y_high = task.region.bounds
    rows, columns = g.window((x_low, y_low), (x_high, y_high))
    factor = max(
        1,
        int(profile.radius / 5 / g.pitch),
        ceil(((rows.stop - rows.start) * (columns.stop - columns.start) / _CELLS) ** 0.5),
    )
    top = task.block.top[rows, columns]
    ny, nx = top.shape[0] // factor, top.shape[1] // factor
    if not ny or not nx:
        return MultiPolygon()
    coarse = top[: ny * factor, : nx * factor].reshape(ny, factor, nx, factor)
    pitch = g.pitch * factor
    shift = g.pitch * (factor - 1) / 2
    grid = Grid(g.x0 + columns.start * g.pitch + shift, g.y0 + rows.start * g.pitch + shift, pitch, nx, ny)
    tips = drop_grid(task.index, grid.x0, grid.y0, pitch, nx, ny, profile, task.floor)
    more = coarse.mean(axis=(1, 3)) - lowest_left(tips, grid, profile)
    return filled(Field(grid.x0, grid.y0, pitch, more.astype(np.float64)), limit, inf).buffer(
        0.6 * profile.radius + pitch
    )


def _left_on_bar(task: Task, block: Block, chart: Chart, limit: float) -> shapely.Geometry:
    """As :func:`left_over`, on the unrolled surface of a bar."""
    g, profile = block.grid, task.cutter.profile
    x_low, _, x_high, _ = task.region.bounds
    _, columns = g.window((x_low, 0.0), (x_high, 0.0))
    cells = (columns.stop - columns.start) * g.ny
    factor = next(
        (f for f in (1, 2, 3, 4, 6, 8, 12, 24) if f * g.pitch >= profile.radius / 5 and cells <= _CELLS * f * f), 24
    )
    nx, ny = (columns.stop - columns.start) // factor, g.ny // factor
    if not nx:
        return MultiPolygon()
    # Rays are taken together round those that the cutter is dropped at.
    top = np.roll(block.top, factor // 2, axis=0)[:, columns.start : columns.start + nx * factor]
    pitch, shift = g.pitch * factor, g.pitch * (factor - 1) / 2
    grid = Grid(g.x0 + columns.start * g.pitch + shift, 0.0, pitch, nx, ny, g.radius)
    radii = top.reshape(ny, factor, nx, factor).mean(axis=(1, 3)).astype(np.float64)
    more = radii - lowest_left_on_bar(task.index, grid, profile, task.floor)
    # Once more round: what is left goes on over the seam.
    around = np.concatenate([more[-1:], more, more[:1]])
    found = filled(Field(grid.x0, -pitch, pitch, around), limit, inf)
    # Nearer to the axis the same room is more of the way round.
    near, turn = float(np.quantile(radii, 0.1)) / chart.radius, chart.turn
    grown = scale(scale(found, 1, near, origin=(0, 0)).buffer(0.6 * profile.radius + pitch), 1, 1 / near, origin=(0, 0))
    return shapely.union_all([translate(grown, 0, by) for by in (-turn, 0.0, turn)])


def without_specks(region: shapely.Geometry, least: float) -> shapely.Geometry:
    """The region without pieces of less than `least` mm^2."""
    return MultiPolygon([piece for piece in polygons_of(region) if piece.area >= least])
