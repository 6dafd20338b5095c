"""Clearing level ground in fronts, each so near to what is free already that the cutter is never engaged more than
asked.

What is free grows from its edge one step at a time, inside the piece; the edge of each growth is a path to cut. In the
open, fronts are as long as the piece is wide; in a slot they are arcs from wall to wall; into a corner they get
shorter. Rings, in contrast, begin in the full and meet every inner corner with up to half of the cutter's round."""

from collections.abc import Iterator
from dataclasses import dataclass
from math import cos, inf, radians, sqrt

import numpy as np
import shapely
from shapely.geometry import LineString, Point, Polygon
from shapely.ops import substring

from nephos.core.arrays import F64
from nephos.core.strategies.clearing.engagement import Standing
from nephos.core.strategies.clearing.levels import HELIX, areas_of, polygons_of

_TIGHT = 0.25
"""Where there is less room than so many radii of the cutter it is a slot, to be cut in the full."""
_CORNERS = (1.0, 0.5, 0.2)
"""Radii, in those of the cutter, with which fronts turn into walls: the largest with which they still get ahead. A
cutter that meets a front and a wall in a sharp corner is engaged on both sides at once."""
_LEAST = 0.15
"""The least step, in those of a straight front."""
_CHANGE = (0.6, 1.4)
"""How much shorter or longer a step may be than the one before it."""
_AIR = 0.25
"""So much of a path through air is kept before and after what it cuts, in radii of the cutter."""
_MOSTLY = 90
"""The load of a front is what this percentage of its path stays under; the rest are corners of a moment."""
_AHEAD = 0.3
"""A rounded front gets ahead if it frees this share of what a sharp one would."""
_GRAZING = 0.06
"""Paths begin and end where they would take off less than this share of a step."""
_LEFT = 0.05
"""What is left in strips narrower than twice this, in radii of the cutter, is none."""
_ROUNDED = 0.01
"""Fronts are simplified by as much (mm), and kept as far off the edge of the piece for it."""
_TILE = 8.0
"""Ground that is free from the outset is kept in tiles of so many radii."""
_NOTHING = 1e-3
"""Less ground (mm^2) is none."""
_ARC = 8
"""Chords to a quarter of a circle."""


def step_at(radius: float, engagement: float, cleared: float) -> float:
    """The step, mm, at which a cutter going round a free circle is engaged by `engagement` degrees.

    Parameters
    ----------
    radius : of the cutter, mm.
    cleared : radius of the circle that its centre has been in, mm; infinite for a straight edge.

    Notes
    -----
    The cutter about a centre c + a away from the middle of the circle leaves the free ground, of radius c + r, at an
    angle t from straight
    outward, where by the law of cosines (c + r)^2 = (c + a)^2 + r^2 + 2 r (c + a) cos t. This is solved for a; for a
    straight edge it is
    a = r (1 - cos t).
    """
    c = cos(radians(engagement))
    if cleared == inf:
        return radius * (1 - c)
    half = cleared + radius * c
    return sqrt(half * half + 2 * cleared * radius * (1 - c)) - half


@dataclass(frozen=True)
class Path:
    """One path to cut: `points` (n, 2) with the material on the right.

    `helix` is the middle of the circle that it is, to be gone down on; a `slot` has to be cut in the full, as there is
    room for no less."""

    points: F64
    closed: bool = False
    helix: tuple[float, float] | None = None
    slot: bool = False


@dataclass(frozen=True)
class _Front:
    """An edge of what is free, to grow from by `step` mm."""

    line: shapely.Geometry
    step: float


class _Free:
    """What is free so far, in patches."""

    def __init__(self, first: shapely.Geometry, tile: float) -> None:
        self._patches = _tiles(first, tile)

    def add(self, patch: shapely.Geometry) -> None:
        self._patches.append(patch)

    def near(self, place: shapely.Geometry) -> shapely.Geometry:
        """All of it that touches a place, as one."""
        shapely.prepare(place)
        patches = np.array(self._patches, object)
        return shapely.union_all(patches[shapely.intersects(place, patches)])

    def whole(self) -> shapely.Geometry:
        """All of it, as one."""
        return shapely.union_all(self._patches)


