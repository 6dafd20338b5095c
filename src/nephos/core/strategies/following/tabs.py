"""Tabs: where they stand along a closed path, and how the cutter goes over them."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from shapely.geometry.polygon import orient

from nephos.core.arrays import F64, I64, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.polyline import from_nearest
from nephos.core.strategies.clearing.levels import polygons_of
from nephos.core.surface.drop import Surface, drop_points

_NEAR = Profile.of(2.0, 0.0)
"""So near (mm) the part is looked at to tell how thick it is at its outline."""
_NOTHING_HOLDS = 1e3
"""What it costs a place that nothing would hold there."""
_PLACES = 720
"""Places round a path at which its straightness is judged."""


@dataclass(frozen=True)
class Tab:
    """A tab: its middle along the path, and how long the cutter stays up over it, in millimetres."""

    at: float
    length: float


def _along(path: F64) -> F64:
    return np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(path, axis=0).T))])


def bend(path: F64, length: float) -> tuple[F64, F64]:
    """Places round a closed path (n, 2), and how much (radians) it turns within `length` about each."""
    along = _along(path)
    total = float(along[-1])
    steps = np.diff(path, axis=0)
    heading = np.arctan2(steps[:, 1], steps[:, 0])
    turn = np.abs((np.diff(heading, append=heading[:1]) + np.pi) % (2 * np.pi) - np.pi)
    sums = np.concatenate([[0.0], np.cumsum(np.concatenate([turn, turn, turn]))])
    ends = np.concatenate([along[1:] + k * total for k in (-1, 0, 1)])
    at = np.linspace(0, total, _PLACES, endpoint=False)
    first, last = np.searchsorted(ends, at - length / 2), np.searchsorted(ends, at + length / 2)
    result: F64 = sums[last] - sums[first]
    return at, result


@dataclass(frozen=True)
class Loop:
    """A closed line of an outline, `rim` (n, 2): the outside of a piece, or a `hole` in one."""

    rim: F64
    hole: bool


def loops_of(outline: shapely.Geometry) -> list[Loop]:
    """The outsides of all pieces of an outline, then their holes, which run clockwise so that they are known by it."""
    pieces = polygons_of(outline)
    holes = [Loop(rim_of(shapely.Polygon(ring))[::-1], True) for piece in pieces for ring in piece.interiors]
    return [Loop(rim_of(piece), False) for piece in pieces] + holes


def loops_from(rims: F64, ends: I64) -> list[Loop]:
    """Loops that were kept one behind the other, each ending before one of `ends`."""
    parts = [rims[a:b] for a, b in pairwise([0, *ends])]
    return [Loop(rim, not shapely.is_ccw(shapely.LinearRing(rim))) for rim in parts]


def rim_of(piece: shapely.Polygon) -> F64:
    """The outer outline of a polygon, (n, 2) closed, counterclockwise from its rightmost point: what places on it are
    counted from."""
    ring = np.asarray(orient(piece, 1.0).exterior.coords)
    return from_nearest(ring, ring[int(np.lexsort((ring[:, 1], -ring[:, 0]))[0])])


def rim_heights(index: Surface, rim: F64, floor: float) -> F64:
    """How thick the part is at each point of its outline: the highest within a little of it, over `floor`, in
    millimetres."""
    heights: F64 = drop_points(index, rim, _NEAR, floor) - floor
    return heights


Box = tuple[float, float, float, float]
"""A rectangle on the plan: low x, low y, high x, high y, mm."""


@dataclass(frozen=True)
class Frame:
    """What a tab may hold to: the stock's box on the plan (none where it is not known), the rims of all outlines, and
    how far (mm) from a rim the frame begins: beyond the cutter's path. No tab stands on one of the `seams` (axis and
    place) between tiles."""

    stock: Box | None
    rims: tuple[F64, ...]
    away: float
    seams: tuple[tuple[str, float], ...] = ()

    def missing(self, rim: F64, at: F64, length: float) -> Bool:
        """(n,) bool, at which places along a rim (mm) a tab of `length` would hold to nothing: beside the stock, where
        another outline is too near, or in a notch that the cutter does not get into."""
        along = _along(rim)
        total = float(along[-1])

        def point(places: F64) -> F64:
            return np.column_stack([np.interp(places % total, along, rim[:, k]) for k in (0, 1)])

        ahead = point(at + _STEP) - point(at - _STEP)
        out = np.column_stack([ahead[:, 1], -ahead[:, 0]]) / np.maximum(np.hypot(*ahead.T), 1e-12)[:, None]
        frame = point(at) + self.away * out
        lines = shapely.MultiLineString([*self.rims])
        near = shapely.distance(shapely.points(frame), lines) < abs(self.away) * _ROOM
        if self.stock is not None:
            low, high = np.array(self.stock[:2]), np.array(self.stock[2:])
            near |= (frame < low).any(axis=1) | (frame > high).any(axis=1)
        for axis, seam in self.seams:
            near |= np.abs(point(at)[:, 0 if axis == "x" else 1] - seam) < abs(self.away)
        # All of its length must hold.
        sums = np.concatenate([[0], np.cumsum(np.concatenate([near, near, near]))])
        half = int(np.ceil(length / 2 / total * len(at)))
        k = np.arange(len(at)) + len(at)
        missing: Bool = sums[k + half + 1] - sums[k - half] > 0
        return missing


_STEP = 0.5
"""So far (mm) to both sides of a place an outline's direction is taken from."""
_ROOM = 0.9
"""An outline nearer to the frame than this share of its distance from the tab's own is in its path."""


