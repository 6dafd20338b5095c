"""Pieces whose height is a function of the distance from their outline."""

from dataclasses import dataclass
from math import ceil, pi, radians, tan

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.relief.nearest_line import LineIndex, line_index, near
from nephos.core.relief.outline import Line, grown
from nephos.core.relief.piece import Heights, Lines, lines_of
from nephos.core.relief.shapes import Bevel, Dome, RoundEdge, Shape, Slant

__all__ = ["ShapedPiece", "rings_of_area", "shaped_piece"]

_MOST_RINGS = 64


def rings_of_area(area: shapely.Geometry) -> list[Line]:
    """All rings of an area as closed lines."""
    return [(shapely.get_coordinates(ring)[:-1], True) for ring in shapely.get_rings(shapely.get_parts(area))]


@dataclass(frozen=True)
class _Profile:
    """A rise over the distance from the outline, up to `reach`, level from there."""

    shape: Shape
    height: float
    reach: float
    knots: tuple[float, ...]
    """Distances where the slope breaks."""

    def rise(self, d: F64) -> F64:
        """Heights at distances (n,)."""
        h, shape = self.height, self.shape
        if self.reach <= 0:
            return np.full(len(d), h)
        inward = np.minimum(d, self.reach)
        if isinstance(shape, Slant):
            out = np.minimum(inward * tan(radians(shape.angle)), h)
        elif isinstance(shape, Dome):
            out = h * np.sqrt(np.maximum(1 - (1 - inward / self.reach) ** 2, 0.0))
        elif isinstance(shape, RoundEdge):
            r = self.reach
            out = h - r + np.sqrt(np.maximum(r * r - (r - inward) ** 2, 0.0))
        elif isinstance(shape, Bevel):
            out = np.maximum(h - (shape.width - inward) * tan(radians(shape.angle)), 0.0)
        else:
            raise TypeError(type(shape))
        return np.asarray(out, np.float64)


def _profile(shape: Shape, height: float, area: shapely.Geometry) -> _Profile:
    if isinstance(shape, Slant):
        reach = height / tan(radians(shape.angle))
        return _Profile(shape, height, reach, (reach,))
    if isinstance(shape, Dome):
        deepest = max(
            float(shapely.maximum_inscribed_circle(part, tolerance=1e-3).length) for part in shapely.get_parts(area)
        )
        reach = shape.width or deepest
        return _Profile(shape, height, reach, (reach,) if reach < deepest else ())
    if isinstance(shape, RoundEdge):
        reach = min(shape.radius, height)
        return _Profile(shape, height, reach, (reach,))
    if isinstance(shape, Bevel):
        foot = shape.width - height / tan(radians(shape.angle))
        return _Profile(shape, height, shape.width, (shape.width, *((foot,) if foot > 0 else ())))
    return _Profile(shape, height, 0.0, ())


@dataclass(frozen=True)
class ShapedPiece:
    """A piece over an area, its height a function of the distance from the outline."""

    area: shapely.Geometry
    profile: _Profile
    index: LineIndex
    chord: float
    steep: bool = False

    @property
    def creased(self) -> bool:
        """Whether its surface has creases that its lines leave out: where slopes from several sides meet."""
        return self.profile.reach > 0

    def heights(self, xy: F64) -> Heights:
        """Its heights at places (n, 2) in its area."""
        if self.profile.reach <= 0:
            return Heights(np.full(len(xy), self.profile.height), np.zeros(len(xy), np.int32))
        # The far end of the search is a little behind the level's edge, so that it is found from both sides.
        found = near(self.index, xy, self.profile.reach + 1e-6)
        rise, part = np.full(len(xy), self.profile.height), np.zeros(len(xy), np.int32)
        sloped = np.flatnonzero(found.distance < self.profile.reach)
        distance = found.distance[sloped]
        zone = np.zeros(len(sloped), np.int32)
        for knot in self.profile.knots:
            zone += distance >= knot
        rise[sloped], part[sloped] = self.profile.rise(distance), 1 + found.run[sloped] * 4 + zone
        return Heights(rise, part)

    def lines(self, tolerance: float) -> Lines:
        """The lines where its surface breaks or bends within its area."""
        creases = [ring for knot in self.profile.knots for ring in rings_of_area(grown(self.area, -knot, self.chord))]
        creases += _hips(self.area, self.profile.knots, creases)
        for d in self._bends(tolerance):
            creases += rings_of_area(grown(self.area, -d, tolerance / 4).simplify(tolerance / 4))
        return lines_of(creases)

    def _bends(self, tolerance: float) -> F64:
        """Distances between which the profile bends by no more than the tolerance, as far as there may be as many."""
        if not isinstance(self.profile.shape, Dome | RoundEdge) or self.profile.reach <= 0:
            return np.zeros(0)
        larger = max(self.profile.reach, self.profile.height)
        n = min(max(3, ceil(pi / 2 / (4 * tolerance / larger) ** 0.5)), _MOST_RINGS)
        out: F64 = self.profile.reach * (1 - np.cos(np.linspace(0, pi / 2, n + 1)[1:-1]))
        return out


def _hips(area: shapely.Geometry, knots: tuple[float, ...], rings: list[Line]) -> list[Line]:
    """Lines from the sharp corners of an outline to the same corners of its inner rings, where they are straight."""
    if not knots or not rings:
        return []
    inner = np.concatenate([points for points, _ in rings])
    tree = shapely.STRtree(shapely.points(inner))
    out: list[Line] = []
    for points, _ in rings_of_area(shapely.geometry.polygon.orient(area) if area.geom_type == "Polygon" else area):
        before, after = points - np.roll(points, 1, axis=0), np.roll(points, -1, axis=0) - points
        before /= np.maximum(np.hypot(*before.T), 1e-12)[:, None]
        after /= np.maximum(np.hypot(*after.T), 1e-12)[:, None]
        cosine = (before * after).sum(axis=1)
        for k in np.flatnonzero(cosine < np.cos(np.radians(20.0))):
            half = np.sqrt((1 + cosine[k]) / 2)
            if half < 1e-3:
                continue
            way = after[k] - before[k]
            way /= np.hypot(*way)
            last = points[k]
            for knot in sorted(knots):
                spot = points[k] + way * knot / half
                near = int(tree.nearest(shapely.Point(spot)))
                if np.hypot(*(inner[near] - spot)) > 1e-6:
                    break
                out.append((np.stack([last, inner[near]]), False))
                last = inner[near]
    return out


def shaped_piece(area: shapely.Geometry, shape: Shape, height: float, chord: float) -> ShapedPiece:
    """A piece that rises `height` mm (more than 0) over an area."""
    return ShapedPiece(area, _profile(shape, height, area), line_index(rings_of_area(area)), chord)
