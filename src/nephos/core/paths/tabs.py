"""Tabs: where they stand along a closed way, and how the cutter goes over them."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from nephos.core.arrays import F64

_PLACES = 720
"""Places round a way at which its straightness is judged."""


@dataclass(frozen=True)
class Tab:
    """A tab: its middle along the way, and how long the cutter stays up over it, in millimetres."""

    at: float
    length: float


def _along(way: F64) -> F64:
    return np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(way, axis=0).T))])


def bend(way: F64, length: float) -> tuple[F64, F64]:
    """Places round a closed way (n, 2), and how much (radians) it turns within `length` about each."""
    along = _along(way)
    total = float(along[-1])
    steps = np.diff(way, axis=0)
    heading = np.arctan2(steps[:, 1], steps[:, 0])
    turn = np.abs((np.diff(heading, append=heading[:1]) + np.pi) % (2 * np.pi) - np.pi)
    sums = np.concatenate([[0.0], np.cumsum(np.tile(turn, 3))])
    ends = np.concatenate([along[1:] + k * total for k in (-1, 0, 1)])
    at = np.linspace(0, total, _PLACES, endpoint=False)
    first, last = np.searchsorted(ends, at - length / 2), np.searchsorted(ends, at + length / 2)
    result: F64 = sums[last] - sums[first]
    return at, result


def place_tabs(way: F64, count: int, length: float, shift: float = 0.0) -> list[Tab]:
    """`count` tabs round a closed way, evenly, each moved up to a quarter of their spacing to where it is straightest.

    `length` is how long the cutter stays up. Fewer are placed where they would meet.
    """
    total = float(_along(way)[-1])
    count = min(count, int(total / (1.5 * length)))
    if count <= 0:
        return []
    at, turn = bend(way, length)
    spacing = total / count
    # The start that gives the straightest set, then each for itself.
    starts = np.linspace(0, spacing, 24, endpoint=False)
    wanted = starts[:, None] + spacing * np.arange(count)
    bends = np.interp(wanted, at, turn, period=total)
    middle = wanted[int(bends.sum(axis=1).argmin())]
    tabs = []
    for place in middle:
        near = np.linspace(-spacing / 4, spacing / 4, 41)
        costs = np.interp(place + near, at, turn, period=total) + 1e-3 * np.abs(near) / spacing
        tabs.append(Tab(float((place + near[int(costs.argmin())] + shift) % total), length))
    return sorted(tabs, key=lambda tab: tab.at)


def _raised(places: F64, base: F64, total: float, tabs: list[Tab], height: float, slope: float) -> F64:
    """Heights at places along an unrolled way: `base` (n,), or that of the tabs where they stand higher."""
    z = base.copy()
    for tab in tabs:
        # How far from the middle of the tab, the way being closed.
        off = np.abs((places - tab.at + total / 2) % total - total / 2) - tab.length / 2
        up = np.where(off <= 1e-9, height, height - off / slope if slope > 0 else -np.inf)
        z = np.maximum(z, up)
    return z


def _corners(total: float, lowest: float, tabs: list[Tab], height: float, slope: float) -> F64:
    """Places along a closed way where shoulders begin and end, for heights down to `lowest`."""
    reach = max(slope * (height - lowest), 1e-3)
    marks = [tab.at + side * (tab.length / 2 + more) for tab in tabs for side in (-1, 1) for more in (0.0, reach)]
    return np.array(marks) % total


def over_tabs(way: F64, level: float, tabs: list[Tab], height: float, slope: float) -> F64:
    """A closed way (n, 2) at `level`, raised to `height` over its tabs: (m, 3).

    `slope` is how far the shoulders reach along the way for each millimetre up; 0 goes straight up.
    """
    along = _along(way)
    total = float(along[-1])
    places = along if level >= height else np.unique(np.concatenate([along, _corners(total, level, tabs, height, slope)]))
    z = _raised(places, np.full(len(places), level), total, tabs, height, slope)
    return np.column_stack([np.interp(places, along, way[:, 0]), np.interp(places, along, way[:, 1]), z])


def ramping_down(way: F64, levels: list[float], tabs: list[Tab], height: float, slope: float, rise: float) -> F64:
    """A closed way (n, 2) cut at each level in turn, going down along itself from one to the next: (m, 3).

    `rise` is how far it goes along for each millimetre down. It begins at the first level; each level is
    cut all the way round, and then as far again as it takes to go down to the next.
    """
    along = _along(way)
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
    return np.column_stack([np.interp(on, along, way[:, 0]), np.interp(on, along, way[:, 1]), z])
