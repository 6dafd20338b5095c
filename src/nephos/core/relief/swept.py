"""Pieces swept along a curve: beads, a rope, a drawn section."""

from dataclasses import dataclass
from math import pi

import numpy as np
import shapely
from scipy.spatial import cKDTree

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.relief.nearest_line import LineIndex, direction_at, line_index, nearest, smooth_along
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
        along = smooth_along(self.index, xy, found)
        rise, strand = _rope(u, along, self.index.lengths[found.line], self.shape)
        return Heights(self.height * rise, (found.run * 4096 + strand).astype(np.int32))

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
        larger = max(self.shape.width / 2, self.height)
        tilts = np.linspace(-pi / 2, pi / 2, max(7, int(np.ceil(pi / (0.8 * (3.6 * tolerance / larger) ** 0.5)))))
        pitch = self.shape.lead / self.shape.strands
        step = 0.8 * (3.6 * tolerance / (8 * _GROOVE * self.height)) ** 0.5 * pitch
        lines: list[Line] = []
        for line in self.curves:
            lines += _grooves(line, self.shape, tilts[1:-1])
        for tilt in tilts[1:-1]:
            for points, closed in _beside(self.curves, self.shape.width / 2 * float(np.sin(tilt))):
                whole = _whole((points, closed))
                n = max(4, int(np.ceil(whole.length / step)))
                at = np.linspace(0, whole.length, n, endpoint=not closed)
                lines.append((shapely.get_coordinates(shapely.line_interpolate_point(whole, at)), closed))
        return lines_of(lines)


_SHARP = 0.35
"""A rope goes round a corner of more than this (radians) in an arc."""
_GROOVE = 0.35
"""How deep the grooves between strands are, as a share of the height there."""


def _leads(length: F64, rope: Rope) -> F64:
    """The lead of a rope on curves so long: on each a whole number of twists."""
    fitted: F64 = length / np.maximum(np.round(length / rope.lead), 1.0)
    return fitted


def _rope(u: F64, along: F64, length: F64, rope: Rope) -> tuple[F64, F64]:
    """Share of its height of a rope, and the number of the strand there.

    A half round bar, with strands that run round it as helices; each rises from the grooves beside it as a parabola."""
    share = np.clip(u / (rope.width / 2), -1.0, 1.0)
    turn = rope.strands * (along / _leads(length, rope) + np.arcsin(share) / (2 * pi))
    strand = np.floor(turn)
    rise = np.sqrt(1 - share**2) * (1 - _GROOVE * (2 * (turn - strand) - 1) ** 2)
    return rise, strand


def _grooves(line: Line, rope: Rope, tilts: F64) -> list[Line]:
    """The grooves of a rope along a curve, as lines on the plan."""
    whole, closed = _whole(line), line[1]
    index = line_index([line])
    lead = float(_leads(np.array([whole.length]), rope)[0])
    count = int(round(whole.length / lead * rope.strands))
    out: list[Line] = []
    for k in range(-rope.strands, count + rope.strands + 1):
        at = lead * (k / rope.strands - tilts / (2 * pi))
        inside = (at >= 0) & (at < whole.length)
        if closed and not (0 <= k < count):
            continue
        if not closed and inside.sum() < 2:
            continue
        at, u = (at % whole.length, tilts) if closed else (at[inside], tilts[inside])
        spots = shapely.get_coordinates(shapely.line_interpolate_point(whole, at))
        way = direction_at(index, at)
        left = np.stack([-way[:, 1], way[:, 0]], 1)
        out.append((spots + (rope.width / 2 * np.sin(u))[:, None] * left, False))
    return out


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


def _bent(line: Line, radius: float, chord: float) -> Line:
    """A curve that goes round its sharp corners in arcs of a radius, as a rope does: smaller ones where its straight
    parts are too short. Chords lie within `chord` of the arcs."""
    points, closed = line
    n = len(points)
    out: list[F64] = []
    for k, corner in enumerate(points):
        if not closed and k in (0, n - 1):
            out.append(corner[None])
            continue
        back, on = points[k - 1] - corner, points[(k + 1) % n] - corner
        before, after = float(np.hypot(*back)), float(np.hypot(*on))
        turn = abs(pi - abs(float(np.arctan2(back[0] * on[1] - back[1] * on[0], back @ on))))
        if turn < _SHARP:
            out.append(corner[None])
            continue
        # From the corner to where the arc begins, at most to the middle of the straight part.
        away = min(radius * float(np.tan(turn / 2)), 0.499 * min(before, after))
        r = away / float(np.tan(turn / 2))
        start, stop = corner + back * (away / before), corner + on * (away / after)
        half = (start + stop) / 2 - corner
        centre = corner + half * ((r / np.cos(turn / 2)) / max(float(np.hypot(*half)), 1e-12))
        first, last = start - centre, stop - centre
        a = float(np.arctan2(first[1], first[0]))
        by = float(np.arctan2(first[0] * last[1] - first[1] * last[0], first @ last))
        angles = a + by * np.linspace(0, 1, arc_steps(r, turn, chord) + 1)
        out.append(centre + r * np.stack([np.cos(angles), np.sin(angles)], 1))
    return np.concatenate(out), closed


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
    if isinstance(shape, Rope):
        curves = [_bent(line, shape.width, chord) for line in curves]
    area = shapely.union_all([_whole(line).buffer(half, quad_segs=quarter, cap_style="flat") for line in curves])
    return SweptPiece(area, tuple(curves), line_index(curves), shape, height)
