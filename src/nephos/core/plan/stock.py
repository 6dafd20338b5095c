"""Stock of a plan."""

from typing import Literal

import numpy as np
from pydantic import Field, model_validator

from nephos.core.arrays import F64
from nephos.core.materials import Material, shipped_material
from nephos.core.plan.ranges import Size
from nephos.core.value import Value


class Stock(Value):
    """The block as it is before the first cut: a box, or a round bar lying along X."""

    kind: Literal["box", "round"] = "box"
    length: Size = Field(title="Length", description="along X")
    width: Size = Field(title="Width", description="along Y; of a bar its diameter")
    thickness: Size = Field(title="Thickness", description="along Z; of a bar its diameter")
    material: Material = shipped_material("lime")
    grain: Literal["x", "y"] = Field(default="x", description="the way the grain runs")

    @model_validator(mode="after")
    def _bar_is_round(self) -> "Stock":
        if self.is_round and abs(self.width - self.thickness) > 1e-9:
            raise ValueError("a round bar is as wide as it is thick: give both the diameter")
        return self

    @property
    def size(self) -> tuple[float, float, float]:
        """X, Y and Z."""
        return (self.length, self.width, self.thickness)

    @property
    def is_round(self) -> bool:
        """Whether it is a round bar."""
        return self.kind != "box"

    @property
    def bar_radius(self) -> float:
        """Radius (mm) that it sweeps when it rotates about X through its middle."""
        return self.width / 2 if self.is_round else float(np.hypot(self.width, self.thickness)) / 2

    @property
    def corners(self) -> F64:
        """(8, 3) its corners, in its own space."""
        return np.array(
            [[x, y, z] for x in (0.0, self.length) for y in (0.0, self.width) for z in (0.0, self.thickness)]
        )
