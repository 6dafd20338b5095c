"""What is known of operations and setups after they were worked out."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from nephos.core.arrays import F32, F64, U8, Bool
from nephos.core.linking.air_cuts import NOTHING
from nephos.core.plan.operation import Operation
from nephos.core.post.write import Program
from nephos.core.setups.seams import SeamStep
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stock.block import Block
from nephos.core.stock.compare import Comparison
from nephos.core.stock.gain import Gain
from nephos.core.stock.sweep import RAPID_DEPTH
from nephos.core.stock.worst import Worst
from nephos.core.surface.gouge import Gouge
from nephos.core.toolpath import Kind, Toolpath

PieceKind = Literal["part", "frame", "free"]


@dataclass(frozen=True)
class ClassifiedPiece:
    """A piece of the finished block: the part, the frame that is held by the machine, or one that has come free of it.

    `freed_by` is the operation that cut it free, `freed` the share of its time by then; lengths in mm, `volume` in
    mm^3."""

    kind: PieceKind
    volume: float
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    place: tuple[float, float, float]
    freed_by: int | None = None
    freed: float | None = None

    @property
    def is_part(self) -> bool:
        """Whether it is the part itself."""
        return self.kind not in ("frame", "free")


@dataclass(frozen=True)
class Proof:
    """All of it. `balls` : pairs of a ball's diameter and the share of what no cutter reaches that it would reach.
    `walls` : the share of the area that is steep and has more left than the limit though it could be reached. `sorting`
    : (ny, nx) uint8 over the block: 0 waste or nothing, 1 the part, 2 pieces that came free. `steps` : at the seams of
    tiles, once all are cut."""

    comparison: Comparison
    worst: tuple[Worst, ...]
    gains: tuple[Gain, ...]
    balls: tuple[tuple[float, float], ...]
    walls: float
    pieces: tuple[ClassifiedPiece, ...]
    sorting: U8
    steps: tuple[SeamStep, ...] = ()


@dataclass(frozen=True)
class HeldTab:
    """A tab of an operation: the middle of its bridge, a place on the frame beyond it, and its height over the stock's
    underside."""

    operation: int
    middle: tuple[float, float]
    frame: tuple[float, float]
    height: float


@dataclass(frozen=True)
class Outcome:
    """What is known of one operation after it was worked out.

    `points` (n + 1, 3), `kinds` (n,), `seconds` (n,) are the planned moves on the grid of the text, with the approach
    before them, which begins at coordinates that are not yet known (not a number). `struck` names what above the flutes
    met material, how deep (mm) and in which move; `depths` (n,) is how much (mm) each move took off where it took most.
    `gouges` are the places where moves go into the model, the deepest first."""

    operation: Operation
    points: F64
    kinds: np.ndarray
    feeds: np.ndarray
    seconds: F64
    path: Toolpath
    depths: F32
    struck: tuple[tuple[str, float, int], ...]
    gouges: tuple[Gouge, ...] = ()

    @property
    def rapid_depth(self) -> F32:
        """(n,) how deep (mm) each rapid goes into material; 0 for all other moves, and for what is rounding only."""
        deep: F32 = np.where((self.kinds == Kind.RAPID) & (self.depths > RAPID_DEPTH), self.depths, np.float32(0.0))
        return deep

    @property
    def lengths(self) -> F64:
        """(n,) length of each move in millimetres; 0 where its beginning is not known."""
        found: F64 = np.nan_to_num(np.sqrt((np.diff(self.points, axis=0) ** 2).sum(axis=1)))
        return found

    def in_air(self, pitch: float) -> Bool:
        """(n,) which feeding moves take nothing away from columns `pitch` mm apart.

        Paths shorter than two columns between moves that cut may only have passed between the middles of columns: they
        are none."""
        air: Bool = (self.kinds != Kind.RAPID) & (self.depths <= NOTHING)
        edges = np.flatnonzero(np.diff(np.concatenate([[False], air, [False]]).astype(np.int8))).reshape(-1, 2)
        along = np.concatenate([[0.0], np.cumsum(self.lengths)])
        short = along[edges[:, 1]] - along[edges[:, 0]] < 2 * pitch
        beside = np.concatenate([[Kind.RAPID], self.kinds, [Kind.RAPID]])
        between = (beside[edges[:, 0]] != Kind.RAPID) & (beside[edges[:, 1] + 1] != Kind.RAPID)
        gone = edges[short & between]
        marks = np.bincount(gone[:, 0], minlength=len(air) + 1) - np.bincount(gone[:, 1], minlength=len(air) + 1)
        air &= np.cumsum(marks)[:-1] == 0
        return air

    @property
    def total_seconds(self) -> float:
        """Machining time of the operation."""
        return float(self.seconds.sum())


@dataclass(frozen=True)
class SetupOutcome:
    """What is known of a setup after all its operations.

    `first` is the block that it began with, `shown` the finished one of the proof: with the errors that are assumed for
    the slides between tiles, which the next setup does not begin with. `overrun` : of a part of several faces, the
    smallest overrun (mm) that leaves no ridge, and the place that asks for it. `block_key` : under which `shown` is
    kept."""

    space: SetupSpace
    outcomes: tuple[Outcome, ...]
    block: Block
    shown: Block
    proof: Proof
    programs: tuple[Program, ...]
    tabs: tuple[HeldTab, ...]
    first: Block
    overrun: tuple[float, tuple[float, float, float]] | None = None
    block_key: str = ""

    @property
    def comparison(self) -> Comparison:
        """The finished block against the model."""
        return self.proof.comparison
