"""Blocks as they are cut and kept, and read again."""

from dataclasses import replace

import numpy as np

from nephos.core.arrays import F64, U8
from nephos.core.parallel import Report
from nephos.core.pipeline.store import Result, as_result
from nephos.core.plan.operation import Operation
from nephos.core.plan.setups.setup import Setup
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.cut import cut_block
from nephos.core.stock.rapids import Cuts, close_rapid_depths


def cut_and_kept(
    block: Block, points: F64, kinds: U8, first: int, operation: Operation, setup: Setup, report: Report
) -> Result:
    """Cut a block with the moves of an operation, counted from `first`; what came of it."""
    cut = cut_block(block, points, kinds, first, operation.cutter, report)
    # A part of a setup, such as a tile, changes a small part of the board only.
    where = None if setup.own_area is None else _swept(points, operation, block.grid)
    kept = kept_block(cut.block if where is None else cut.block.part(*where))
    facts: dict[str, object] = {"struck": [list(item) for item in cut.struck]}
    return as_result(
        facts if where is None else facts | {"part": where},
        depths=cut.depths,
        suspects=np.flatnonzero(cut.suspects),
        cells=np.flatnonzero(cut.cells),
        **kept.arrays,
    )


def _swept(points: F64, operation: Operation, grid: Grid) -> tuple[tuple[float, float], tuple[float, float]]:
    """Corners of what moves (n + 1, 3) can change in a block, within its grid; a few columns where there are none."""
    widest = max([operation.cutter.radius, *(radius for _, radius, _ in operation.cutter.bodies)])
    known = points[np.isfinite(points).all(axis=1), :2]
    if not len(known):
        known = np.array([[grid.x0, grid.y0]])
    reach = widest + 2 * grid.pitch
    low = np.maximum(known.min(axis=0) - reach, [grid.x0 - grid.pitch, grid.y0 - grid.pitch])
    high = np.minimum(known.max(axis=0) + reach, [grid.xs[-1] + grid.pitch, grid.ys[-1] + grid.pitch])
    return (float(low[0]), float(low[1])), (float(high[0]), float(high[1]))


def kept_block(block: Block) -> Result:
    """A block as it is kept, to be read by :func:`block_after`."""
    return as_result(
        {},
        low=block.low,
        high=block.high,
        touched=block.touched,
        bound=block.bound,
        **({} if block.field is None else {"field": block.field}),
    )


def untouched(block: Block) -> Block:
    """The block with no move recorded on its columns: the next tile counts its own moves from 0."""
    return replace(block, touched=np.full_like(block.touched, -1))


def block_after(block: Block, cut: Result) -> Block:
    """A block after the cuts whose result was kept; of a tile only the part is kept that it can change."""
    a = cut.arrays
    if "part" in cut.facts:
        low, high = cut.facts["part"]
        return block.with_part((low[0], low[1]), (high[0], high[1]), a)
    return replace(
        block, low=a["low"], high=a["high"], touched=a["touched"], bound=a["bound"], field=a.get("field", block.field)
    )


def rapid_depths(stock: Block, before: list[Cuts], cuts: Cuts, cut: Result, report: Report) -> Result:
    """How deep each suspected rapid goes into material, looked at closely."""
    suspects, cells = np.zeros(len(cuts[1]), np.bool_), np.zeros(stock.bound.shape, np.bool_)
    suspects[cut.arrays["suspects"]] = True
    cells.reshape(-1)[cut.arrays["cells"]] = True
    return as_result({}, depths=close_rapid_depths(stock, before, cuts, suspects, cells, report))
