"""The pieces of level ground that roughing cuts, each once what lies over it is gone."""

import itertools
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from math import inf

import numpy as np
import shapely
from shapely import affinity
from shapely.geometry import MultiLineString, MultiPolygon, Polygon

from nephos.core.arrays import F64
from nephos.core.cutters import Profile
from nephos.core.errors import NothingToCut
from nephos.core.parallel import in_parallel, part
from nephos.core.stock.block import Block
from nephos.core.strategies.clearing.levels import (
    SPECK,
    TRACE,
    Field,
    areas_of,
    chord_allowance,
    extra_levels,
    field_step,
    filled,
    flat_heights,
    ground_levels,
    level_heights,
    material_above,
    polygons_of,
    refine_contour,
    tip_field,
)
from nephos.core.strategies.registry import Task
from nephos.core.surface.chart import chart_of
from nephos.core.toolpath import Pass


@dataclass(frozen=True)
class Region:
    """A connected piece of a level; `above` are the numbers of those that must be cut before it, `edge` is the outline
    of all the ground where the cutter may be at its level: where its own outline lies on that there is a wall beside
    it, elsewhere cleared ground. `cleared` is the level that was cut before."""

    polygon: Polygon
    level: float
    above: tuple[int, ...] = ()
    edge: shapely.Geometry = field(default_factory=MultiLineString)
    cleared: float = inf


@dataclass(frozen=True)
class Layer:
    """The ground to be cut at one height. Where it is `own` it is level ground between two levels, cut after the one
    and before the other; `worth_cutting` is the part of the region with more than the minimum stock, None for all of
    it; `cleared` is where nothing stands any more; `free` is where the cutter may be, with or without anything to cut;
    `under` is the level that was cut before."""

    level: float
    ground: shapely.Geometry
    own: bool = False
    worth_cutting: shapely.Geometry | None = None
    cleared: shapely.Geometry = field(default_factory=MultiPolygon)
    free: shapely.Geometry = field(default_factory=MultiPolygon)
    under: float = inf


@dataclass(frozen=True)
class _Heights:
    """Where the cutter may be at any height: the `field` of its tips, grown by `leave` to `safe`, refined on the true
    surface; and where it would meet more there than the minimum stock."""

    task: Task
    block: Block
    field: Field
    safe: Profile
    leave: float
    worth: float

    @property
    def aside(self) -> float:
        """So much at the cutter's side is left standing too, mm."""
        return min(self.worth, self.task.cutter.radius / 2)

    def free(self, level: float) -> MultiPolygon:
        """Where the cutter may be at a height."""
        task, height = self.task, level - self.leave
        refine = partial(refine_contour, task.index, self.field, height, self.safe, below(task), task.tolerance / 2)
        return areas_of(filled(self.field, -np.inf, height, refine).intersection(task.region))

    def standing(self, free: shapely.Geometry, level: float, under: float, aside: float = 0.0) -> MultiPolygon:
        """Where of a ground the cutter meets more than `aside` mm at its side of what stands above a height, when the
        level `under` is cut."""
        margin = -0.5 if aside else 1.0
        reach = self.task.cutter.radius - aside
        return areas_of(free.intersection(material_above(self.block, level, reach, margin, under)))

    def layers(self, level: float, flats: Sequence[float], under: float) -> list[Layer]:
        """The layer of a level, and before it those of level ground between it and the one above, `under`."""
        free, radius = self.free(level), self.task.cutter.radius
        ground = self.standing(free, level + TRACE, under, self.aside)
        found = []
        for height in flats:
            wide = self.free(height)
            here = self.standing(wide, height + max(self.worth, TRACE), under, self.aside)
            # Slivers along walls are no level ground; and a strip of the next level's ground as well, so that nothing
            # stays between.
            alone = here.difference(ground).buffer(-0.1 * radius).buffer(0.3 * radius)
            found.append(
                Layer(height, alone.intersection(here), own=True, cleared=wide.difference(here), free=wide, under=under)
            )
        cleared = free.difference(ground)
        if self.worth <= TRACE:
            return [*found, Layer(level, ground, cleared=cleared, free=free, under=under)]
        worth_cutting = self.standing(ground, level + self.worth, under, self.aside)
        touched = self.standing(free, level + TRACE, under)
        return [*found, Layer(level, touched, worth_cutting=worth_cutting, cleared=cleared, free=free, under=under)]


