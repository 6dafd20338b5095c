"""The height of a composition at places: its pieces combined in order."""

from dataclasses import dataclass

import numpy as np
import shapely
from scipy.interpolate import RectBivariateSpline
from scipy.ndimage import gaussian_filter, grey_opening

from nephos.core.arrays import F64, I64, Bool
from nephos.core.relief.composition import ReliefPiece
from nephos.core.relief.nearest_line import LineIndex, near
from nephos.core.relief.piece import PreparedPiece

__all__ = ["NOTHING", "Layer", "Smoothed", "Stack", "inside_masks"]

NOTHING = -np.inf
"""The height where there is no material."""
_SPECK = 0.02
"""What stands out by less (mm) is no speck."""
_MOST_NODES = 600


Code = I64 | None
"""Numbers of smooth parts; none where nobody asks for them."""


@dataclass(frozen=True)
class Smoothed:
    """The ground under an area, smoothed: a spline over a grid."""

    spline: RectBivariateSpline

    def at(self, xy: F64) -> F64:
        """Heights (n,)."""
        found: F64 = self.spline.ev(xy[:, 0], xy[:, 1])
        return found


@dataclass(frozen=True)
class Layer:
    """A piece as it is evaluated: what it is prepared to, its outline where the distance from it counts, and the
    smoothed ground where it works on that."""

    piece: ReliefPiece
    prepared: PreparedPiece | None
    area: shapely.Geometry
    outline: LineIndex | None = None
    smoothed: Smoothed | None = None


def _mixed(code: Code, number: int, part: I64 | np.ndarray) -> Code:
    """A number for a smooth part of the surface: what decided before, the piece, and its own part."""
    if code is None:
        return None
    mixed = (code.astype(np.uint64) * np.uint64(6364136223846793005)) ^ (
        (np.asarray(part).astype(np.uint64) + np.uint64(1)) * np.uint64(1442695040888963407)
        + np.uint64(number * 0x9E3779B97F4A7C15 & (2**64 - 1))
    )
    return mixed.astype(np.int64)


@dataclass(frozen=True)
class Stack:
    """The layers of a composition, from the lowest to the uppermost."""

    layers: tuple[Layer, ...]

    def heights(self, xy: F64, masks: np.ndarray, upto: int | None = None) -> F64:
        """The height (n,) at places, minus infinity where there is nothing; of the lowest `upto` layers alone, where
        given. For `xy` and `masks` see :meth:`numbered`."""
        ground, _ = self._read(xy, masks, upto, None)
        return ground

    def solid(self, xy: F64, masks: np.ndarray) -> F64:
        """As :meth:`heights`, with 0 where there is nothing."""
        return np.maximum(self.heights(xy, masks), 0.0)

    def numbered(self, xy: F64, masks: np.ndarray) -> tuple[F64, I64]:
        """The height at places, and a number for the smooth part of the surface that each lies on.

        Parameters
        ----------
        xy : (n, 2) float64 millimetres. masks : (n,) uint64, bit k set where the place lies in the area of layer k.

        Returns
        -------
        Heights (n,), 0 where there is nothing, and numbers (n,) int64: where these are equal the surface has no crease
        between neighbouring places.
        """
        ground, code = self._read(xy, masks, None, np.zeros(len(xy), np.int64))
        assert code is not None
        empty = ground <= 0
        return np.where(empty, 0.0, ground), np.where(empty, np.int64(-1), code)

    def _read(self, xy: F64, masks: np.ndarray, upto: int | None, code: Code) -> tuple[F64, Code]:
        ground = np.full(len(xy), NOTHING)
        used = int(np.bitwise_or.reduce(masks)) if len(masks) else 0
        for k, layer in enumerate(self.layers[:upto]):
            if not used >> k & 1:
                continue
            at = np.flatnonzero(masks & np.uint64(1 << k))
            if len(at) == 0:
                continue
            made, numbers = _combined(layer, k, xy[at], ground[at], None if code is None else code[at])
            ground[at] = made
            if code is not None and numbers is not None:
                code[at] = numbers
        return ground, code


def _chosen(where: Bool, one: I64 | np.int64, other: Code) -> Code:
    return None if other is None else np.where(where, one, other)


