"""The block as a dexel field: on each cell of a grid a column of intervals of material."""

from dataclasses import dataclass, replace
from math import ceil, cos, floor, sin
from typing import Any

import numpy as np

from nephos.core.arrays import F32, F64, I32, U8, Bool
from nephos.core.errors import Refused
from nephos.core.stock.intervals import Intervals, all_material, volume_of

MOST_CELLS = 40_000_000


@dataclass(frozen=True)
class Grid:
    """Cell centres x0 + i * pitch, y0 + j * pitch, in the space of the setup, in millimetres.

    That of a bar lies on its unrolled surface, of the reference `radius`: y is the angle A (radians) times that radius,
    and the `ny` rows stand evenly all round from A = 0."""

    x0: float
    y0: float
    pitch: float
    nx: int
    ny: int
    radius: float | None = None

    @property
    def xs(self) -> F64:
        """(nx,) float64 centres along X."""
        return np.asarray(self.x0 + self.pitch * np.arange(self.nx), np.float64)

    @property
    def ys(self) -> F64:
        """(ny,) float64 centres along Y."""
        return np.asarray(self.y0 + self.pitch * np.arange(self.ny), np.float64)

    @property
    def unrolled(self) -> bool:
        """Whether it lies on the unrolled surface of a bar."""
        return self.radius is not None

    def point_at(self, x: float, y: float, z: float) -> tuple[float, float, float]:
        """The point of the setup's frame at a place of the grid; the two differ on a bar."""
        if self.radius is None:
            return x, y, z
        return x, z * sin(y / self.radius), z * cos(y / self.radius)

    def facts(self) -> dict[str, float]:
        """The grid as it is kept among the facts of a result."""
        facts = {"x0": self.x0, "y0": self.y0, "pitch": self.pitch, "nx": self.nx, "ny": self.ny}
        return facts if self.radius is None else facts | {"radius": self.radius}

    @classmethod
    def from_facts(cls, facts: dict[str, float]) -> "Grid":
        """The grid that :meth:`facts` kept."""
        return cls(facts["x0"], facts["y0"], facts["pitch"], int(facts["nx"]), int(facts["ny"]), facts.get("radius"))

    def window(self, low: tuple[float, float], high: tuple[float, float]) -> tuple[slice, slice]:
        """Rows and columns whose centres lie between `low` and `high` (both (x, y))."""

        def span(a: float, b: float, start: float, count: int) -> slice:
            first = max(ceil((a - start) / self.pitch - 1e-9), 0)
            last = min(floor((b - start) / self.pitch + 1e-9), count - 1)
            return slice(first, max(last + 1, first))

        return span(low[1], high[1], self.y0, self.ny), span(low[0], high[0], self.x0, self.nx)


@dataclass(frozen=True)
class Block:
    """Columns of material over a grid.

    `low`, `high` : (k, ny, nx) float32, ends of interval k of each column, the lowest first; an
    interval with high <= low is empty. `touched` : (ny, nx) int32, the move that last cut the
    column from above (-1 for none), counted over the job. `bound` : (ny, nx) float32, no material of
    the whole cell stands higher (stock/bound.py). `foot` : height of the stock's underside. `field` : (ny, nx) float32,
    what this setup alone has cut; none where other sides have cut nothing before, and it is the top of the block.
    """

    grid: Grid
    low: F32
    high: F32
    touched: I32
    bound: F32
    foot: float
    field: F32 | None = None

    @property
    def top(self) -> F32:
        """(ny, nx) float32 height of the highest material of each column; the foot where none is left."""
        heights = np.where(self.high > self.low, self.high, np.float32(self.foot))
        top: F32 = heights.max(axis=0)
        return top

    @property
    def has_gaps(self) -> bool:
        """Whether any column has air below its top."""
        return len(self.low) > 1 or bool((self.low > self.foot).any())

    @property
    def intervals(self) -> Intervals:
        """Intervals of the columns for kernels; empty for a block without gaps."""
        if not self.has_gaps:
            return all_material(*self.bound.shape)
        return Intervals(np.ascontiguousarray(self.low), np.ascontiguousarray(self.high))

    @property
    def volume(self) -> float:
        """Volume of the material, mm^3."""
        return volume_of(self.low, self.high, self.grid.pitch, self.grid.radius)

    @property
    def cut_field(self) -> F32:
        """(ny, nx) float32, what this setup alone has cut: all material above it is gone."""
        return self.top if self.field is None else self.field

    @property
    def bottom(self) -> F32:
        """(ny, nx) float32 height of the lowest material of each column."""
        filled = self.high > self.low
        heights = np.where(filled, self.low, np.inf)
        lowest: F32 = heights.min(axis=0)
        return np.where(np.isfinite(lowest), lowest, np.float32(self.foot)).astype(np.float32)

    @property
    def empty(self) -> U8:
        """(ny, nx) uint8, 1 where nothing is left of the column."""
        return np.asarray(~(self.high > self.low).any(axis=0), np.uint8)

    def part(self, low: tuple[float, float], high: tuple[float, float]) -> "Block":
        """The columns whose middles lie between two corners (x, y), as a block of its own."""
        rows, columns = self.grid.window(low, high)
        g = self.grid
        grid = replace(
            g,
            x0=g.x0 + columns.start * g.pitch,
            y0=g.y0 + rows.start * g.pitch,
            nx=columns.stop - columns.start,
            ny=rows.stop - rows.start,
        )
        return replace(
            self,
            grid=grid,
            low=self.low[:, rows, columns],
            high=self.high[:, rows, columns],
            touched=self.touched[rows, columns],
            bound=self.bound[rows, columns],
            field=None if self.field is None else self.field[rows, columns],
        )

    def with_part(self, low: tuple[float, float], high: tuple[float, float], arrays: dict[str, Any]) -> "Block":
        """The block with its columns between two corners (x, y) as they are in `arrays`, by the names of the fields."""
        rows, columns = self.grid.window(low, high)

        def pasted(name: str) -> Any:
            whole = np.array(getattr(self, name))
            whole[..., rows, columns] = arrays[name]
            return whole

        return replace(
            self,
            low=pasted("low"),
            high=pasted("high"),
            touched=pasted("touched"),
            bound=pasted("bound"),
            field=pasted("field") if "field" in arrays else self.field,
        )

    def only(self, kept: Bool) -> "Block":
        """The block with the columns in `kept` (ny, nx) alone."""
        return replace(self, high=np.where(kept, self.high, self.low))

    def cut_above(self, surface: F32, touched: I32, bound: F32 | None = None, field: F32 | None = None) -> "Block":
        """The block with all material above `surface` (ny, nx) gone; `touched` names the moves.

        `bound` : of what is left over whole cells. Without one the cells are taken for level. `field` : what this setup
        alone has cut by then.
        """
        high = np.minimum(self.high, surface[None])
        bound = np.minimum(self.bound, surface) if bound is None else bound
        touched = np.where(touched >= 0, touched, self.touched)
        return replace(self, high=high, touched=touched, bound=bound, field=field)