def largest(geometry: shapely.Geometry) -> float:
    """The area of the largest piece of a ground, mm^2."""
    return max((piece.area for piece in polygons_of(geometry)), default=0.0)


def below(task: Task) -> float:
    """A height under all that an operation may reach."""
    return task.floor - 1.0


def level_layers(task: Task, stepdown: float, leave: float, at_flats: bool, worth: float) -> list[Layer]:
    """Where the cutter may be at each level and would meet material, the highest first.

    The grown cutter keeps off the true surface. With `at_flats` level ground between two levels gets one of its own,
    only where the next level does not come. What stands no more than `worth` mm over a level is cut only where the next
    level is."""
    block = task.block
    if block is None:
        raise ValueError("roughing needs the block as it is")
    profile = task.cutter.profile.grown(leave)
    x_low, y_low, x_high, y_high = task.region.bounds
    step = field_step(task.cutter, (x_high - x_low) * (y_high - y_low))
    allowance = chord_allowance(step, profile) + task.tolerance
    # A larger corner at the same tip: keeps chords off walls, and level ground where it is.
    safe = profile.grown(allowance)
    field = tip_field(task.index, task.region, safe, step, below(task), part(task.report, 0.0, 0.5))
    rows, columns = block.grid.window(
        (x_low - profile.radius, y_low - profile.radius), (x_high + profile.radius, y_high + profile.radius)
    )
    seen = block.top[rows, columns]
    top = min(float(seen.max()) if seen.size else task.floor, task.ceiling)
    levels = level_heights(top, task.floor + leave, stepdown)
    flats = flat_heights(task.index, 4 * task.cutter.diameter**2) if at_flats else []
    extras = extra_levels(levels, top, ground_levels(flats, task.floor, leave + allowance))
    heights = _Heights(task, block, field, safe, leave, worth)
    over = [inf, *levels]
    found = in_parallel(
        lambda k, _: heights.layers(levels[k], extras[k], over[k]), len(levels), 1, part(task.report, 0.5, 1.0)
    )
    return worth_cutting([layer for band in found for layer in band])


def worth_cutting(layers: Sequence[Layer]) -> list[Layer]:
    """Layers without what is under the minimum stock, but where the cutter has to go through it to get to the layer
    below.

    Otherwise thin walls of several levels would be cut in one move."""
    found: list[Layer] = []
    next_below: shapely.Geometry = MultiPolygon()
    for layer in reversed(layers):
        ground = layer.ground
        if layer.worth_cutting is not None and layer.worth_cutting.area < ground.area - TRACE:
            ground = areas_of(shapely.union_all([layer.worth_cutting, ground.intersection(next_below)]))
        next_below = next_below if layer.own else ground
        found.append(replace(layer, ground=ground))
    return found[::-1]


@dataclass(frozen=True)
class Seam:
    """Where an unrolled bar is cut open: `turn` is the way round, `radius` that of the bar, `cutter` of the cutter,
    mm."""

    turn: float
    radius: float
    cutter: float

    def across(self, piece: Polygon, level: float) -> list[shapely.Geometry]:
        """What a cutter on a piece of a level reaches over the seam, on its other side."""
        wide = piece.buffer(self.cutter * self.radius / max(level, self.cutter), quad_segs=2)
        return [affinity.translate(wide, yoff=by) for by in (-self.turn, self.turn)]


