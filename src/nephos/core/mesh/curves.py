"""Closed curves on the plan: drawn by hand, or imported from SVG and DXF."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.sandbox import sandboxed

SUFFIXES = {".svg": "svg", ".dxf": "dxf"}
MOST_POINTS = 20_000
_JOIN = 1e-3
"""Ends of lines closer than this (mm) are one."""
_WITHIN = 0.005
_SPAN = 16
"""Chords to each span of a smooth curve."""


@dataclass(frozen=True)
class Found:
    """Closed curves of a file, (n, 2) each in millimetres without the first point again, and what is to be said of
    it."""

    curves: tuple[F64, ...]
    notes: tuple[str, ...]


def check_drawing_name(name: str) -> str:
    """The suffix of a drawing's name; refuses a file by its name alone, before anything of it is read."""
    suffix = "." + name.rsplit(".", 1)[-1].lower()
    if suffix not in SUFFIXES:
        raise Refused(f"{name} is neither SVG nor DXF: export the outline as one of these")
    return suffix


def read_curves(name: str, data: bytes) -> Found:
    """All closed curves of an SVG or DXF file; lines that meet end to end are joined first, open ones left out and
    counted.

    Raises
    ------
    Refused
        Where the file cannot be read, or holds nothing closed, or far too much.
    """
    suffix = check_drawing_name(name)
    held = sandboxed(SUFFIXES[suffix], data, suffix[1:].upper())
    closed: list[F64] = []
    lines: list[F64] = []
    for first, last, whole in held.faces:
        run = held.vertices[first : last + 1, :2]
        (closed if whole else lines).append(run)
    if lines:
        merged = shapely.line_merge(
            shapely.MultiLineString([shapely.LineString(np.round(run / _JOIN) * _JOIN) for run in lines])
        )
        joined = [shapely.get_coordinates(item) for item in shapely.get_parts(merged)]
        closed += [run for run in joined if len(run) > 3 and np.abs(run[0] - run[-1]).max() < 2 * _JOIN]
    rings = [shapely.LineString(run).simplify(_WITHIN) for run in closed]
    curves = tuple(shapely.get_coordinates(ring)[:-1] for ring in rings if len(ring.coords) > 3)
    left = len(held.faces) - len([1 for *_, whole in held.faces if whole])
    used = len(closed) - len([1 for *_, whole in held.faces if whole])
    notes = list(held.notes)
    if not curves:
        raise Refused(
            f"{name} holds no closed curve"
            + (f", only {left} open lines: close them where they were drawn" if left else "")
        )
    if sum(len(curve) for curve in curves) > MOST_POINTS:
        raise Refused(f"{name} has curves of more than {MOST_POINTS} points: simplify them before you import them")
    if left and not used:
        notes.append(f"{left} open lines were left out")
    return Found(curves, tuple(notes))


def smoothed(points: F64) -> F64:
    """A closed smooth curve through its handles (n, 2): a centripetal Catmull-Rom spline (Yuksel et al., 2011), as
    chords."""
    n = len(points)
    out = []
    for k in range(n):
        p = points[[(k - 1) % n, k, (k + 1) % n, (k + 2) % n]]
        gaps = np.maximum(np.sqrt(np.hypot(*np.diff(p, axis=0).T)), 1e-9)
        t0, t1, t2, t3 = np.concatenate([[0.0], np.cumsum(gaps)])
        t = np.linspace(t1, t2, _SPAN, endpoint=False)[:, None]
        a1, a2, a3 = (
            (b_t - t) / (b_t - a_t) * a + (t - a_t) / (b_t - a_t) * b
            for (a_t, b_t), (a, b) in zip(pairwise((t0, t1, t2, t3)), pairwise(p), strict=True)
        )
        b1 = (t2 - t) / (t2 - t0) * a1 + (t - t0) / (t2 - t0) * a2
        b2 = (t3 - t) / (t3 - t1) * a2 + (t - t1) / (t3 - t1) * a3
        out.append((t2 - t) / (t2 - t1) * b1 + (t - t1) / (t2 - t1) * b2)
    return np.concatenate(out)


def area_of(curves: list[F64]) -> shapely.Geometry:
    """What closed curves enclose: a curve inside another is a hole, one in that an island again.

    Raises
    ------
    Refused
        Where a curve crosses itself.
    """
    whole: shapely.Geometry = shapely.MultiPolygon()
    for curve in curves:
        polygon = shapely.Polygon(curve)
        if not polygon.is_valid:
            raise Refused("a curve crosses itself: move its points apart")
        whole = whole.symmetric_difference(polygon)
    return whole
