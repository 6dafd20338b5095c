"""A section through a composition, and what a cutter would leave in it."""

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.ops import nearest_points

from nephos.core.arrays import F64, I32
from nephos.core.cutters.profile import Profile
from nephos.core.relief.stack import NOTHING, inside_masks
from nephos.core.relief.surface import Composed

__all__ = ["Fit", "Gap", "Section", "gaps_of", "makers_at", "section_of"]

_POINTS = 900
_DEEPEST = 0.02
"""What a cutter leaves up to this (mm) is no corner that it cannot reach."""


@dataclass(frozen=True)
class Fit:
    """What a cutter leaves along a section: at most `left` mm of height, at `at` along it; `surface` (n,) is what it
    makes."""

    left: float
    at: float
    surface: F64

    @property
    def fits(self) -> bool:
        """Whether it reaches everything along the section."""
        return self.left <= _DEEPEST


@dataclass(frozen=True)
class Section:
    """Heights (n,) at distances (n,) along a line, 0 where there is nothing, and the number (n,) of the layer that
    made each, -1 for none."""

    along: F64
    height: F64
    layer: I32
    fit: Fit | None


def _closed_by(height: F64, step: float, cutter: Profile) -> F64:
    """What a cutter makes of a section, as long as what lies before and behind it goes on alike."""
    n = int(np.ceil(cutter.radius / step))
    lift = cutter.heights(np.minimum(np.abs(np.arange(-n, n + 1)) * step, cutter.radius))
    edge = np.pad(height, n, mode="edge")
    tip = np.max(np.lib.stride_tricks.sliding_window_view(edge, 2 * n + 1) - lift, axis=1)
    around = np.pad(tip, n, mode="edge")
    made: F64 = np.min(np.lib.stride_tricks.sliding_window_view(around, 2 * n + 1) + lift, axis=1)
    return made


def makers_at(ready: Composed, xy: F64) -> tuple[F64, I32]:
    """Heights (n,) at places (n, 2), 0 where there is nothing, and the number of the layer that made each, -1 for
    none."""
    masks = inside_masks(ready.layers, xy)
    layer = np.full(len(xy), -1, np.int32)
    before = np.full(len(xy), NOTHING)
    for k in range(len(ready.layers)):
        ground = ready.stack.heights(xy, masks, k + 1)
        layer[ground != before] = k
        before = ground
    layer[before <= 0] = -1
    return np.maximum(before, 0.0), layer


def section_of(
    ready: Composed, start: tuple[float, float], end: tuple[float, float], cutter: Profile | None = None
) -> Section:
    """The section of a composition from one place on its plan to another, and what a cutter leaves in it.

    The cutter is judged in the plane of the section: exactly where grooves and walls run square to it."""
    a, b = np.array(start, np.float64), np.array(end, np.float64)
    length = float(np.hypot(*(b - a)))
    along = np.linspace(0, length, _POINTS)
    xy = a + np.linspace(0, 1, _POINTS)[:, None] * (b - a)
    height, layer = makers_at(ready, xy)
    fit = None
    if cutter is not None and length > 0:
        # Beside the relief nothing is to be left.
        made = np.where(height > 0, _closed_by(height, length / (_POINTS - 1), cutter), 0.0)
        left = made - height
        worst = int(left.argmax())
        fit = Fit(float(left[worst]), float(along[worst]), made)
    return Section(along, height, layer, fit)


@dataclass(frozen=True)
class Gap:
    """How near the outlines of two layers come, and where."""

    first: int
    second: int
    distance: float
    at: tuple[float, float]


def gaps_of(ready: Composed) -> list[Gap]:
    """The smallest distances between the outlines of layers that neither cross nor touch, the smallest first."""
    rims = [layer.area.boundary for layer in ready.layers]
    for rim in rims:
        shapely.prepare(rim)
    found: list[Gap] = []
    for i in range(len(rims)):
        for j in range(i + 1, len(rims)):
            distance = float(shapely.distance(rims[i], rims[j]))
            if distance < 1e-6:
                continue
            p, q = nearest_points(rims[i], rims[j])
            found.append(Gap(i, j, distance, ((p.x + q.x) / 2, (p.y + q.y) / 2)))
    return sorted(found, key=lambda gap: gap.distance)
