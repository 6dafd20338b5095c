"""Levels for roughing: their heights, and where a cutter may be and would meet material at each."""

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from math import ceil

import contourpy
import numpy as np
import shapely
from scipy import ndimage
from shapely.geometry import MultiPolygon, Polygon

from nephos.core.arrays import F64
from nephos.core.bands import Report, kernel
from nephos.core.cutters import Cutter, Profile
from nephos.core.stock.block import Block
from nephos.core.surface.drop import drop_at, drop_grid
from nephos.core.surface.index import SurfaceIndex

_CELLS = 1_000_000
FLAT = 0.005
"""Slope (rise over run) up to which a facet is level."""
HELIX = 0.8
"""Radius of a helix, or of the first circle, in radii of the cutter: under one, so that no core is left standing."""
TRACE = 0.05
"""Material that stands no higher (mm) over a level is none, and less ground (mm^2) neither."""
SPECK = 0.25
"""Pieces of less than this share of what the cutter can ramp into are left in any case."""
_SAME = 0.02
"""Level ground within this many millimetres of height is one."""
_WORTH = 0.1
"""So much (mm) must lie between level ground and the levels to be worth one of its own."""


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


def contour_generator(field: Field) -> Callable[[], contourpy.ContourGenerator]:
    """Makes generators of the contours of a field, in millimetres: one for each thread, as they are not shared."""
    ny, nx = field.tips.shape
    xs, ys = field.x0 + field.step * np.arange(nx), field.y0 + field.step * np.arange(ny)
    return lambda: contourpy.contour_generator(xs, ys, field.tips, fill_type=contourpy.FillType.OuterOffset)


def filled(field: Field, low: float, high: float, refine: Callable[[F64], None] | None = None) -> shapely.Geometry:
    """Where `field` is between `low` and `high`; `refine` may move the points of the outlines, (n, 2), in place."""
    outlines, offsets = contour_generator(field)().filled(low, high)
    polygons = []
    for points, offset in zip(outlines, offsets, strict=True):
        corners = np.ascontiguousarray(points)
        if refine is not None:
            refine(corners)
        rings = [corners[a:b] for a, b in pairwise(offset)]
        polygons.append(Polygon(rings[0], rings[1:]))
    # By structure: a hole that was moved onto its outline must not turn the ground inside out.
    return areas_of(shapely.make_valid(MultiPolygon(polygons), method="structure")) if polygons else MultiPolygon()


def polygons_of(geometry: shapely.Geometry) -> list[Polygon]:
    """The polygons in any geometry, without points and lines."""
    parts = shapely.get_parts(shapely.get_parts(geometry))
    return [item for item in parts if item.geom_type == "Polygon" and not item.is_empty]


def areas_of(geometry: shapely.Geometry) -> MultiPolygon:
    """What of any geometry has an area: lines and points, where shapes only touch, can be laid over nothing else."""
    return MultiPolygon(polygons_of(geometry))


def material_above(block: Block, level: float, reach: float, margin: float = 1.0) -> shapely.Geometry:
    """Where a cutter of radius `reach` would meet material above `level`, and `margin` cells more of the grid that it is looked up on."""
    factor = max(1, int(reach / 6 / block.grid.pitch))
    top = block.top[: block.grid.ny // factor * factor, : block.grid.nx // factor * factor]
    coarse = top.reshape(top.shape[0] // factor, factor, top.shape[1] // factor, factor).max(axis=(1, 3))
    full = coarse > level
    if full.all():
        return shapely.box(-1e6, -1e6, 1e6, 1e6)
    if not full.any():
        return MultiPolygon()
    step = block.grid.pitch * factor
    border = ceil(reach / step + margin) + 2
    away = step * ndimage.distance_transform_edt(~np.pad(full, border))
    start = (block.grid.pitch * (factor - 1)) / 2 - border * step
    # To the edge of a cell it is half a cell less than to its middle.
    return filled(Field(block.grid.x0 + start, block.grid.y0 + start, step, away), -np.inf, reach + (margin + 0.5) * step).simplify(step / 3)


def flat_ground(index: SurfaceIndex) -> tuple[F64, F64]:
    """Heights and plan areas (mm^2) of all level facets, (n,) each."""
    planes, corners = index.arrays.planes, index.arrays.corners
    level = planes[:, 3] < FLAT
    a, b, c = corners[level, 0], corners[level, 1], corners[level, 2]
    area = np.abs((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) / 2
    return (a[:, 2] + b[:, 2] + c[:, 2]) / 3, area


def flat_heights(index: SurfaceIndex, least: float) -> list[float]:
    """Heights at which at least `least` mm^2 of the surface lie level, the highest first."""
    return wide_heights(*flat_ground(index), least)


def by_height(heights: F64, areas: F64) -> tuple[F64, F64]:
    """Heights (n,) that differ, the lowest first, and the area of all that is at each."""
    steps, number = np.unique(np.round(heights / _SAME), return_inverse=True)
    return steps * _SAME, np.bincount(number, areas, len(steps)).astype(np.float64)


def wide_heights(heights: F64, areas: F64, least: float) -> list[float]:
    """Heights (n,) that at least `least` mm^2 of `areas` (n,) have in common, the highest first."""
    steps, sums = by_height(heights, areas)
    return [float(step) for step in steps[sums >= least]][::-1]


def extra_levels(levels: list[float], top: float, flats: list[float]) -> list[list[float]]:
    """Levels to add before each of `levels`, where level ground would otherwise keep up to a whole step of material on it."""
    steps = zip([top, *levels[:-1]], levels, strict=True)
    return [[z for z in flats if below + _WORTH < z < above - _WORTH] for above, below in steps]
