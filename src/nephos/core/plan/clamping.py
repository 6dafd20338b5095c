"""Work zero and clamps of a setup."""

from typing import Literal

from pydantic import Field

from nephos.core.plan.ranges import Align, Place, Size
from nephos.core.value import Value


class Zero(Value):
    """The work zero: one of nine points in plan, at a height (that of the axis on a bar that rotates); or a typed point
    of the stock's box.

    In the directions of the setup; `at`, where given, is from the low corner of the turned stock.
    """

    x: Align = "low"
    y: Align = "low"
    z: Literal["top", "bottom", "bed", "axis"] = "top"
    at: tuple[Place, Place, Place] | None = None


class KeepOut(Value):
    """Something on the stock that no cutter may meet: a clamp (box) or a screw (cylinder).

    `at` is its middle in plan and `foot` its lowest point, from the low corner of the turned stock, as the setup
    sees it; a cylinder's diameter is its X size.
    """

    id: str = Field(min_length=1, max_length=40)
    name: str = Field(min_length=1, max_length=60)
    shape: Literal["box", "cylinder"] = "box"
    at: tuple[Place, Place] = (0.0, 0.0)
    foot: Place = 0.0
    size: tuple[Size, Size, Size] = (40.0, 20.0, 30.0)

    @property
    def half(self) -> tuple[float, float]:
        """Half of what it takes up on the plan, X and Y."""
        return self.size[0] / 2, (self.size[1] if self.shape == "box" else self.size[0]) / 2
