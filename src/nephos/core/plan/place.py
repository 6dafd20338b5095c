"""Where a mesh lies: from the file's own coordinates to the stock, and from there to a setup."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64
from nephos.core.plan.schema import Copies, Model, Placement, Setup, Stock
from nephos.core.rotation import turning
from nephos.core.units import Units, size_in

_SIDES: dict[str, tuple[float, float, float]] = {
    "top": (0, 0, 0),
    "bottom": (180, 0, 0),
    "front": (-90, 0, 0),
    "back": (90, 0, 0),
    "left": (0, 90, -90),
    "right": (0, -90, 90),
}
_SHARE = {"low": 0.0, "centre": 0.5, "high": 1.0}


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
    share = np.array([_SHARE[align] for align in placement.align])
    move = room * share - low + placement.offset
    matrices = np.tile(np.eye(4), (copies.columns * copies.rows, 1, 1))
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


def corners_of(stock: Stock) -> F64:
    """(8, 3) corners of the stock, in its own space."""
    return np.array(
        [[x, y, z] for x in (0.0, stock.length) for y in (0.0, stock.width) for z in (0.0, stock.thickness)]
    )


def side_rotation(setup: Setup) -> F64:
    """(3, 3) rotation that brings the side of a setup up."""
    if setup.side == "angle":
        return turning(setup.angle, 0, 0)
    if setup.side == "bottom" and setup.about == "y":
        return turning(0, 180, 0)
    return turning(*_SIDES[setup.side])


def bar_radius(stock: Stock) -> float:
    """Radius (mm) that the stock sweeps when it rotates about X through its middle."""
    return stock.width / 2 if stock.kind == "round" else float(np.hypot(stock.width, stock.thickness)) / 2


def _turned(stock: Stock, setup: Setup) -> tuple[F64, F64, F64]:
    """The rotation of a setup, and the low and high corner of the turned stock."""
    rotation = side_rotation(setup)
    if stock.kind == "round" and abs(rotation[0, 0] - 1) < 1e-12:
        # A bar that is rotated about its own axis takes up what it took up before.
        middle, half = rotation @ np.array(stock.size) / 2, np.array(stock.size) / 2
        return rotation, middle - half, middle + half
    turned = corners_of(stock) @ rotation.T
    return rotation, turned.min(axis=0), turned.max(axis=0)


def to_setup(stock: Stock, setup: Setup) -> F64:
    """(4, 4) rigid transform from stock space to the orientation frame of a setup.

    The origin of the frame is the low corner of the turned stock: it does not move with the work zero. Of a rotary setup
    it is on the axis, at the stock's left end.
    """
    if setup.kind == "rotary":
        matrix = np.eye(4)
        matrix[:3, 3] = 0.0, -stock.width / 2, -stock.thickness / 2
        return matrix
    rotation, low, _ = _turned(stock, setup)
    matrix = np.eye(4)
    matrix[:3, :3] = rotation
    matrix[:3, 3] = -low
    return matrix


def turned_size(stock: Stock, setup: Setup) -> F64:
    """(3,) size of the turned stock: the high corner of the orientation frame's box. Of a rotary setup that of the
    unrolled surface: length, way round at the largest radius, and that radius."""
    if setup.kind == "rotary":
        radius = bar_radius(stock)
        return np.array([stock.length, 2 * np.pi * radius, radius])
    _, low, high = _turned(stock, setup)
    size: F64 = high - low
    return size


def zero_in_frame(stock: Stock, setup: Setup) -> F64:
    """(3,) the work zero in the orientation frame of a setup. Programs count from it."""
    if setup.kind == "rotary":
        x = stock.length * _SHARE[setup.zero.x]
        return np.array([x, 0.0, bar_radius(stock) if setup.zero.z == "top" else 0.0])
    _, low, high = _turned(stock, setup)
    zero, size = setup.zero, high - low
    if zero.at is not None:
        return np.array(zero.at, np.float64)
    height = {"top": float(size[2]), "bottom": 0.0, "bed": -setup.packing, "axis": float(size[2]) / 2}[zero.z]
    return np.array([size[0] * _SHARE[zero.x], size[1] * _SHARE[zero.y], height])


_HEIGHTS = {
    "top": "on its top face",
    "bottom": "on its underside",
    "bed": "on the bed beside it",
    "axis": "at the height of the bar's axis",
}


def _tile_zero_in_words(setup: Setup, units: Units) -> str:
    """What to touch off for a tile."""
    tile, zero = setup.tile, setup.zero
    if tile is None or zero.at is None:
        raise ValueError("this setup is no tile")
    say = size_in(units)
    on = {"seam": "the seam", "mark": "the mark"}.get(tile.ref, "")
    along = tile.slid[0] != 0 or (tile.slid[1] == 0 and tile.core[1] == 0)
    words = [f"{say(zero.at[0])} from the board's left end", f"{say(zero.at[1])} from its front edge"]
    if not on:
        words[0] = "the board's left end" if zero.at[0] == 0 else words[0]
    if zero.at[1] == 0 and along:
        words[1] = "at its front edge"
    said = f"{on}, {words[0]}" if on else words[0]
    return f"{said}, {words[1]}, {_HEIGHTS[zero.z]}"


def zero_in_words(setup: Setup, units: Units = "mm") -> str:
    """What to touch off, as a sentence."""
    zero = setup.zero
    if setup.kind == "rotary":
        end = {"low": "the bar's left end", "centre": "the middle of the bar", "high": "the bar's right end"}
        return (
            f"{end[zero.x]}, {'on the axis' if zero.z == 'axis' else 'on the surface of the bar'}, A as it is clamped"
        )
    if setup.tile is not None and zero.at is not None and setup.tile.ref != "stock":
        return _tile_zero_in_words(setup, units)
    if zero.at is not None:
        x, y, z = map(size_in(units), zero.at)
        return f"{x} right and {y} back of the stock's front left corner, {z} above its underside"
    height = _HEIGHTS[zero.z]
    along_x = {"low": "left", "centre": "", "high": "right"}[zero.x]
    along_y = {"low": "front", "centre": "", "high": "back"}[zero.y]
    if along_x and along_y:
        spot = f"{along_y} {along_x} corner"
    elif along_x or along_y:
        spot = f"middle of the {along_x or along_y} edge"
    else:
        spot = "centre"
    return f"{spot} of the stock, {height}"
