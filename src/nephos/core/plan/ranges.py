"""Lengths, angles and sides that fields of a plan may have."""

from typing import Annotated, Literal

from pydantic import Field

Align = Literal["low", "centre", "high"]
Side = Literal["top", "bottom", "front", "back", "left", "right", "angle"]
Angle = Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]
Size = Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)]
Factor = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
Place = Annotated[float, Field(ge=-10_000, le=10_000, allow_inf_nan=False)]
