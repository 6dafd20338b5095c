"""Level roughing in rings, from outside in, each region finished to its bottom before the next."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Literal

import numpy as np
import shapely
from shapely.geometry import LinearRing, Point, Polygon
from shapely.geometry.polygon import orient

from nephos.core.arrays import F64
from nephos.core.polyline import from_nearest
from nephos.core.strategies.clearing.levels import HELIX, polygons_of
from nephos.core.strategies.clearing.offset import Grow, offset
from nephos.core.strategies.clearing.regions import Region, cut_in_order, level_regions, nearest_to
from nephos.core.strategies.clearing.roughing import ROUGHING_SHAPES, EnteredSettings, describe_rough, estimate_rough
from nephos.core.strategies.clearing.wall_first import walls_first
from nephos.core.strategies.registry import Strategy, Task, choice
from nephos.core.toolpath import Pass, Passes

_THINNED = 0.01
_DIRECTIONS = {"climb": "climb", "conventional": "conventional"}


class RoughOffsetSettings(EnteredSettings):
    """Settings of roughing in rings."""

    direction: Literal["climb", "conventional"] = choice("Direction", "climb", _DIRECTIONS)


def roughly(shape: shapely.Geometry, by: float) -> shapely.Geometry:
    """Moved out by `by`, quickly and with few points: what is left for the finisher hides the difference."""
    return shape.buffer(by, quad_segs=6)


def nested_rings(polygon: Polygon, stepover: float, cleared: float) -> Iterator[Polygon]:
    """The polygon and those inside of it, one stepover apart, each followed by all within it.

    `cleared` is how far inside a ring nothing is left once it has been gone round: the cutter's radius in roughing,
    where rings in necks narrower than that would cut air; the stepover itself in finishing, where every ring counts.
    """
    yield polygon
    for piece in inner_rings(polygon, stepover, cleared, offset):
        yield from nested_rings(piece, stepover, cleared)


def inner_rings(polygon: Polygon, stepover: float, cleared: float, grow: Grow) -> list[Polygon]:
    """The next rings inside of one (see :func:`nested_rings`), with outlines moved by `grow`."""
    if stepover > cleared:
        # The paths on both sides leave a strip between them where the next ring does not fit: one more path down its
        # middle.
        inner = polygons_of(grow(polygon, -stepover)) or polygons_of(grow(polygon, -0.9 * cleared))
    else:
        kept = 0.98 * cleared
        inner = polygons_of(grow(grow(polygon, -max(kept, stepover)), max(kept - stepover, 0.0)))
    return [piece for piece in inner if piece.length > 0.2 * cleared]


class _Family:
    """The rings of one polygon; those inside of it are found once the first of them is gone round."""

    def __init__(self, polygon: Polygon, climb: bool) -> None:
        turned = orient(polygon, -1.0 if climb else 1.0)
        self.polygon, self.opened = polygon, False
        self.rings = [_Ring(ring, self) for ring in (turned.exterior, *turned.interiors)]


class _Ring:
    """A ring, how many of its neighbours outside of it are still to be gone round, and those inside that wait for
    it."""

    def __init__(self, line: LinearRing, family: _Family) -> None:
        self.line, self.family = line, family
        self.waits = 0
        self.frees: list[_Ring] = []


def ring_paths(polygon: Polygon, stepover: float, cleared: float, climb: bool, at: F64 | None = None) -> Iterator[F64]:
    """The rings of :func:`nested_rings` as closed paths (n, 2): always the nearest to the cutter of those whose
    neighbours outside of them are done, so that it stays about one hole before it goes on to the next."""
    ready = list(_Family(polygon, climb).rings)
    while ready:
        ring = ready.pop(nearest_to(at, [item.line for item in ready]))
        family = ring.family
        if not family.opened:
            family.opened = True
            for piece in inner_rings(family.polygon, stepover, cleared, roughly):
                _await(_Family(piece.simplify(_THINNED), climb).rings, family.rings, 1.2 * max(stepover, cleared))
        run = from_nearest(np.asarray(ring.line.coords), at)
        at = run[-1]
        yield run
        for inner in ring.frees:
            inner.waits -= 1
        ready += [inner for inner in ring.frees if inner.waits == 0]


def _await(rings: list[_Ring], outer: list[_Ring], reach: float) -> None:
    """Let rings wait for those outside of them that they lie within `reach` of; at least for the nearest one."""
    tree = shapely.STRtree([item.line for item in outer])
    for ring in rings:
        near = tree.query(ring.line, predicate="dwithin", distance=reach)
        for k in near if len(near) else [tree.nearest(ring.line)]:
            outer[int(k)].frees.append(ring)
            ring.waits += 1


def ring_runs(polygon: Polygon, climb: bool, at: F64 | None) -> list[F64]:
    """The outline and the holes of a polygon, (n, 2) each and closed, nearest first."""
    turned = orient(polygon, -1.0 if climb else 1.0)
    rings = [np.asarray(ring.coords) for ring in (turned.exterior, *turned.interiors)]
    runs = []
    while rings:
        k = 0 if at is None else int(np.argmin([((ring - at) ** 2).sum(axis=1).min() for ring in rings]))
        runs.append(from_nearest(rings.pop(k), at))
        at = runs[-1][-1]
    return runs


def ring_passes(
    polygon: Polygon, level: float, climb: bool, at: F64 | None, entry: Literal["ramp", "plunge"] = "ramp"
) -> Iterator[Pass]:
    """The outline and the holes of a polygon as closed passes at `level`, nearest first."""
    for run in ring_runs(polygon, climb, at):
        yield level_ring(run, level, entry)


def level_ring(path: F64, level: float, entry: Literal["ramp", "plunge"] = "ramp") -> Pass:
    """A closed path (n, 2) as a pass at a level."""
    return Pass(np.column_stack([path, np.full(len(path), level)]), closed=True, entry=entry)


def with_helix(item: Pass, polygon: Polygon, radius: float) -> Pass:
    """A ring begun in the middle of its longest straight, with a circle inside its polygon to go down on, where there
    is room."""
    steps = np.hypot(*np.diff(item.points[:, :2], axis=0).T)
    k = int(steps.argmax())
    middle = (item.points[k] + item.points[k + 1]) / 2
    ring = np.concatenate([[middle], item.points[k + 1 : -1], item.points[: k + 1], [middle]])
    ahead = item.points[k + 1, :2] - middle[:2]
    across = np.array([-ahead[1], ahead[0]]) / max(float(np.hypot(*ahead)), 1e-12) * radius
    for at in (middle[:2] + across, middle[:2] - across):
        if polygon.buffer(1e-3).contains(Point(at).buffer(radius)):
            return replace(item, points=ring, helix=(float(at[0]), float(at[1])))
    return item


def entered(item: Pass, settings: EnteredSettings, polygon: Polygon, radius: float) -> Pass:
    """The first pass of a region with the entry that the settings ask for."""
    if settings.entry == "plunge":
        return replace(item, entry="plunge")
    return with_helix(item, polygon, HELIX * radius) if settings.entry == "helix" else item


def _cut(region: Region, task: Task, at: F64 | None) -> Iterator[Pass]:
    settings: RoughOffsetSettings = task.settings
    step, radius = settings.step_for(task.cutter), task.cutter.radius
    rings = (
        level_ring(path, region.level)
        for path in ring_paths(region.polygon, step, radius, settings.direction == "climb", at)
    )
    begun = (ring if k else entered(ring, settings, region.polygon, radius) for k, ring in enumerate(rings))
    yield from walls_first(begun, region, step, task)


def _make(task: Task) -> Passes:
    settings: RoughOffsetSettings = task.settings
    regions = level_regions(task, settings.stepdown, settings.leave, settings.flats == "on", settings.minimum)
    passes = tuple(cut_in_order(regions, lambda k, at: _cut(regions[k], task, at)))
    return Passes(passes, stay_down=2.0 * task.cutter.diameter, on_surface=False, ramp_angle=settings.ramp_angle)


STRATEGY = Strategy(
    key="rough_offset",
    title="Rough, offset",
    summary="clears level by level, in rings from outside in",
    role="rough",
    settings=RoughOffsetSettings,
    shapes=ROUGHING_SHAPES,
    make=_make,
    describe=describe_rough,
    estimate=estimate_rough,
    skips_air=True,
    stepped=True,
)
