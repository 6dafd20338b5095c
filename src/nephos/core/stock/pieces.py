"""Connected pieces of the block: the part, the frame that holds it, and what has come free."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F32, F64, I32, I64, U8, Bool
from nephos.core.parallel import kernel
from nephos.core.stock.block import Block
from nephos.core.stock.frames import Frames
from nephos.core.union_find import root

LEAST = 1.0
"""Pieces of less volume (mm^3) are dust."""


@dataclass(frozen=True)
class Piece:
    """A connected piece: its `label`, `volume` in mm^3, the corners of its box, whether it reaches the `side` of the
    stock, and one `column` (j, i) of it."""

    label: int
    volume: float
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    side: bool
    column: tuple[int, int]


@kernel
def _label(low: F32, high: F32, bridge: float, labels: I32) -> int:
    """Number connected intervals from 0; returns how many pieces there are. Neighbours share more than `bridge` of
    height."""
    planes, rows, columns = low.shape
    size = rows * columns
    parent = np.empty(planes * size, np.int32)
    for k in range(planes * size):
        parent[k] = k
    for j in range(rows):
        for i in range(columns):
            for p in range(planes):
                if not high[p, j, i] > low[p, j, i]:
                    continue
                here = p * size + j * columns + i
                for step in range(2):
                    nj, ni = j - 1 + step, i - step
                    if nj < 0 or ni < 0:
                        continue
                    for q in range(planes):
                        shared = min(high[p, j, i], high[q, nj, ni]) - max(low[p, j, i], low[q, nj, ni])
                        if shared > bridge:
                            a, b = root(parent, here), root(parent, q * size + nj * columns + ni)
                            if a != b:
                                parent[max(a, b)] = min(a, b)
    return _number(low, high, parent, labels)


@kernel
def _number(low: F32, high: F32, parent: I32, labels: I32) -> int:
    """Number the roots of connected intervals in their order; returns how many there are."""
    planes, rows, columns = low.shape
    size = rows * columns
    count = 0
    number = np.full(planes * size, -1, np.int32)
    for p in range(planes):
        for j in range(rows):
            for i in range(columns):
                if high[p, j, i] > low[p, j, i]:
                    stands = root(parent, p * size + j * columns + i)
                    if number[stands] < 0:
                        number[stands] = count
                        count += 1
                    labels[p, j, i] = number[stands]
                else:
                    labels[p, j, i] = -1
    return count


@kernel
def _measure(low: F32, high: F32, labels: I32, sums: F64, boxes: F64, sides: U8, columns_of: I64) -> None:
    """Sum up each piece `labels` (planes, rows, columns) of intervals low .. high (mm): heights into `sums` (k,), box
    and largest height into `boxes` (k, 7), the column of that into `columns_of` (k, 2), 1 into `sides` (k,) where it
    touches the side of the grid."""
    planes, rows, columns = low.shape
    for p in range(planes):
        for j in range(rows):
            for i in range(columns):
                k = labels[p, j, i]
                if k < 0:
                    continue
                height = high[p, j, i] - low[p, j, i]
                if columns_of[k, 0] < 0 or height > boxes[k, 6]:
                    columns_of[k, 0], columns_of[k, 1] = j, i
                    boxes[k, 6] = height
                sums[k] += height
                boxes[k, 0], boxes[k, 3] = min(boxes[k, 0], i), max(boxes[k, 3], i)
                boxes[k, 1], boxes[k, 4] = min(boxes[k, 1], j), max(boxes[k, 4], j)
                boxes[k, 2], boxes[k, 5] = min(boxes[k, 2], low[p, j, i]), max(boxes[k, 5], high[p, j, i])
                if i == 0 or j == 0 or i == columns - 1 or j == rows - 1:
                    sides[k] = 1


def find_pieces(block: Block, bridge: float = 0.0, least: float = LEAST) -> tuple[I32, tuple[Piece, ...]]:
    """All connected pieces of the block, the largest first.

    Two columns belong together where they stand side by side (not corner to corner) and share more than `bridge` of
    height: with a bridge as high as the tabs, what hangs together by tabs alone falls apart.

    Parameters
    ----------
    least : pieces of less volume, mm^3, are left out; their columns keep a label that no piece has.

    Returns
    -------
    labels : (k, ny, nx) int32, -1 where nothing stands.
    pieces : the pieces.
    """
    labels = np.empty(block.low.shape, np.int32)
    count = _label(block.low, block.high, bridge, labels)
    sums, sides = np.zeros(count), np.zeros(count, np.uint8)
    boxes = np.tile(np.array([np.inf, np.inf, np.inf, -np.inf, -np.inf, -np.inf, 0.0]), (count, 1))
    columns = np.full((count, 2), -1, np.int64)
    _measure(block.low, block.high, labels, sums, boxes, sides, columns)
    g = block.grid
    volumes = sums * g.pitch**2
    found = []
    for k in np.argsort(-volumes, kind="stable"):
        if volumes[k] < least:
            break
        x0, y0, z0, x1, y1, z1 = map(float, boxes[k, :6])
        half = g.pitch / 2
        found.append(
            Piece(
                int(k),
                float(volumes[k]),
                (g.x0 + x0 * g.pitch - half, g.y0 + y0 * g.pitch - half, z0),
                (g.x0 + x1 * g.pitch + half, g.y0 + y1 * g.pitch + half, z1),
                bool(sides[k]),
                (int(columns[k, 0]), int(columns[k, 1])),
            )
        )
    return labels, tuple(found)


def part_of(labels: I32, pieces: tuple[Piece, ...], wanted: Bool) -> Piece | None:
    """The piece that has most of the columns in `wanted` (ny, nx), where the models stand."""
    inside = labels[:, wanted]
    counts = np.bincount(inside[inside >= 0].ravel(), minlength=1)
    best = max(pieces, key=lambda piece: counts[piece.label] if piece.label < len(counts) else 0, default=None)
    return best if best is not None and best.label < len(counts) and counts[best.label] > 0 else None


def heights_at(top: F32, frames: Frames, moment: int) -> F32:
    """Heights (ny, nx) of the shown grid after `moment` (of `frames.moments`) of an operation that began with `top`."""
    if not len(frames.moment):
        return top.copy()
    reached = np.where(frames.moment <= moment, np.arange(len(frames.moment)), -1)
    filled = np.flatnonzero(np.diff(frames.start) > 0)
    last = np.maximum.reduceat(reached, frames.start[filled].astype(np.int64))
    heights: F32 = top.copy()
    flat = heights.reshape(-1)
    flat[filled[last >= 0]] = frames.height[last[last >= 0]]
    return heights


def freed_at(top: F32, foot: float, frames: Frames, place: tuple[float, float]) -> float | None:
    """The share of an operation's time at which the piece that stands at `place` has come free of the sides of the
    stock.

    None where it has not, on the grid of the frames, or was free before.
    """
    grid = frames.grid
    column = (
        int(np.clip(round((place[1] - grid.y0) / grid.pitch), 0, grid.ny - 1)),
        int(np.clip(round((place[0] - grid.x0) / grid.pitch), 0, grid.nx - 1)),
    )

    def free(moment: int) -> bool:
        heights = heights_at(top, frames, moment)[None]
        low: F32 = np.full(heights.shape, foot, np.float32)
        labels = np.empty(heights.shape, np.int32)
        _label(low, heights, 0.0, labels)
        mine = labels[0][column]
        edges = np.concatenate([labels[0, 0], labels[0, -1], labels[0, :, 0], labels[0, :, -1]])
        return bool(mine >= 0 and not (edges == mine).any())

    first, last = -1, frames.moments
    if not free(last) or free(first):
        return None
    while last - first > 1:
        middle = (first + last) // 2
        first, last = (first, middle) if free(middle) else (middle, last)
    return last / frames.moments
