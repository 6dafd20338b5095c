"""Level regions for roughing: where a cutter may be at each depth, cut region by region."""

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from math import ceil

import contourpy
import numpy as np
import shapely
from shapely.geometry import MultiPolygon, Polygon

from nephos.core.arrays import F64
from nephos.core.bands import Report, in_bands, kernel, part
from nephos.core.cutters import Cutter, Profile
from nephos.core.paths.registry import Task
from nephos.core.stock.block import Block
from nephos.core.surface.drop import drop_at, drop_grid
from nephos.core.surface.index import SurfaceIndex

_CELLS = 1_000_000


@dataclass(frozen=True)
class Field:
    """Tip heights over a grid: `tips` (ny, nx) float64 at x0 + i * step, y0 + j * step."""

    x0: float
    y0: float
    step: float
    tips: F64


def level_heights(top: float, bottom: float, stepdown: float) -> list[float]:
    """Levels from under `top` down to `bottom`, evenly spaced, none deeper than `stepdown`."""
    layers = max(ceil((top - bottom) / stepdown - 1e-6), 1)
    return [top + (bottom - top) * k / layers for k in range(1, layers + 1)]


def field_step(cutter: Cutter, area: float) -> float:
    """Grid step for roughing regions: a twelfth of the cutter, within memory."""
    return max(cutter.diameter / 12, 0.1, (area / _CELLS) ** 0.5)


def chord_allowance(step: float, profile: Profile) -> float:
    """How far a chord as long as a grid step cuts into the round that the cutter keeps off a corner."""
    return step * step / (4 * max(profile.radius, step))


@kernel
def refine_contour(grid, points, x0, y0, step, level, cutter, floor, tolerance):  # type: ignore[no-untyped-def]
    """Move contour points, which lie on grid lines, to where the tip is exactly at `level`, safe side."""
    for k in range(len(points)):
        fx = (points[k, 0] - x0) / step
        fy = (points[k, 1] - y0) / step
        on_row = abs(fy - np.round(fy)) <= abs(fx - np.round(fx))
        f = fx if on_row else fy
        low = np.floor(f)
        if abs(f - np.round(f)) < 1e-9:
            continue
        px = x0 + (low if on_row else np.round(fx)) * step
        py = y0 + (np.round(fy) if on_row else low) * step
        qx = px + (step if on_row else 0.0)
        qy = py + (0.0 if on_row else step)
        zp, hint = drop_at(grid, px, py, cutter, floor, -1)
        zq, hint = drop_at(grid, qx, qy, cutter, floor, hint)
        if (zp <= level) == (zq <= level):
            continue
        if zp > level:
            px, py, qx, qy = qx, qy, px, py
            zp, zq = zq, zp
        free = 0.0
        blocked = 1.0
        # False position, kept off the ends of its bracket: the surface is nearly straight over a step.
        while (blocked - free) * step > tolerance and level - zp > 0.2 * tolerance:
            share = min(max((level - zp) / (zq - zp), 0.08), 0.92)
            t = free + share * (blocked - free)
            z, hint = drop_at(grid, px + t * (qx - px), py + t * (qy - py), cutter, floor, hint)
            if z <= level:
                free = t
                zp = z
            else:
                blocked = t
                zq = z
        points[k, 0] = px + free * (qx - px)
        points[k, 1] = py + free * (qy - py)


def tip_field(index: SurfaceIndex, region: shapely.Geometry, profile: Profile, step: float, floor: float,
              report: Report) -> Field:
    """Tip heights of `profile` over the box of `region` and one step around it."""
    x_low, y_low, x_high, y_high = region.bounds
    nx = ceil((x_high - x_low) / step) + 3
    ny = ceil((y_high - y_low) / step) + 3
    x0, y0 = x_low - step, y_low - step
    return Field(x0, y0, step, drop_grid(index, x0, y0, step, nx, ny, profile, floor, report))


def _polygons(field: Field, level: float, refine: Callable[[F64], None] | None) -> shapely.Geometry:
    """Where `field` is at or under `level`."""
    ny, nx = field.tips.shape
    contours = contourpy.contour_generator(
        field.x0 + field.step * np.arange(nx), field.y0 + field.step * np.arange(ny), field.tips,
        fill_type=contourpy.FillType.OuterOffset,
    )
    outlines, offsets = contours.filled(-np.inf, level)
    polygons = []
    for points, offset in zip(outlines, offsets, strict=True):
        corners = np.ascontiguousarray(points)
        if refine is not None:
            refine(corners)
        rings = [corners[a:b] for a, b in pairwise(offset)]
        polygons.append(Polygon(rings[0], rings[1:]))
    return shapely.make_valid(MultiPolygon(polygons)) if polygons else MultiPolygon()