def _combined(layer: Layer, k: int, xy: F64, ground: F64, code: Code) -> tuple[F64, Code]:
    """The ground and its numbers after one layer, at places in its area."""
    piece = layer.piece
    there = ground > NOTHING
    new, numbers = _surface(layer, k, xy, ground, code, there)
    if piece.fade > 0 and layer.outline is not None:
        found = near(layer.outline, xy, piece.fade + 1e-6)
        share = np.clip(found.distance / piece.fade, 0.0, 1.0)
        weight = share * share * (3 - 2 * share)
        base = np.where(there, ground, 0.0)
        new = np.where(new > NOTHING, base + weight * (np.where(new > NOTHING, new, 0.0) - base), new)
        if numbers is not None:
            numbers = _chosen(share < 1, np.asarray(_mixed(numbers, 64 + k, found.run)), numbers)
    return new, numbers


def _surface(layer: Layer, k: int, xy: F64, ground: F64, code: Code, there: Bool) -> tuple[F64, Code]:
    """What a layer makes of the ground, before it fades."""
    piece = layer.piece
    how = piece.combine
    if how == "scale":
        base = piece.base.height
        return np.where(there, base + (np.where(there, ground, 0.0) - base) * piece.amount, NOTHING), code
    if layer.smoothed is not None:
        smooth = layer.smoothed.at(xy)
        if how == "smooth":
            return np.where(there, smooth, NOTHING), _chosen(there, np.int64(k + 1), code)
        limit = smooth + _SPECK
        return np.where(there, np.minimum(ground, limit), NOTHING), _chosen(ground > limit, np.int64(k + 1), code)
    assert layer.prepared is not None
    own = layer.prepared.heights(xy)
    rise = own.rise if piece.height >= 0 else -own.rise
    lying = np.where(there, ground, 0.0)
    if how in {"add", "subtract"}:
        mixed = _mixed(code, k, own.part)
        if how == "add":
            return lying + rise, mixed
        return np.where(there, lying - rise, NOTHING), mixed
    value = rise + piece.base.height
    numbers = None if code is None else _mixed(np.zeros_like(code), k, own.part)
    if piece.base.on_ground:
        value = value + lying
        numbers = _mixed(code, k, own.part)
    if how == "higher":
        wins = ~there | (value > ground)
    elif how == "lower":
        wins = there & (value < ground)
    else:
        return value, numbers
    return np.where(wins, value, ground), code if numbers is None else _chosen(wins, numbers, code)


def inside_masks(layers: tuple[Layer, ...], xy: F64) -> np.ndarray:
    """For places (n, 2) the areas that each lies in, one bit (uint64) for each layer."""
    masks = np.zeros(len(xy), np.uint64)
    for k, layer in enumerate(layers):
        shapely.prepare(layer.area)
        inside = shapely.contains_xy(layer.area, xy[:, 0], xy[:, 1])
        masks |= inside.astype(np.uint64) << np.uint64(k)
    return masks


def smoothed_ground(below: Stack, area: shapely.Geometry, how: str, width: float) -> Smoothed:
    """The ground of the layers below under an area, smoothed over `width` mm, or freed of what is narrower."""
    x0, y0, x1, y1 = area.bounds
    margin = 2 * width
    pitch = max(width / 6, max(x1 - x0, y1 - y0, 1e-3) / _MOST_NODES)
    x = np.arange(x0 - margin, x1 + margin + pitch, pitch)
    y = np.arange(y0 - margin, y1 + margin + pitch, pitch)
    xy = np.stack(np.meshgrid(x, y, indexing="ij"), -1).reshape(-1, 2)
    ground = below.heights(xy, inside_masks(below.layers, xy))
    ground = np.where(ground > NOTHING, ground, 0.0).reshape(len(x), len(y))
    if how == "smooth":
        ground = gaussian_filter(ground, width / 2 / pitch, mode="nearest")
    else:
        n = max(1, int(np.ceil(width / 2 / pitch)))
        disc = np.hypot(*np.mgrid[-n : n + 1, -n : n + 1]) <= n + 1e-9
        ground = gaussian_filter(grey_opening(ground, footprint=disc, mode="nearest"), 0.5, mode="nearest")
    return Smoothed(RectBivariateSpline(x, y, ground, kx=3, ky=3))
