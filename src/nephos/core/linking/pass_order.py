"""Passes in an order with less positioning, where order changes nothing of what each of them takes."""

from dataclasses import replace
from typing import Literal

import numpy as np

from nephos.core.arrays import F64, I32, I64
from nephos.core.parallel import kernel
from nephos.core.polyline import densified, from_nearest
from nephos.core.toolpath import Pass

_LIFT = 6.0
"""Going up, and down to the next pass, counts as so many millimetres of path;"""
_LINKED = 0.3
"""a path that the cutter goes without lifting as so much of its length."""
_ROUNDS = 3
"""Closed passes are begun anew nearest to what comes before them, and the order looked at again, so many times."""
_CELLS = 8
"""How near passes come to each other is looked at in cells, so many to a radius."""
_STRETCH = 300
"""Stretches of so many passes at most are swapped: longer ones gain next to nothing more, for ten times the work."""
_WORTH = 1e-3
"""A swap that gains less (mm) is none."""


@kernel
def _path(ends: F64, starts: F64, a: int, b: int, near: float) -> float:
    """What going from the end of pass a to the start of pass b costs, mm."""
    dx = ends[a, 0] - starts[b, 0]
    dy = ends[a, 1] - starts[b, 1]
    d = np.sqrt(dx * dx + dy * dy)
    return _LINKED * d if d <= near and abs(ends[a, 2] - starts[b, 2]) < 1e-6 else d + _LIFT


@kernel
def _total(ends: F64, starts: F64, near: float) -> float:
    """What going from pass to pass in their order costs, mm."""
    length = 0.0
    for k in range(len(ends) - 1):
        length += _path(ends, starts, k, k + 1, near)
    return length


@kernel
def _improve(ends: F64, starts: F64, near: float, first: I64, after: I64, order: I64) -> None:
    """Swap neighbouring stretches of the order, each time the two after a place that gain most, until no swap gains
    anything."""
    n = len(order)
    # Passes that have to come after one of the stretch in front, as marked by the look of that number.
    marked = np.full(n, -1, np.int64)
    look = 0
    # Places after which the order is not as it was when they were last looked at.
    changed = np.ones(n, np.bool_)
    while changed[: n - 1].any():
        for i in range(-1, n - 2):
            if not changed[i + 1]:
                continue
            changed[i + 1] = False
            look += 1
            best, best_j, best_k = _WORTH, -1, -1
            into = 0.0 if i < 0 else _path(ends, starts, order[i], order[i + 1], near)
            for j in range(i + 1, min(i + 1 + _STRETCH, n - 1)):
                for q in range(first[order[j]], first[order[j] + 1]):
                    marked[after[q]] = look
                across = _path(ends, starts, order[j], order[j + 1], near)
                anew = 0.0 if i < 0 else _path(ends, starts, order[i], order[j + 1], near)
                for k in range(j + 1, min(j + 1 + _STRETCH, n)):
                    if marked[order[k]] == look:
                        break
                    gain = into + across - anew - _path(ends, starts, order[k], order[i + 1], near)
                    if k + 1 < n:
                        gain += _path(ends, starts, order[k], order[k + 1], near) - _path(
                            ends, starts, order[j], order[k + 1], near
                        )
                    if gain > best:
                        best, best_j, best_k = gain, j, k
            if best_j >= 0:
                order[i + 1 : best_k + 1] = np.concatenate((order[best_j + 1 : best_k + 1], order[i + 1 : best_j + 1]))
                changed[max(0, i + 1 - 2 * _STRETCH) : best_k + 2] = True
        changed[n - 1] = False


