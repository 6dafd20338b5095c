"""Deflection and bending stress of a bar of varying radius under the cutting force (beam theory)."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64

_PLACES = 24
_THINNEST = 1e-3


@dataclass(frozen=True)
class HeldBar:
    """A bar that is clamped at its left end and, if `centre`, supported by a tailstock at the other one.

    `radii` (n,) mm, of sections that are `every` mm long each, the first one at the chuck. In a chuck that holds
    together with a tailstock the bar is taken for supported at both ends, which is on the safe side.
    """

    radii: F64
    every: float
    centre: bool

    @property
    def length(self) -> float:
        """Free length, mm."""
        return self.every * len(self.radii)

    @property
    def places(self) -> F64:
        """(n,) distance of the sections from the chuck, mm."""
        return (np.arange(len(self.radii), dtype=np.float64) + 0.5) * np.float64(self.every)

    def _moments(self, at: float) -> F64:
        """(n,) bending moment (mm) of a push of 1 N at a place."""
        x, length = self.places, self.length
        if not self.centre:
            return np.maximum(at - x, 0.0)
        return np.where(x < at, x * (length - at), at * (length - x)) / length

    def bends(self, push: float, modulus: float) -> float:
        """Largest deflection (mm) where a push (N) acts, at the worst place: the sum of M^2 / (F E I) dx (Castigliano),
        with I = pi r^4 / 4.

        >>> import numpy as np
        >>> bar, inertia = HeldBar(np.full(400, 5.0), 0.5, centre=True), np.pi * 5.0**4 / 4
        >>> round(bar.bends(30.0, 5000.0) / (30.0 * 200.0**3 / (48 * 5000.0 * inertia)), 2)
        1.0
        """
        inertia = np.pi / 4 * np.maximum(self.radii, _THINNEST) ** 4
        give = self.every / (modulus * inertia)
        return push * max(float((self._moments(at) ** 2 * give).sum()) for at in self._loads())

    def _loads(self) -> F64:
        """Places where the cutter pushes, the free end among them."""
        return np.linspace(0.0, self.length, _PLACES + 1)[1:]

    def stress(self, push: float) -> F64:
        """(n,) bending stress (N/mm^2) of each section with a push (N) at the place that is worst for it: M / (pi r^3 /
        4).

        That is the section itself, or the free end."""
        x, length = self.places, self.length
        arm = x * (length - x) / length if self.centre else length - x
        found: F64 = push * arm / (np.pi / 4 * np.maximum(self.radii, _THINNEST) ** 3)
        return found
