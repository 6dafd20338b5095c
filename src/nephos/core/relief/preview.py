"""A coarse composition, quick enough to follow a hand that drags a number."""

from dataclasses import dataclass

import numpy as np

from nephos.core.mesh.model import Mesh
from nephos.core.relief.composition import Composition, PieceRefused, ReliefPiece
from nephos.core.relief.surface import Composed, Meshes, mesh_of, stack_of

__all__ = ["Preview", "preview_of"]

_SHARE = 1 / 500
"""Tolerance of a preview, as a share of the size of the composition."""


_MOST_FACES = 4000
_ROUNDS = 3


@dataclass(frozen=True)
class Preview:
    """A coarse composition: what is ready of it, its mesh, and why pieces are left out, by their ids."""

    ready: Composed
    mesh: Mesh
    refused: dict[str, str]


def _size(piece: ReliefPiece) -> float:
    sizes = piece.source.model_dump()
    return max((float(sizes[name]) for name in ("diameter", "width", "length") if name in sizes), default=50.0)


def preview_of(composition: Composition, meshes: Meshes) -> Preview:
    """A composition within a few hundredths of a millimetre to some tenths, by its size.

    Pieces that cannot be drawn are left out, so that the others are still seen.

    Raises
    ------
    Refused
        Where nothing is left.
    """
    tolerance = float(np.clip(_SHARE * max((_size(piece) for piece in composition.pieces), default=50.0), 0.05, 0.5))
    refused: dict[str, str] = {}
    while True:
        kept = tuple(piece for piece in composition.pieces if piece.id not in refused)
        shown = composition.model_copy(update={"pieces": kept})
        try:
            ready = stack_of(shown, meshes, tolerance, _MOST_FACES)
            return Preview(ready, mesh_of(ready, _ROUNDS), refused)
        except PieceRefused as refusal:
            refused[refusal.piece] = refusal.reason
