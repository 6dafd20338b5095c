"""A composition: an ordered list of named pieces that make one relief."""

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from nephos.core.errors import Refused
from nephos.core.plan.ranges import Angle, Place
from nephos.core.relief.shapes import Bead, Flat, Rope, Section, Shape
from nephos.core.relief.sources import MeshSource, OffsetCurve, Path, Source
from nephos.core.value import Value

__all__ = [
    "MOST_PIECES",
    "Along",
    "Combine",
    "Composition",
    "PieceRefused",
    "ReliefPiece",
    "Repeat",
    "links_of",
    "meshes_of",
]

MOST_PIECES = 60

Combine = Literal["add", "subtract", "higher", "lower", "replace", "blend", "scale", "smooth", "despeck"]
"""How a piece is combined with what is below it in the list.

`add` and `subtract` raise and lower the ground by the piece's height. `higher`, `lower` and `replace` set its surface,
over its base, against the ground. `blend` replaces the ground, passing from it to the piece over a width inside the
outline. The others work on the ground inside the outline: `scale` its heights over the base, `smooth` it, or take off
what is narrower than an amount (`despeck`)."""


class Repeat(Value):
    """Copies of a piece evenly round a point, or along the outline of another piece."""

    count: Annotated[int, Field(ge=1, le=500)] = 1
    about: tuple[Place, Place] = (0.0, 0.0)
    along: str | None = Field(default=None, description="id of the piece along whose outline the copies lie")
    turned: bool = Field(default=True, description="each copy is turned with its place")


class Along(Value):
    """Where a piece's surface starts from: a plane at a height over the bottom, or the ground below it."""

    kind: Literal["plane", "ground"] = "plane"
    height: Place = 0.0

    @property
    def on_ground(self) -> bool:
        """Whether heights count from what is below the piece."""
        return self.kind != "plane"


class ReliefPiece(Value):
    """One piece. Its `height` is how far its shape rises over its base, or goes down where negative."""

    id: str = Field(min_length=1, max_length=40, pattern=r"^[a-z0-9-]+$")
    name: str = Field(min_length=1, max_length=80)
    on: bool = True
    source: Source
    shape: Shape = Flat()
    at: tuple[Place, Place] = (0.0, 0.0)
    angle: Angle = 0.0
    mirror: bool = False
    repeat: Repeat = Repeat()
    height: Annotated[float, Field(ge=-2000, le=2000, allow_inf_nan=False)] = 5.0
    base: Along = Along()
    combine: Combine = "add"
    fade: Annotated[float, Field(ge=0, le=2000, allow_inf_nan=False)] = Field(
        default=0.0, description="the piece passes into the ground over this width inside its outline"
    )
    amount: Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)] = Field(
        default=1.0, description="the factor of `scale`; the width (mm) of `smooth` and `despeck`"
    )

    @model_validator(mode="after")
    def _agrees(self) -> "ReliefPiece":
        open_path = isinstance(self.source, Path) and not self.source.closed
        if open_path and not isinstance(self.shape, Bead | Rope | Section):
            raise ValueError(f"'{self.name}' is an open curve: close it, or sweep a bead, a rope or a section along it")
        if isinstance(self.source, MeshSource) and not isinstance(self.shape, Flat):
            raise ValueError(f"'{self.name}' is a mesh, which has a shape of its own: take the shape 'flat'")
        if self.combine == "blend" and self.fade <= 0:
            raise ValueError(f"'{self.name}' is blended over no width: give the width")
        if self.combine in {"smooth", "despeck"} and self.amount < 0.05:
            raise ValueError(f"'{self.name}' smooths over less than 0.05 mm: give a larger width")
        return self

    @property
    def works_on_ground(self) -> bool:
        """Whether it changes the ground and has no surface of its own."""
        return self.combine in {"scale", "smooth", "despeck"}


class PieceRefused(Refused):
    """A piece that cannot be drawn: its id, and why."""

    def __init__(self, piece: ReliefPiece, reason: str) -> None:
        super().__init__(f"{piece.name}: {reason}")
        self.piece = piece.id
        self.reason = reason


class Composition(Value):
    """Pieces in order, each combined with those before it. Its bottom is at height 0."""

    pieces: tuple[ReliefPiece, ...] = Field(default=(), max_length=MOST_PIECES)
    tolerance: Annotated[float, Field(ge=0.001, le=1, allow_inf_nan=False)] = 0.01

    @field_validator("pieces")
    @classmethod
    def _linked_to_pieces_before(cls, value: tuple[ReliefPiece, ...]) -> tuple[ReliefPiece, ...]:
        ids = [piece.id for piece in value]
        if len(set(ids)) != len(ids):
            raise ValueError("two pieces have one id")
        links = {piece.id: links_of(piece) for piece in value}
        for piece in value:
            for other in links[piece.id]:
                if other not in links:
                    raise ValueError(f"'{piece.name}' follows a piece that is gone: choose another one")
            seen, todo = set[str](), list(links[piece.id])
            while todo:
                at = todo.pop()
                if at == piece.id:
                    raise ValueError(f"'{piece.name}' follows itself: choose another piece")
                if at not in seen:
                    seen.add(at)
                    todo += links.get(at, [])
        return value

    def piece(self, key: str) -> ReliefPiece | None:
        """The piece with that id."""
        return next((piece for piece in self.pieces if piece.id == key), None)


def links_of(piece: ReliefPiece) -> list[str]:
    """Ids of the pieces whose outlines a piece follows."""
    found = [piece.source.piece] if isinstance(piece.source, OffsetCurve) else []
    return found + ([piece.repeat.along] if piece.repeat.along is not None else [])


def meshes_of(composition: Composition) -> list[str]:
    """Digests of the meshes that a composition is made from, each once, in order."""
    return list(
        dict.fromkeys(piece.source.mesh for piece in composition.pieces if isinstance(piece.source, MeshSource))
    )
