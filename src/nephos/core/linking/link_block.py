"""The block as links and entries see it: on a coarser grid, cut while passes are put in order."""

from math import sqrt

import numpy as np

from nephos.core.arrays import F32, F64, I32
from nephos.core.cutters import Profile
from nephos.core.parallel import kernel
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.bound import HALF_DIAGONAL, lower_bound
from nephos.core.stock.intervals import merged
from nephos.core.stock.sweep import sweep
from nephos.core.surface.contact import underside

_LINK_CELLS = 250_000
_BOUND_CELLS = 1_000_000
"""Cells of the bound at most: it has to be finer, as a cutter lowers only the cells that it covers whole."""


@kernel
def _highest(
    top: F32, x0: float, y0: float, pitch: float, ax: float, ay: float, bx: float, by: float, r: float
) -> float:
    """Highest cell whose centre lies within r of the segment a-b; -inf where there is none."""
    ny, nx = top.shape
    i0 = max(int(np.ceil((min(ax, bx) - r - x0) / pitch)), 0)
    i1 = min(int(np.floor((max(ax, bx) + r - x0) / pitch)), nx - 1)
    j0 = max(int(np.ceil((min(ay, by) - r - y0) / pitch)), 0)
    j1 = min(int(np.floor((max(ay, by) + r - y0) / pitch)), ny - 1)
    dx = bx - ax
    dy = by - ay
    d2 = dx * dx + dy * dy
    best = -np.inf
    for j in range(j0, j1 + 1):
        y = y0 + j * pitch - ay
        for i in range(i0, i1 + 1):
            if top[j, i] <= best:
                continue
            x = x0 + i * pitch - ax
            t = min(max((x * dx + y * dy) / d2, 0.0), 1.0) if d2 > 0.0 else 0.0
            ex = x - t * dx
            ey = y - t * dy
            if ex * ex + ey * ey <= r * r:
                best = top[j, i]
    return best


@kernel
def _highest_each(top: F32, x0: float, y0: float, pitch: float, paths: F64, r: float, out: F64) -> None:
    """For each of `paths` (n, 4: x, y, x, y in mm) the highest of the block `top` (ny, nx) within `r` mm of it, into
    `out` (n,)."""
    for k in range(len(paths)):
        out[k] = _highest(top, x0, y0, pitch, paths[k, 0], paths[k, 1], paths[k, 2], paths[k, 3], r)


@kernel
def _rests(top: F32, x0: float, y0: float, pitch: float, places: F64, cutter: Profile, reach: float, out: F64) -> None:
    """How low (mm) the cutter can stand at `places` (n, 2) on the block `top` (ny, nx), kept `reach` mm from its cells,
    into `out` (n,)."""
    ny, nx = top.shape
    for k in range(len(places)):
        x = (places[k, 0] - x0) / pitch
        y = (places[k, 1] - y0) / pitch
        r = reach / pitch
        best = -np.inf
        for j in range(max(int(np.ceil(y - r)), 0), min(int(np.floor(y + r)), ny - 1) + 1):
            half = sqrt(max(r * r - (j - y) * (j - y), 0.0))
            for i in range(max(int(np.ceil(x - half)), 0), min(int(np.floor(x + half)), nx - 1) + 1):
                if top[j, i] > best:
                    # At the near side of a cell that stands out beyond the cutter.
                    away = pitch * sqrt((i - x) * (i - x) + (j - y) * (j - y)) - max(reach - cutter.radius, 0.0)
                    best = max(best, top[j, i] - underside(min(max(away, 0.0), cutter.radius), cutter))
        out[k] = best


def _coarser(heights: F32, grid: Grid, most: int) -> tuple[F32, Grid]:
    """The highest of each few cells together, so that there are about `most`."""
    factor = max(1, int(sqrt(grid.nx * grid.ny / most)))
    rows, columns = -(-grid.ny // factor), -(-grid.nx // factor)
    padded = np.pad(heights, ((0, rows * factor - grid.ny), (0, columns * factor - grid.nx)), mode="edge")
    shift = grid.pitch * (factor - 1) / 2
    highest: F32 = np.ascontiguousarray(padded.reshape(rows, factor, columns, factor).max(axis=(1, 3)))
    return highest, Grid(grid.x0 + shift, grid.y0 + shift, grid.pitch * factor, columns, rows)


class LinkBlock:
    """The block on coarser grids, kept up to date while passes are put in order.

    `top` : heights at the centres of cells, by which passes are entered at the feed. `bound` : no material of the whole
    cell stands higher, by which rapids go. `uncut` is the highest place at the outset."""

    def __init__(self, block: Block, keep_up: bool) -> None:
        self.top, self.grid = _coarser(block.top, block.grid, _LINK_CELLS)
        self._intervals = merged(block.intervals, round(self.grid.pitch / block.grid.pitch))
        self.bound, self.bound_grid = _coarser(block.bound, block.grid, _BOUND_CELLS)
        self.uncut = float(self.bound.max())
        self._touched: I32 = np.zeros(self.top.shape, np.int32)
        self._keep_up = keep_up

    def highest(self, a: F64, b: F64, radius: float) -> float:
        """Height of the block within `radius` of the path a-b on the plan; -inf beside the block."""
        g = self.grid
        return float(_highest(self.top, g.x0, g.y0, g.pitch, a[0], a[1], b[0], b[1], radius))

    def highest_along(self, paths: F64, radius: float) -> F64:
        """As :meth:`highest` for many paths (n, 4) x0, y0, x1, y1: (n,)."""
        g = self.grid
        out = np.empty(len(paths))
        _highest_each(self.top, g.x0, g.y0, g.pitch, np.ascontiguousarray(paths), radius, out)
        return out

    def rests(self, places: F64, cutter: Profile, inset: float = 0.0) -> F64:
        """Tip heights (n,) at which a cutter over places (n, 2 or more) rests on the block; -inf beside it.

        Its rim is looked at as if it were `inset` mm farther in (or, negative, farther out).
        """
        g = self.grid
        out = np.empty(len(places))
        _rests(self.top, g.x0, g.y0, g.pitch, np.ascontiguousarray(places[:, :2]), cutter, cutter.radius - inset, out)
        return out

    def highest_anywhere(self, a: F64, b: F64, radius: float) -> float:
        """No material within `radius` of the path a-b on the plan stands higher; -inf beside the block."""
        g = self.bound_grid
        return float(
            _highest(self.bound, g.x0, g.y0, g.pitch, a[0], a[1], b[0], b[1], radius + HALF_DIAGONAL * g.pitch)
        )

    def rests_anywhere(self, place: F64, cutter: Profile) -> float:
        """Tip height from which down a cutter at a place (2 or more) may meet material; -inf beside the block."""
        g = self.bound_grid
        out = np.empty(1)
        _rests(
            self.bound,
            g.x0,
            g.y0,
            g.pitch,
            np.ascontiguousarray(place[None, :2]),
            cutter,
            cutter.radius + HALF_DIAGONAL * g.pitch,
            out,
        )
        return float(out[0])

    def cut(self, points: F64, cutter: Profile) -> None:
        """Take away what a pass cuts."""
        if self._keep_up:
            feeding = np.ones(len(points) - 1, np.uint8)
            sweep(self.top, self._touched, self.grid, points, feeding, 0, cutter, intervals=self._intervals)
            lower_bound(self.bound, self.bound_grid, points, feeding, cutter)
