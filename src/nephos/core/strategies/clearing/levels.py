"""Levels for roughing: their heights, and where a cutter may be and would meet material at each."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import ceil, inf, sqrt

import contourpy
import numpy as np
import shapely
from scipy import ndimage
from shapely.geometry import MultiPolygon, Polygon

from nephos.core.arrays import F64, Bool
from nephos.core.cutters import Cutter, Profile
from nephos.core.parallel import Report, inlined, kernel
from nephos.core.stock.block import Block
from nephos.core.stock.intervals import stands_between
from nephos.core.surface.drop import Surface, SurfaceArrays, drop_at, drop_grid
from nephos.core.surface.level_ground import level_ground

_CELLS = 1_000_000
HELIX = 0.8
"""Radius of a helix, or of the first circle, in radii of the cutter: under one, so that no core is left standing."""
TRACE = 0.05
"""Material that stands no higher (mm) over a level is none, and less ground (mm^2) neither."""
SPECK = 0.25
"""Pieces of less than this share of what the cutter can ramp into are left in any case."""
_SAME = 0.02
"""Level ground within this many millimetres of height is one."""
_WORTH = 0.1
"""Level ground gets no level of its own less than this (mm) under one that is cut over it."""


@dataclass(frozen=True)
class Field:
    """Tip heights over a grid: `tips` (ny, nx) float64 at x0 + i * step, y0 + j * step. On the unrolled surface of a
    bar `radius` (mm) is that at which the steps round it are as long as they say; 0 on a plane."""

    x0: float
    y0: float
    step: float
    tips: F64
    radius: float = 0.0


def level_heights(top: float, bottom: float, stepdown: float) -> list[float]:
    """Levels from under `top` down to `bottom`, evenly spaced, none deeper than `stepdown`."""
    layers = max(ceil((top - bottom) / stepdown - 1e-6), 1)
    return [top + (bottom - top) * k / layers for k in range(1, layers + 1)]


BOTTOM = 2e-3
"""So far over the floor (mm) the lowest contour is looked for: on it, level ground has no contour."""


def contour_heights(top: float, bottom: float, stepdown: float) -> F64:
    """The heights (n,) that contours of levels are looked for at, from :func:`level_heights`; the lowest slightly over
    the bottom."""
    heights = np.array(level_heights(top, bottom, stepdown))
    heights[-1] += BOTTOM
    return heights


def field_step(cutter: Cutter, area: float) -> float:
    """Grid step for roughing regions: a twelfth of the cutter, within memory."""
    return max(cutter.diameter / 12, 0.1, (area / _CELLS) ** 0.5)


def chord_allowance(step: float, profile: Profile) -> float:
    """How far a chord as long as a grid step cuts into the round that the cutter keeps off a corner."""
    return step * step / (4 * max(profile.radius, step))


@inlined
def _bend(tips: F64, k: int) -> float:
    """How far tips in a row may be off the chord between `k` and the next, by how they turn at both ends.

    A kink in between at the share t turns them by d (1 - t) and d t, and is d t (1 - t) off the chord. Where they
    bend evenly by d it is d / 8, and a kink on either side of the two counts for nothing.
    """
    if k < 1 or k + 2 >= len(tips):
        return np.inf
    low = abs(tips[k - 1] - 2.0 * tips[k] + tips[k + 1])
    high = abs(tips[k] - 2.0 * tips[k + 1] + tips[k + 2])
    return low * high / (low + high) if low + high > 0.0 else 0.0


@kernel
def _refine(
    grid: SurfaceArrays,
    points: F64,
    tips: F64,
    x0: float,
    y0: float,
    step: float,
    level: float,
    cutter: Profile,
    floor: float,
    tolerance: float,
) -> None:
    """Move `points` (n, 2) of a contour along the grid lines that they lie on to where the cutter rests at `level`
    (mm), within `tolerance`. `tips` (ny, nx) are its tips on the grid of `step` mm."""
    hint = -1
    for k in range(len(points)):
        fx = (points[k, 0] - x0) / step
        fy = (points[k, 1] - y0) / step
        on_row = abs(fy - np.round(fy)) <= abs(fx - np.round(fx))
        f = fx if on_row else fy
        if abs(f - np.round(f)) < 1e-9:
            continue
        i = int(np.floor(fx) if on_row else np.round(fx))
        j = int(np.round(fy) if on_row else np.floor(fy))
        zp = tips[j, i]
        zq = tips[j, i + 1] if on_row else tips[j + 1, i]
        if (zp <= level) == (zq <= level):
            continue
        bend = _bend(tips[j] if on_row else tips[:, i], i if on_row else j)
        px = x0 + i * step
        py = y0 + j * step
        dx = step if on_row else 0.0
        dy = 0.0 if on_row else step
        if zp > level:
            px, py, dx, dy = px + dx, py + dy, -dx, -dy
            zp, zq = zq, zp
        # On a slope the surface is nearer than straight up.
        near = tolerance * min(sqrt(1.0 + ((zq - zp) / step) ** 2), 1.4)
        if bend <= near:
            t = max((level - 0.5 * bend - zp) / (zq - zp), 0.0)
            points[k, 0] = px + t * dx
            points[k, 1] = py + t * dy
            continue
        # By height alone only where it is next to nothing, and never at the floor: level ground may be close under the
        # level for long.
        close = 0.2 * tolerance
        aim = level - 0.5 * close
        free = 0.0
        blocked = 1.0
        below = zp - aim
        above = zq - aim
        last = 0
        # False position, kept off the ends of its bracket; an end that stays twice counts half (Illinois).
        while (blocked - free) * step > tolerance and (level - zp > close or zp <= floor):
            t = free + min(max(-below / (above - below), 0.08), 0.92) * (blocked - free)
            z, hint = drop_at(grid, px + t * dx, py + t * dy, cutter, floor, hint)
            if z <= level:
                free = t
                zp = z
                below = z - aim
                if last == 1:
                    above *= 0.5
                last = 1
            else:
                blocked = t
                above = z - aim
                if last == 2:
                    below *= 0.5
                last = 2
        points[k, 0] = px + free * dx
        points[k, 1] = py + free * dy


def tip_field(
    index: Surface, region: shapely.Geometry, profile: Profile, step: float, floor: float, report: Report
) -> Field:
    """Tip heights of `profile` over the box of `region` and one step around it."""
    x_low, y_low, x_high, y_high = region.bounds
    nx = ceil((x_high - x_low) / step) + 3
    ny = ceil((y_high - y_low) / step) + 3
    x0, y0 = x_low - step, y_low - step
    return Field(x0, y0, step, drop_grid(index, x0, y0, step, nx, ny, profile, floor, report))


def refine_contour(
    index: Surface, field: Field, level: float, profile: Profile, floor: float, tolerance: float, points: F64
) -> None:
    """Move contour points (n, 2) of a field of `profile`, which lie on its grid lines, to where the tip is at `level`,
    in place.

    They come to lie on the free side, within `tolerance` of the true contour; `floor` is the lowest tip height.
    """
    _refine(index.arrays, points, field.tips, field.x0, field.y0, field.step, level, profile, floor, tolerance)


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


def lookup_step(reach: float, pitch: float) -> float:
    """The grid on which a cutter of radius `reach` is looked up in a block, mm: its cells in groups, no coarser than
    the cutter needs."""
    return max(1, int(reach / 6 / pitch)) * pitch


def stands_over(block: Block, level: float, cleared: float) -> Bool:
    """(ny, nx) bool: which columns have material between `level` and `cleared`, the level that was cut before."""
    if not block.has_gaps:
        return np.asarray(block.top > level)
    return stands_between(block.low, block.high, level, max(cleared, level + TRACE))


def material_above(
    block: Block, level: float, reach: float, margin: float = 1.0, cleared: float = inf
) -> shapely.Geometry:
    """Where a cutter of radius `reach` would meet material between `level` and `cleared`, the level that was cut
    before; `margin` is added, in cells of the lookup grid."""
    around = block.grid.radius
    if around is not None:
        # On the unrolled surface a cutter covers the more the nearer it is to the axis.
        reach *= around / max(level, 0.25 * around)
    factor = round(lookup_step(reach, block.grid.pitch) / block.grid.pitch)
    stands = stands_over(block, level, cleared)[: block.grid.ny // factor * factor, : block.grid.nx // factor * factor]
    full = stands.reshape(stands.shape[0] // factor, factor, stands.shape[1] // factor, factor).any(axis=(1, 3))
    if full.all():
        return shapely.box(-1e6, -1e6, 1e6, 1e6)
    if not full.any():
        return MultiPolygon()
    step = block.grid.pitch * factor
    border = ceil(reach / step + margin) + 2
    padded = np.pad(full, border)
    if around is not None:
        padded[:, border:-border] = np.pad(full, ((border, border), (0, 0)), mode="wrap")
    away = step * ndimage.distance_transform_edt(~padded)
    start = (block.grid.pitch * (factor - 1)) / 2 - border * step
    # To the edge of a cell it is half a cell less than to its middle.
    return filled(
        Field(block.grid.x0 + start, block.grid.y0 + start, step, away), -np.inf, reach + (margin + 0.5) * step
    ).simplify(step / 3)


def flat_heights(index: Surface, least: float) -> list[float]:
    """Heights at which at least `least` mm^2 of the surface lie level, the highest first."""
    return wide_heights(*level_ground(index), least)


def by_height(heights: F64, areas: F64) -> tuple[F64, F64]:
    """Heights (n,) that differ, the lowest first, and the area of all that is at each."""
    steps, number = np.unique(np.round(heights / _SAME), return_inverse=True)
    return steps * _SAME, np.bincount(number, areas, len(steps)).astype(np.float64)


def wide_heights(heights: F64, areas: F64, least: float) -> list[float]:
    """Heights (n,) that at least `least` mm^2 of `areas` (n,) have in common, the highest first."""
    steps, sums = by_height(heights, areas)
    return [float(step) for step in steps[sums >= least]][::-1]


def ground_levels(flats: Sequence[float], floor: float, above: float) -> list[float]:
    """Heights at which level ground at heights `flats` is cleared, `above` mm over it. The last of all levels clears
    the ground at the floor."""
    return [z + above for z in flats if z > floor + _SAME]


def extra_levels(levels: list[float], top: float, flats: list[float]) -> list[list[float]]:
    """Levels to add before each of `levels`, where level ground would otherwise keep up to a whole step of material on
    it. A level that lies just under the ground does not clear it, however little is missing."""
    steps = zip([top, *levels[:-1]], levels, strict=True)
    return [[z for z in flats if below < z < above - _WORTH] for above, below in steps]