@dataclass(frozen=True)
class Clearing:
    """Clears pieces of level ground with a cutter of `radius` mm, engaged by `engagement` degrees and in steps of
    `most` mm at most.

    The load on each front is measured on what is `standing`, and the next one's step follows from it.
    """

    radius: float
    engagement: float
    most: float
    standing: Standing

    def paths(self, piece: Polygon, outside: shapely.Geometry) -> Iterator[Path]:
        """The paths that clear a piece, in their order.

        Parameters
        ----------
        piece : where the cutter's centre may be, and would meet material.
        outside : where it may be without meeting any, to come in from.
        """
        for part in polygons_of(piece.buffer(-_ROUNDED)):
            yield from self._cleared(part, areas_of(part.intersection(outside)))

    @property
    def straight(self) -> float:
        """The step along a straight front."""
        return max(min(self.most, step_at(self.radius, self.engagement, inf)), 0.02 * self.radius)

    def _next_step(self, step: float, load: float) -> float:
        """The step after one under a load of so many degrees."""
        if load <= 0:
            return step
        wanted = (1 - cos(radians(self.engagement))) / (1 - cos(radians(load)))
        return min(max(step * min(max(wanted, _CHANGE[0]), _CHANGE[1]), _LEAST * self.straight), self.straight)

    def _cleared(self, part: Polygon, begun: shapely.Geometry) -> Iterator[Path]:
        fronts = self._edges(begun.boundary, part)
        if fronts:
            free = _Free(begun, _TILE * self.radius)
        else:
            circle = shapely.maximum_inscribed_circle(part, tolerance=_LEFT * self.radius)
            if circle.length < _TIGHT * self.radius:
                yield from (
                    Path(np.asarray(ring.coords), closed=True, slot=True) for ring in (part.exterior, *part.interiors)
                )
                return
            cleared = min(HELIX * self.radius, circle.length - _ROUNDED)
            middle = shapely.get_point(circle, 0)
            disc = middle.buffer(cleared, quad_segs=2 * _ARC)
            yield Path(np.asarray(disc.exterior.coords), closed=True, helix=(middle.x, middle.y))
            self.standing.go(np.asarray(disc.exterior.coords), self.radius)
            free = _Free(disc, _TILE * self.radius)
            fronts = [_Front(disc.exterior, min(self.straight, step_at(self.radius, self.engagement, cleared)))]
        done = -1.0
        while fronts:
            yield from self._grown(part, fronts, free)
            known = free.whole()
            left = self._left(part, known)
            # Where fronts get no farther, what is left is begun anew.
            if known.area <= done + _NOTHING:
                break
            done = known.area
            fronts = [
                front for piece in left for front in self._edges(piece.boundary.intersection(known.buffer(1e-3)), part)
            ]
        for piece in left:
            if piece.length > self.radius:
                yield from self._cleared(piece, Polygon())

    def _left(self, part: Polygon, known: shapely.Geometry) -> list[Polygon]:
        """Pieces of a part that are not free, without hair-thin ones."""
        hair = _LEFT * self.radius
        found = [
            piece.buffer(hair) for piece in polygons_of(part.difference(known.buffer(hair))) if piece.area > hair * hair
        ]
        return polygons_of(shapely.union_all(found).intersection(part).difference(known))

    def _edges(self, boundary: shapely.Geometry, part: Polygon) -> list[_Front]:
        """What of a boundary lies inside of a part, as straight fronts."""
        inside = boundary.difference(part.boundary.buffer(1e-3))
        return [_Front(line, self.straight) for line in _lines_of(inside, 0.1 * self.radius)]

    def _grown(self, part: Polygon, fronts: list[_Front], free: _Free) -> Iterator[Path]:
        """Fronts grown from fronts, one branch to its end before the next."""
        at = Point(fronts[-1].line.coords[-1])
        while fronts:
            front = fronts.pop()
            step = front.step
            pieces = shapely.get_parts(front.line.buffer(step, quad_segs=_ARC).intersection(part))
            # Behind a thin wall the ground belongs to another front.
            patch = shapely.union_all(pieces[shapely.intersects(front.line, pieces)])
            before = free.near(patch.buffer(2 * self.radius))
            grazed = before.buffer(_GRAZING * step)
            patch = self._rounded(patch, before, grazed)
            if patch.is_empty:
                continue
            patch = patch.simplify(0.5 * _ROUNDED)
            free.add(patch)
            found = []
            for line in _nearest_first(_lines_of(patch.boundary.difference(grazed), 0.1 * step), at):
                turned = _with_material_on_right(line.simplify(0.5 * _ROUNDED), front.line, step)
                degrees, along = self.standing.go(np.asarray(turned.coords), self.radius)
                met = degrees > 0
                if met.any():
                    at = Point(turned.coords[-1])
                    yield _met_part(turned, along[met], self.radius)
                found.append(
                    _Front(
                        turned, self._next_step(step, float(np.percentile(degrees[met], _MOSTLY)) if met.any() else 0.0)
                    )
                )
            # The last one cut is grown from first: the cutter is there.
            fronts.extend(found)

    def _rounded(self, patch: shapely.Geometry, before: shapely.Geometry, grazed: shapely.Geometry) -> shapely.Geometry:
        """As much of a patch as leaves free ground without sharp corners."""
        new = patch.difference(grazed).area
        if new < _NOTHING:
            return Polygon()
        both = shapely.union_all([patch, before])
        for share in _CORNERS:
            turn = share * self.radius
            rounded = patch.intersection(both.buffer(-turn, quad_segs=_ARC).buffer(turn - 1e-4, quad_segs=_ARC))
            if rounded.difference(grazed).area > _AHEAD * new:
                return rounded
        return patch


