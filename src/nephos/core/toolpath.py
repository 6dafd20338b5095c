"""What strategies make (passes) and what becomes of them (a toolpath)."""

from dataclasses import dataclass
from enum import IntEnum
from itertools import pairwise
from math import inf
from typing import Literal

import numpy as np

from nephos.core.arrays import F32, F64, U8


class Kind(IntEnum):
    """What a move is for. The numbers are stored and sent to the page."""

    RAPID = 0
    CUT = 1
    ENTRY = 2
    LINK = 3


@dataclass(frozen=True)
class Pass:
    """One stretch of cutting, the tip's path: `points` (n, 3) float64 in setup space, millimetres.

    A closed pass ends where it began. `entry` says how the cutter gets down to its beginning. A `plunging` one goes
    down as it goes, and is cut at the plunge feed. `helix` is the middle of a circle through its beginning that is free
    to go down on. In layers the path to a pass goes no lower than its `floor`."""

    points: F64
    closed: bool = False
    entry: Literal["ramp", "plunge"] = "plunge"
    plunging: bool = False
    helix: tuple[float, float] | None = None
    floor: float = -inf

    @property
    def start(self) -> F64:
        """(3,) first point."""
        first: F64 = self.points[0]
        return first

    @property
    def end(self) -> F64:
        """(3,) last point."""
        last: F64 = self.points[-1]
        return last


@dataclass(frozen=True)
class Passes:
    """The outcome of a strategy, in the order of cutting.

    `stay_down` is how far, in millimetres, the cutter may go from pass to pass without lifting; `on_surface` whether it
    follows the surface on the path (finishing) or stays level (roughing); `through` whether it may then go through what
    still stands; `both` whether open passes may be cut in either direction."""

    passes: tuple[Pass, ...]
    stay_down: float
    on_surface: bool
    ramp_angle: float = 3.0
    through: bool = True
    both: bool = False

    @property
    def layered(self) -> bool:
        """Whether passes follow the surface in several layers, each cutting into what the one before left."""
        return self.on_surface and any(item.floor > -inf for item in self.passes)

    @property
    def layer_depth(self) -> float:
        """Largest distance (mm) from layer to layer; infinite where there are none."""
        floors = sorted({item.floor for item in self.passes}) if self.on_surface else []
        return max((above - below for below, above in pairwise(floors)), default=inf)


@dataclass(frozen=True)
class Toolpath:
    """All moves of an operation.

    `points` : (n + 1, 3) float64 tip positions in setup space; move k goes from point k to k + 1.
    `kinds` : (n,) uint8 of :class:`Kind`. `feeds` : (n,) float32 mm/min, 0 for rapids.
    """

    points: F64
    kinds: U8
    feeds: F32

    @property
    def moves(self) -> int:
        """Number of moves."""
        return len(self.kinds)

    def moved(self, by: F64) -> "Toolpath":
        """The same path `by` (3,) farther on."""
        return Toolpath(self.points + by, self.kinds, self.feeds)

    def on_grid(self, step: float) -> "Toolpath":
        """The path with its points on a grid of `step` mm, without the moves that are none there."""
        points = np.round(self.points / step) * step
        goes = np.append(True, (np.abs(np.diff(points, axis=0)) > step / 2).any(axis=1))
        return Toolpath(points[goes], self.kinds[goes[1:]], self.feeds[goes[1:]])

    def lengths(self) -> F64:
        """(n,) float64 length of each move in millimetres."""
        result: F64 = np.sqrt((np.diff(self.points, axis=0) ** 2).sum(axis=1))
        return result

    def length(self, rapid: bool) -> float:
        """Millimetres travelled in rapids, or in all other moves."""
        return float(self.lengths()[(self.kinds == Kind.RAPID) == rapid].sum())


class PathBuilder:
    """Collects moves; used by linking only."""

    def __init__(self, start: F64) -> None:
        self._points: list[F64] = [start[None]]
        self._kinds: list[U8] = []
        self._feeds: list[F32] = []
        self.at = start

    def go(self, points: F64, kind: Kind, feed: float) -> None:
        """Add straight moves through `points` (k, 3); those of no length are left out."""
        steps = np.abs(np.diff(np.vstack([self.at[None], points]), axis=0)).max(axis=1) > 1e-9
        points = points[steps]
        if len(points) == 0:
            return
        self._points.append(points)
        self._kinds.append(np.full(len(points), kind, np.uint8))
        self._feeds.append(np.full(len(points), 0 if kind is Kind.RAPID else feed, np.float32))
        self.at = points[-1]

    def result(self) -> Toolpath:
        """The toolpath so far."""
        return Toolpath(
            np.ascontiguousarray(np.concatenate(self._points)),
            np.concatenate(self._kinds) if self._kinds else np.empty(0, np.uint8),
            np.concatenate(self._feeds) if self._feeds else np.empty(0, np.float32),
        )
