"""Parallel lines over a region, and the order in which they are cut."""

from math import ceil, cos, floor, radians, sin

import numpy as np
import shapely

from nephos.core.arrays import F64, I64


def hatch(region: shapely.Geometry, angle: float, stepover: float) -> tuple[F64, I64]:
    """Parallel lines clipped to `region`, in order.

    Parameters
    ----------
    region : polygon or polygons on the plan, millimetres.
    angle : direction of the lines, degrees from X towards Y.
    stepover : largest distance between them; made smaller so that they divide the region evenly.

    Returns
    -------
    lines : (n, 4) float64 x0, y0, x1, y1, all in the direction of the angle.
    row : (n,) int64, which parallel each lies on, counted across.
    """
    if region.is_empty:
        return np.empty((0, 4)), np.empty(0, np.int64)
    along = np.array([cos(radians(angle)), sin(radians(angle))])
    across = np.array([-along[1], along[0]])
    outline = shapely.get_coordinates(region)
    u, v = outline @ along, outline @ across
    inset = 1e-6
    low, high = v.min() + inset, v.max() - inset
    rows = max(ceil((high - low) / stepover - 1e-9), 1)
    at = np.linspace(low, high, rows + 1)
    begin = at[:, None] * across + (floor(u.min()) - 1) * along
    end = at[:, None] * across + (ceil(u.max()) + 1) * along
    shapely.prepare(region)
    cut = shapely.intersection(shapely.linestrings(np.stack([begin, end], axis=1)), region)
    pieces, row = shapely.get_parts(cut, return_index=True)
    flat = (shapely.get_type_id(pieces) == 1) & ~shapely.is_empty(pieces)
    pieces, row = pieces[flat], row[flat]
    ends = np.concatenate([shapely.get_coordinates(shapely.get_point(pieces, k)) for k in (0, -1)], axis=1)
    swap = (ends[:, 2:] - ends[:, :2]) @ along < 0
    ends[swap] = ends[swap][:, [2, 3, 0, 1]]
    order = np.lexsort((ends[:, :2] @ along, row))
    return ends[order], row[order].astype(np.int64)


def in_chains(lines: F64, row: I64, both_ways: bool) -> F64:
    """Order and turn `lines` so that neighbours follow each other, one connected stretch at a time.

    A chain goes on to the nearest piece on the next row that lies beside the last one; where there is none, the next
    chain starts at the first piece not yet used."""
    used = np.zeros(len(lines), bool)
    starts = np.searchsorted(row, np.arange(row.max() + 2 if len(row) else 1))
    out = []
    for seed in range(len(lines)):
        k = seed
        forward = True
        while k >= 0 and not used[k]:
            used[k] = True
            out.append(lines[k] if forward else lines[k][[2, 3, 0, 1]])
            end = out[-1][2:]
            if both_ways:
                forward = not forward
            k = _beside(lines, starts, row[k] + 1, used, k, end, forward)
    return np.array(out).reshape(-1, 4)


def _beside(lines: F64, starts: I64, row: int, used: np.ndarray, last: int, end: F64, forward: bool) -> int:
    if row + 1 >= len(starts):
        return -1
    candidates = np.arange(starts[row], starts[row + 1])
    candidates = candidates[~used[candidates]]
    if len(candidates) == 0:
        return -1
    direction = lines[last, 2:] - lines[last, :2]
    length = max(float(np.hypot(*direction)), 1e-9)
    direction = direction / length
    a = (lines[candidates][:, :2] - lines[last, :2]) @ direction
    b = (lines[candidates][:, 2:] - lines[last, :2]) @ direction
    candidates = candidates[(b > 0) & (a < length)]
    if len(candidates) == 0:
        return -1
    begins = lines[candidates][:, :2] if forward else lines[candidates][:, 2:]
    return int(candidates[np.hypot(*(begins - end).T).argmin()])
