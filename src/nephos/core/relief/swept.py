"""Pieces swept along a curve: beads, a rope, a drawn section."""

from dataclasses import dataclass
from math import pi

import numpy as np
import shapely
from scipy.spatial import cKDTree

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.relief.nearest_line import LineIndex, line_index, nearest
from nephos.core.relief.outline import Line, arc_steps
from nephos.core.relief.piece import Heights, Lines, lines_of
from nephos.core.relief.shaped import rings_of_area
from nephos.core.relief.shapes import Bead, Rope, Section

__all__ = ["BeadPiece", "SweptPiece", "swept_piece"]


def _whole(line: Line) -> shapely.Geometry:
    points, closed = line
    return shapely.LineString(np.concatenate([points, points[:1]]) if closed else points)


@dataclass(frozen=True)
class BeadPiece:
    """Half round beads (ellipsoids where they are not as high as wide) with their middles `spots` (n, 2)."""

    area: shapely.Geometry
    spots: F64
    radius: float
    height: float
    steep: bool = False

    def heights(self, xy: F64) -> Heights:
        """Its heights at places (n, 2) in its area."""
        distance, which = cKDTree(self.spots).query(xy)
        share = np.minimum(distance / self.radius, 1.0)
        return Heights(self.height * np.sqrt(1 - share**2), np.asarray(which, np.int32))

    def lines(self, tolerance: float) -> Lines:
        """Rings on each bead, as lines, so that triangles do not reach across them where they lie close."""
        larger = max(self.radius, self.height)
        # So far apart the diagonals between rings are within the tolerance too.
        step = 0.7 * (3.6 * tolerance / larger) ** 0.5
        tilt = np.linspace(0, pi / 2, max(2, int(np.ceil(pi / 2 / step))) + 1)[1:-1]
        rings: list[Line] = []
        for q in self.radius * np.sin(tilt):
            a = np.linspace(0, 2 * pi, max(6, int(np.ceil(2 * pi * q / self.radius / step))), endpoint=False)
            own = q * np.stack([np.cos(a), np.sin(a)], 1)
            rings += [(spot + own, True) for spot in self.spots]
        return lines_of(rings, self.spots)


@dataclass(frozen=True)
class SweptPiece:
    """A rope or a section along curves."""

    area: shapely.Geometry
    curves: tuple[Line, ...]
    index: LineIndex
    shape: Rope | Section
    height: float
    steep: bool = False

    def heights(self, xy: F64) -> Heights:
        """Its heights at places (n, 2) in its area."""
        found = nearest(self.index, xy)
        half = self.shape.width / 2
        u = np.clip(np.copysign(found.distance, found.side), -half, half)
        if isinstance(self.shape, Section):
            knots = np.linspace(-half, half, len(self.shape.heights))
            rise = self.height * np.interp(u, knots, self.shape.heights)
            span = np.clip(np.searchsorted(knots, u), 1, len(knots) - 1)
            return Heights(rise, (found.run * 128 + span).astype(np.int32))
        rise, strand = _rope(u, found.along, self.index.lengths[found.line], self.shape)
        return Heights(self.height * rise, (found.run * 8 + strand).astype(np.int32))

    def lines(self, tolerance: float) -> Lines:
        """The knots of a section as creases; points along a rope."""
        if isinstance(self.shape, Section):
            half = self.shape.width / 2
            creases = [
                line
                for u in np.linspace(-half, half, len(self.shape.heights))[1:-1]
                for line in _beside(self.curves, u)
            ]
            return lines_of(creases)
        step = self.shape.width / 10
        seeds = [np.zeros((0, 2))]
        for u in np.linspace(-0.45, 0.45, 9) * self.shape.width:
            for line in _beside(self.curves, float(u)):
                whole = _whole(line)
                at = np.linspace(0, whole.length, max(2, int(whole.length / step)))
                seeds.append(shapely.get_coordinates(shapely.line_interpolate_point(whole, at)))
        return lines_of([], np.concatenate(seeds))


def _rope(u: F64, along: F64, length: F64, rope: Rope) -> tuple[F64, F64]:
    """Share of its height of a rope, and which strand is uppermost.

    Seen in its cross section a rope is `strands` circles on a circle, turned by its place along the curve. The lead is
    fitted so that a closed curve takes a whole number of twists."""
    twists = np.maximum(np.round(length / rope.lead), 1.0)
    outer = rope.width / 2
    radius = outer * np.sin(pi / rope.strands) / (1 + np.sin(pi / rope.strands)) * 1.08
    middle = outer - radius
    turn = 2 * pi * along / length * twists
    best, which = np.zeros(len(u)), np.zeros(len(u))
    for k in range(rope.strands):
        a = turn + 2 * pi * k / rope.strands
        off = u - middle * np.cos(a)
        z = middle * np.sin(a) + np.sqrt(np.maximum(radius**2 - off**2, 0.0))
        z = np.where(np.abs(off) < radius, z, 0.0) / outer
        higher = z > best
        best, which = np.where(higher, z, best), np.where(higher, k + 1.0, which)
    return best, which


def _beside(curves: tuple[Line, ...], by: float) -> list[Line]:
    """The curves moved `by` mm to their left."""
    out: list[Line] = []
    for points, closed in curves:
        if abs(by) < 1e-12:
            out.append((points, closed))
        elif closed:
            ring = shapely.Polygon(points)
            inside = by if ring.exterior.is_ccw else -by
            out += rings_of_area(ring.buffer(-inside, quad_segs=64, join_style="round"))
        else:
            found = shapely.offset_curve(shapely.LineString(points), by, quad_segs=64)
            out += [(shapely.get_coordinates(item), False) for item in shapely.get_parts(found)]
    return [line for line in out if len(line[0]) > 1]


def _spots(line: Line, pitch: float) -> F64:
    """Places along a curve, as near to `pitch` apart as a whole number of them allows."""
    whole = _whole(line)
    closed = line[1]
    count = max(1, int(round(whole.length / pitch)))
    at = np.arange(count) / count if closed else np.linspace(0, 1, count + 1)
    return shapely.get_coordinates(shapely.line_interpolate_point(whole, at * whole.length))


def swept_piece(
    curves: list[Line], shape: Bead | Rope | Section, height: float, chord: float
) -> BeadPiece | SweptPiece:
    """A piece that rises `height` mm (more than 0) along curves."""
    half = shape.width / 2
    quarter = arc_steps(half, pi / 2, chord)
    if isinstance(shape, Bead):
        spots = np.concatenate([_spots(line, shape.width * shape.spacing) for line in curves])
        if len(spots) > 5000:
            raise Refused(f"the row has {len(spots)} beads: make them larger, or their spacing wider")
        discs = shapely.buffer(shapely.points(spots), half, quad_segs=quarter)
        return BeadPiece(shapely.union_all(discs), spots, half, height)
    area = shapely.union_all([_whole(line).buffer(half, quad_segs=quarter, cap_style="flat") for line in curves])
    return SweptPiece(area, tuple(curves), line_index(curves), shape, height)
