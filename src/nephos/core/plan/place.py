"""Where a mesh lies: from the file's own coordinates to the stock, and from there to a setup."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64
from nephos.core.plan.model import Copies, Model, Placement
from nephos.core.plan.setups.setup import SHARE
from nephos.core.plan.stock import Stock
from nephos.core.rotation import turning


@dataclass(frozen=True)
class Placed:
    """A model in the stock, whose space has its origin at the low corner of the stock.

    `matrices` : (k, 4, 4) from the file to the stock, one for each copy. `low`, `high` : (3,) the box
    of all copies; where the model is sunk, `low` is where cutting ends. `size` : (3,) of one whole
    copy, `scale` : (3,) millimetres to a unit of the file along each axis of the stock.
    """

    matrices: F64
    low: F64
    high: F64
    size: F64
    scale: F64

    @property
    def matrix(self) -> F64:
        """(4, 4) of the first copy."""
        first: F64 = self.matrices[0]
        return first


def linear_of(placement: Placement) -> F64:
    """(3, 3) turning and mirroring alone."""
    result: F64 = np.diag([-1.0 if m else 1.0 for m in placement.mirror]) @ turning(*placement.turn)
    return result


def scale_of(placement: Placement, extent: F64) -> F64:
    """(3,) millimetres to a unit of the file along each axis, for a turned mesh of `extent` (3,)."""
    own = placement.unit * np.array(placement.factors)
    given = [size / span if size else None for size, span in zip(placement.size, np.maximum(extent, 1e-9), strict=True)]
    first = next((factor / usual for factor, usual in zip(given, own, strict=True) if factor), None)
    by = first if first and placement.linked else 1.0
    return np.array([factor or by * usual for factor, usual in zip(given, own, strict=True)])


def extent_of(support: F64, placement: Placement) -> F64:
    """(3,) size of the turned mesh along the stock's axes, in the file's unit."""
    turned = support @ linear_of(placement).T
    result: F64 = turned.max(axis=0) - turned.min(axis=0)
    return result


def place(support: F64, placement: Placement, stock: Stock, copies: Copies | None = None) -> Placed:
    """Place a mesh given by points (k, 3) that span its box however it is turned."""
    copies = copies or Copies()
    linear = linear_of(placement)
    turned = support @ linear.T
    scale = scale_of(placement, turned.max(axis=0) - turned.min(axis=0))
    scaled = turned * scale
    low, high = scaled.min(axis=0), scaled.max(axis=0)
    size = high - low
    low[2] += min(placement.sink, size[2] - 1e-6)
    step = np.array([size[0] + copies.gap[0], size[1] + copies.gap[1]])
    repeats = np.array([copies.columns - 1, copies.rows - 1])
    group = high - low
    group[:2] += step * repeats
    room = np.array(stock.size) - group
    share = np.array([SHARE[align] for align in placement.align])
    move = room * share - low + placement.offset
    matrices = np.repeat(np.eye(4)[None], copies.columns * copies.rows, axis=0)
    matrices[:, :3, :3] = np.diag(scale) @ linear
    i, j = np.meshgrid(np.arange(copies.columns), np.arange(copies.rows))
    matrices[:, :3, 3] = move
    matrices[:, 0, 3] += step[0] * i.ravel()
    matrices[:, 1, 3] += step[1] * j.ravel()
    return Placed(matrices, low + move, low + move + group, size, scale)


def scale_in_file(support: F64, placement: Placement) -> F64:
    """(3, 3) scale to the size of the finished part, along the axes of the stock but without turning: from the file's
    coordinates to the same in millimetres."""
    along = scale_of(placement, extent_of(support, placement))
    if (along == along[0]).all():
        # Exactly the same however the model is turned: the product below has rounding errors that depend on the turn.
        return np.diag(along)
    turn = linear_of(placement)
    scale: F64 = turn.T @ np.diag(along) @ turn
    return scale


def placed_model(support: F64, model: Model, stock: Stock) -> Placed:
    """Place a model of a plan."""
    return place(support, model.placement, stock, model.copies)
