"""Waterline finishing: level contours of the surface, for steep walls that lines leave steps on."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from itertools import chain, islice
from math import ceil, radians, sin, sqrt, tan
from threading import Lock
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray

from nephos.core.arrays import F32, F64, Bool
from nephos.core.cutters import Cutter, Profile
from nephos.core.errors import NothingToCut
from nephos.core.estimate.estimate import Estimate, EstimateInput, travel_seconds
from nephos.core.estimate.height_map_walls import walls_of
from nephos.core.parallel import in_parallel, part
from nephos.core.strategies.clearing.levels import (
    BOTTOM,
    Field,
    contour_generator,
    contour_heights,
    refine_contour,
    tip_field,
)
from nephos.core.strategies.following.follow import follow_runs
from nephos.core.strategies.following.masks import left_over
from nephos.core.strategies.following.wall_order import in_order
from nephos.core.strategies.registry import Strategy, StrategySettings, Task, choice, number
from nephos.core.toolpath import Pass, Passes
from nephos.core.units import Say

DIRECTIONS = {"climb": "climb", "conventional": "conventional", "both": "both ways"}
TO_AND_FRO = "both ways: climb round closed walls; along open ones to and fro, without rapids back"
_CELLS = 16_000_000
"""At most so many in the grid that contours are found in, for memory; on larger boards they come out as chords, and the
cutter rises at corners."""
_MOVED, _THINNED = 0.2, 0.2
"""Shares of the tolerance for how near points come to the contour, and for thinning."""
_LIFT_SHARE = 0.45
"""Share of the paths to the next run of a contour that are lifts, on tall walls (measured on reliefs)."""
_CLOSED_RUN_SECONDS = 0.35
"""Seconds from one closed run of a contour to the next (measured on reliefs)."""
_CORNER_FACTOR = 1.07
"""Corners make a path take this much longer than its length says (measured on reliefs)."""


class FinishWaterlineSettings(StrategySettings):
    """Settings of waterline finishing."""

    stepdown: float = number(
        "Stepdown", 0.4, unit="mm", over=0, high=100, step=0.05, help="at most; made smaller so that all are equal"
    )
    steeper: float = number(
        "Only steeper than",
        35.0,
        unit="°",
        low=0,
        high=89,
        step=5,
        help="from level; shallower ground is left to lines",
    )
    overlap: float = number(
        "Overlap", 1.0, unit="mm", low=0, high=50, step=0.5, help="how far contours go on into shallower ground"
    )
    direction: Literal["climb", "conventional", "both"] = choice("Direction", "climb", DIRECTIONS, help=TO_AND_FRO)
    leave: float = number(
        "Stock to leave", 0.0, unit="mm", low=0, high=20, step=0.1, fold="Heights", help="square to the surface"
    )
    rest: float = number(
        "Only where more is left than",
        0.0,
        unit="mm",
        low=0,
        high=50,
        step=0.05,
        fold="Where",
        help="of stock before this operation; 0 for everywhere",
    )

    @property
    def wants_block(self) -> bool:
        """Rest finishing goes by the block."""
        return self.rest > 0

    @property
    def wants_contours(self) -> bool:
        """As many as there are levels."""
        return True


def _touching(profile: Profile, steeper: float) -> float:
    """Distance from the axis at which the cutter touches ground of a slope (degrees)."""
    if tan(radians(steeper)) >= profile.slope:
        return profile.radius
    return max(profile.flat + profile.corner * sin(radians(max(steeper, 10.0))), 0.05)


def _contour_step(profile: Profile, steeper: float, tolerance: float, area: float) -> float:
    """Grid step at which a chord of the contour stays within 0.3 of the tolerance.

    Round a corner of the part the contour has at least the radius at which the cutter touches ground of that slope; a
    chord as long as the step is step^2 / (8 radius) off it."""
    return float(max(sqrt(8 * _touching(profile, steeper) * 0.3 * tolerance), 0.08, sqrt(area / _CELLS)))


def _steep(field: Field, slope: F32, line: F64, least: float, overlap: float) -> Bool:
    """Which segments of a polyline lie on ground steeper than `least` (rise over run), or within `overlap` of such."""
    middle = (line[1:] + line[:-1]) / 2
    i = np.clip(np.rint((middle[:, 0] - field.x0) / field.step).astype(int), 0, slope.shape[1] - 1)
    j = np.clip(np.rint((middle[:, 1] - field.y0) / field.step).astype(int), 0, slope.shape[0] - 1)
    steep: Bool = slope[j, i] >= least
    if overlap > 0 and steep.any() and not steep.all():
        along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
        places = (along[1:] + along[:-1]) / 2
        known = places[steep]
        after = np.searchsorted(known, places).clip(0, len(known) - 1)
        before = (after - 1).clip(0)
        near = np.minimum(np.abs(known[after] - places), np.abs(known[before] - places))
        steep = near <= overlap
    return steep


def _runs(line: F64, kept: Bool) -> list[F64]:
    """The stretches of a polyline whose segments are kept; a closed line is cut where it is not kept, not at its
    seam."""
    if kept.all():
        return [line]
    if not kept.any():
        return []
    if np.allclose(line[0], line[-1]):
        first = int(np.flatnonzero(~kept)[0])
        line = np.concatenate([line[first:-1], line[: first + 1]])
        kept = np.roll(kept, -first)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], kept.astype(np.int8), [0]])))
    return [line[a : b + 1] for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _contours(
    raw: list[F64], refine: Callable[[F64], None], bounds: "_Bounds", tolerance: float, pit: float
) -> list[F64]:
    """Raw contour lines moved by `refine` to where they truly are, thinned, and kept to where they belong: (n, 2) each.
    Closed ones shorter than `pit` mm are left out: the cutter would go straight down there, and has no room to go
    round."""
    lines = []
    for line in raw:
        exact = np.ascontiguousarray(line)
        refine(exact)
        lines.append(shapely.LineString(exact))
    thinned = shapely.simplify(np.array(lines, object), _THINNED * tolerance, preserve_topology=False)
    inside = bounds.covers(thinned)
    parts = [*thinned[inside], *(part for line in thinned[~inside] for part in bounds.kept(line))]
    # Specks of contour, where level ground ripples by less than the tolerance, cut nothing.
    return [
        shapely.get_coordinates(item) for item in parts if item.length > (pit if item.is_closed else 10 * tolerance)
    ]


def _lines_of(geometry: shapely.Geometry) -> list[shapely.LineString]:
    """The lines of a geometry that are more than a point."""
    return [piece for piece in shapely.get_parts(geometry) if piece.geom_type == "LineString" and piece.length > 0]


class _Bounds:
    """Where contours belong: in a region, and slightly more: `within`, as along upright outer walls they lie on its
    outline.

    In a corner between such walls a chord of a contour, one `step` of its grid long, comes out of the region a little.
    """

    def __init__(self, region: shapely.Geometry, tolerance: float, step: float) -> None:
        self.region, self.step = region, step
        self._within = region.buffer(2 * tolerance)
        shapely.prepare(self._within)
        self._asked = Lock()

    def covers(self, lines: NDArray[np.object_]) -> Bool:
        """Which lines are within altogether."""
        # What GEOS prepares must not be asked by several threads at once.
        with self._asked:
            inside: Bool = shapely.covers(self._within, lines)
        return inside

    def kept(self, line: shapely.LineString) -> list[shapely.LineString]:
        """What of a line is within; where it comes out by no more than a step it goes along the outline instead, and is
        not broken."""
        outside = [self._drawn_in(piece) for piece in _lines_of(shapely.difference(line, self._within))]
        pieces = [
            *_lines_of(shapely.intersection(line, self._within)),
            *(piece for piece in outside if piece is not None),
        ]
        return _lines_of(shapely.line_merge(shapely.MultiLineString(pieces), directed=True)) if pieces else []

    def _drawn_in(self, piece: shapely.LineString) -> shapely.LineString | None:
        """A piece outside moved onto the outline but for its ends, if it is near enough."""
        points = shapely.get_coordinates(shapely.segmentize(piece, self.step / 4))
        paths = shapely.shortest_line(self.region, shapely.points(points))
        if shapely.length(paths).max() > self.step:
            return None
        return shapely.LineString([points[0], *(path.coords[0] for path in paths[1:-1]), points[-1]])


def _slimmed(profile: Profile, leave: float, by: float) -> tuple[Profile, float]:
    """A cutter, and stock to leave, by which contours are followed: thinner by a little in all directions.

    Contours lie within `by` of where the cutter touches. On upright walls the cutter itself would have to rise by a
    multiple of that, and would oscillate in Z along the wall. Sharp cutters are as they are."""
    return (profile, leave - by) if profile.corner + leave >= by else (profile, leave)


def wall_reach(stepdown: float, cutter: Cutter) -> float:
    """How far (mm) the next level of a wall may lie on the plan."""
    return 4 * stepdown + cutter.diameter


def level_passes(task: Task, settings: FinishWaterlineSettings) -> list[Pass]:
    """Level contours of the surface inside the task's region, from the top down, one wall after the other.

    Raises
    ------
    Refused
        Where nothing is as steep as the settings ask for.
    """
    grown = task.cutter.profile.grown(settings.leave)
    x_low, y_low, x_high, y_high = task.region.bounds
    step = _contour_step(grown, settings.steeper, task.tolerance, (x_high - x_low) * (y_high - y_low))
    floor = task.floor - settings.leave
    field = tip_field(task.index, task.region, grown, step, floor, part(task.report, 0.0, 0.3))
    slope, least = (
        np.hypot(*np.gradient(field.tips.astype(np.float32), np.float32(step))),
        tan(radians(settings.steeper)),
    )
    top = min(float(field.tips.max()), task.ceiling)
    if top - floor < BOTTOM * 2:
        raise NothingToCut("there is no wall here: the surface inside the boundary is level")
    heights = contour_heights(top, floor, settings.stepdown)
    generator = contour_generator(field)
    bounds = _Bounds(task.region, task.tolerance, step)
    # Shorter closed contours are pits: the cutter would plunge there.
    pit = _touching(grown, settings.steeper)

    def at_levels(first: int, last: int) -> list[list[F64]]:
        found = []
        made = generator()
        for height in heights[first:last]:
            raw = [
                run
                for line in made.lines(height)
                if len(line) >= 2
                for run in _runs(line, _steep(field, slope, line, least, settings.overlap))
                if len(run) >= 2
            ]
            refine = partial(refine_contour, task.index, field, height, grown, floor, _MOVED * task.tolerance)
            found.append(_contours(raw, refine, bounds, task.tolerance, pit))
        return found

    bands = in_parallel(at_levels, len(heights), max(1, len(heights) // 12), part(task.report, 0.3, 0.6))
    contours = [runs for band in bands for runs in band]
    counts = [len(runs) for runs in contours]
    floors = np.repeat(np.asarray(heights) + settings.leave, counts)
    slim, leave = _slimmed(task.cutter.profile, settings.leave, (_MOVED + _THINNED) * task.tolerance)
    followed = iter(
        follow_runs(
            task.index,
            list(chain.from_iterable(contours)),
            slim,
            leave,
            floors,
            0.5 * task.tolerance,
            part(task.report, 0.6, 1.0),
        )
    )
    levels = [list(islice(followed, count)) for count in counts]
    turned = -1 if settings.direction == "conventional" else 1
    ordered = in_order(
        [[Pass(run[::turned], closed=bool(np.allclose(run[0], run[-1]))) for run in runs] for runs in levels],
        wall_reach(settings.stepdown, task.cutter),
        settings.direction == "both",
    )
    if not ordered:
        raise NothingToCut(
            f"nothing inside the boundary is steeper than {settings.steeper:g}°: give a smaller angle, or finish with "
            "lines"
        )
    return ordered


def _make(task: Task) -> Passes:
    settings: FinishWaterlineSettings = task.settings
    if settings.rest > 0:
        region = task.region.intersection(left_over(task, settings.rest))
        if region.is_empty:
            raise NothingToCut(f"nowhere is more than {settings.rest:g} mm left: nothing to do here")
        task = replace(task, region=region)
    return Passes(
        tuple(level_passes(task, settings)),
        stay_down=wall_reach(settings.stepdown, task.cutter),
        on_surface=True,
        both=settings.direction == "both",
    )


def _describe(settings: FinishWaterlineSettings, cutter: Cutter, say: Say) -> str:
    rest = f"where > {say(settings.rest)} left · " if settings.rest > 0 else ""
    return f"{rest}{say(settings.stepdown)} down · steeper than {settings.steeper:g}°"


def level_seconds(settings: FinishWaterlineSettings, cutter: Cutter, ground: EstimateInput) -> tuple[float, int]:
    """Time of level contours over steep ground, and how many levels they are."""
    layers = max(ceil(ground.relief / settings.stepdown), 1)
    stock_estimate = ground.stock_estimate() if ground.stock_estimate is not None else None
    if stock_estimate is None or stock_estimate.relief.step > cutter.radius / 2:
        # Too coarse a picture for contours. Walls of an area a on the plan rise a tan(angle): so long are their
        # contours for each stepdown.
        length = ground.wall_area(settings.steeper) / settings.stepdown
        return 1.3 * travel_seconds(length, ceil(length / 25), ground.feed, ground.acceleration), layers
    walls = walls_of(
        stock_estimate, cutter.profile, settings.leave, settings.steeper, settings.overlap, settings.stepdown
    )
    # Runs lie anywhere on the ground: from each to the nearest it is about as far as if they lay on a square grid.
    across = sqrt(ground.area / max((walls.open + walls.closed) / walls.levels, 1.0))
    # From one wall to the next it is lifted anyway, and a wall is rarely cut from its top to its foot at once.
    lifted = (
        _LIFT_SHARE
        + (1 - _LIFT_SHARE) * float(np.mean(1 / np.maximum(np.array(walls.tall) / settings.stepdown / 2, 1.0)))
        if walls.tall
        else 0.0
    )
    to_next = lifted * ground.lift_seconds(across, stock_estimate.again)
    return (
        _CORNER_FACTOR * walls.length / ground.feed * 60 + to_next * walls.open + _CLOSED_RUN_SECONDS * walls.closed,
        walls.levels,
    )


def _estimate(settings: FinishWaterlineSettings, cutter: Cutter, _leave: float, ground: EstimateInput) -> Estimate:
    seconds, layers = level_seconds(settings, cutter, ground)
    return Estimate(seconds, layers=layers, lines=layers, scallop=cutter.scallop(settings.stepdown))


STRATEGY = Strategy(
    key="finish_waterline",
    title="Finish, waterline",
    summary="goes round steep walls level by level",
    role="finish",
    settings=FinishWaterlineSettings,
    make=_make,
    describe=_describe,
    estimate=_estimate,
    goes_round=True,
)
