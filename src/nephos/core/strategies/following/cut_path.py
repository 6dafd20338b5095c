"""A cutter's path round an outline: what stands along it, at which levels it is cut, and arcs onto it."""

from math import hypot

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.linking.link_block import LinkBlock
from nephos.core.strategies.clearing.levels import level_heights

SKIN = 0.05
"""Material not higher than this (mm) over a level is left to the next one."""


def tops_along(block: LinkBlock, path: F64, radius: float) -> F64:
    """Highest material (mm) that a cutter meets on each segment of a path (n, 2): (n - 1,), -inf where there is
    none."""
    return block.highest_along(np.concatenate([path[:-1], path[1:]], axis=1), radius)


def standing(path: F64, tops: F64, level: float, margin: float) -> list[F64]:
    """The stretches of a closed path on which something stands over `level`, longer by `margin` at both ends."""
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(path, axis=0).T))])
    total = float(along[-1])
    over = tops > level + SKIN
    first = int(np.flatnonzero(~over)[0])
    over = np.roll(over, -first)
    ends = np.concatenate([along[first:] - along[first], along[1 : first + 1] + total - along[first]])
    edges = np.flatnonzero(np.diff(np.concatenate([[0], over.astype(np.int8), [0]])))
    found = []
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        low, high = ends[a] - margin, ends[b] + margin
        places = np.concatenate([[low], ends[a : b + 1], [high]]) + along[first]
        found.append(np.column_stack([np.interp(places, along, path[:, k], period=total) for k in (0, 1)]))
    return found


def lead_arcs(path: F64, radius: float, inward: bool) -> tuple[F64, F64]:
    """Quarter arcs (k, 2) onto the start of a closed path and off its end, on the side away from the part."""
    ahead = path[1] - path[0]
    ahead = ahead / max(hypot(*ahead), 1e-12)
    area = float(np.sum(path[:-1, 0] * path[1:, 1] - path[1:, 0] * path[:-1, 1]))
    left = np.array([-ahead[1], ahead[0]]) * (1.0 if (area > 0) == inward else -1.0)
    centre = path[0] + radius * left
    angles = np.radians(np.linspace(0, 90, 13))[:, None]
    off = centre - radius * left * np.cos(angles) + radius * ahead * np.sin(angles)
    on = (centre - radius * left * np.cos(angles) - radius * ahead * np.sin(angles))[::-1]
    return on, off


def cut_levels(
    tops: F64, lengths: F64, bottom: float, stepdown: float, tabs_top: float
) -> tuple[list[float], list[float]]:
    """At which levels only the stretches of a path that stand higher than most are cut, and at which all of it.

    `tops` (n,) is what stands on pieces of the path, `lengths` (n,) how long these are. From half of the path standing
    over a level on it is cut all round, and so it is where tabs are."""
    order = np.argsort(tops)
    middle = float(tops[order][np.searchsorted(np.cumsum(lengths[order]), lengths.sum() / 2)])
    top, common = float(tops.max()), max(middle, bottom, tabs_top)
    if common >= top - SKIN:
        return [], level_heights(top, bottom, stepdown)
    return level_heights(top, common, stepdown), level_heights(common, bottom, stepdown)


def back_and_forth(levels: list[list[F64]], whole: list[F64]) -> list[F64]:
    """The runs of all levels so that each of the `whole` stretches of a path is cut down to its bottom before the next
    one, every second level the other way."""
    lines = [shapely.LineString(run[:, :2]) for run in whole]
    middles = [[shapely.LineString(run[:, :2]).interpolate(0.5, normalized=True) for run in runs] for runs in levels]
    found: list[F64] = []
    for k, line in enumerate(lines):
        forward = True
        if found:
            ends = np.hypot(*(whole[k][[0, -1], :2] - found[-1][-1, :2]).T)
            forward = bool(ends[0] <= ends[1])
        for runs, places in zip(levels, middles, strict=True):
            mine = [i for i, place in enumerate(places) if min(lines, key=place.distance) is line]
            mine.sort(key=lambda i: line.project(places[i]), reverse=not forward)
            found += [runs[i] if forward else runs[i][::-1] for i in mine]
            forward ^= bool(mine)
    return found
