"""A setup that is cut in tiles, because the board is longer than the machine; and one of its tiles.

All tiles of a setup share its orientation frame, its operations and their numbers. Each has a window, a zero and files
of its own, and begins with the block that the one before it left. A strip beside a seam is a tile too."""

from dataclasses import dataclass
from typing import Any, ClassVar, Literal

import numpy as np

from nephos.core.arrays import F64
from nephos.core.plan.clamping import KeepOut
from nephos.core.plan.operation import Operation
from nephos.core.plan.setups.face import FaceSetup, SideUpSetup
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.setups.tiling import FAR, Axis, Blend, Box, Strip, Tile, Tiles
from nephos.core.plan.stock import Stock
from nephos.core.units import Units, size_in

_NAME = 60
_LEAST = 0.5
"""A seam nearer to an end of the board (mm) cuts off no tile."""
_ROOM = 0.5
"""Roughing makes so much (mm) more room past a seam than the finishing cutter needs."""
SCORE = 0.2
"""So wide (mm) a score mark is drawn."""


class TiledSetup(SideUpSetup):
    """One side of a board, cut tile by tile with a slide of the board between two."""

    can_be_tiled: ClassVar[bool] = True

    kind: Literal["tiled"] = "tiled"
    tiles: Tiles

    @property
    def count(self) -> int:
        """Number of tiles."""
        return (len(self.tiles.seams_x) + 1) * (len(self.tiles.seams_y) + 1)

    def parts(self, stock: Stock) -> tuple[Setup, ...]:
        """One setup for each tile in the order of cutting, then one for each strip."""
        return _tile_setups(self, stock)

    @property
    def seams(self) -> tuple[tuple[Axis, float], ...]:
        """Axis and place of the seams that cross the board."""
        return (*(("x", at) for at in self.tiles.seams_x), *(("y", at) for at in self.tiles.seams_y))

    def lying(self, parted: bool = False) -> Setup:
        """A face that lies as all its tiles do."""
        return self.remade(FaceSetup).lying(parted)

    def whole(self) -> FaceSetup:
        """The setup without its tiles and the marks that they made."""
        return self.remade(FaceSetup, operations=self.without_marks())

    def without_marks(self) -> tuple[Operation, ...]:
        """The operations but those that make marks for the slides."""
        return tuple(item for item in self.operations if item.boundary.boundary != "marks")


class TileSetup(SideUpSetup):
    """One tile of a setup, or the strip beside one of its seams; only in a plan as it is cut."""

    may_be_idle: ClassVar[bool] = True

    kind: Literal["tile"] = "tile"
    tile: Tile

    def lying(self, parted: bool = False) -> Setup:
        """A face that lies as the tile does."""
        return self.remade(FaceSetup).lying(parted)

    @property
    def parent_id(self) -> str:
        """Id of the setup that this is a tile of."""
        return self.tile.of

    @property
    def file_labels(self) -> tuple[str, ...]:
        """The setup, its tile, and the strip where it is one."""
        labels = (self.tile.of, f"tile{self.tile.number}")
        return labels if self.tile.blend is None else (*labels, f"strip{self.id.rpartition('s')[2]}")

    def window(self, operation: Operation) -> Box | None:
        """Where (mm in the frame) the axis of an operation's cutter may be.

        What is finished up to the overrun is roughed farther, so that the finishing cutter does not meet the full stock
        there."""
        if operation.role == "finish":
            return self.tile.window()
        widest = max((step.cutter.radius for step in self.worked if step.role == "finish"), default=0.0)
        return self.tile.window(max(widest - operation.cutter.radius, 0.0) + _ROOM)

    @property
    def own_area(self) -> Box | None:
        """What belongs to this tile alone."""
        return self.tile.core

    @property
    def seams(self) -> tuple[tuple[Axis, float], ...]:
        """Axis and place of the seams that cross the board."""
        return self.tile.seams

    @property
    def marks(self) -> tuple[tuple[float, float], ...]:
        """Places of the dowel holes or score marks that it makes for slides of the board."""
        return self.tile.marks

    @property
    def is_last(self) -> bool:
        """Whether nothing of the setup on the sheet is cut after this tile."""
        return self.tile.final

    @property
    def mark_size(self) -> tuple[float, float]:
        """Size (x, y) of a mark."""
        return self.tile.mark_size

    def zero_in_words(self, units: Units = "mm") -> str:
        """What to touch off, as a sentence."""
        tile, at = self.tile, self.zero.at
        if at is None or tile.ref == "stock":
            return super().zero_in_words(units)
        say = size_in(units)
        on = {"seam": "the seam", "mark": "the mark"}.get(tile.ref, "")
        along = tile.slid[0] != 0 or (tile.slid[1] == 0 and tile.core[1] == 0)
        words = [f"{say(at[0])} from the board's left end", f"{say(at[1])} from its front edge"]
        if not on:
            words[0] = "the board's left end" if at[0] == 0 else words[0]
        if at[1] == 0 and along:
            words[1] = "at its front edge"
        said = f"{on}, {words[0]}" if on else words[0]
        return f"{said}, {words[1]}, {self.zero_height_in_words}"

    def share(self, low: F64, high: F64) -> float:
        """Share of a box (two corners (2,)) on the plan that the tile cuts."""
        window = np.array(self.tile.window())
        inside = np.maximum(np.minimum(window[2:], high) - np.maximum(window[:2], low), 0.0)
        area = float(np.prod(high - low))
        return float(np.prod(inside)) / area if area > 0 else 1.0


