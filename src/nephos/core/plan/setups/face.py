"""A setup whose stock lies with one side up."""

from math import atan2, degrees
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from nephos.core.arrays import F64
from nephos.core.plan.ranges import Angle, Side
from nephos.core.plan.setups.setup import SHARE, Frame, Setup
from nephos.core.plan.stock import Stock
from nephos.core.rotation import turning
from nephos.core.strategies.registry import SetupKind
from nephos.core.units import Units, size_in

_TURNS: dict[str, tuple[float, float, float]] = {
    "top": (0, 0, 0),
    "bottom": (180, 0, 0),
    "front": (-90, 0, 0),
    "back": (90, 0, 0),
    "left": (0, 90, -90),
    "right": (0, -90, 90),
}
_ZERO_HEIGHTS = {
    "top": "on its top face",
    "bottom": "on its underside",
    "bed": "on the bed beside it",
    "axis": "at the height of the bar's axis",
}


class SideUpSetup(Setup):
    """A setup in which cutters come down on one side of the stock.

    `side` lies up; with "angle" the stock is rotated by `angle` degrees about X. The underside comes up by half a turn
    `about` X or Y. Of a part that is cut from several faces, the cutter goes `overrun` mm past the parting."""

    works_as: ClassVar[SetupKind] = "face"

    side: Side = "top"
    angle: Angle = 0.0
    about: Literal["x", "y"] = "x"
    overrun: Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)] = 0.0

    def lying(self, parted: bool = False) -> Setup:
        """The setup with nothing but how it lies."""
        found = super().lying(parted)
        return found if parted else found.model_copy(update={"overrun": 0.0})

    @property
    def rotation(self) -> F64:
        """(3, 3) rotation that brings the side up."""
        if self.side == "angle":
            return turning(self.angle, 0, 0)
        if self.side == "bottom" and self.about == "y":
            return turning(0, 180, 0)
        return turning(*_TURNS[self.side])

    def frame(self, stock: Stock) -> Frame:
        """The frame whose origin is the low corner of the turned stock."""
        rotation = self.rotation
        if stock.is_round and abs(rotation[0, 0] - 1) < 1e-12:
            # A bar that is rotated about its own axis takes up what it took up before.
            middle, half = rotation @ np.array(stock.size) / 2, np.array(stock.size) / 2
            low, high = middle - half, middle + half
        else:
            turned = stock.corners @ rotation.T
            low, high = turned.min(axis=0), turned.max(axis=0)
        matrix = np.eye(4)
        matrix[:3, :3] = rotation
        matrix[:3, 3] = -low
        size: F64 = high - low
        return Frame(matrix, np.zeros(3), size, self._zero_in(size))

    def _zero_in(self, size: F64) -> F64:
        """(3,) the work zero over the turned stock of `size` (3,)."""
        zero = self.zero
        if zero.at is not None:
            return np.array(zero.at, np.float64)
        height = {"top": float(size[2]), "bottom": 0.0, "bed": -self.packing, "axis": float(size[2]) / 2}[zero.z]
        return np.array([size[0] * SHARE[zero.x], size[1] * SHARE[zero.y], height])

    @property
    def zero_height_in_words(self) -> str:
        """At which height to touch off."""
        return _ZERO_HEIGHTS[self.zero.z]

    def zero_in_words(self, units: Units = "mm") -> str:
        """What to touch off, as a sentence."""
        zero = self.zero
        if zero.at is not None:
            x, y, z = map(size_in(units), zero.at)
            return f"{x} right and {y} back of the stock's front left corner, {z} above its underside"
        along_x = {"low": "left", "centre": "", "high": "right"}[zero.x]
        along_y = {"low": "front", "centre": "", "high": "back"}[zero.y]
        if along_x and along_y:
            spot = f"{along_y} {along_x} corner"
        elif along_x or along_y:
            spot = f"middle of the {along_x or along_y} edge"
        else:
            spot = "centre"
        return f"{spot} of the stock, {self.zero_height_in_words}"

    @property
    def side_in_words(self) -> str:
        """Which side of the stock lies up."""
        if self.side == "angle":
            return f"side at {self.angle:g}° about X"
        return {"top": "top", "bottom": "underside"}.get(self.side, f"{self.side} side")

    @property
    def past_parting(self) -> float:
        """How far (mm) cutters go past the parting of a part of several faces."""
        return self.overrun

    @property
    def bar_angle(self) -> float | None:
        """How far (degrees, from +Y up to +Z) a bar is rotated about X; none where its X is not along the machine's."""
        m = self.rotation
        if abs(m[0, 0] - 1) > 1e-9:
            return None
        angle = round(degrees(atan2(m[2, 1], m[1, 1])), 6) + 0.0
        return 180.0 if angle == -180 else angle


class FaceSetup(SideUpSetup):
    """One side of the stock, cut in one piece."""

    can_be_tiled: ClassVar[bool] = True

    kind: Literal["face"] = "face"

    def lying(self, parted: bool = False) -> Setup:
        """The setup with nothing but how it lies: an angle that its side does not ask for says nothing."""
        change: dict[str, object] = {} if self.side == "angle" else {"angle": 0.0}
        change |= {} if self.side == "bottom" else {"about": "x"}
        return super().lying(parted).model_copy(update=change)


KINDS = (FaceSetup,)
