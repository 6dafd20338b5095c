"""Pieces that the finished block of a setup fell into: the part, its frame, and pieces that came free."""

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from functools import cached_property, partial
from typing import Any, ClassVar

import numpy as np

from nephos.core.arrays import I32, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.parallel import Report
from nephos.core.plan.operation import Operation
from nephos.core.plan.parting import ground_height
from nephos.core.setups.registry import kind_of
from nephos.core.stages.block import BlockStage
from nephos.core.stages.frames import FramesStage
from nephos.core.stages.setup_outcome import ClassifiedPiece, PieceKind
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.space import SpaceStage
from nephos.core.stages.stage import KeptResult, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.stock.block import Block
from nephos.core.stock.frames import Frames, shown_grid, shown_top
from nephos.core.stock.pieces import find_pieces, freed_at, part_of
from nephos.core.surface.drop import drop_grid

_SPARE = 0.05
"""More (mm) than the height of the tabs or the skin, so that what they hold falls apart in the picture."""
_COARSE = 4
"""The silhouette of the models is sampled at every fourth column each way."""


_OVER_GROUND = 0.02
"""Surface higher than this (mm) over the ground beside the part belongs to the part."""
_CHIP = 20.0
"""Pieces of less volume (mm^3) are not listed."""
_MOST = 24
"""Largest number of pieces that are listed."""


def _held_by(todo: Sequence[Operation]) -> float:
    """How high tabs and skins stand at most."""
    heights = [0.0]
    for operation in todo:
        held = operation.settings.held
        if held is not None:
            heights += [held.skin, held.tab_height if held.tab_count or held.hole_tabs else 0.0]
    return max(heights)


def _columns_of_models(space: SetupSpace, block: Block) -> Bool:
    """(ny, nx) bool: columns through the models, sampled at every fourth column each way; False elsewhere."""
    g = block.grid
    nx, ny = len(range(0, g.nx, _COARSE)), len(range(0, g.ny, _COARSE))
    nowhere = float(space.index.low[2]) - 1e4
    surface = drop_grid(space.index, g.x0, g.y0, g.pitch * _COARSE, nx, ny, Profile.of(0.0, 1e-6), nowhere)
    found: Bool = np.zeros(block.touched.shape, np.bool_)
    # The ground beside a part of several faces is none of it.
    beside = nowhere + 1.0 if space.plan.faces is None else ground_height(space.plan, space.setup) + _OVER_GROUND
    found[::_COARSE, ::_COARSE] = surface > beside
    return found


@dataclass(frozen=True)
class _History:
    """The blocks of a setup before and after each operation, and their frames, to find when something came free."""

    blocks: list[Block]
    frames: Sequence[Callable[[], Frames]]
    bottom: float

    @cached_property
    def pieces(self) -> list[tuple[I32, frozenset[int]]]:
        """After each operation the labels of the block's columns, and those of pieces that do not reach its sides."""
        found = []
        for block in self.blocks[1:]:
            labels, pieces = find_pieces(block)
            found.append((labels, frozenset(piece.label for piece in pieces if not piece.side)))
        return found

    def freed(self, column: tuple[int, int], place: tuple[float, float]) -> tuple[int | None, float | None]:
        """Which operation, by its place in the order, cut the piece at `column` free, and at which share of its
        time."""
        for k, frames in enumerate(self.frames):
            labels, free = self.pieces[k]
            if int(labels[:, column[0], column[1]].max()) not in free:
                continue
            top = shown_top(self.blocks[k], shown_grid(self.blocks[k].grid))
            return k, freed_at(top, self.bottom, frames(), place)
        return None, None


def _sorted_pieces(space: SetupSpace, history: _History, todo: Sequence[Operation]) -> Result:
    """Find the pieces of a finished block, and the map (ny, nx) uint8 of them, as of :class:`Proof`."""
    block = history.blocks[-1]
    wanted = _columns_of_models(space, block)
    labels, pieces = find_pieces(block)
    part = part_of(labels, pieces, wanted)
    found = []
    for piece in [item for item in pieces if item is part or item.volume >= _CHIP][:_MOST]:
        j, i = piece.column
        place = (block.grid.x0 + i * block.grid.pitch, block.grid.y0 + j * block.grid.pitch)
        by, share = (None, None) if piece.side else history.freed(piece.column, place)
        kind: PieceKind = "part" if piece is part else "frame" if piece.side else "free"
        found.append(
            asdict(
                ClassifiedPiece(kind, piece.volume, piece.low, piece.high, (*place, float(block.top[j, i])), by, share)
            )
        )
    loose, groups = find_pieces(block, _held_by(todo) + _SPARE)
    mine = part_of(loose, groups, wanted)
    sorting = np.zeros(block.touched.shape, np.uint8)
    free_labels = [piece.label for piece in pieces if not piece.side and piece is not part]
    sorting[np.isin(labels, free_labels).any(axis=0)] = 2
    if mine is not None and not mine.side:
        sorting[(loose == mine.label).any(axis=0)] = 1
    return as_result({"pieces": found}, sorting=sorting)


@dataclass(frozen=True, eq=False)
class PiecesStage(KeptResult):
    """Finds the pieces of a finished block, and the operation and the share of its time at which each came free.
    `operations` have nothing but what passes depend on."""

    name: ClassVar[str] = "pieces"
    version: ClassVar[int] = 5

    space: SpaceStage
    operations: tuple[Operation, ...]
    last: BlockStage
    frames: tuple[FramesStage, ...]

    def compute(self, work: Resolver, report: Report) -> Result:
        """The pieces, and the map of them; a block that cannot fall apart is one piece."""
        space, stages = work.of(self.space), self.last.chain()
        blocks = [work.of(stages[0].before), *(work.of(stage) for stage in stages)]
        if not kind_of(space.setup).falls_apart:
            return as_result({"pieces": []}, sorting=np.zeros(blocks[-1].touched.shape, np.uint8))
        frames = [partial(work.of, stage) for stage in self.frames]
        return _sorted_pieces(space, _History(blocks, frames, float(space.stock_low[2])), self.operations)


def piece_from(facts: dict[str, Any], todo: Sequence[Operation]) -> ClassifiedPiece:
    """A piece that :class:`PiecesStage` kept, where the setup's operations are `todo`."""
    by = facts["freed_by"]
    numbered = {"freed_by": None if by is None else todo[by].number}
    return ClassifiedPiece(**(facts | numbered | {name: tuple(facts[name]) for name in ("low", "high", "place")}))
