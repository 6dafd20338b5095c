"""A close look at rapids that may meet material: the few cells in question, on a grid of 0.02 mm or finer.

The bound of the block (stock/bound.py) names the rapids that may meet something and the cells where they may.
Only these cells are cut once more here, finely, by all moves in their order.
"""

from math import ceil

import numpy as np

from nephos.core.arrays import F32, F64, U8, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.parallel import Report, in_parallel, kernel, silent
from nephos.core.stock.block import Block
from nephos.core.stock.sweep import sweep_rows

FINE = 0.02
"""Pitch of the close look at most, mm."""
MOST_CELLS = 40_000
"""No more cells than this are looked at, evenly spread: a job with more has rapids in its block in any case."""
_CHUNK = 64

Cuts = tuple[F64, U8, Profile]
"""Moves of one cutter: points (n + 1, 3), kinds (n,), 0 for rapids, and the cutter."""


@kernel
def _boxes(points: F64, size: int, out: F64) -> None:
    """Boxes (x, y low, x, y high) of each `size` moves in turn; empty where no place is known."""
    for c in range(len(out)):
        out[c, 0] = out[c, 1] = np.inf
        out[c, 2] = out[c, 3] = -np.inf
        for k in range(c * size, min((c + 1) * size + 1, len(points))):
            if points[k, 0] == points[k, 0]:
                out[c, 0], out[c, 1] = min(out[c, 0], points[k, 0]), min(out[c, 1], points[k, 1])
                out[c, 2], out[c, 3] = max(out[c, 2], points[k, 0]), max(out[c, 3], points[k, 1])


@kernel
def _replay(
    top: F32,
    x0: float,
    y0: float,
    sub: float,
    points: F64,
    kinds: U8,
    boxes: F64,
    size: int,
    p: Profile,
    ask: U8,
    depths: F32,
) -> None:
    """Cut one cell `top` (n, n), whose first fine centre is (x0, y0), by all feed moves; rapids in `ask` are held
    against it."""
    n = len(top)
    marks = np.zeros(top.shape, np.int32)
    ids, hit = np.zeros(1, np.int64), np.zeros(1, np.float32)
    reach = p.radius
    x1, y1 = x0 + (n - 1) * sub, y0 + (n - 1) * sub
    for c in range(len(boxes)):
        if boxes[c, 0] - reach > x1 or boxes[c, 2] + reach < x0 or boxes[c, 1] - reach > y1 or boxes[c, 3] + reach < y0:
            continue
        for k in range(c * size, min((c + 1) * size, len(kinds))):
            a, b = points[k], points[k + 1]
            if not (a[0] == a[0] and b[0] == b[0]):
                continue
            if (
                min(a[0], b[0]) - reach > x1
                or max(a[0], b[0]) + reach < x0
                or min(a[1], b[1]) - reach > y1
                or max(a[1], b[1]) + reach < y0
            ):
                continue
            hit[0] = 0.0
            if kinds[k] != 0:
                sweep_rows(top, marks, x0, y0, sub, 0, points[k : k + 2], ids, p, hit)
            elif ask[k] != 0:
                sweep_rows(top.copy(), marks, x0, y0, sub, 0, points[k : k + 2], ids, p, hit)
                depths[k] = max(depths[k], hit[0])


def close_rapid_depths(
    stock: Block, before: list[Cuts], cuts: Cuts, suspects: Bool, cells: Bool, report: Report = silent
) -> F32:
    """How deep (mm) each suspected rapid of the last cuts goes into material, (n,) float32; 0 for all other moves.

    Parameters
    ----------
    stock : the block before the first cut.
    before : all cuts since then, in their order; `cuts` come after them.
    suspects, cells : as :func:`nephos.core.stock.bound.lower_bound` found them for `cuts`.
    """
    points, kinds, _ = cuts
    depths = np.zeros(len(kinds), np.float32)
    places = np.argwhere(cells)
    if not suspects.any() or not len(places):
        return depths
    places = places[:: ceil(len(places) / MOST_CELLS)]
    grid = stock.grid
    fine = max(2, ceil(grid.pitch / FINE))
    sub = grid.pitch / fine
    ask = suspects.astype(np.uint8)
    history = [(np.ascontiguousarray(p), k, c, np.zeros(len(k), np.uint8)) for p, k, c in before] + [
        (np.ascontiguousarray(points), kinds, cuts[2], ask)
    ]
    boxes = []
    for path, marks, _, _ in history:
        box = np.empty((ceil(len(marks) / _CHUNK), 4))
        _boxes(path, _CHUNK, box)
        boxes.append(box)

    def work(first: int, last: int) -> F32:
        found = np.zeros(len(kinds), np.float32)
        for j, i in places[first:last]:
            top = np.full((fine, fine), stock.bound[j, i], np.float32)
            x0, y0 = grid.x0 + (i - 0.5) * grid.pitch + sub / 2, grid.y0 + (j - 0.5) * grid.pitch + sub / 2
            for (path, moves, profile, asked), box in zip(history, boxes, strict=True):
                _replay(top, x0, y0, sub, path, moves, box, _CHUNK, profile, asked, found)
        return found

    return np.maximum(depths, np.max(in_parallel(work, len(places), max(16, len(places) // 64), report), axis=0))
