"""The outline of a piece on the plan: its curve drawn, placed and repeated."""

from collections.abc import Callable
from math import acos, atan, ceil, cos, pi, sin

import numpy as np
import shapely
from shapely.affinity import affine_transform

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.curves import area_of, smoothed
from nephos.core.relief.composition import Composition, ReliefPiece
from nephos.core.relief.lettering import lettering_area
from nephos.core.relief.sources import (
    Circle,
    Drawn,
    Ellipse,
    Lettering,
    MeshSource,
    OffsetCurve,
    Path,
    Polygon,
    Rectangle,
)

__all__ = ["Line", "Outlines", "arc_steps", "grown"]

Line = tuple[F64, bool]
"""Points (n, 2) of a curve, and whether it is closed (without the first point again)."""
_FINEST_TURN = pi / 18
"""Arcs turn by no more than this at a chord, however small they are."""


_NO_LENGTH = 1e-6
"""A curve that is no larger (mm) has no length."""


def arc_steps(radius: float, angle: float, chord: float) -> int:
    """How many chords an arc of so many radians takes to stay within `chord` of it."""
    step = 2 * acos(max(1 - chord / max(radius, 1e-9), -1.0)) if radius > chord else pi / 2
    return max(1, ceil(abs(angle) / min(step, _FINEST_TURN)))


def grown(area: shapely.Geometry, by: float, chord: float, sharp: bool = True) -> shapely.Geometry:
    """An area grown by a distance, or shrunk by a negative one. Shrinking keeps sharp corners; growing does with
    `sharp`."""
    if by == 0:
        return area
    quarter = arc_steps(abs(by), pi / 2, chord)
    style = "mitre" if sharp and by > 0 else "round"
    return area.buffer(by, quad_segs=quarter, join_style=style, mitre_limit=10)


def _circle(radius: float, chord: float) -> F64:
    n = 4 * ceil(arc_steps(radius, 2 * pi, chord) / 4)
    a = np.linspace(0, 2 * pi, n, endpoint=False)
    points: F64 = radius * np.stack([np.cos(a), np.sin(a)], 1)
    return points


def _rectangle(source: Rectangle, chord: float) -> F64:
    w, h, r = source.width / 2, source.length / 2, source.radius
    if r <= 0:
        return np.array([[-w, -h], [w, -h], [w, h], [-w, h]])
    n = arc_steps(r, pi / 2, chord)
    turns = np.linspace(0, pi / 2, n + 1)
    runs = []
    for k, (sx, sy) in enumerate(((1, 1), (-1, 1), (-1, -1), (1, -1))):
        a = turns + k * pi / 2
        runs.append(np.stack([sx * (w - r) + r * np.cos(a), sy * (h - r) + r * np.sin(a)], 1))
    points: F64 = np.concatenate(runs)
    gap = np.abs(points - np.roll(points, 1, axis=0)).max(axis=1)
    kept: F64 = points[gap > 1e-9]
    return kept


def _ellipse(source: Ellipse, chord: float) -> F64:
    a, b = source.width / 2, source.length / 2
    sharpest = max(a * a / b, b * b / a)
    n = 4 * ceil(arc_steps(sharpest, 2 * pi, chord) * max(a, b) / sharpest / 4 * 1.6 + 8)
    t = np.linspace(0, 2 * pi, n, endpoint=False)
    points: F64 = np.stack([a * np.cos(t), b * np.sin(t)], 1)
    return points


def _path(source: Path, chord: float) -> F64:
    """The points of lines and arcs; a bulge is the tangent of a quarter of an arc's angle."""
    if len(source.vertices) < 2:
        raise Refused("the curve has no length: give it at least two points")
    corners = np.array([v[:2] for v in source.vertices], np.float64)
    out = [corners[:1]]
    last = len(corners) if source.closed else len(corners) - 1
    for k in range(last):
        a, b, bulge = corners[k], corners[(k + 1) % len(corners)], source.vertices[k][2]
        along = b - a
        length = float(np.hypot(*along))
        if abs(bulge) < 1e-9 or length < 1e-9:
            out.append(b[None])
            continue
        angle = 4 * atan(bulge)
        radius = length / (2 * sin(abs(angle) / 2))
        left = np.array([-along[1], along[0]]) / length
        centre = (a + b) / 2 + left * (radius * cos(abs(angle) / 2) * (1 if bulge > 0 else -1))
        start = np.arctan2(*(a - centre)[::-1])
        turns = start + np.linspace(0, angle, arc_steps(radius, angle, chord) + 1)[1:]
        run = centre + radius * np.stack([np.cos(turns), np.sin(turns)], 1)
        run[-1] = b
        out.append(run)
    points = np.concatenate(out)
    return points[:-1] if source.closed else points


def _matrix(piece: ReliefPiece) -> F64:
    """(3, 3) from a piece's own space to the composition's plan."""
    a = np.radians(piece.angle)
    flip = -1.0 if piece.mirror else 1.0
    return np.array(
        [[cos(a) * flip, -sin(a), piece.at[0]], [sin(a) * flip, cos(a), piece.at[1]], [0.0, 0.0, 1.0]], np.float64
    )


def _about(point: tuple[float, float], angle: float) -> F64:
    c, s = cos(angle), sin(angle)
    x, y = point
    return np.array([[c, -s, x - c * x + s * y], [s, c, y - s * x - c * y], [0.0, 0.0, 1.0]])


def moved_points(points: F64, matrix: F64) -> F64:
    """Points (n, 2) under a (3, 3) matrix of the plan."""
    out: F64 = points @ matrix[:2, :2].T + matrix[:2, 2]
    return out