@kernel
def _stamp(points: F64, ends: I64, x0: float, y0: float, cell: float, reach: float, owner: I32, pairs: I64) -> int:
    """Go over cells within `reach` (cells) of passes, in their order: which pass was on them last. `pairs` gets it and
    the one that comes, each pair once; how many there are, which may be more than there is room for."""
    ny, nx = owner.shape
    seen = np.full(len(ends), -1, np.int64)
    count = 0
    item = 0
    for m in range(len(points)):
        while m >= ends[item]:
            item += 1
        x = (points[m, 0] - x0) / cell
        y = (points[m, 1] - y0) / cell
        for j in range(max(int(np.ceil(y - reach)), 0), min(int(np.floor(y + reach)), ny - 1) + 1):
            half = np.sqrt(max(reach * reach - (j - y) * (j - y), 0.0))
            for i in range(max(int(np.ceil(x - half)), 0), min(int(np.floor(x + half)), nx - 1) + 1):
                last = owner[j, i]
                owner[j, i] = item
                if last < 0 or last == item or seen[last] == item:
                    continue
                seen[last] = item
                if count < len(pairs):
                    pairs[count, 0] = last
                    pairs[count, 1] = item
                count += 1
    return count


def _must_follow(passes: tuple[Pass, ...], radius: float) -> tuple[I64, I64]:
    """The passes that have to come after pass k, `after[first[k]:first[k + 1]]`: those that are the next one to come
    within two radii of a place of it. Where neighbours in the order change places, more is not asked: one that comes
    later still, comes after these."""
    cell = radius / _CELLS
    paths = [densified(np.ascontiguousarray(item.points), cell) for item in passes]
    points = np.concatenate(paths)
    # Halfway between two passes there is a place near to both, half a step off along the path, and a cell's middle half
    # its diagonal off that.
    reach = radius + 1.25 * cell
    low = points[:, :2].min(axis=0) - reach
    nx, ny = (np.ceil((points[:, :2].max(axis=0) + reach - low) / cell) + 1).astype(int)
    ends, room = np.cumsum([len(path) for path in paths]), 64 * len(passes)
    while True:
        pairs = np.empty((room, 2), np.int64)
        count = _stamp(points, ends, low[0], low[1], cell, reach / cell, np.full((ny, nx), -1, np.int32), pairs)
        if count <= room:
            break
        room = count
    before, after = pairs[:count].T
    first = np.concatenate([[0], np.cumsum(np.bincount(before, minlength=len(passes)))])
    return first.astype(np.int64), after[np.argsort(before, kind="stable")]


def in_short_order(passes: tuple[Pass, ...], diameter: float, near: float) -> tuple[Pass, ...]:
    """The passes in another order, with less positioning between them.

    Of two that come within a `diameter` of each other on the plan, whose cuts may meet, the first stays first: so each
    takes what it takes in the order given. Closed ones are begun at another of their points where that is nearer to the
    one before.

    Parameters
    ----------
    passes : of level roughing, without their stretches in air.
    diameter : of the cutter, mm.
    near : so far (mm) the cutter goes to the next pass at its level without lifting.

    Notes
    -----
    Local search by swaps of neighbouring stretches, which turn none of them round, as for the sequential ordering
    problem: Gambardella and
    Dorigo, "An ant colony system hybridized with a new local search for the sequential ordering problem", 2000.
    """
    if len(passes) < 3:
        return passes
    first, after = _must_follow(passes, diameter / 2)
    items, best, least = list(passes), passes, np.inf
    order = np.arange(len(passes))
    for _ in range(_ROUNDS):
        _improve(_places(items, "end"), _places(items, "start"), near, first, after, order)
        ordered = [items[k] for k in order]
        turned = _begun_near(ordered)
        for found in (ordered, turned):
            length = _total(_places(found, "end"), _places(found, "start"), near)
            if length < least:
                best, least = tuple(found), length
        items = [turned[k] for k in np.argsort(order)]
    return best


def _places(items: list[Pass], which: Literal["start", "end"]) -> F64:
    """Where passes begin or end, (n, 3)."""
    return np.array([getattr(item, which) for item in items])


def _begun_near(items: list[Pass]) -> list[Pass]:
    """Passes in their order, closed ones begun nearest to where the one before them ends."""
    found: list[Pass] = []
    for item in items:
        turns = found and item.closed and item.helix is None
        found.append(replace(item, points=from_nearest(item.points, found[-1].end[:2])) if turns else item)
    return found