KINDS = (TiledSetup, TileSetup)


@dataclass(frozen=True)
class _Cell:
    """One rectangle between seams, by its place along X and Y."""

    column: int
    row: int
    core: Box


def _cells(tiles: Tiles, width: float, depth: float) -> list[_Cell]:
    xs = (0.0, *(seam for seam in tiles.seams_x if _LEAST < seam < width - _LEAST), width)
    ys = (0.0, *(seam for seam in tiles.seams_y if _LEAST < seam < depth - _LEAST), depth)
    cells = [_Cell(i, j, (xs[i], ys[j], xs[i + 1], ys[j + 1])) for j in range(len(ys) - 1) for i in range(len(xs) - 1)]
    return cells if tiles.order == "forward" else cells[::-1]


def _reference(cell: _Cell, tiles: Tiles) -> tuple[float, float]:
    """The corner of a tile that its zero is counted from: that at the end which the board is worked from."""
    x0, y0, x1, y1 = cell.core
    return (x0, y0) if tiles.order == "forward" else (x1, y1)


def _mark_spots(cell: _Cell, tiles: Tiles, size: tuple[float, float]) -> tuple[tuple[float, float], ...]:
    """The dowel holes or score marks that a tile is found again by after the slide to it: one near each edge."""
    sign = 1.0 if tiles.order == "forward" else -1.0
    off = sign * tiles.past if tiles.slide == "dowels" else 0.0
    x, y = _reference(cell, tiles)
    if tiles.seams_x:
        return (x + off, tiles.inset), (x + off, size[1] - tiles.inset)
    return (tiles.inset, y + off), (size[0] - tiles.inset, y + off)


def _marks_made(cells: list[_Cell], k: int, tiles: Tiles, size: tuple[float, float]) -> tuple[tuple[float, float], ...]:
    """What tile k makes: the marks for the next one; the first also drills the dowel holes that it lies on itself."""
    if tiles.slide == "fence":
        return ()
    made = _mark_spots(cells[k + 1], tiles, size) if k + 1 < len(cells) else ()
    return (*_mark_spots(cells[0], tiles, size), *made) if k == 0 and tiles.slide == "dowels" else made


def _mark_size(tiles: Tiles) -> tuple[float, float]:
    """How large a mark is on the plan: a hole, or a line from the edge of the board inward."""
    if tiles.slide == "dowels":
        return tiles.diameter, tiles.diameter
    length = max(2 * tiles.inset, SCORE)
    return (SCORE, length) if tiles.seams_x else (length, SCORE)


def _zero_at(zero: F64, cell: _Cell, tiles: Tiles, size: tuple[float, float]) -> tuple[float, float, float]:
    """The zero of a tile, where that of the setup is `zero` (3,)."""
    x, y, z = map(float, zero)
    if tiles.zero == "stock":
        return x, y, z
    along = _reference(cell, tiles)
    if tiles.zero == "mark" and tiles.slide == "dowels":
        return (*_mark_spots(cell, tiles, size)[0], z)
    return (along[0] if tiles.seams_x else x, along[1] if tiles.seams_y else y, z)


def _ref(cell: _Cell, cells: list[_Cell], tiles: Tiles) -> str:
    if tiles.zero != "seam":
        return tiles.zero
    return "end" if cell is cells[0] else "seam"


def _moved_along(setup: Setup, slid: tuple[float, float]) -> tuple[KeepOut, ...]:
    """Clamps stay where they are on the machine: on the board they move along."""
    return tuple(
        item.model_copy(update={"at": (item.at[0] + slid[0], item.at[1] + slid[1])}) for item in setup.keep_outs
    )


