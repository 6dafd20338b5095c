"""The order of passes along walls: one wall from its top to its foot before the next."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from nephos.core.arrays import F64
from nephos.core.polyline import from_nearest
from nephos.core.toolpath import Pass

__all__ = ["in_order", "nearest_next"]


class _Waiting:
    """Passes of a level that are not cut yet, with their starts and boxes on the plan, so that far ones are not looked
    at closely."""

    def __init__(self, passes: Sequence[Pass]) -> None:
        self.passes = list(passes)
        self.starts = np.array([item.start[:2] for item in passes]).reshape(-1, 2)
        self.boxes = np.array(
            [[item.points[:, :2].min(axis=0), item.points[:, :2].max(axis=0)] for item in passes]
        ).reshape(-1, 2, 2)

    def pop(self, k: int) -> Pass:
        self.starts, self.boxes = np.delete(self.starts, k, axis=0), np.delete(self.boxes, k, axis=0)
        return self.passes.pop(k)

    def begun_nearest(self, at: F64) -> Pass:
        """Take out the pass that begins nearest to `at`."""
        return self.pop(int(((self.starts - at) ** 2).sum(axis=1).argmin()))

    def nearest(self, at: F64, reach: float) -> int | None:
        """The pass with the point nearest to `at`, within `reach`."""
        outside = np.maximum(np.maximum(self.boxes[:, 0] - at, at - self.boxes[:, 1]), 0.0)
        least, best = reach, None
        for k in np.flatnonzero(np.hypot(*outside.T) <= reach):
            gap = float(np.hypot(*(self.passes[k].points[:, :2] - at).T).min())
            if gap <= least:
                least, best = gap, int(k)
        return best


def _begun_near(item: Pass, at: F64, both: bool) -> Pass:
    """A pass that begins as near to `at` as it may: a closed one anywhere, an open one at either end if `both`."""
    if item.closed:
        return replace(item, points=from_nearest(item.points, at))
    first, last = (float(np.hypot(*(item.points[k, :2] - at))) for k in (0, -1))
    return replace(item, points=item.points[::-1].copy()) if both and last < first else item


def nearest_next(passes: Sequence[Pass], both: bool) -> list[Pass]:
    """Passes in greedy nearest-neighbour order. If `both`, a pass whose end is nearer than its start is reversed."""
    if not passes:
        return []
    starts, ends = (np.array([getattr(item, which)[:2] for item in passes]) for which in ("start", "end"))
    left = np.ones(len(passes), np.bool_)
    found: list[Pass] = []
    at = starts[0]
    for _ in passes:
        ahead = np.where(left, ((starts - at) ** 2).sum(axis=1), np.inf)
        back = np.where(left, ((ends - at) ** 2).sum(axis=1), np.inf) if both else np.full(len(passes), np.inf)
        turned = back.min() < ahead.min()
        k = int((back if turned else ahead).argmin())
        left[k] = False
        item = replace(passes[k], points=passes[k].points[::-1].copy()) if turned else passes[k]
        found.append(item)
        at = item.end[:2]
    return found


def in_order(levels: Sequence[Sequence[Pass]], reach: float, both: bool = False) -> list[Pass]:
    """Passes from the top down, one wall to its foot before the next: from each the nearest of the next level within
    `reach` (mm). If `both`, open passes go to and fro."""
    waiting = [_Waiting(passes) for passes in levels]
    out: list[Pass] = []
    for depth, level in enumerate(waiting):
        while level.passes:
            at = out[-1].end[:2] if out else np.zeros(2)
            current = level.begun_nearest(at)
            out.append(current)
            for below in range(depth + 1, len(waiting)):
                k = waiting[below].nearest(current.end[:2], reach)
                if k is None:
                    break
                current = _begun_near(waiting[below].pop(k), current.end[:2], both)
                out.append(current)
    return out
