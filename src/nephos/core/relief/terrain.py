"""Triangles with heights at their corners, and how the heights of a composition are read at places that belong to
triangles."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64, I32, I64, Bool
from nephos.core.relief.stack import Stack

__all__ = ["AFTER", "NEXT", "WELD", "SurfaceReader", "Terrain", "any_side"]

WELD = 1e-4
"""Heights (mm) at one place that differ by less are one."""
NEXT, AFTER = np.array([1, 2, 0]), np.array([2, 0, 1])
"""The two ends of the side that lies over a corner."""
_NUDGE = 5e-4
"""On steps heights are read so far (mm) inside the triangle."""
_STEP = 0.02
"""A difference (mm) over the nudge that makes a step."""


@dataclass(frozen=True)
class Terrain:
    """Triangles with a height at each of their corners: two triangles at a wall have two heights at one point.

    `points` (n, 2) float64; `triangles` (m, 3) int32; `masks` (m,) uint64, the areas; `heights` (m, 3) float64."""

    points: F64
    triangles: I32
    masks: np.ndarray
    heights: F64


@dataclass(frozen=True)
class SurfaceReader:
    """Reads heights of a stack at places that belong to triangles. `steep` are the bits of the layers with steps inside
    their area, `creased` of those with creases that no line follows, `lined` of those all of whose creases lines
    follow."""

    stack: Stack
    steep: np.uint64
    creased: np.uint64
    lined: np.uint64

    def at(self, xy: F64, masks: np.ndarray, towards: F64) -> F64:
        """Heights at places; on steps, those on the side of `towards` (n, 2)."""
        z = self.stack.solid(xy, masks)
        careful = np.flatnonzero(masks & self.steep)
        if len(careful):
            beside = self.stack.solid(_beside(xy, towards, careful), masks[careful])
            step = np.abs(beside - z[careful]) > _STEP
            z[careful[step]] = beside[step]
        return z

    def numbered(self, xy: F64, masks: np.ndarray, towards: F64) -> tuple[F64, I64]:
        """As :meth:`at`, with the numbers of the smooth parts."""
        z, code = self.stack.numbered(xy, masks)
        careful = np.flatnonzero(masks & self.steep)
        if len(careful):
            beside, other = self.stack.numbered(_beside(xy, towards, careful), masks[careful])
            step = np.abs(beside - z[careful]) > _STEP
            z[careful[step]], code[careful[step]] = beside[step], other[step]
        return z, code


def _beside(xy: F64, towards: F64, chosen: I64) -> F64:
    """The chosen places, slightly nearer to others."""
    way = towards[chosen] - xy[chosen]
    length = np.maximum(np.hypot(*way.T), 1e-12)
    near: F64 = xy[chosen] + way * (np.minimum(_NUDGE, 0.2 * length) / length)[:, None]
    return near


def any_side(marked: Bool) -> Bool:
    """(m,) which triangles have a marked side, of (m, 3): faster than to reduce short rows."""
    found: Bool = marked[:, 0] | marked[:, 1] | marked[:, 2]
    return found
