"""Level roughing in rings, from outside in, each region finished to its bottom before the next."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from math import ceil, cos, radians, tan
from typing import Literal

import numpy as np
import shapely
from shapely.geometry import LinearRing, Point, Polygon
from shapely.geometry.polygon import orient

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.memo import Memo
from nephos.core.paths.estimate import Estimate, Ground, Survey, travel_seconds
from nephos.core.paths.levels import HELIX, extra_levels, level_heights, polygons_of
from nephos.core.paths.regions import Region, cut_in_order, level_regions, nearest_to
from nephos.core.paths.registry import Passes, Strategy, StrategySettings, Task, choice, number
from nephos.core.paths.relief import large_pieces
from nephos.core.paths.toolpath import Pass
from nephos.core.polyline import from_nearest
from nephos.core.units import Say

_DIRECTIONS = {"climb": "climb", "conventional": "conventional"}
_FLATS = {"on": "yes", "off": "no"}
_ENTRIES = {"ramp": "ramp along the way", "helix": "helix", "plunge": "straight down"}
_LOOKED = 12
"""Layers that an estimate looks at."""
_STOP = 25.0
"""So many millimetres of ring, on average, take as much time more as stopping once (measured on reliefs)."""
_SAME = 1e-6
_STANDS = 0.8
"""Less than this (mm) over a level is not seen in the coarse picture."""
_AGAIN = 0.52
"""Share of the way that the coarse picture shows in a second roughing."""
_LIFT = 1.0
"""Seconds to lift, go across and come down to a piece (measured)."""


ROUGHING_SHAPES = ("flat", "ball", "bull-nose", "tapered-ball")
"""A pointed cutter clears no level ground."""


class RoughSettings(StrategySettings):
    """Settings that all level roughing shares."""

    stepdown: float = number("Stepdown", 3.0, unit="mm", over=0, high=200, step=0.5,
                             help="at most; made smaller so that all layers are equal")
    stepover: float = number("Stepover", 2.5, unit="mm", over=0, high=200, step=0.25,
                             help="between neighbouring ways")
    leave: float = number("Stock to leave", 0.5, unit="mm", low=0, high=20, step=0.1,
                          help="square to the surface, for the finisher")
    worth: float = number("Worth cutting", 0.3, unit="mm", low=0, high=20, step=0.1, fold="Load",
                          help="where no more than this stands over a level it is left to the finisher")
    engagement: float = number("Engagement", 0.0, unit="°", low=0, high=180, step=10, fold="Load",
                               help="at most so much of the cutter's round in the wall, by a smaller stepover; 0 for no limit")
    flats: Literal["on", "off"] = choice("Extra levels at level ground", "on", _FLATS, fold="Load")
    ramp_angle: float = number("Ramp", 3.0, unit="°", over=0, high=90, step=0.5, fold="Links and entries",
                               help="how steeply the cutter goes down along its way")

    @property
    def wants_block(self) -> bool:
        """Only what stands is cut."""
        return True

    @property
    def ramps(self) -> bool:
        """Whether the cutter goes down on a slope."""
        return self.ramp_angle < 89.9

    def step_for(self, cutter: Cutter) -> float:
        """The stepover, kept to the engagement: along a straight wall the cutter is engaged by acos(1 - step / radius)."""
        if self.engagement <= 0:
            return self.stepover
        return max(min(self.stepover, cutter.radius * (1 - cos(radians(self.engagement)))), 0.02 * cutter.diameter)

    def check_cutter(self, cutter: Cutter) -> None:
        """Refuse ways that would not meet."""
        self._stepover_fits(self.stepover, cutter)


class EnteredSettings(RoughSettings):
    """Settings of roughing that begins in the full."""

    entry: Literal["ramp", "helix", "plunge"] = choice("Entry", "ramp", _ENTRIES, fold="Links and entries",
                                                       help="from outside where that is free")

    @property
    def ramps(self) -> bool:
        """Whether the cutter goes down on a slope."""
        return super().ramps and self.entry != "plunge"


class RoughRingsSettings(EnteredSettings):
    """Settings of roughing in rings."""

    direction: Literal["climb", "conventional"] = choice("Direction", "climb", _DIRECTIONS)


def nested_rings(polygon: Polygon, stepover: float, cleared: float) -> Iterator[Polygon]:
    """The polygon and those inside of it, one stepover apart, each followed by all within it.

    `cleared` is how far inside a ring nothing is left once it has been gone round: the cutter's radius in roughing, where rings
    in necks narrower than that would cut air; the stepover itself in finishing, where every ring counts.
    """
    yield polygon
    for piece in inner_rings(polygon, stepover, cleared):
        yield from nested_rings(piece, stepover, cleared)


def inner_rings(polygon: Polygon, stepover: float, cleared: float) -> list[Polygon]:
    """The next rings inside of one (see :func:`nested_rings`)."""
    if stepover > cleared:
        # The ways on both sides leave a strip between them where the next ring does not fit: one more way down its middle.
        inner = polygons_of(polygon.buffer(-stepover, quad_segs=6).simplify(0.01))
        inner = inner or polygons_of(polygon.buffer(-0.9 * cleared, quad_segs=6).simplify(0.01))
    else:
        kept = 0.98 * cleared
        inner = polygons_of(polygon.buffer(-max(kept, stepover), quad_segs=6).buffer(max(kept - stepover, 0.0), quad_segs=6).simplify(0.01))
    return [piece for piece in inner if piece.length > 0.2 * cleared]


class _Family:
    """The rings of one polygon; those inside of it are found once the first of them is gone round."""

    def __init__(self, polygon: Polygon, climb: bool) -> None:
        turned = orient(polygon, -1.0 if climb else 1.0)
        self.polygon, self.opened = polygon, False
        self.rings = [_Ring(ring, self) for ring in (turned.exterior, *turned.interiors)]


class _Ring:
    """A ring, how many of its neighbours outside of it are still to be gone round, and those inside that wait for it."""

    def __init__(self, line: LinearRing, family: _Family) -> None:
        self.line, self.family = line, family
        self.waits = 0
        self.frees: list[_Ring] = []


def ring_ways(polygon: Polygon, stepover: float, cleared: float, climb: bool, at: F64 | None = None) -> Iterator[F64]:
    """The rings of :func:`nested_rings` as closed ways (n, 2): always the nearest to the cutter of those whose neighbours outside of them
    are done, so that it stays about one hole before it goes on to the next."""
    ready = list(_Family(polygon, climb).rings)
    while ready:
        ring = ready.pop(nearest_to(at, [item.line for item in ready]))
        family = ring.family
        if not family.opened:
            family.opened = True
            for piece in inner_rings(family.polygon, stepover, cleared):
                _await(_Family(piece, climb).rings, family.rings, 1.2 * max(stepover, cleared))
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


def ring_passes(polygon: Polygon, level: float, climb: bool, at: F64 | None, entry: Literal["ramp", "plunge"] = "ramp") -> Iterator[Pass]:
    """The outline and the holes of a polygon as closed passes at `level`, nearest first."""
    for run in ring_runs(polygon, climb, at):
        yield level_ring(run, level, entry)


def level_ring(way: F64, level: float, entry: Literal["ramp", "plunge"] = "ramp") -> Pass:
    """A closed way (n, 2) as a pass at a level."""
    return Pass(np.column_stack([way, np.full(len(way), level)]), closed=True, entry=entry)


def with_helix(item: Pass, polygon: Polygon, radius: float) -> Pass:
    """A ring begun in the middle of its longest straight, with a circle inside its polygon to go down on, where there is room."""
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


def _cut(region: Region, settings: RoughRingsSettings, cutter: Cutter, at: F64 | None) -> Iterator[Pass]:
    ways = ring_ways(region.polygon, settings.step_for(cutter), cutter.radius, settings.direction == "climb", at)
    for k, way in enumerate(ways):
        item = level_ring(way, region.level)
        yield item if k else entered(item, settings, region.polygon, cutter.radius)


def _make(task: Task) -> Passes:
    settings: RoughRingsSettings = task.settings
    regions = level_regions(task, settings.stepdown, settings.leave, settings.flats == "on", settings.worth)
    passes = tuple(cut_in_order(regions, lambda k, at: _cut(regions[k], settings, task.cutter, at)))
    return Passes(passes, stay_down=2.0 * task.cutter.diameter, on_surface=False,
                  ramp_angle=settings.ramp_angle)


def describe_rough(settings: RoughSettings, cutter: Cutter, say: Say) -> str:
    """The key numbers of a roughing operation."""
    return f"{say(settings.stepdown)} down · step {say(settings.stepover)} · leave {say(settings.leave)}"


@dataclass(frozen=True)
class _Work:
    """What there is to rough, over all layers: the area where the cutter goes and its outline (mm^2, mm), pieces to be entered, and layers."""

    area: float
    outline: float
    pieces: float
    layers: int


_WORKS: Memo[_Work] = Memo(128)


def rough_levels(settings: RoughSettings, depth: float, flats: tuple[float, ...]) -> list[tuple[float, bool]]:
    """Heights over the floor at which roughing cuts, the highest first, and which of them are for level ground only."""
    levels = level_heights(depth, min(settings.leave, 0.9 * depth), settings.stepdown)
    own = extra_levels(levels, depth, [z + settings.leave for z in flats]) if settings.flats == "on" else [[] for _ in levels]
    return [item for level, before in zip(levels, own, strict=True) for item in (*((z, True) for z in before), (level, False))]


def _work(settings: RoughSettings, cutter: Cutter, depth: float, survey: Survey) -> _Work:
    """What there is to rough, level by level, in the coarse picture; of many layers some are looked at."""
    relief, cells = survey.relief, survey.relief.step**2
    levels = rough_levels(settings, depth, survey.flats)
    looked = np.unique(np.linspace(0, len(levels) - 1, min(len(levels), _LOOKED)).round().astype(int))
    tips = relief.tips(cutter.profile, settings.leave) - _SAME
    stands = relief.meets(survey.standing, cutter.profile)
    area = outline = found = 0.0
    for k in looked:
        level, flat_only = levels[k]
        free = survey.region & (tips <= level) & (stands > level + _STANDS)
        if flat_only:
            # Only where the next level does not come.
            free &= tips > levels[k + 1][0]
        kept, count = large_pieces(free, (0.35 * cutter.diameter) ** 2 / cells)
        found += count
        area += float(kept.sum()) * cells
        outline += relief.outline_length(kept)
    share = len(levels) / len(looked)
    return _Work(area * share, outline * share, found * share, len(levels))


def estimate_rough(settings: RoughSettings, cutter: Cutter, leave: float, ground: Ground) -> Estimate:
    """Layers of ways one stepover apart, where the coarse picture shows that the cutter goes and material stands."""
    layers = max(ceil((ground.depth - settings.leave) / settings.stepdown - 1e-6), 1)
    step = settings.step_for(cutter)
    ways = ceil(min(ground.width, ground.height) / step / 2)
    if ground.survey is None:
        return Estimate(travel_seconds(layers * ground.area / step, 6 * layers * ways, ground.feed, ground.acceleration), ways, layers)
    survey = ground.survey
    causes = (survey.key, cutter.profile, ground.depth, settings.stepdown, settings.leave, settings.flats)
    work = _WORKS.get(causes, lambda: _work(settings, cutter, ground.depth, survey))
    length = work.area / step + 0.5 * work.outline
    entry = settings.stepdown / tan(radians(settings.ramp_angle)) if settings.ramps else settings.stepdown
    if ground.cleared_by > 0:
        # What is left in corners and steps is less than the coarse picture shows, and short: one number for both (measured on reliefs).
        return Estimate(_AGAIN * length / ground.feed * 60, ways, work.layers)
    seconds = travel_seconds(length, ceil(length / _STOP), ground.feed, ground.acceleration)
    seconds += work.pieces * (entry / ground.plunge_feed * 60 + _LIFT)
    return Estimate(seconds=seconds, lines=ways, layers=work.layers)


STRATEGY = Strategy(
    key="rough_rings", title="Rough, rings", summary="clears level by level, in rings from outside in",
    settings=RoughRingsSettings, shapes=ROUGHING_SHAPES, make=_make, describe=describe_rough, estimate=estimate_rough, skips_air=True, stepped=True,
)
