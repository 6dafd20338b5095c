"""Level facets of a surface: level on a plane, round the axis on a bar."""

import numpy as np

from nephos.core.arrays import F64
from nephos.core.surface.drop import Surface
from nephos.core.surface.rotary import RotaryIndex

FLAT = 0.005
"""Slope (rise over run) up to which a facet is level."""
_ROUND = 0.9986
"""Cosine of the angle, 3 degrees, by which a facet round the axis may be off the radius."""


def _round_ground(index: RotaryIndex) -> tuple[F64, F64]:
    """Radii and areas (mm^2) of all facets that lie round the axis, (n,) each: what is level on a bar."""
    arrays = index.arrays
    a, b, c = arrays.corners[:, 0], arrays.corners[:, 1], arrays.corners[:, 2]
    middle = (a + b + c) / 3
    radius = np.maximum(np.hypot(middle[:, 1], middle[:, 2]), 1e-9)
    n = arrays.normals
    out = np.abs(n[:, 1] * middle[:, 1] + n[:, 2] * middle[:, 2]) / radius
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
    level = out > _ROUND
    return arrays.polar[level, 3], area[level]


def level_ground(index: Surface) -> tuple[F64, F64]:
    """Heights and plan areas (mm^2) of all level facets, (n,) each."""
    if isinstance(index, RotaryIndex):
        return _round_ground(index)
    planes, corners = index.arrays.planes, index.arrays.corners
    level = planes[:, 3] < FLAT
    a, b, c = corners[level, 0], corners[level, 1], corners[level, 2]
    area = np.abs((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) / 2
    return (a[:, 2] + b[:, 2] + c[:, 2]) / 3, area