def places_on(
    rim: F64, thick: F64, count: int, length: float, shift: float = 0.0, frame: Frame | None = None
) -> list[float]:
    """`count` places round an outline, as shares of its length: evenly, each moved up to a quarter of their spacing to
    where the outline is straightest and the part thickest. Where a `frame` is given they are moved farther, or left
    out, where nothing would hold them; where nothing would anywhere, all are placed (the proof says so).

    Parameters
    ----------
    rim : (n, 2) closed outline; `thick` (n,) how thick the part is at its points.
    length : how much of the outline each takes; fewer are placed where they would meet. `shift` moves all of them
    along.
    """
    total = float(_along(rim)[-1])
    count = min(count, int(total / (1.5 * length)))
    if count <= 0:
        return []
    at, turn = bend(rim, length)
    share = np.interp(at, _along(rim), thick) / max(float(thick.max()), 1e-9)
    # A radian of bend weighs as much as no part at all against the thickest.
    cost = turn + (1 - share)
    if frame is not None:
        missing = frame.missing(rim, at, length)
        cost = cost + np.where(missing, _NOTHING_HOLDS, 0.0) if not missing.all() else cost
    spacing = total / count
    # The start that gives the best set, then each for itself.
    starts = np.linspace(0, spacing, 24, endpoint=False)
    wanted = starts[:, None] + spacing * np.arange(count)
    middle = wanted[int(np.interp(wanted, at, cost, period=total).sum(axis=1).argmin())]
    places = []
    for place in middle:
        near = np.linspace(-spacing / 4, spacing / 4, 41)
        costs = np.interp(place + near, at, cost, period=total) + 1e-3 * np.abs(near) / spacing
        if costs.min() >= _NOTHING_HOLDS / 2:
            near, costs = 2 * near, np.interp(place + 2 * near, at, cost, period=total) + 1e-3 * np.abs(near) / spacing
        if costs.min() < _NOTHING_HOLDS / 2:
            places.append(float((place + near[int(costs.argmin())] + shift) % total / total))
    return sorted(places)


def point_on(rim: F64, share: float) -> F64:
    """The point (2,) of an outline at a share of its length."""
    along = _along(rim)
    point: F64 = np.array([np.interp(share % 1.0 * along[-1], along, rim[:, k]) for k in (0, 1)])
    return point


def tabs_on(path: F64, rim: F64, places: list[float], length: float) -> list[Tab]:
    """Tabs on the cutter's path (n, 2) beside places on the outline; `length` is how long the cutter stays up."""
    line = shapely.LineString(path)
    found = [Tab(float(line.project(shapely.Point(point_on(rim, share)))), length) for share in places]
    return sorted(found, key=lambda tab: tab.at)


def _raised(places: F64, base: F64, total: float, tabs: list[Tab], height: float, slope: float) -> F64:
    """Heights at places along an unrolled way: `base` (n,), or that of the tabs where they stand higher."""
    z = base.copy()
    for tab in tabs:
        # How far from the middle of the tab, the path being closed.
        off = np.abs((places - tab.at + total / 2) % total - total / 2) - tab.length / 2
        up = np.where(off <= 1e-9, height, height - off / slope if slope > 0 else -np.inf)
        z = np.maximum(z, up)
    return z


def _corners(total: float, lowest: float, tabs: list[Tab], height: float, slope: float) -> F64:
    """Places along a closed path where shoulders begin and end, for heights down to `lowest`."""
    reach = max(slope * (height - lowest), 1e-3)
    marks = [tab.at + side * (tab.length / 2 + more) for tab in tabs for side in (-1, 1) for more in (0.0, reach)]
    return np.array(marks) % total


def over_tabs(path: F64, level: float, tabs: list[Tab], height: float, slope: float) -> F64:
    """A closed path (n, 2) at `level`, raised to `height` over its tabs: (m, 3).

    `slope` is how far the shoulders reach along the path for each millimetre up; 0 goes straight up.
    """
    along = _along(path)
    total = float(along[-1])
    places = (
        along if level >= height else np.unique(np.concatenate([along, _corners(total, level, tabs, height, slope)]))
    )
    z = _raised(places, np.full(len(places), level), total, tabs, height, slope)
    return np.column_stack([np.interp(places, along, path[:, 0]), np.interp(places, along, path[:, 1]), z])


def ramping_down(path: F64, levels: list[float], tabs: list[Tab], height: float, slope: float, rise: float) -> F64:
    """A closed path (n, 2) cut at each level in turn, going down along itself from one to the next: (m, 3).

    `rise` is how far it goes along for each millimetre down. It begins at the first level; each level is
    cut all the way round, and then as far again as it takes to go down to the next.
    """
    along = _along(path)
    total = float(along[-1])
    knots, heights = [0.0, total], [levels[0], levels[0]]
    for upper, lower in pairwise(levels):
        needed = max(rise * (upper - lower), 1e-6)
        knots += [knots[-1] + needed, knots[-1] + needed + total]
        heights += [lower, lower]
    turns = np.arange(int(np.ceil(knots[-1] / total)) + 1)[:, None] * total
    shoulders = _corners(total, levels[-1], tabs, height, slope) if tabs and levels[-1] < height else np.empty(0)
    places = np.unique(np.concatenate([knots, (along[:-1] + turns).ravel(), (shoulders + turns).ravel()]))
    places = places[places <= knots[-1]]
    z = _raised(places, np.interp(places, knots, heights), total, tabs, height, slope)
    on = places % total
    return np.column_stack([np.interp(on, along, path[:, 0]), np.interp(on, along, path[:, 1]), z])
