"""Calculations for tiles: strips lowered towards their seam, the block with assumed errors of the slides, and
the steps at the seams."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64, U8, Bool
from nephos.core.cutters import Cutter
from nephos.core.parallel import Report
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.tiled import TileSetup
from nephos.core.plan.setups.tiling import FAR, Blend, SlideError, Tile
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.compare import Comparison
from nephos.core.stock.cut import cut_block
from nephos.core.toolpath import Kind, Toolpath

_BESIDE = 2.0
"""A step is measured over so much (mm) of the surface on both sides of what both tiles cut,"""
_ALONG = 20.0
"""in pieces of so many millimetres along the seam."""
_ROOM = 2.0
"""A tile is compared so much (mm) farther past its core than it cuts."""


@dataclass(frozen=True)
class SeamStep:
    """The step at a seam: how much higher (mm) the surface lies after it than before it, on average and where that is
    most; `at` is the seam's place along the axis, `place` that of the most."""

    axis: str
    at: float
    mean: float
    most: float
    place: tuple[float, float]


def lowering(points: F64, blend: Blend) -> F64:
    """(n,) how much lower (mm) a strip is cut at places (n, 2 or 3)."""
    along = (points[:, 0 if blend.axis == "x" else 1] - blend.at) * blend.towards
    result: F64 = blend.height * (1.0 - np.clip(along / blend.width, 0.0, 1.0))
    return result


def _with_kinks(path: Toolpath, blend: Blend) -> Toolpath:
    """The path with a point wherever a move crosses the seam, from which on the lowering changes."""
    axis = 0 if blend.axis == "x" else 1
    a, b = path.points[:-1, axis] - blend.at, path.points[1:, axis] - blend.at
    crosses = (a * b < 0) & (np.abs(b - a) > 1e-9)
    share = np.divide(a, a - b, out=np.zeros_like(a), where=crosses)
    middle = path.points[:-1] + share[:, None] * np.diff(path.points, axis=0)
    at = np.flatnonzero(crosses)
    return Toolpath(
        np.insert(path.points, at + 1, middle[at], axis=0),
        np.insert(path.kinds, at, path.kinds[at]),
        np.insert(path.feeds, at, path.feeds[at]),
    )


def _feeding_ends(kinds: U8) -> Bool:
    """(n + 1,) bool, at which points of a path a move ends that is no rapid."""
    return np.concatenate([[False], kinds != Kind.RAPID])


def lowered(path: Toolpath, blend: Blend) -> Toolpath:
    """The path of a strip: what is fed along is lowered towards the seam; rapids stay over the block."""
    path = _with_kinks(path, blend)
    points = path.points.copy()
    ends = _feeding_ends(path.kinds)
    points[ends, 2] -= lowering(points[ends], blend)
    return Toolpath(points, path.kinds, path.feeds)


def raised(points: F64, kinds: U8, blend: Blend) -> F64:
    """The points (n + 1, 3) of a lowered path as they lay on the model, to be held against it."""
    found, ends = points.copy(), _feeding_ends(kinds)
    found[ends, 2] += lowering(np.nan_to_num(points[ends]), blend)
    return found


def misplaced(points: F64, tile: Tile, error: SlideError) -> F64:
    """Points (n, 3) of a tile's moves as they lie on the board when the slide to the tile was wrong: the cut is shifted
    by the error, and rotated about the tile's low corner."""
    angle = np.radians(error.rotation)
    middle = np.array(tile.core[:2])
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    found = points.copy()
    found[:, :2] = (points[:, :2] - middle) @ turn.T + middle + [error.dx, error.dy]
    found[:, 2] += error.dz
    return found


def block_with_errors(
    block: Block, done: Sequence[tuple[Cutter, F64, U8]], tile: Tile, error: SlideError | None, report: Report
) -> Block:
    """The block after operations whose moves (points and kinds) were cut with the error of the slide to their tile."""
    for cutter, points, kinds in done:
        places = points if error is None else misplaced(points, tile, error)
        block = cut_block(block, places, kinds, 0, cutter, report).block
    return block


