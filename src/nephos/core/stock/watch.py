"""Shank and holder, held against the block as it is at each move."""

from math import ceil, floor

import numpy as np

from nephos.core.arrays import F32, F64, I32, I64, U8
from nephos.core.cutters.profile import Profile
from nephos.core.parallel import Report, in_parallel, kernel, silent
from nephos.core.stock.block import Grid
from nephos.core.stock.intervals import Intervals, all_material
from nephos.core.stock.sweep import row_span, sweep, sweep_rows_with


@kernel
def _strike(
    top: F32,
    x0: float,
    y0: float,
    pitch: float,
    j0: int,
    px: float,
    py: float,
    pz: float,
    qx: float,
    qy: float,
    qz: float,
    r: float,
    lift: float,
) -> float:
    """How deep (mm) a cylinder of radius r, whose foot is `lift` over the tip, goes into material along a move."""
    rows, columns = top.shape
    dx, dy = qx - px, qy - py
    d2 = dx * dx + dy * dy
    worst = 0.0
    first = max(int(ceil((min(py, qy) - r - y0) / pitch)) - j0, 0)
    last = min(int(floor((max(py, qy) + r - y0) / pitch)) - j0, rows - 1)
    for j in range(first, last + 1):
        low, high = row_span(px, py, qx, qy, r, y0 + (j0 + j) * pitch)
        wy = y0 + (j0 + j) * pitch - py
        for i in range(max(int(ceil((low - x0) / pitch)), 0), min(int(floor((high - x0) / pitch)), columns - 1) + 1):
            share = min(max(((x0 + i * pitch - px) * dx + wy * dy) / d2, 0.0), 1.0) if d2 > 0.0 else 1.0
            worst = max(worst, top[j, i] - (pz + share * (qz - pz) + lift))
    return worst


@kernel
def _sweep_and_watch(
    top: F32,
    touched: I32,
    x0: float,
    y0: float,
    pitch: float,
    j0: int,
    points: F64,
    ids: I64,
    p: Profile,
    hits: F32,
    bodies: F64,
    strikes: F64,
    low_ends: F32,
    high_ends: F32,
) -> None:
    """`sweep_rows_with`, one move at a time: shank and holder are held against the block as it is at each move.

    `bodies` (b, 2) radius and height over the tip; `strikes` (b, 2) gets the worst depth and its move.
    """
    ceiling = -np.inf
    for j in range(top.shape[0]):
        for i in range(top.shape[1]):
            ceiling = max(ceiling, top[j, i])
    for k in range(len(ids)):
        a, b = points[k], points[k + 1]
        if a[0] == a[0] and b[0] == b[0]:
            for q in range(len(bodies)):
                if min(a[2], b[2]) + bodies[q, 1] < ceiling:
                    depth = _strike(
                        top, x0, y0, pitch, j0, a[0], a[1], a[2], b[0], b[1], b[2], bodies[q, 0], bodies[q, 1]
                    )
                    if depth > strikes[q, 0]:
                        strikes[q, 0] = depth
                        strikes[q, 1] = ids[k]
        sweep_rows_with(
            top, touched, x0, y0, pitch, j0, points[k : k + 2], ids[k : k + 1], p, hits[k : k + 1], low_ends, high_ends
        )  # fmt: skip


def sweep_watching(
    top: F32,
    touched: I32,
    grid: Grid,
    points: F64,
    kinds: U8,
    first_id: int,
    cutter: Profile,
    bodies: F64,
    report: Report = silent,
    intervals: Intervals | None = None,
) -> tuple[F32, F64]:
    """As :func:`sweep`, watching shank and holder.

    Parameters
    ----------
    bodies : (b, 2) float64, radius of each and height of its foot over the tip, in millimetres.

    Returns
    -------
    hits : (n,) float32 as of :func:`sweep`.
    strikes : (b, 2) float64, how deep each body goes into material at worst, and in which move (counted from 0).
    """
    strikes = np.zeros((len(bodies), 2))
    lowest = float(np.fmin.reduce(points[:, 2], initial=np.inf))
    near = np.flatnonzero(lowest + bodies[:, 1] < top.max(initial=-np.inf)) if len(bodies) else np.empty(0, np.int64)
    if len(near) == 0:
        return sweep(top, touched, grid, points, kinds, first_id, cutter, report, intervals=intervals), strikes
    columns = all_material(*top.shape) if intervals is None else intervals
    ids = np.arange(first_id, first_id + len(kinds), dtype=np.int64)
    points, watched = np.ascontiguousarray(points), np.ascontiguousarray(bodies[near])
    bands = max(1, grid.ny // 24 + 1)
    hits = np.zeros((grid.ny // bands + 2, len(kinds)), np.float32)
    found = np.zeros((len(hits), len(near), 2))

    def work(first: int, last: int) -> None:
        band = first // bands
        _sweep_and_watch(
            top[first:last],
            touched[first:last],
            grid.x0,
            grid.y0,
            grid.pitch,
            first,
            points,
            ids,
            cutter,
            hits[band],
            watched,
            found[band],
            *columns.rows(first, last),
        )

    in_parallel(work, grid.ny, bands, report)
    for k, body in enumerate(near):
        worst = int(found[:, k, 0].argmax())
        strikes[body] = found[worst, k, 0], found[worst, k, 1] - first_id
    return hits.max(axis=0), strikes
