"""The shop's shelf: pieces of stock that are there, and which of them a job could be cut from."""

from typing import Annotated

import numpy as np
from pydantic import Field

from nephos.core.plan.edits.registry import Looks
from nephos.core.plan.edits.stock import box_of_models
from nephos.core.plan.ranges import Size
from nephos.core.plan.schema import Plan
from nephos.core.value import Value


class Piece(Value):
    """A piece of stock on the shelf, in millimetres."""

    name: str = Field(min_length=1, max_length=80)
    material: str = Field(min_length=1, max_length=60)
    length: Size
    width: Size
    thickness: Size
    count: Annotated[int, Field(ge=1, le=10_000)] = 1


class Fitting(Value):
    """A piece that would do: how it is laid, and how much of it is more than the job needs (mm^3)."""

    piece: Piece
    turned: bool
    same_material: bool
    more: float


def fitting_pieces(
    plan: Plan, looks: Looks, pieces: list[Piece], margin: float = 5.0, above: float = 1.0, below: float = 3.0
) -> list[Fitting]:
    """The pieces that hold all models with a margin: those of the job's material first, the least waste first."""
    low, high = box_of_models(plan, looks)
    need = high - low + [2 * margin, 2 * margin, above + below]
    found = []
    for piece in pieces:
        for turned in (False, True):
            size = np.array(
                [piece.width, piece.length, piece.thickness] if turned else [piece.length, piece.width, piece.thickness]
            )
            if (size >= need - 1e-9).all():
                more = float(size.prod() - need.prod())
                found.append(
                    Fitting(
                        piece=piece, turned=turned, same_material=piece.material == plan.stock.material.name, more=more
                    )
                )
                break
    return sorted(found, key=lambda item: (not item.same_material, item.more))