def seam_steps(
    setup: TileSetup, before: Sequence[TileSetup], block: Block, shown: Block, found: Comparison
) -> tuple[SeamStep, ...]:
    """The steps at the seams of a setup whose tiles are all cut: by how much the block with the assumed errors
    (`shown`) stands higher than the true one, on one side of a seam and on the other.

    From a tile's own end, its overrun and the cutter's radius past a seam, both tiles cut: what lies beside that is
    compared."""
    tile = setup.tile
    if not tile.final:
        return ()
    rows, columns = block.grid.window((found.grid.x0, found.grid.y0), (found.grid.xs[-1], found.grid.ys[-1]))
    higher = shown.top[rows, columns].astype(np.float64) - block.top[rows, columns]
    x, y = np.meshgrid(found.grid.xs, found.grid.ys)
    places = np.column_stack([x.ravel(), y.ravel()])
    for item in (*before, setup):
        if item.tile.blend is not None:
            # A strip is no error: without it the block would stand as much higher.
            mine = _in_core(places, item.tile)
            higher.reshape(-1)[mine] -= lowering(places[mine], item.tile.blend)
    higher = np.where(np.isfinite(found.deviation), higher, np.nan)
    reach = max((step.cutter.radius for step in setup.worked if step.role == "finish"), default=0.0)
    tiles = [item.tile for item in (*before, setup) if item.tile.blend is None]
    steps = []
    for axis, low, high in (("x", 0, 2), ("y", 1, 3)):
        # How far the tile after a seam cuts before it, and the one before it after it.
        ends = [max((tile.past[k] for tile in tiles if tile.past[k] < FAR), default=0.0) + reach for k in (low, high)]
        for at in sorted({tile.core[high] for tile in tiles} & {tile.core[low] for tile in tiles}):
            step = _step_at(found.grid, higher, axis, (at - ends[0], at + ends[1]), at)
            if step is not None:
                steps.append(step)
    return tuple(steps)


def _in_core(places: F64, tile: Tile) -> Bool:
    low, high = np.array(tile.core[:2]), np.array(tile.core[2:])
    return np.asarray(((places >= low) & (places <= high)).all(axis=1), np.bool_)


def tiles_before(plan: Plan, setup: TileSetup) -> list[TileSetup]:
    """The tiles of the same setup that are cut before one."""
    at = next((k for k, item in enumerate(plan.setups) if item.id == setup.id), 0)
    return [item for item in plan.setups[:at] if isinstance(item, TileSetup) and item.tile.of == setup.tile.of]


def swept_past(setup: TileSetup) -> float:
    """How far (mm) past its core a tile may cut, with the error that is assumed for its slide."""
    tile = setup.tile
    widest = max((step.cutter.radius for step in setup.worked), default=0.0)
    error = tile.error or SlideError(tile=2)
    x0, y0, x1, y1 = tile.core
    turned = float(np.hypot(x1 - x0, y1 - y0)) * np.radians(abs(error.rotation))
    past = max((past for past in tile.past if past < FAR), default=0.0)
    return past + 2 * widest + abs(error.dx) + abs(error.dy) + turned + _ROOM


def _step_at(grid: Grid, higher: F64, axis: str, both: tuple[float, float], at: float) -> SeamStep | None:
    """The step at a seam, of what one tile alone has cut on each side of the stretch that `both` have cut."""
    along, across = (grid.xs, grid.ys) if axis == "x" else (grid.ys, grid.xs)
    known = higher if axis == "x" else higher.T
    rows = max(round(_ALONG / grid.pitch), 1)
    pieces = range(0, len(across), rows)
    sides = []
    for first, last in ((both[0] - _BESIDE, both[0]), (both[1], both[1] + _BESIDE)):
        band = known[:, (along >= first) & (along <= last)]
        sides.append(np.array([_middle(band[k : k + rows]) for k in pieces]))
    steps = sides[1] - sides[0]
    if not np.isfinite(steps).any():
        return None
    k = int(np.nanargmax(np.abs(steps)))
    place = float(across[min(k * rows + rows // 2, len(across) - 1)])
    spot = (at, place) if axis == "x" else (place, at)
    return SeamStep(axis, at, float(np.nanmean(steps)), float(steps[k]), spot)


def _middle(values: F64) -> float:
    """The median of what is known."""
    kept = values[np.isfinite(values)]
    return float(np.median(kept)) if len(kept) else float("nan")
