"""The cutting end of a cutter, as kernels take it."""

from math import inf, sqrt
from typing import NamedTuple

import numpy as np

from nephos.core.arrays import F64


class Profile(NamedTuple):
    """A convex underside: level to `flat`, then round with the radius `corner`, then a cone, then upright.

    The height over the tip at the distance rho from the axis is

        0                                            for rho <= flat
        corner - sqrt(corner^2 - (rho - flat)^2)     for flat < rho <= knee
        rise + slope (rho - knee)                    for knee < rho <= radius

    A flat cutter has only `flat`, a ball only `corner`, a bull-nose both, a V only the cone, an engraver
    `flat` and the cone, a tapered ball `corner` and the cone. Without a cone `slope` is infinite and `knee`
    is the radius. `rim` is the height where the cutter turns upright. Lengths in millimetres; made by :meth:`of`.
    """

    flat: float
    corner: float
    slope: float
    radius: float
    knee: float
    rise: float
    rim: float

    @classmethod
    def of(cls, flat: float, corner: float, slope: float = inf, radius: float = inf) -> "Profile":
        """A profile from its flat, its corner, the rise of its cone per millimetre outwards and its largest radius."""
        flat, corner = float(flat), float(corner)
        if inf in (slope, radius):
            return cls(flat, corner, inf, flat + corner, flat + corner, corner, corner)
        lean = sqrt(1 + slope * slope)
        knee, rise = flat + corner * slope / lean, corner * (1 - 1 / lean)
        radius = max(float(radius), knee)
        return cls(flat, corner, float(slope), radius, knee, rise, rise + slope * (radius - knee))

    def grown(self, leave: float) -> "Profile":
        """The cutter enlarged by `leave` in all directions. Its tip lies `leave` under the true one.

        Where a cone turns upright the enlarged cutter keeps its edge instead of rounding it: slightly larger (rounding
        up), never smaller."""
        return Profile.of(self.flat, self.corner + leave, self.slope, self.radius + leave)

    def shrunk(self, by: float) -> tuple["Profile", float]:
        """A cutter that lies at least `by` within this one on all sides, and how far its tip is over the true one
        then."""
        corner, flat = max(self.corner - by, 0.0), max(self.flat - max(by - self.corner, 0.0), 0.0)
        if self.slope == inf:
            return Profile.of(flat, corner), by
        # A round that is smaller than that is left out: then the cone decides how far the tip goes up.
        lift = by if self.corner >= by else by * sqrt(1 + self.slope**2)
        return Profile.of(self.flat, corner, self.slope, max(self.radius - by, 1e-6)), lift

    def slimmer(self, by: float) -> "Profile":
        """A cutter with the same tip that lies within this one, `by` farther in at its side."""
        if self.corner >= by:
            return Profile.of(self.flat, self.corner - by, self.slope, self.radius - by)
        return Profile.of(max(self.flat - by, 0.0), self.corner, self.slope, self.radius - by)

    def height(self, rho: float) -> float:
        """Height of the underside over the tip at `rho` from the axis; infinite beside the cutter."""
        if rho <= self.flat:
            return 0.0
        if rho <= self.knee:
            return self.corner - sqrt(max(self.corner**2 - (rho - self.flat) ** 2, 0.0))
        return self.rise + self.slope * (rho - self.knee) if rho <= self.radius else inf

    def heights(self, rho: F64) -> F64:
        """As :meth:`height`, for many distances at once."""
        round_part = self.corner - np.sqrt(np.maximum(self.corner**2 - np.maximum(rho - self.flat, 0.0) ** 2, 0.0))
        cone = self.rise + (self.slope if self.slope < inf else 0.0) * (rho - self.knee)
        found: F64 = np.where(
            rho <= self.flat, 0.0, np.where(rho <= self.knee, round_part, np.where(rho <= self.radius, cone, inf))
        )
        return found
