"""What a bar is held by and what of it stays, in a setup whose part rotates about X."""

from typing import Annotated, Literal

from pydantic import Field

from nephos.core.value import Value

_Size = Annotated[float, Field(gt=0, le=2000, allow_inf_nan=False)]
_Length = Annotated[float, Field(ge=0, le=2000, allow_inf_nan=False)]


class Rotary(Value):
    """Chuck, tailstock and core. The bar lies along X with the axis through its middle; the chuck holds one end.

    The chuck is a cylinder with its jaws, up to where it `grip`s the bar; the tailstock centre one that begins at the
    bar's other end. No part of the cutter comes nearer to either than the `clearance`. The `core` (a diameter) runs
    from end to end and is never cut. A `spigot` (a diameter) is left from the model's end to the tailstock. At
    `thick_ends` no operation but a parting groove goes past the model's end: the bar stays thick there."""

    chuck: Literal["left", "right"] = Field(default="left", title="Chuck", description="the end that it holds")
    grip: _Length = Field(default=20.0, title="Grip", description="how much of the bar is in the jaws, mm")
    chuck_diameter: _Size = Field(default=80.0, title="Chuck diameter", description="with its jaws, mm")
    tailstock: Literal["centre", "none"] = Field(default="centre", title="Tailstock")
    centre_diameter: _Size = Field(default=16.0, title="Centre diameter", description="of the tailstock centre, mm")
    clearance: Annotated[float, Field(ge=0.5, le=200)] = Field(
        default=3.0, title="Clearance", description="of cutter and holder from chuck and tailstock, mm"
    )
    core: _Length = Field(default=8.0, title="Core", description="diameter that is never cut, mm; 0 for none")
    spigot: _Length = Field(
        default=0.0, title="Spigot", description="diameter left between model and tailstock, mm; 0 for the core alone"
    )
    thick_ends: Literal["none", "chuck", "tailstock", "both"] = Field(
        default="none", title="Ends left thick", description="cutters stop at the model's end there, grooves excepted"
    )

    @property
    def left_thick(self) -> tuple[bool, bool]:
        """Whether the bar stays thick beside the model's left and right end."""
        chuck, other = self.thick_ends in {"chuck", "both"}, self.thick_ends in {"tailstock", "both"}
        return (chuck, other) if self.chuck == "left" else (other, chuck)