def box_block(low: tuple[float, float, float], high: tuple[float, float, float], pitch: float) -> Block:
    """A full rectangular block between two corners, cell centres half a pitch inside its sides."""
    if not 0.01 <= pitch <= 20:
        raise Refused(f"a pitch of {pitch:g} mm is not possible: give 0.01 to 20 mm")
    nx = max(round((high[0] - low[0]) / pitch), 1)
    ny = max(round((high[1] - low[1]) / pitch), 1)
    if nx * ny > MOST_CELLS:
        finest = ((high[0] - low[0]) * (high[1] - low[1]) / MOST_CELLS) ** 0.5
        raise Refused(
            f"a pitch of {pitch:g} mm makes {nx * ny / 1e6:.0f} million columns of this block, "
            f"more than {MOST_CELLS / 1e6:.0f} million: use {finest:.2g} mm or more"
        )
    grid = Grid(low[0] + pitch / 2, low[1] + pitch / 2, pitch, nx, ny)
    shape = (1, ny, nx)
    return Block(
        grid,
        np.full(shape, low[2], np.float32),
        np.full(shape, high[2], np.float32),
        np.full(shape[1:], -1, np.int32),
        np.full(shape[1:], high[2], np.float32),
        low[2],
    )


def rounded(block: Block, axis: F64) -> Block:
    """A full block as the round bar that it holds.

    `axis` (3,) is the bar's own direction in the space of the block: along X or Y the bar lies, along Z it stands.
    Columns beside a standing bar are empty."""
    low, high = float(block.low.min()), float(block.high.max())
    grid = block.grid
    across = np.abs(axis).argmax()
    x, y = np.meshgrid(
        grid.xs - (grid.x0 + grid.pitch * (grid.nx - 1) / 2), grid.ys - (grid.y0 + grid.pitch * (grid.ny - 1) / 2)
    )
    middle = (low + high) / 2
    if across == 2:
        radius = grid.pitch * min(grid.nx, grid.ny) / 2
        inside = x * x + y * y <= radius * radius
        return replace(block, high=np.where(inside, block.high, block.low).astype(np.float32))
    radius = (high - low) / 2
    side = y if across == 0 else x
    half = np.sqrt(np.maximum(radius * radius - side * side, 0.0))
    # Within a cell the bar is highest where it is nearest to its middle.
    nearest = np.maximum(np.abs(side) - grid.pitch / 2, 0.0)
    bound = middle + np.sqrt(np.maximum(radius * radius - nearest * nearest, 0.0))
    return replace(
        block,
        low=(middle - half)[None].astype(np.float32),
        high=(middle + half)[None].astype(np.float32),
        bound=np.nextafter(bound.astype(np.float32), np.float32(np.inf)),
    )