def _tiles(shape: shapely.Geometry, size: float) -> list[shapely.Geometry]:
    """A shape cut into pieces no larger than `size`, so that looking at one place of it does not cost as much as the
    whole."""
    if shape.is_empty:
        return []
    x0, y0, x1, y1 = shape.bounds
    if max(x1 - x0, y1 - y0) <= size:
        return [shape]
    x, y = (x0 + x1) / 2, (y0 + y1) / 2
    across, along = (
        (shapely.box(x0, y0, x, y1), shapely.box(x, y0, x1, y1)),
        (shapely.box(x0, y0, x1, y), shapely.box(x0, y, x1, y1)),
    )
    halves = across if x1 - x0 > y1 - y0 else along
    return [tile for half in halves for tile in _tiles(shape.intersection(half), size)]


def _lines_of(geometry: shapely.Geometry, least: float) -> list[LineString]:
    """The lines of a geometry, joined where they meet, those longer than `least`."""
    parts = shapely.get_parts(shapely.line_merge(geometry))
    return [line for line in parts if line.geom_type in ("LineString", "LinearRing") and line.length > least]


def _nearest_first(lines: list[LineString], at: Point) -> Iterator[LineString]:
    """Lines, each the nearest to the one before."""
    left = list(lines)
    while left:
        k = int(np.argmin([line.distance(at) for line in left])) if len(left) > 1 else 0
        yield left[k]
        at = Point(left.pop(k).coords[-1])


def _met_part(line: LineString, along: F64, radius: float) -> Path:
    """A line as a path, from where it first meets material to where it last does, at `along` mm, and a little more."""
    first, last = along[0] - _AIR * radius, along[-1] + _AIR * radius
    if first <= 0 and last >= line.length:
        return Path(np.asarray(line.coords), closed=line.is_closed)
    return Path(np.asarray(substring(line, max(first, 0.0), min(last, line.length)).coords))


def _with_material_on_right(line: LineString, parent: shapely.Geometry, step: float) -> LineString:
    """A front turned so that the one it grew from lies on its left."""
    points = np.asarray(line.coords)
    middles = (points[:-1] + points[1:]) / 2
    k = int(shapely.distance(parent, shapely.points(middles)).argmax())
    ahead = points[k + 1] - points[k]
    aside = np.array([ahead[1], -ahead[0]]) / max(float(np.hypot(*ahead)), 1e-12) * 0.3 * step
    right, left = (float(parent.distance(Point(middles[k] + path))) for path in (aside, -aside))
    return line if right >= left else line.reverse()
