"""Which triangles meet at which sides. Side 3 t + k lies over corner k of triangle t, from corner k + 1 to k + 2."""

import numpy as np

from nephos.core.arrays import I32, I64
from nephos.core.parallel import kernel

__all__ = ["ends_of_sides", "joined_again", "partners"]


@kernel
def _match(low: I64, high: I64, start: I64, items: I64, out: I64) -> None:
    """For each side (n,) of a triangle the side beside it, into `out` (n,), -1 where there is none. Sides are given by
    their lower and higher vertex; those of lower vertex v are `items[start[v]:start[v + 1]]`."""
    for v in range(len(start) - 1):
        for i in range(start[v], start[v + 1]):
            s = items[i]
            if out[s] >= 0:
                continue
            for j in range(i + 1, start[v + 1]):
                q = items[j]
                if out[q] < 0 and high[q] == high[s]:
                    out[s], out[q] = q, s
                    break


@kernel
def _bucket(low: I64, cursor: I64, items: I64) -> None:
    """Sort the numbers of sides by their lower vertex into `items` (n,); `cursor` is where the next of each vertex
    goes."""
    for s in range(len(low)):
        items[cursor[low[s]]] = s
        cursor[low[s]] += 1


def ends_of_sides(triangles: I32) -> tuple[I64, I64]:
    """From which point to which each side (3 m,) runs."""
    t = triangles.astype(np.int64)
    return t[:, [1, 2, 0]].ravel(), t[:, [2, 0, 1]].ravel()


def partners(triangles: I32, count: int) -> I64:
    """For each side (3 m,) that of the other triangle over the same two of the `count` points; -1 where there is
    none."""
    a, b = ends_of_sides(triangles)
    low, high = np.minimum(a, b), np.maximum(a, b)
    start = np.concatenate([[0], np.cumsum(np.bincount(low, minlength=count))])
    items = np.empty(len(low), np.int64)
    _bucket(low, start[:-1].copy(), items)
    out = np.full(len(low), -1, np.int64)
    _match(low, high, start, items, out)
    return out


def joined_again(other: I64, triangles: I32, changed: I64, freed: I64) -> I64:
    """The partners (3 m,) of all sides after some triangles were replaced and others added.

    `other` : the partners before. `changed` : numbers of the replaced and the new triangles. `freed` : sides of other
    triangles that met the replaced ones."""
    out = np.full(3 * len(triangles), -1, np.int64)
    out[: len(other)] = other
    sides = np.concatenate([(3 * changed[:, None] + np.arange(3)).ravel(), freed])
    t, k = triangles[sides // 3].astype(np.int64), sides % 3
    every = np.arange(len(sides))
    a, b = t[every, (k + 1) % 3], t[every, (k + 2) % 3]
    key = (np.minimum(a, b) << 32) | np.maximum(a, b)
    order = np.argsort(key, kind="stable")
    same = np.flatnonzero(key[order][1:] == key[order][:-1])
    one, two = sides[order[same]], sides[order[same + 1]]
    out[sides] = -1
    out[one], out[two] = two, one
    return out
