"""Paths round an outline at any distance from it: how long they are and how much they turn.

Outlines of meshes are rough. A little way off they are shorter and smoother, and the cutter goes round them faster.
"""

from collections.abc import Sequence
from math import pi

import numpy as np
import shapely

from nephos.core.arrays import F64

OFFS = (-6.0, -3.0, -1.0, 0.0, 1.0, 3.0, 6.0, 12.0)
"""At these distances (mm, outward) paths are measured."""

_THINNED = 0.005
"""They are thinned within this (mm), as cutting out does with the usual tolerance."""

Around = Sequence[tuple[float, float, float]]
"""Paths by their distance from the outline: that, their length (both mm), and how many whole turns they make in all, to
either side."""


def _turns(ring: F64) -> float:
    """How many whole turns a closed ring (n, 2) makes, left and right ones added up."""
    steps = np.diff(ring, axis=0)
    angles = np.arctan2(steps[:, 1], steps[:, 0])
    bends = (np.diff(np.append(angles, angles[0])) + pi) % (2 * pi) - pi
    return float(np.abs(bends).sum()) / (2 * pi)


def paths_around(outline: shapely.Geometry) -> list[tuple[float, float, float]]:
    """Paths round an outline at all of :data:`OFFS`; of no length where it is too narrow for one."""
    found = []
    for off in OFFS:
        path = shapely.simplify(shapely.buffer(outline, off, quad_segs=16), _THINNED)
        rings = shapely.get_rings(shapely.get_parts(path))
        found.append(
            (off, float(shapely.length(rings).sum()), sum(_turns(shapely.get_coordinates(ring)) for ring in rings))
        )
    return found


def around_box(width: float, height: float) -> list[tuple[float, float, float]]:
    """The same of a rectangle."""
    return [(off, max(2 * (width + height) + (2 * pi if off > 0 else 8) * off, 0.0), 1.0) for off in OFFS]


def path_at(around: Around, off: float) -> tuple[float, float]:
    """Length (mm) and turns of the path so far (mm) off the outline, between those that were measured."""
    offs, lengths, turns = np.array(around).T
    beyond = max(off - float(offs[-1]), 0.0)
    return float(np.interp(off, offs, lengths)) + 2 * pi * beyond, float(np.interp(off, offs, turns))
