"""What the two directions of a surface are: along X and Y of a plane, or along a bar and round it."""

from dataclasses import dataclass

from nephos.core.cutters.profile import Profile
from nephos.core.surface.drop import Surface
from nephos.core.surface.rotary import RotaryIndex, rounder


@dataclass(frozen=True)
class Chart:
    """u is X; v is Y on a plane, and on a bar the way round at the reference `radius` (mm), which begins again after a
    `turn` (mm). Both are 0 on a plane."""

    radius: float = 0.0
    turn: float = 0.0

    @property
    def is_round(self) -> bool:
        """Whether v goes round a bar, and heights count from its axis."""
        return self.turn > 0.0

    def on_plane(self, cutter: Profile) -> Profile:
        """The cutter whose tips bend as much, on a plane, as this one's do on the chart."""
        return rounder(cutter, self.radius) if self.is_round else cutter


def chart_of(surface: Surface) -> Chart:
    """The chart of a surface."""
    if isinstance(surface, RotaryIndex):
        return Chart(surface.radius, float(surface.high[1]))
    return Chart()