def stacked(layers: Sequence[Layer], smallest: float, tolerance: float, seam: Seam | None = None) -> list[Region]:
    """The pieces of layers as regions that know what lies over them.

    Pieces of no more than `smallest` mm^2 are left to a smaller cutter, unless they can be entered from cleared ground
    beside them; and so is all that lies under them: the cutter would meet them there too. Outlines are thinned to half
    of `tolerance`. On a bar what lies beside a piece over the `seam` lies over it as well: a cutter at the seam goes no
    deeper than one level at once."""
    regions: list[Region] = []
    left: shapely.Geometry = MultiPolygon()
    over = 0
    for layer in layers:
        ground = layer.ground if left.is_empty else areas_of(layer.ground.difference(left))
        pieces = polygons_of(shapely.simplify(ground, tolerance / 2))
        tree, first = shapely.STRtree([region.polygon for region in regions[over:]]), len(regions)
        edge = MultiLineString() if layer.own else layer.free.boundary
        kept = [
            piece.area > smallest or (piece.area > SPECK * smallest and piece.distance(layer.cleared) <= tolerance)
            for piece in pieces
        ]
        regions += [
            Region(
                piece,
                layer.level,
                _lies_over(tree, over, piece, layer.level, seam),
                edge,
                layer.under,
            )
            for piece in itertools.compress(pieces, kept)
        ]
        left = shapely.union_all(
            [left, *(piece.buffer(tolerance) for piece, keep in zip(pieces, kept, strict=True) if not keep)]
        )
        if not layer.own:
            over = first
    return regions


def _lies_over(tree: shapely.STRtree, first: int, piece: Polygon, level: float, seam: Seam | None) -> tuple[int, ...]:
    """Numbers, from `first` on, of the pieces in a tree that are to be cut before a piece under them."""
    shapes = [piece, *(seam.across(piece, level) if seam is not None else ())]
    found = {first + int(k) for shape in shapes for k in tree.query(shape, predicate="intersects")}
    return tuple(sorted(found))


def level_regions(
    task: Task, stepdown: float, leave: float, at_flats: bool = False, worth: float = 0.0
) -> list[Region]:
    """The regions of all levels (see :func:`level_layers`), without pieces too small to get into with a ramp.

    None where nothing stands that is more than the minimum stock. Refused where the cutter finds no room at any level.
    """
    smallest = (0.35 * task.cutter.diameter) ** 2
    layers = level_layers(task, stepdown, leave, at_flats, worth)
    chart = chart_of(task.index)
    seam = Seam(chart.turn, chart.radius, task.cutter.radius) if chart.is_round else None
    if max(largest(layer.free) for layer in layers) <= smallest:
        raise NothingToCut(
            f"there is no room for a {task.cutter.diameter:g} mm cutter inside the boundary above the floor: "
            "use a smaller cutter or a wider boundary"
        )
    return stacked(layers, smallest, task.tolerance, seam)


def cut_in_order(
    regions: Sequence[Region], cut: Callable[[int, F64 | None], Iterator[Pass]], at: F64 | None = None
) -> Iterator[Pass]:
    """The passes of regions, each with all that lies below it before the next; of those side by side the one nearest to
    the cutter first.

    `cut` makes the passes of the region of a number, given where the cutter comes from on the plan; `at` is where it
    comes from to the first."""
    waits = [len(region.above) for region in regions]
    below: list[list[int]] = [[] for _ in regions]
    for k, region in enumerate(regions):
        for over in region.above:
            below[over].append(k)
    groups = [[k for k, count in enumerate(waits) if count == 0]]
    while groups:
        if not groups[-1]:
            groups.pop()
            continue
        k = groups[-1].pop(nearest_to(at, [regions[i].polygon for i in groups[-1]]))
        for item in cut(k, at):
            at = item.end[:2]
            yield item
        for i in below[k]:
            waits[i] -= 1
        groups.append([i for i in below[k] if waits[i] == 0])


def nearest_to(at: F64 | None, shapes: Sequence[shapely.Geometry]) -> int:
    """Which of several shapes is nearest to a place (2,); the first where there is none."""
    return 0 if at is None or len(shapes) < 2 else int(np.argmin(shapely.distance(np.array(shapes), shapely.Point(at))))
