"""What there is to clear at one level, found in a coarse picture of the ground: its walls, its rings, its pieces."""

from dataclasses import dataclass
from functools import cached_property
from math import ceil, pi

import numpy as np

from nephos.core.arrays import F32, F64, I16, I64, U8, Bool
from nephos.core.estimate.height_map import HeightMap, levels_to, spread
from nephos.core.parallel import in_parallel, kernel

_STANDS, _SEEN = 1, 2
_CHOSEN, _OTHER = 1, 2
FRAME = 2
"""So many cells lie round a picture where neighbours are looked at, so that none is asked for beyond it."""
_ROWS = 64
_BLOCK = 3
"""Pieces nearer than so many cells are one: a strip along a wall is narrower than a cell, and breaks up in the
picture."""


@kernel
def _band(
    tips: F32,
    over: F32,
    beside: F32,
    region: Bool,
    levels: F32,
    trace: float,
    worth: float,
    first: int,
    last: int,
    goes: I16,
    begins: I16,
) -> None:
    """For rows `first` to `last`: at how many of the levels the cutter may be, and from which of them on it clears
    there."""
    nx = tips.shape[1]
    count = len(levels)
    for j in range(first, last):
        free = 0
        ground = 0
        worthy = 0
        cutting = 0
        for i in range(nx):
            if not region[j, i]:
                continue
            free = levels_to(levels, tips[j, i], free)
            ground = levels_to(levels, over[j, i] - trace, ground)
            worthy = levels_to(levels, over[j, i] - worth, worthy)
            cutting = levels_to(levels, beside[j, i] - worth, cutting)
            goes[j + FRAME, i + FRAME] = free
            # An area below the minimum stock is kept if the cutter must cross it to reach an area below; it begins
            # where
            # it removes enough.
            begins[j + FRAME, i + FRAME] = max(ground, cutting) if worthy < free else count


@kernel
def _count(begins: I16, ends: I16, starts: I64) -> None:
    """How many cells there are at all levels before each."""
    first, last = begins.ravel(), ends.ravel()
    for cell in range(len(first)):
        for k in range(first[cell], last[cell]):
            starts[k + 1] += 1
    for k in range(1, len(starts)):
        starts[k] += starts[k - 1]


@kernel
def _list(begins: I16, ends: I16, starts: I64, cells: I64) -> None:
    """Write the cells of each level into `cells`, level k from `starts[k]` (n,): cell c of the picture belongs to the
    levels begins .. ends - 1 (ny, nx)."""
    first, last = begins.ravel(), ends.ravel()
    cursor = starts.copy()
    for cell in range(len(first)):
        for k in range(first[cell], last[cell]):
            cells[cursor[k]] = cell
            cursor[k] += 1


def listed(begins: I16, ends: I16, levels: int) -> tuple[I64, I64]:
    """Cells by level: each counts from its level in `begins` to before the one in `ends`, (ny, nx). Those of level k,
    rising, are `cells[starts[k]:starts[k + 1]]`."""
    starts = np.zeros(levels + 1, np.int64)
    _count(begins, ends, starts)
    cells = np.empty(starts[-1], np.int64)
    _list(begins, ends, starts, cells)
    return starts, cells


@kernel
def _large(cells: I64, least: float, state: U8, kept: I64) -> int:
    """Those of the cells, `kept` in their order, that lie in connected pieces of more than `least`; how many they are.
    `state` is all 0."""
    width = state.shape[1]
    flat = state.ravel()
    queue = np.empty_like(cells)
    for cell in cells:
        flat[cell] = _STANDS
    for start in cells:
        if flat[start] != _STANDS:
            continue
        flat[start] = _SEEN
        queue[0] = start
        count = 1
        done = 0
        while done < count:
            cell = queue[done]
            done += 1
            for near in (cell - 1, cell + 1, cell - width, cell + width):
                if flat[near] == _STANDS:
                    flat[near] = _SEEN
                    queue[count] = near
                    count += 1
        if count <= least:
            for k in range(count):
                flat[queue[k]] = 0
    found = 0
    for cell in cells:
        if flat[cell] == _SEEN:
            kept[found] = cell
            found += 1
    return found


@kernel
def _walls(cells: I64, free: Bool, out: I64) -> tuple[int, int]:
    """The cells that have a place beside them where the cutter may not be, in `out`; how many they are, and how many
    such places."""
    width = free.shape[1]
    flat = free.ravel()
    count = 0
    edges = 0
    for cell in cells:
        beside = 0
        for near in (cell - 1, cell + 1, cell - width, cell + width):
            if not flat[near]:
                beside += 1
        if beside > 0:
            out[count] = cell
            count += 1
            edges += beside
    return count, edges


