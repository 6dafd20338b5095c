"""A setup whose part rotates about X."""

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from nephos.core.plan.clamping import Zero
from nephos.core.plan.setups.holding import Rotary
from nephos.core.plan.setups.setup import SHARE, Frame, Setup
from nephos.core.plan.stock import Stock
from nephos.core.strategies.registry import SetupKind
from nephos.core.units import Units

_ENDS = {"low": "the bar's left end", "centre": "the middle of the bar", "high": "the bar's right end"}


class RotarySetup(Setup):
    """A bar between chuck and tailstock that rotates about X under the cutter."""

    works_as: ClassVar[SetupKind] = "rotary"

    kind: Literal["rotary"] = "rotary"
    rotary: Rotary
    zero: Zero = Zero(z="axis")

    @model_validator(mode="after")
    def _zero_is_on_bar(self) -> Self:
        if self.zero.z not in ("axis", "top"):
            raise ValueError("the zero of a rotary setup is on the axis or on the bar")
        return self

    def frame(self, stock: Stock) -> Frame:
        """The frame whose origin is on the axis, at the stock's left end; its box is that of the unrolled surface, from
        the core to the largest radius."""
        matrix = np.eye(4)
        matrix[:3, 3] = 0.0, -stock.width / 2, -stock.thickness / 2
        radius = stock.bar_radius
        low = np.array([0.0, 0.0, self.rotary.core / 2])
        high = np.array([stock.length, 2 * np.pi * radius, radius])
        zero = np.array([stock.length * SHARE[self.zero.x], 0.0, radius if self.zero.z == "top" else 0.0])
        return Frame(matrix, low, high, zero, radius)

    def zero_in_words(self, units: Units = "mm") -> str:
        """What to touch off, as a sentence."""
        height = "on the axis" if self.zero.z == "axis" else "on the surface of the bar"
        return f"{_ENDS[self.zero.x]}, {height}, A as it is clamped"

    @property
    def holding(self) -> Rotary:
        """What holds the bar."""
        return self.rotary

    def turned_in_words(self, turn: str) -> str:
        """What hands do before this setup."""
        return "rotate the bar back to A 0, as it was clamped"


KINDS = (RotarySetup,)
