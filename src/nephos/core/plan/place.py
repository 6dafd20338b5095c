"""Where a mesh lies: from the file's own coordinates to the stock, and from there to a setup."""

from dataclasses import dataclass
from math import cos, radians, sin

import numpy as np

from nephos.core.arrays import F64
from nephos.core.plan.schema import Placement, Setup, Stock

_SIDES: dict[str, tuple[float, float, float]] = {
    "top": (0, 0, 0), "bottom": (180, 0, 0), "front": (-90, 0, 0), "back": (90, 0, 180),
    "left": (0, 90, -90), "right": (0, -90, 90),
}


def turning(rx: float, ry: float, rz: float) -> F64:
    """(3, 3) rotation by degrees about X, then Y, then Z; exact for quarter turns."""
    def cs(angle: float) -> tuple[float, float]:
        quarter = angle / 90
        if quarter == round(quarter):
            return ((1.0, 0.0), (0.0, 1.0), (-1.0, 0.0), (0.0, -1.0))[round(quarter) % 4]
        return cos(radians(angle)), sin(radians(angle))

    (cx, sx), (cy, sy), (cz, sz) = cs(rx), cs(ry), cs(rz)
    about_x = np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
    about_y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
    about_z = np.array([[cz, -sz, 0], [sz, cz, 0], [0, 0, 1]])
    result: F64 = about_z @ about_y @ about_x + 0.0
    return result


@dataclass(frozen=True)
class Placed:
    """The matrix (4, 4) from the file to the stock's space, and the box of the model there.

    Stock space has its origin at the low corner of the stock.
    """

    matrix: F64
    low: F64
    high: F64


def place(support: F64, placement: Placement, stock: Stock) -> Placed:
    """Place a mesh given by points (k, 3) that span its box however it is turned."""
    linear = turning(*placement.turn) @ np.diag([-1.0 if m else 1.0 for m in placement.mirror])
    turned = support @ linear.T
    extent = np.maximum(turned.max(axis=0) - turned.min(axis=0), 1e-9)
    scale = np.full(3, placement.size_x / extent[0] if placement.size_x else placement.unit)
    if placement.height:
        scale[2] = placement.height / extent[2]
    matrix = np.eye(4)
    matrix[:3, :3] = np.diag(scale) @ linear
    scaled = turned * scale
    low, high = scaled.min(axis=0), scaled.max(axis=0)
    move = np.empty(3)
    for axis in (0, 1):
        room = stock.size[axis] - (high[axis] - low[axis])
        share = {"low": 0.0, "centre": 0.5, "high": 1.0}[placement.align[axis]]
        move[axis] = room * share - low[axis] + placement.offset[axis]
    move[2] = stock.thickness - placement.gap_above - high[2]
    matrix[:3, 3] = move
    return Placed(matrix, low + move, high + move)


def to_setup(stock: Stock, setup: Setup) -> F64:
    """(4, 4) rigid transform from stock space to the setup's space, whose origin is the work zero."""
    rotation = turning(*_SIDES[setup.side])
    corners = np.array([[x, y, z] for x in (0, stock.length) for y in (0, stock.width) for z in (0, stock.thickness)])
    turned = corners @ rotation.T
    low, high = turned.min(axis=0), turned.max(axis=0)
    share = {"low": 0.0, "centre": 0.5, "high": 1.0, "bottom": 0.0, "top": 1.0}
    zero = low + (high - low) * [share[setup.zero.x], share[setup.zero.y], share[setup.zero.z]]
    matrix = np.eye(4)
    matrix[:3, :3] = rotation
    matrix[:3, 3] = -zero
    return matrix


def zero_in_words(setup: Setup) -> str:
    """What to touch off, as a sentence."""
    height = "on its top face" if setup.zero.z == "top" else "on its underside"
    x = {"low": "left", "centre": "", "high": "right"}[setup.zero.x]
    y = {"low": "front", "centre": "", "high": "back"}[setup.zero.y]
    if x and y:
        spot = f"{y} {x} corner"
    elif x or y:
        spot = f"middle of the {x or y} edge"
    else:
        spot = "centre"
    return f"{spot} of the stock, {height}"
