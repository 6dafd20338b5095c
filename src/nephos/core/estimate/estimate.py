"""What a setting costs, from cheap geometry, before anything is calculated."""

from collections.abc import Callable
from dataclasses import dataclass, field
from math import ceil, cos, radians, sin, tan

import numpy as np

from nephos.core.arrays import F32, Bool
from nephos.core.estimate.height_map import HeightMap
from nephos.core.estimate.perimeter import Around
from nephos.core.linking.link import OVER_BLOCK, SURFACE_RAMP
from nephos.core.linking.slope_feed import slope_share
from nephos.core.memo import Memo


@dataclass(frozen=True)
class StockEstimate:
    """The ground as a coarse picture: its relief, where of it the axis goes, (ny, nx), how high material stands over
    the floor before, (ny, nx) float32 once it is asked for, and at which heights there is level ground; `again` where
    it was roughed before; `pitch` is that of the block. `key` stands for all of it, `place` for relief and region: what
    has the same is the same."""

    key: str
    place: str
    relief: HeightMap
    region: Bool
    stands: Callable[[], F32]
    flats: tuple[float, ...] = ()
    again: bool = False
    pitch: float = 0.25

    @property
    def standing(self) -> F32:
        """How high material stands before the operation."""
        return self.stands()

    def top(self, reach: float) -> float:
        """How high anything stands in the box of the region, and so far round it."""
        return highest_in(self.relief, self.standing, self.region, reach)


def highest_in(relief: HeightMap, standing: F32, region: Bool, reach: float) -> float:
    """How high anything stands in the box of a region, and so far round it."""
    border = ceil(reach / relief.step)
    rows, columns = (np.flatnonzero(region.any(axis=axis)) for axis in (1, 0))
    if len(rows) == 0:
        return 0.0
    seen = standing[
        max(rows[0] - border, 0) : rows[-1] + border + 1, max(columns[0] - border, 0) : columns[-1] + border + 1
    ]
    return max(float(seen.max()), 0.0)


_LIFT = 0.32
"""So many seconds a lift takes but for going across and down (measured)."""
_DOWN = 1.7
"""So far (mm) the cutter goes down on a run where it was roughed, on average; elsewhere it goes down from over the
block."""


@dataclass(frozen=True)
class EstimateInput:
    """What an estimate may know of the ground an operation works on: lengths in millimetres, feeds in mm/min.

    `width`, `height` are of the region's box, `area` and `perimeter` of the region itself, in `loops` loops; `around`
    are the paths round the boundary. `depth` is from the top of the block to the floor, `relief` the height of the
    model's surface over it, `thickness` that of the stock. `shares` are heights over the floor that a tenth, two tenths
    ... of the region's ground stay under; `slopes` the same for its slopes in degrees. `walls` are areas seen from the
    side of all that is steeper than angles evenly from 0 to 90 degrees. `stock_estimate` looks at the ground as a
    coarse picture, where there is a model."""

    width: float
    height: float
    depth: float
    relief: float
    top: float
    feed: float
    plunge_feed: float
    rapid: float = 6000.0
    acceleration: float = 500.0
    thickness: float = 20.0
    area: float = 0.0
    perimeter: float = 0.0
    loops: int = 1
    around: Around = ()
    shares: tuple[float, ...] = field(default=())
    slopes: tuple[float, ...] = field(default=())
    walls: tuple[float, ...] = field(default=())
    stock_estimate: "Callable[[], StockEstimate] | None" = None

    @property
    def mean_height(self) -> float:
        """Of the ground over the floor."""
        return float(np.mean(self.shares)) if self.shares else self.relief / 2

    @property
    def steepness(self) -> float:
        """How much longer paths over the ground are than on the plan; a path crosses a slope at any angle to it."""
        return (
            float(np.mean(np.sqrt(1 + np.tan(np.radians(np.minimum(self.slopes, 75))) ** 2 / 2)))
            if self.slopes
            else 1.2
        )

    @property
    def surface_feed(self) -> float:
        """Mean feed (mm/min) of paths over the ground, which go down no faster than the plunge feed."""
        return self.feed / slope_share(np.asarray(self.slopes), self.feed, self.plunge_feed)

    def lift_seconds(self, across: float, again: bool) -> float:
        """Up from a run, so far (mm) across to the next, and down on it; `again` where it was roughed before. In the
        full the way down is a ramp."""
        down = _DOWN if again else (self.depth - self.relief / 2) / sin(radians(SURFACE_RAMP)) + OVER_BLOCK
        return _LIFT + across / self.rapid * 60 + down / self.plunge_feed * 60

    def steeper_than(self, angle: float) -> float:
        """Share of the region's ground that is steeper than an angle."""
        if not self.slopes:
            return 0.2
        ends = np.array([0.0, *self.slopes])
        return 1 - float(np.interp(angle, ends, np.linspace(0, 1, len(ends))))

    def wall_area(self, angle: float) -> float:
        """Area, seen from the side, of all ground steeper than an angle."""
        if not self.walls:
            return 0.2 * self.area * tan(radians(max(angle, 45.0)))
        return float(np.interp(angle, np.linspace(0, 90, len(self.walls)), self.walls))


@dataclass(frozen=True)
class Estimate:
    """Costs of an operation as it is set: scallop height in mm, lines, layers, seconds."""

    seconds: float
    lines: int = 0
    layers: int = 0
    scallop: float | None = None


def line_count(width: float, height: float, angle: float, stepover: float) -> tuple[int, float]:
    """Number of parallel lines over a rectangle, and their mean length in millimetres."""
    a = radians(angle)
    span = abs(width * sin(a)) + abs(height * cos(a))
    lines = ceil(span / stepover - 1e-9) + 1
    return lines, width * height / max(span, 1e-9)


_STARTS: Memo[int] = Memo(96)


def line_starts(stock_estimate: StockEstimate, angle: float) -> int:
    """How many times parallel lines over the region begin anew, as its outline breaks them; they are taken to lie along
    rows or columns."""
    rows = abs(cos(radians(angle))) >= abs(sin(radians(angle)))

    def counted() -> int:
        along = stock_estimate.region if rows else stock_estimate.region.T
        runs = (np.diff(along.astype(np.int8), axis=1, prepend=0) == 1).sum(axis=1)
        return int(np.maximum(np.diff(runs, prepend=0), 0).sum())

    return _STARTS.get((stock_estimate.place, rows), counted)


def travel_seconds(length: float, stretches: int, feed: float, acceleration: float) -> float:
    """Seconds for `length` mm at `feed` with as many stops from and to rest as there are `stretches`."""
    speed = feed / 60
    return length / speed + stretches * speed / acceleration
