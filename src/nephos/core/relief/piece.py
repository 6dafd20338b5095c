"""What each kind of piece is prepared to: where it is, how high it is there, and the lines where its surface breaks."""

from dataclasses import dataclass
from typing import Protocol

import numpy as np
import shapely

from nephos.core.arrays import F64, I32
from nephos.core.relief.outline import Line

__all__ = ["Heights", "Lines", "PreparedPiece", "lines_of"]


@dataclass(frozen=True)
class Heights:
    """Heights (n,) float64 of a piece over its base, without sign, and a number (n,) int32 for the smooth part of it
    that each place lies on: where that changes the surface may have a crease."""

    rise: F64
    part: I32


@dataclass(frozen=True)
class Lines:
    """What a triangulation must follow: `creases` along which the surface breaks, `seeds` (n, 2) points where it
    bends, and `edges` (k, 2) int32 among the `corners` (n, 2) of a mesh."""

    creases: tuple[Line, ...]
    seeds: F64
    corners: F64
    edges: I32


def lines_of(creases: list[Line], seeds: F64 | None = None) -> Lines:
    """Lines without the edges of a mesh."""
    none = np.zeros((0, 2))
    return Lines(tuple(creases), none if seeds is None else seeds, none, np.zeros((0, 2), np.int32))


class PreparedPiece(Protocol):
    """A piece, ready to be evaluated."""

    @property
    def area(self) -> shapely.Geometry:
        """Where it has a surface."""
        ...

    @property
    def steep(self) -> bool:
        """Whether it has upright steps inside its area, so that heights there depend on the side they are seen from."""
        ...

    def heights(self, xy: F64) -> Heights:
        """Its heights at places (n, 2) in its area."""
        ...

    def lines(self, tolerance: float) -> Lines:
        """The lines where its surface breaks or bends within its area."""
        ...