@kernel
def _pieces(cells: I64, chosen: Bool, width: int, size: int, blocks: U8, queue: I64) -> tuple[int, int]:
    """How many pieces the chosen cells are, counted in blocks of `size` cells that touch, at corners too, and how many
    of these touch other cells; `blocks` are all 0 and have a frame."""
    across = blocks.shape[1]
    flat = blocks.ravel()
    for k in range(len(cells)):
        flat[(cells[k] // width // size + 1) * across + cells[k] % width // size + 1] |= (
            _CHOSEN if chosen[k] else _OTHER
        )
    count = 0
    touching = 0
    for cell in cells:
        start = (cell // width // size + 1) * across + cell % width // size + 1
        if not flat[start] & _CHOSEN:
            continue
        count += 1
        touches = False
        flat[start] -= _CHOSEN
        queue[0] = start
        last = 1
        while last > 0:
            last -= 1
            block = queue[last]
            for row in (block - across, block, block + across):
                for near in (row - 1, row, row + 1):
                    touches = touches or flat[near] & _OTHER > 0
                    if flat[near] & _CHOSEN:
                        flat[near] -= _CHOSEN
                        queue[last] = near
                        last += 1
        touching += touches
    return count, touching


@kernel
def _shells(cells: I64, away: F32, out: F64) -> None:
    """How many of the cells lie so many cells from the edge: out[k] from k to k + 1, the last of them all that are
    farther."""
    flat = away.ravel()
    for cell in cells:
        out[min(int(flat[cell] - 0.5), len(out) - 1)] += 1


@dataclass(frozen=True)
class Cleared:
    """Of a level: the outline along walls (mm), in how many runs it is, the lengths (mm) of lines at distances from the
    edge of what is cleared, (bins,) with one for each cell, and the number of pieces."""

    walls: float
    runs: int
    lines: F64
    pieces: int


@dataclass(frozen=True)
class Clearing:
    """What a cutter clears over a picture of the ground: its `tips`, up to what height it meets something, `over`, and
    with all of its width, `beside`, (ny, nx) float32, where its axis goes, and the levels (n,) that it goes down to,
    the highest first.

    What stands no more than `trace` mm over a level is nothing there, no more than `worth` mm is left standing, and
    pieces of no more than `smallest` mm^2 neither."""

    relief: HeightMap
    tips: F32
    over: F32
    beside: F32
    region: Bool
    levels: F32
    trace: float
    worth: float
    smallest: float

    @cached_property
    def _by_level(self) -> tuple[I16, I64, I64]:
        """At how many levels the cutter may be at each cell, (ny + 4, nx + 4); and those cleared at level k,
        `cells[starts[k]:starts[k + 1]]`."""
        shape = tuple(np.array(self.tips.shape) + 2 * FRAME)
        goes, begins = np.zeros(shape, np.int16), np.full(shape, len(self.levels), np.int16)
        trace, worth = np.float32(self.trace), np.float32(self.worth)
        in_parallel(
            lambda first, last: _band(
                self.tips, self.over, self.beside, self.region, self.levels, trace, worth, first, last, goes, begins
            ),
            len(self.tips),
            _ROWS,
        )
        return goes, *listed(begins, goes, len(self.levels))

    def at_level(self, k: int) -> Cleared:
        """What is cleared at the level of a number."""
        goes, starts, cells = self._by_level
        return self._cleared(cells[starts[k] : starts[k + 1]], goes > k)

    def at_level_ground(self, level: float, under: float) -> Cleared:
        """What is cleared at a level where the cutter comes no lower than to `under`."""
        free = np.pad(self.region & (self.tips <= level) & (self.tips > under), FRAME)
        return self._cleared(np.flatnonzero(free & np.pad(self.over > level + self.worth, FRAME)), free)

    def _cleared(self, cells: I64, free: Bool) -> Cleared:
        relief = self.relief
        kept = np.empty_like(cells)
        kept = kept[: _large(cells, self.smallest / relief.step**2, np.zeros(free.shape, np.uint8), kept)]
        lines = np.zeros(ceil(float(np.hypot(*relief.size)) / 2 / relief.step))
        along = np.empty_like(kept)
        count, edges = _walls(kept, free, along)
        away = np.zeros(free.shape, np.float32)
        away.ravel()[kept] = np.inf
        spread(away, kept)
        _shells(kept, away, lines)
        # Steps of a staircase count by the slanted line through them.
        return Cleared(
            edges * relief.step * pi / 4, apart(along[:count], free.shape), lines * relief.step, apart(kept, free.shape)
        )


def apart(cells: I64, shape: tuple[int, ...]) -> int:
    """In how many pieces cells of a picture are."""
    return pieces_of(cells, np.ones(len(cells), bool), shape, _BLOCK)[0]


def pieces_of(cells: I64, chosen: Bool, shape: tuple[int, ...], size: int) -> tuple[int, int]:
    """In how many pieces those of the cells of a picture are that are `chosen` (n,), and how many of these pieces touch
    others of the cells; what is nearer to each other than blocks of `size` cells touches."""
    blocks = np.zeros((shape[0] // size + 3, shape[1] // size + 3), np.uint8)
    count, touching = _pieces(cells, chosen, shape[1], size, blocks, np.empty(blocks.size, np.int64))
    return int(count), int(touching)
