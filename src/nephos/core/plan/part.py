"""What all parts of a plan share: their base, and lengths and angles within what can be meant."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

Align = Literal["low", "centre", "high"]
Side = Literal["top", "bottom", "front", "back", "left", "right", "angle"]
Angle = Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]
Size = Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)]
Factor = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
Place = Annotated[float, Field(ge=-10_000, le=10_000, allow_inf_nan=False)]


class Part(BaseModel):
    """Base of all parts of a plan: frozen, nothing unknown allowed."""

    model_config = ConfigDict(frozen=True, extra="forbid", validate_default=True)