def polygons_of(geometry: shapely.Geometry) -> list[Polygon]:
    """The polygons in any geometry, without points and lines."""
    parts = shapely.get_parts(shapely.get_parts(geometry))
    return [item for item in parts if item.geom_type == "Polygon" and not item.is_empty]


def material_above(block: Block, level: float, reach: float) -> shapely.Geometry:
    """Where a cutter of radius `reach` would meet material above `level`."""
    factor = max(1, int(reach / 3 / block.grid.pitch))
    top = block.top[: block.grid.ny // factor * factor, : block.grid.nx // factor * factor]
    coarse = top.reshape(top.shape[0] // factor, factor, top.shape[1] // factor, factor).max(axis=(1, 3))
    full = coarse > level + 0.05
    if full.all():
        return shapely.box(-1e6, -1e6, 1e6, 1e6)
    if not full.any():
        return MultiPolygon()
    step = block.grid.pitch * factor
    framed = np.pad(np.where(full, -1.0, 1.0), 1, constant_values=1.0)
    start = step * (factor - 1) / (2 * factor) - step
    field = Field(block.grid.x0 + start, block.grid.y0 + start, step, framed)
    return _polygons(field, 0.0, None).buffer(reach + step)


@dataclass(frozen=True)
class Region:
    """A connected piece of a level, with the pieces of the next level that lie in it."""

    polygon: Polygon
    level: float
    below: tuple["Region", ...]


def level_regions(task: Task, stepdown: float, leave: float) -> list[Region]:
    """The regions of all levels as trees: what is nested can be cut to its bottom in one go.

    Each piece keeps the grown cutter off the true surface; pieces too small to get into with a
    ramp are left to a smaller cutter.
    """
    block = task.block
    if block is None:
        raise ValueError("roughing needs the block as it is")
    profile = task.cutter.profile.grown(leave)
    x_low, y_low, x_high, y_high = task.region.bounds
    step = field_step(task.cutter, (x_high - x_low) * (y_high - y_low))
    allowance = chord_allowance(step, profile) + task.tolerance
    # A larger corner at the same tip: keeps chords off walls, and level ground where it is.
    safe = profile.grown(allowance)
    drop_floor = task.floor - 1.0
    field = tip_field(task.index, task.region, safe, step, drop_floor, part(task.report, 0.0, 0.5))
    rows, columns = block.grid.window((x_low - profile.radius, y_low - profile.radius),
                                      (x_high + profile.radius, y_high + profile.radius))
    seen = block.top[rows, columns]
    top = float(seen.max()) if seen.size else task.floor
    levels = level_heights(top, task.floor + leave, stepdown)
    smallest = (0.35 * task.cutter.diameter) ** 2

    def at_level(first: int, last: int) -> list[list[Polygon]]:
        found = []
        for level in levels[first:last]:
            def refine(points: F64, level: float = level) -> None:
                refine_contour(task.index.arrays, points, field.x0, field.y0, field.step, level - leave,
                        safe, drop_floor, task.tolerance / 2)

            free = _polygons(field, level - leave, refine).intersection(task.region)
            free = free.intersection(material_above(block, level, task.cutter.radius))
            simple = shapely.simplify(free, task.tolerance / 2)
            found.append([piece for piece in polygons_of(simple) if piece.area > smallest])
        return found

    by_level = [pieces for band in in_bands(at_level, len(levels), 1, part(task.report, 0.5, 1.0)) for pieces in band]

    def nest(depth: int, pieces: list[Polygon]) -> tuple[Region, ...]:
        regions = []
        for piece in pieces:
            inside = []
            if depth + 1 < len(levels):
                near = by_level[depth + 1]
                grown = piece.buffer(2 * task.tolerance)
                shapely.prepare(grown)
                inside = [item for item in near if grown.contains(item.representative_point())]
            regions.append(Region(piece, levels[depth], nest(depth + 1, inside)))
        return tuple(regions)

    return list(nest(0, by_level[0])) if levels else []
