"""Triangles divided at marked places on their sides."""

import numpy as np

from nephos.core.arrays import F64, I32, I64, Bool
from nephos.core.relief.sides import joined_again
from nephos.core.relief.terrain import AFTER, NEXT, SurfaceReader, Terrain, any_side

__all__ = ["divided"]


def divided(surface: SurfaceReader, terrain: Terrain, other: I64, sides: I64, shares: F64) -> tuple[Terrain, I64, Bool]:
    """Divide the marked sides, and the triangles at them; returns also the partners of all sides and which triangles
    are new. Of two marks on one side the later one holds."""
    points, triangles, masks, heights = terrain.points, terrain.triangles, terrain.masks, terrain.heights
    count = len(points)
    there = other[sides]
    mate = (there >= 0) & (there < sides)
    name = np.where(mate, there, sides)
    share = np.full(len(other), np.nan)
    share[name] = np.where(mate, 1 - shares, shares)
    split = np.flatnonzero(~np.isnan(share))
    own, q = split // 3, split % 3
    a, b = points[triangles[own, NEXT[q]]], points[triangles[own, AFTER[q]]]
    points = np.concatenate([points, a + share[split][:, None] * (b - a)])
    flat = np.full(len(other), -1, np.int64)
    flat[split] = count + np.arange(len(split))
    mates = other[split]
    flat[mates[mates >= 0]] = flat[split[mates >= 0]]
    new = flat.reshape(-1, 3)
    touched = np.flatnonzero(any_side(new >= 0))
    t, w, m, h = triangles[touched], new[touched], masks[touched], heights[touched]
    # Heights at the new points, as each triangle sees them.
    wanted = np.flatnonzero(w.ravel() >= 0)
    at = w.ravel()[wanted]
    z = surface.at(points[at], m[wanted // 3], points[t.ravel()[wanted]])
    hw = np.zeros(w.shape)
    hw.reshape(-1)[wanted] = z
    pattern = _pattern(w)
    parts, of, firsts = [], [], []
    for marks in range(1, 8):
        row = np.flatnonzero(pattern == marks)
        corner, height, source = _parts(t[row], w[row], h[row], hw[row], marks, points)
        parts.append((corner, height))
        of.append(row[source])
        firsts.append(np.arange(len(source)) < len(row))
    source = np.concatenate(of)
    corner = np.concatenate([corner for corner, _ in parts]).astype(np.int32)
    height = np.concatenate([height for _, height in parts])
    # The first part of a triangle takes its number, so that all others keep theirs.
    first = np.concatenate(firsts)
    rest = ~first
    number = np.empty(len(source), np.int64)
    number[first] = touched[source[first]]
    number[rest] = len(triangles) + np.arange(int(rest.sum()))
    grown = len(triangles) + int(rest.sum())
    out = Terrain(
        points,
        np.concatenate([triangles, np.empty((grown - len(triangles), 3), np.int32)]),
        np.concatenate([masks, m[source[rest]]]),
        np.concatenate([heights, np.empty((grown - len(triangles), 3))]),
    )
    out.triangles[number], out.heights[number] = corner, height
    changed = np.zeros(grown, bool)
    changed[number] = True
    met = other.reshape(-1, 3)[touched].ravel()
    met = met[(met >= 0) & ~changed[met // 3]]
    return out, joined_again(other, out.triangles, number, met), changed


def _pattern(w: I64) -> I64:
    """Which sides of each triangle are divided, as bits."""
    marked: Bool = w >= 0
    return marked @ np.array([1, 2, 4])


def _parts(t: I32, w: I64, h: F64, hw: F64, marks: int, points: F64) -> tuple[I32, F64, I64]:
    """Triangles with one pattern, divided: corners, heights, and which of them each comes from, the first parts of all
    before the others."""
    n = len(t)
    every = np.arange(n)

    def take(*names: tuple[str, int]) -> tuple[I32, F64]:
        corner = np.stack([t[:, k] if part == "t" else w[:, k] for part, k in names], 1)
        height = np.stack([h[:, k] if part == "t" else hw[:, k] for part, k in names], 1)
        return corner.astype(np.int32), height

    bits = [k for k in range(3) if marks >> k & 1]
    if len(bits) == 1:
        k = bits[0]
        a, b = (k + 1) % 3, (k + 2) % 3
        pieces = [take(("t", k), ("t", a), ("w", k)), take(("t", k), ("w", k), ("t", b))]
        of = [every, every]
    elif len(bits) == 3:
        pieces = [
            take(("t", 0), ("w", 2), ("w", 1)),
            take(("t", 1), ("w", 0), ("w", 2)),
            take(("t", 2), ("w", 1), ("w", 0)),
            take(("w", 0), ("w", 1), ("w", 2)),
        ]
        of = [every] * 4
    else:
        k = ({0, 1, 2} - set(bits)).pop()
        # The sides over a and b are divided: they meet at corner k.
        a, b = (k + 1) % 3, (k + 2) % 3
        tip = take(("t", k), ("w", b), ("w", a))
        one = points[w[:, b]] - points[t[:, b]]
        two = points[w[:, a]] - points[t[:, a]]
        first = np.hypot(*one.T) <= np.hypot(*two.T)
        way1 = [take(("w", b), ("t", a), ("t", b)), take(("w", b), ("t", b), ("w", a))]
        way2 = [take(("w", b), ("t", a), ("w", a)), take(("w", a), ("t", a), ("t", b))]
        pieces, of = [tip], [every]
        for chosen, way in ((first, way1), (~first, way2)):
            pieces += [(corner[chosen], z[chosen]) for corner, z in way]
            of += [every[chosen]] * 2
    return (
        np.concatenate([corner for corner, _ in pieces]),
        np.concatenate([z for _, z in pieces]),
        np.concatenate(of) if n else np.zeros(0, np.int64),
    )
