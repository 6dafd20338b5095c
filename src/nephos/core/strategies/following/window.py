"""The window of a tile: passes cut off at its sides, and what belongs to the tile alone."""

from dataclasses import replace
from itertools import chain

import numpy as np

from nephos.core.arrays import F64, Bool
from nephos.core.strategies.following.wall_order import in_order
from nephos.core.toolpath import Pass, Passes

Box = tuple[float, float, float, float]
"""Low x, low y, high x, high y."""
_SHORT = 1e-6


def within_core(place: tuple[float, float], core: Box) -> bool:
    """Whether a point belongs to a tile. A point on a seam belongs to exactly one."""
    x, y = round(place[0], 6), round(place[1], 6)
    return core[0] <= x < core[2] and core[1] <= y < core[3]


def inside_window(points: F64, window: Box) -> bool:
    """Whether all points (n, 2 or 3) lie in a window."""
    low, high = np.array(window[:2]), np.array(window[2:])
    return bool(((points[:, :2] >= low) & (points[:, :2] <= high)).all())


def _shares(points: F64, window: Box) -> tuple[F64, F64]:
    """From which share to which each segment of a path lies in the window: (n - 1,) each, the first larger where none
    of it does (Liang and Barsky 1984)."""
    start, step = points[:-1, :2], np.diff(points[:, :2], axis=0)
    low, high = np.array(window[:2]), np.array(window[2:])
    with np.errstate(divide="ignore", invalid="ignore"):
        a, b = (low - start) / step, (high - start) / step
    still = np.abs(step) < 1e-12
    outside = (start < low) | (start > high)
    enter = np.where(still, np.where(outside, np.inf, -np.inf), np.minimum(a, b)).max(axis=1)
    leave = np.where(still, np.inf, np.maximum(a, b)).min(axis=1)
    return np.maximum(enter, 0.0), np.minimum(leave, 1.0)


def near_window(points: F64, window: Box) -> Bool:
    """(n - 1,) bool, which segments of a path have a part in the window."""
    enter, leave = _shares(points, window)
    found: Bool = enter < leave
    return found


def in_window(points: F64, window: Box) -> list[F64]:
    """The stretches of a path (n, 3) that lie in the window. Those of a closed path go on over its beginning."""
    if inside_window(points, window):
        return [points]
    enter, leave = _shares(points, window)
    mine = np.flatnonzero(enter < leave)
    if not len(mine):
        return []
    starts = points[mine] + enter[mine, None] * (points[mine + 1] - points[mine])
    ends = points[mine] + leave[mine, None] * (points[mine + 1] - points[mine])
    goes_on = (np.diff(mine) == 1) & (leave[mine[:-1]] >= 1.0) & (enter[mine[1:]] <= 0.0)
    first = np.concatenate([[0], np.flatnonzero(~goes_on) + 1])
    last = np.concatenate([first[1:], [len(mine)]])
    runs = [np.concatenate([starts[a : a + 1], ends[a:b]]) for a, b in zip(first, last, strict=True)]
    closed = len(points) > 2 and np.abs(points[0] - points[-1]).max() < 1e-9
    if closed and len(runs) > 1 and mine[0] == 0 and enter[0] <= 0.0 and mine[-1] == len(enter) - 1 and leave[-1] >= 1:
        runs = [*runs[1:-1], np.concatenate([runs[-1], runs[0][1:]])]
    return [run for run in runs if np.linalg.norm(np.diff(run, axis=0), axis=1).sum() > _SHORT]


def passes_in_window(whole: Passes, window: Box) -> Passes:
    """Passes with what lies outside of the window cut off. A closed pass that is cut is open then, and is entered
    from its end. What is left of each wall is finished to its foot before the next, to and fro where it may be."""
    found: list[list[Pass]] = []
    opened = False
    for item in whole.passes:
        runs = in_window(item.points, window)
        if len(runs) == 1 and runs[0] is item.points:
            found.append([item])
        elif runs:
            found.append([replace(item, points=run, closed=False, helix=None) for run in runs])
            opened = opened or item.closed
    if opened and not whole.layered:
        return replace(whole, passes=tuple(in_order(found, whole.stay_down, whole.both)))
    return replace(whole, passes=tuple(chain.from_iterable(found)))
