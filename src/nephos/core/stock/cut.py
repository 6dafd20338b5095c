"""A block cut by the moves of one cutter, watched for what else of it meets material."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F32, F64, U8, Bool
from nephos.core.cutters import Cutter
from nephos.core.cutters.profile import Profile
from nephos.core.parallel import Report, part, silent
from nephos.core.stock.bar import cut_bar, removed_from_bar
from nephos.core.stock.block import Block
from nephos.core.stock.bound import lower_bound
from nephos.core.stock.sweep import sweep
from nephos.core.stock.watch import sweep_watching

STRIKE = 0.02
"""So much (mm) of shank or holder in the block is rounding of the block to its pitch on slopes."""

Struck = tuple[str, float, int]
"""What of the cutter met material besides its flutes, how deep (mm) at worst, and in which move."""


@dataclass(frozen=True)
class Cut:
    """The block afterwards, how much (mm) each move took off where it took most (n,), and what was struck.

    `suspects` : (n,) bool, rapids that may meet material between the centres of cells, and `cells` (ny, nx) bool,
    where: all rapids that do meet some are among them (stock/rapids.py looks closer)."""

    block: Block
    depths: F32
    struck: tuple[Struck, ...]
    suspects: Bool
    cells: Bool


def cut_block(block: Block, points: F64, kinds: U8, first: int, cutter: Cutter, report: Report = silent) -> Cut:
    """Cut a block with moves (`points`, `kinds` as in :func:`nephos.core.stock.sweep.sweep`), counted over the job from
    `first`."""
    if block.grid.radius is not None:
        return _cut_bar(block, points, kinds, first, cutter, report)
    top, touched = np.ascontiguousarray(block.top), np.full(block.touched.shape, -1, np.int32)
    bodies = cutter.bodies
    depths, strikes = sweep_watching(
        top,
        touched,
        block.grid,
        points,
        kinds,
        first,
        cutter.profile,
        np.array([[radius, height] for _, radius, height in bodies]),
        part(report, 0, 0.5),
        block.intervals,
    )
    struck = tuple(
        (name, float(depth), int(move))
        for (name, _, _), (depth, move) in zip(bodies, strikes, strict=True)
        if depth > STRIKE
    )
    bound = block.bound.copy()
    suspects, cells = lower_bound(bound, block.grid, points, kinds, cutter.profile, part(report, 0.5, 1))
    field = None if block.field is None else _field_of(block, block.field, points, kinds, cutter)
    return Cut(block.cut_above(top, touched, np.maximum(bound, top), field), depths, struck, suspects, cells)


def _cut_bar(block: Block, points: F64, kinds: U8, first: int, cutter: Cutter, report: Report) -> Cut:
    after, depths, strikes = cut_bar(block, points, kinds, first, cutter, report)
    struck = tuple(
        (name, float(depth), int(move))
        for (name, _, _), (depth, move) in zip(cutter.bodies, strikes, strict=True)
        if depth > STRIKE
    )
    # Rapids are probed against whole cells already: there is nothing to look at more closely.
    return Cut(after, depths, struck, np.zeros(len(kinds), np.bool_), np.zeros(block.touched.shape, np.bool_))


def removed(block: Block, points: F64, kinds: U8, cutter: Profile) -> F32:
    """How much (mm) each move would take off where it takes most, (n,); the block stays as it is."""
    if block.grid.radius is not None:
        return removed_from_bar(block, points, kinds, cutter)
    top, touched = block.top.copy(), np.full(block.touched.shape, -1, np.int32)
    return sweep(top, touched, block.grid, points, kinds, 0, cutter, intervals=block.intervals)


def last_cuts(block: Block, points: F64, cutter: Profile, worth: float) -> F32:
    """(n,) float32, greater than 0 for the feed moves along `points` (n + 1, 3) that are needed.

    Consider the columns from which all moves together remove more than `worth` mm. Without the other moves each of them
    ends no more than `worth` / 2 higher."""
    # The height of the cuts themselves: the top of a column that they cut through lies deeper, under the gap.
    cut, kinds = block.top.copy(), np.ones(len(points) - 1, np.uint8)
    marks = np.full(cut.shape, -1, np.int32)
    sweep(cut, marks, block.grid, points, kinds, 0, cutter)
    before = np.maximum(block.high - block.low, 0.0).sum(axis=0)
    after = np.maximum(np.minimum(block.high, cut) - block.low, 0.0).sum(axis=0)
    goal = np.where(before - after > worth, cut + np.float32(worth / 2), -np.inf).astype(np.float32)
    return sweep(goal, marks, block.grid, points, kinds, 0, cutter)


def _field_of(block: Block, before: F32, points: F64, kinds: U8, cutter: Cutter) -> F32:
    """What the setup alone has cut: the same moves without what other sides took away before."""
    field = before.copy()
    sweep(field, np.full(field.shape, -1, np.int32), block.grid, points, kinds, 0, cutter.profile)
    return field