def _moved(area: shapely.Geometry, m: F64) -> shapely.Geometry:
    return affine_transform(area, [m[0, 0], m[0, 1], m[1, 0], m[1, 1], m[0, 2], m[1, 2]])


class Outlines:
    """The outlines of all pieces of a composition, each drawn when it is asked for.

    `mesh_area` gives what a mesh source covers, in the piece's own space."""

    def __init__(
        self, composition: Composition, chord: float, mesh_area: Callable[[MeshSource], shapely.Geometry]
    ) -> None:
        self._composition = composition
        self._chord = chord
        self._mesh_area = mesh_area
        self._areas: dict[str, shapely.Geometry] = {}

    def _piece(self, key: str) -> ReliefPiece:
        found = self._composition.piece(key)
        if found is None:
            raise Refused("a piece that another one follows is gone: choose another one")
        return found

    def copies(self, piece: ReliefPiece) -> list[F64]:
        """(3, 3) matrices from the piece's own space to the plan, one for each copy."""
        own, repeat = _matrix(piece), piece.repeat
        if repeat.along is not None:
            return [spot @ own for spot in self._spots_along(repeat.along, repeat.count, repeat.turned)]
        out = []
        for k in range(repeat.count):
            turn = _about(repeat.about, 2 * pi * k / repeat.count)
            placed = turn @ own
            if not repeat.turned:
                placed[:2, :2] = own[:2, :2]
            out.append(placed)
        return out

    def _spots_along(self, key: str, count: int, turned: bool) -> list[F64]:
        """Places evenly along the outer outline of another piece, each with X along it."""
        points, closed = max(self.lines(self._piece(key)), key=lambda line: float(shapely.LineString(line[0]).length))
        ring = shapely.LineString(np.concatenate([points, points[:1]]) if closed else points)
        share = np.arange(count) / count if closed else (np.arange(count) + 0.5) / count
        out = []
        for at in share * ring.length:
            x, y = ring.interpolate(at).coords[0]
            before, after = (
                np.array(ring.interpolate(np.clip(at + d, 0, ring.length)).coords[0]) for d in (-0.01, 0.01)
            )
            angle = float(np.arctan2(*(after - before)[::-1])) if turned else 0.0
            c, s = cos(angle), sin(angle)
            out.append(np.array([[c, -s, x], [s, c, y], [0.0, 0.0, 1.0]]))
        return out

    def _own_rings(self, piece: ReliefPiece) -> list[Line] | shapely.Geometry:
        """The curve of a piece in its own space: lines, or an area."""
        source, chord = piece.source, self._chord
        if isinstance(source, Circle):
            return [(_circle(source.diameter / 2, chord), True)]
        if isinstance(source, Ellipse):
            return [(_ellipse(source, chord), True)]
        if isinstance(source, Rectangle):
            return [(_rectangle(source, chord), True)]
        if isinstance(source, Polygon):
            a = pi / 2 + np.linspace(0, 2 * pi, source.sides, endpoint=False)
            return [(source.diameter / 2 * np.stack([np.cos(a), np.sin(a)], 1), True)]
        if isinstance(source, Path):
            points = _path(source, chord)
            if float(np.ptp(points, axis=0).max()) < _NO_LENGTH:
                raise Refused(f"all points of the curve of '{piece.name}' lie at one place: move them apart")
            return [(points, source.closed)]
        if isinstance(source, Drawn):
            if not source.curves:
                raise Refused(f"nothing is drawn for '{piece.name}' yet: draw a closed curve or import a file")
            curves = [np.array(curve.points, np.float64) for curve in source.curves]
            return area_of([smoothed(p) if c.smooth else p for p, c in zip(curves, source.curves, strict=True)])
        if isinstance(source, Lettering):
            return lettering_area(source, chord)
        if isinstance(source, MeshSource):
            return self._mesh_area(source)
        raise TypeError(type(source))

    def lines(self, piece: ReliefPiece) -> list[Line]:
        """The curves of a piece on the plan, all copies: what a profile is swept along."""
        if isinstance(piece.source, Path) and not piece.source.closed:
            own = self._own_rings(piece)
            assert isinstance(own, list)
            return [(moved_points(points, m), closed) for m in self.copies(piece) for points, closed in own]
        area = self.area(piece)
        return [
            (shapely.get_coordinates(ring)[:-1], True) for ring in shapely.get_rings(shapely.get_parts(area)).tolist()
        ]

    def area(self, piece: ReliefPiece) -> shapely.Geometry:
        """What the curve of a piece encloses on the plan, all copies together.

        Raises
        ------
        Refused
            Where a curve crosses itself, is open, has no length, or encloses nothing.
        """
        if piece.id not in self._areas:
            self._areas[piece.id] = self._drawn(piece)
        return self._areas[piece.id]

    def _drawn(self, piece: ReliefPiece) -> shapely.Geometry:
        if isinstance(piece.source, OffsetCurve):
            base = self.area(self._piece(piece.source.piece))
            own = grown(base, piece.source.distance, self._chord, piece.source.corners == "sharp")
        else:
            rings = self._own_rings(piece)
            if isinstance(rings, list):
                if not all(closed for _, closed in rings):
                    raise Refused(f"the curve of '{piece.name}' is open: close it")
                own = shapely.Polygon(rings[0][0])
                if not own.is_valid:
                    raise Refused(f"the curve of '{piece.name}' crosses itself: move its points apart")
            else:
                own = rings
        if own.is_empty:
            raise Refused(f"nothing is left of the outline of '{piece.name}': make it larger")
        copies = self.copies(piece)
        return _moved(own, copies[0]) if len(copies) == 1 else shapely.union_all([_moved(own, m) for m in copies])
