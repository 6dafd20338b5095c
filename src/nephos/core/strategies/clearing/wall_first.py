"""Rings of narrow ground: along the wall first, so that the path along the open side beside it has nothing left to
take."""

from collections.abc import Iterable, Iterator

import numpy as np
import shapely
from shapely.geometry import Polygon

from nephos.core.arrays import F64, Bool
from nephos.core.linking.air_cuts import EVERY, broken
from nephos.core.polyline import densified
from nephos.core.strategies.clearing.regions import Region
from nephos.core.strategies.registry import Task
from nephos.core.toolpath import Pass

_ON_EDGE = 3.0
"""Outlines of ground lie within so many tolerances of the edge that they are made of."""
_HAIR = 0.02
"""Ground is taken for wider than asked only where it is so many times wider: its opening is drawn with
chords."""


class NarrowGround:
    """Where a piece of level ground is no wider than `width`, and which of its outline lies on open ground there.

    Going round it from outside in, the cutter would first take a sliver along the open side, and the rest along the
    wall. In the other order the wall takes all, and is no heavier a cut than any ring one `width` from the one before
    it.

    Parameters
    ----------
    polygon : the piece.
    edge : outline of all the ground where the cutter may be at this level; what of the piece lies on it is wall, all
    else is open. Where
        it is empty no walls are known, and all ground is taken for wide.
    width : the stepover, mm.
    tolerance : so near (mm) to `edge` the outline lies on it.
    """

    def __init__(self, polygon: Polygon, edge: shapely.Geometry, width: float, tolerance: float) -> None:
        half = 0.0 if edge.is_empty else width / 2
        self._wide = polygon.buffer(-half).buffer(half + _HAIR * width)
        self._edge, self._tolerance = edge, tolerance
        shapely.prepare(self._wide)
        shapely.prepare(edge)

    def parted(self, ring: Pass, least: float) -> tuple[list[Pass], list[Pass]]:
        """A ring as what of it is to be gone first, and what is better left until then; open stretches shorter than
        `least` mm stay in the first.

        Together they are the ring. One that has nothing to leave for later stays whole.
        """
        path = densified(np.ascontiguousarray(ring.points), EVERY)
        middles = shapely.points((path[1:, :2] + path[:-1, :2]) / 2)
        late = ~shapely.covers(self._wide, middles)
        late[late] = ~shapely.dwithin(self._edge, middles[late], self._tolerance)
        late = _long_runs(late, np.hypot(*np.diff(path[:, :2], axis=0).T), least)
        return broken(ring, path, ~late, 0.0), broken(ring, path, late, 0.0)


def walls_first(rings: Iterable[Pass], region: Region, stepover: float, task: Task) -> Iterator[Pass]:
    """The rings of a region, and after all of them what of them lies on open ground where the wall is near."""
    narrow = NarrowGround(region.polygon, region.edge, stepover, _ON_EDGE * task.tolerance)
    later: list[Pass] = []
    for ring in rings:
        first, rest = narrow.parted(ring, task.cutter.radius)
        yield from first
        later += rest
    yield from later


def _long_runs(marked: Bool, lengths: F64, least: float) -> Bool:
    """The marked stretches (n,) of those runs of them that are at least `least` long, where each is as long as
    `lengths` (n,) says."""
    number = np.cumsum(np.diff(marked, prepend=False))
    runs = np.bincount(number, lengths * marked)
    found: Bool = marked & (runs[number] >= least)
    return found
