"""Passes without their stretches in air: what is there already cleared by passes before, or was never there."""

from dataclasses import replace

import numpy as np

from nephos.core.arrays import F64, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.polyline import densified
from nephos.core.stock.block import Block
from nephos.core.stock.cut import last_cuts, removed
from nephos.core.toolpath import Pass

EVERY = 0.5
"""Passes are looked at in stretches of this length (mm)."""
NOTHING = 0.002
"""A stretch that takes off no more than this (mm) is in air: that much is rounding."""
_LOAD = 0.1
"""Removal, as a share of the radius, from which a stretch is kept for the load of later ones."""
_RECENT = 100
"""Of so many paths that were left out last the next one may be entered from."""


def without_air(
    passes: tuple[Pass, ...], block: Block, cutter: Profile, least: float, worth: float = NOTHING
) -> tuple[Pass, ...]:
    """The passes, in their order, broken where they run through air for `least` mm or more.

    Each pass is cut out of a copy of the block in turn. What is left out takes no more than `worth` mm away anywhere:
    where that is nothing, the block becomes the same without it.

    Parameters
    ----------
    passes : in the order of cutting, none of them plunging.
    block : as it is before the first.
    """
    if not passes:
        return passes
    paths, points = _stretches(passes)
    depths = removed(block, points, np.ones(len(points) - 1, np.uint8), cutter)
    found: list[Pass] = []
    at = 0
    left_out: list[F64] = []
    for item, path in zip(passes, paths, strict=True):
        kept = broken(item, path, depths[at : at + len(path) - 1] > worth, least)
        at += len(path) + 1
        if not kept:
            left_out = [*left_out[-_RECENT:], path]
        for k, free in enumerate(left_out if kept else ()):
            entry = _entry_on(free, kept[0], 2 * cutter.radius)
            if entry:
                found += entry
                del left_out[k]
                break
        found += kept
    return tuple(found)


def _stretches(passes: tuple[Pass, ...]) -> tuple[list[F64], F64]:
    """Each pass, densified, and all of them in one array (n, 3), separated by NaN."""
    paths = [densified(np.ascontiguousarray(item.points), EVERY) for item in passes]
    gap = np.full((1, 3), np.nan)
    return paths, np.concatenate([part for path in paths for part in (path, gap)])


def without_finished(
    passes: tuple[Pass, ...], block: Block, cutter: Profile, least: float, worth: float, ends: float
) -> tuple[Pass, ...]:
    """Finishing passes without their stretches over surface that earlier setups have finished from other sides.

    No column is left more than `worth` mm higher than with all passes. This holds for the sum of all omitted stretches:
    one by one, each could remove less than `worth` while many together remove more. A stretch that removes
    more than :data:`_LOAD` is kept even if a later stretch removes all of that and more: the later one would be
    overloaded.

    Parameters
    ----------
    passes : in the order of cutting, without plunging passes. block : columns before the first pass. least : shortest
    stretch (mm) that is left out in the middle of a pass. worth : tolerance, mm. ends : shortest stretch (mm) that is
    left out at an end of a pass.
    """
    if not passes:
        return passes
    paths, points = _stretches(passes)
    cuts = (last_cuts(block, points, cutter, worth) > 0) | (
        removed(block, points, np.ones(len(points) - 1, np.uint8), cutter) > _LOAD * cutter.radius
    )
    found: list[Pass] = []
    at = 0
    for item, path in zip(passes, paths, strict=True):
        found += broken(item, path, _to_its_ends(path, cuts[at : at + len(path) - 1], ends), least)
        at += len(path) + 1
    return tuple(found)


def _entry_on(free: F64, item: Pass, reach: float) -> list[Pass]:
    """A short stretch of a path that was left out, where it passes beside the beginning of the next one at its level:
    so that one is still entered from outside. Whether the cutter may go straight across is for the links to find
    out."""
    if (free.min(axis=0) - reach > item.start).any() or (free.max(axis=0) + reach < item.start).any():
        return []
    away = np.sqrt(((free[:-1] - item.start) ** 2).sum(axis=1))
    nearest = int(away.argmin())
    if away[nearest] > reach or abs(float(free[nearest, 2] - item.start[2])) > 1e-6:
        return []
    return [Pass(free[nearest : nearest + 2])]


def broken(item: Pass, path: F64, cuts: Bool, least: float) -> list[Pass]:
    """A pass as those of its stretches that cut, in their order, where what lies between is `least` mm long or more and
    so left out.

    `path` (n, 3) is the pass, densified; `cuts` (n - 1,) says which of its stretches cut.

    In their order, as one may be in the air only because another one before it, across a neck, is not. What they take
    away in all depends on no order."""
    if cuts.all():
        return [item]
    if not cuts.any():
        return []
    lengths = np.sqrt((np.diff(path, axis=0) ** 2).sum(axis=1))
    corner = _corners(item.points, path)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], cuts.astype(np.int8), [0]])))
    runs = [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]
    joined = [runs[0]]
    for first, last in runs[1:]:
        if lengths[joined[-1][1] : first].sum() < least:
            joined[-1] = joined[-1][0], last
        else:
            joined.append((first, last))
    around = lengths[: joined[0][0]].sum() + lengths[joined[-1][1] :].sum()
    if len(joined) == 1 and (around == 0 or (item.closed and around < least)):
        return [item]
    found = [_stretch(path, corner, first, last) for first, last in joined]
    if item.closed and joined[0][0] == 0 and joined[-1][1] == len(cuts):
        # Over the seam it goes on; so it begins where the last one does, in the air, not in the full.
        found = [np.concatenate([found[-1], found[0][1:]]), *found[1:-1]]
    return [replace(item, points=points, closed=False, helix=None) for points in found]


def _to_its_ends(path: F64, cuts: Bool, least: float) -> Bool:
    """`cuts` (n,) with air of less than `least` mm at both ends of the path kept."""
    if not cuts.any():
        return cuts
    gone = np.concatenate([[0.0], np.cumsum(np.sqrt((np.diff(path, axis=0) ** 2).sum(axis=1)))])
    first, last = int(cuts.argmax()), len(cuts) - int(cuts[::-1].argmax())
    kept: Bool = cuts.copy()
    kept[:first] |= gone[first] < least
    kept[last:] |= gone[-1] - gone[last] < least
    return kept


def _corners(points: F64, path: F64) -> Bool:
    """Which points of the densified path are points of the pass itself; all, where rounding leaves a doubt."""
    parts = np.maximum(np.ceil(np.sqrt((np.diff(points, axis=0) ** 2).sum(axis=1)) / EVERY).astype(np.int64), 1)
    if parts.sum() + 1 != len(path):
        return np.ones(len(path), np.bool_)
    marks: Bool = np.zeros(len(path), np.bool_)
    marks[np.concatenate([[0], np.cumsum(parts)])] = True
    return marks


def _stretch(path: F64, corner: Bool, first: int, last: int) -> F64:
    """The points from the beginning of stretch `first` to the end of the one before `last`: its ends, and what corners
    lie between."""
    chosen = corner[first : last + 1].copy()
    chosen[0] = chosen[-1] = True
    points: F64 = path[first : last + 1][chosen]
    return points