def _tile_setups(setup: TiledSetup, stock: Stock) -> tuple[Setup, ...]:
    """One setup for each tile in the order of cutting, then one for each strip."""
    tiles, frame = setup.tiles, setup.frame(stock)
    width, depth = float(frame.high[0]), float(frame.high[1])
    cells = _cells(tiles, width, depth)
    errors = {error.tile: error for error in tiles.errors if not error.none}
    first = _reference(cells[0], tiles)
    found = []
    for k, cell in enumerate(cells):
        here = _reference(cell, tiles)
        slid = here[0] - first[0], here[1] - first[1]
        x0, y0, x1, y1 = cell.core
        seams = x0 > 0, y0 > 0, x1 < width - 1e-9, y1 < depth - 1e-9
        later = (False, False, True, True) if tiles.order == "forward" else (True, True, False, False)
        past = [
            (tiles.overrun if next_one else 0.0) if seam else FAR for seam, next_one in zip(seams, later, strict=True)
        ]
        tile = Tile(
            of=setup.id,
            number=k + 1,
            count=len(cells),
            core=cell.core,
            past=(past[0], past[1], past[2], past[3]),
            slid=slid,
            slide=tiles.slide,
            marks_past=tiles.past,
            ref=_ref(cell, cells, tiles),
            marks=_marks_made(cells, k, tiles, (width, depth)),
            mark_size=_mark_size(tiles),
            seams=setup.seams,
            error=errors.get(k + 1),
        )
        found.append(
            setup.remade(
                TileSetup,
                id=f"{setup.id}.{k + 1}",
                name=f"{setup.name[:_NAME]}, tile {k + 1} of {len(cells)}",
                tile=tile,
                zero=setup.zero.model_copy(update={"at": _zero_at(frame.zero, cell, tiles, (width, depth))}),
                keep_outs=_moved_along(setup, slid),
            )
        )
    strips = [made for strip in tiles.strips for made in _strip_setups(setup, found, cells, strip)]
    *before, last = [*found, *strips]
    return (*before, last.model_copy(update={"tile": last.tile.model_copy(update={"final": True})}))


def strip_operation(setup: Setup) -> Operation | None:
    """What a strip is finished with: the finishing of the setup with the thinnest cutter, without its limits to what is
    left."""
    finishing = [step for step in setup.worked if step.role == "finish"]
    if not finishing:
        return None
    finest = min(finishing, key=lambda step: step.cutter.diameter)
    change: dict[str, Any] = {name: 0.0 for name in ("rest", "layer") if name in type(finest.settings).model_fields}
    return finest.model_copy(update={"settings": finest.settings.model_copy(update=change), "fine": None})


def _strip_setups(setup: TiledSetup, found: list[TileSetup], cells: list[_Cell], strip: Strip) -> list[TileSetup]:
    """The strip beside a seam, in each tile that has it on the side which stands higher."""
    operation, tiles = strip_operation(setup), setup.tiles
    if operation is None:
        return []
    seam = tiles.seams(strip.axis)[strip.seam - 1]
    low, high = (0, 2) if strip.axis == "x" else (1, 3)
    mine, towards = (high, -1) if strip.side == "before" else (low, 1)
    # The step lies where the tile on the other side stops cutting: up to there the strip is lowered by all of it.
    cut_before = (towards > 0) == (tiles.order == "forward")
    at = seam + towards * ((tiles.overrun if cut_before else 0.0) + operation.cutter.radius)
    made = []
    for cell, whole in zip(cells, found, strict=True):
        if abs(cell.core[mine] - seam) > 1e-9:
            continue
        core, past = list(cell.core), list(whole.tile.past)
        far = low if mine == high else high
        core[far] = max(at - strip.width, core[low]) if towards < 0 else min(at + strip.width, core[high])
        past[far] = 0.0
        blend = Blend(
            axis=strip.axis, at=at, towards=towards, height=strip.height, width=max(abs(core[far] - at), _ROOM)
        )
        tile = whole.tile.model_copy(update={"core": tuple(core), "past": tuple(past), "marks": (), "blend": blend})
        key = f"{whole.id}s{strip.seam}{'' if strip.axis == 'x' else 'y'}{strip.side[0]}"
        name = f"{whole.name}, strip at seam {strip.seam}"
        made.append(whole.model_copy(update={"id": key, "name": name, "tile": tile, "operations": (operation,)}))
    return made
