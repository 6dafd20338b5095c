"""A model in a bar that rotates: along the axis, centred, and how wide it sweeps."""

from typing import Literal

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.model import Model
from nephos.core.plan.place import placed_model
from nephos.core.plan.stock import Stock

_OPEN = 0.02
"""A surface is open where its directions add up to more than this share of its area,"""
_THIN = 1e-4
"""and has no volume where that is less than this share of area times size."""
_TURNS = ((0.0, 0.0, 0.0), (0.0, 0.0, 90.0), (0.0, 90.0, 0.0))
"""Turns that bring the longest of X, Y and Z along X."""


def along_axis(model: Model, look: MeshSummary) -> Model:
    """The model with its longest side along X."""
    placement = model.placement
    if any(placement.turn):
        return model
    extent = np.ptp(look.support, axis=0)
    turn = _TURNS[int(extent.argmax())]
    return model.model_copy(update={"placement": placement.model_copy(update={"turn": turn})})


def enclosing_circle(points: F64) -> tuple[float, float, float]:
    """Middle (y, z) and radius of the smallest circle round points (n, 3) seen along X, mm."""
    hull = shapely.MultiPoint(points[:, 1:3]).convex_hull
    circle = shapely.minimum_bounding_circle(hull)
    middle = circle.centroid
    return float(middle.x), float(middle.y), float(shapely.minimum_bounding_radius(hull))


def placed_points(model: Model, look: MeshSummary, stock: Stock) -> F64:
    """Points (n, 3) that span the model, where it lies in the stock, mm."""
    matrix = placed_model(look.support, model, stock).matrix
    points: F64 = look.support @ matrix[:3, :3].T + matrix[:3, 3]
    return points


def centre_of_mass(model: Model, look: MeshSummary, stock: Stock) -> F64:
    """(3,) where the middle of a closed model's volume lies in the stock, mm, from samples of its surface.

    Volume and first moment are integrals over the surface (Gauss): of p n / 3 and of p^2 n / 2.

    Raises
    ------
    Refused
        Where its surface encloses nothing.
    """
    matrix = placed_model(look.support, model, stock).matrix
    points = look.samples[:, :3].astype(np.float64) @ matrix[:3, :3].T + matrix[:3, 3]
    # Areas under a linear map turn and stretch as its cofactors say.
    linear = matrix[:3, :3]
    areas = look.samples[:, 3:].astype(np.float64) @ (np.linalg.det(linear) * np.linalg.inv(linear))
    middle = points.mean(axis=0)
    off = points - middle
    volume = float((off * areas).sum()) / 3
    whole = float(np.linalg.norm(areas, axis=1).sum())
    # Over a closed surface all directions add up to nothing.
    if np.linalg.norm(areas.sum(axis=0)) > _OPEN * whole or abs(volume) < _THIN * whole * float(
        np.ptp(points, axis=0).max()
    ):
        raise Refused("its surface is open and encloses no volume: centre it by its circle or its box")
    found: F64 = middle + (off * off * areas).sum(axis=0) / 2 / volume
    return found


Centre = Literal["circle", "box", "mass"]
"""What of a model is brought onto the axis: the smallest circle round it seen along the bar, its box, or the middle of
its volume."""


def centred(model: Model, look: MeshSummary, stock: Stock, x: float = 0.0, by: Centre = "circle") -> Model:
    """The model brought onto the bar's axis, its box `x` mm from the middle of the bar."""
    placement = model.placement.model_copy(
        update={"align": ("centre", "centre", "centre"), "offset": (x, 0.0, 0.0), "sink": 0.0}
    )
    model = model.model_copy(update={"placement": placement})
    if by == "box":
        return model
    y, z = (
        centre_of_mass(model, look, stock)[1:]
        if by == "mass"
        else enclosing_circle(placed_points(model, look, stock))[:2]
    )
    offset = (x, round(stock.width / 2 - float(y), 6), round(stock.thickness / 2 - float(z), 6))
    return model.model_copy(update={"placement": placement.model_copy(update={"offset": offset})})


def swept_diameter(model: Model, look: MeshSummary, stock: Stock) -> float:
    """Diameter (mm) that the model sweeps about the bar's axis, where it lies now."""
    points = placed_points(model, look, stock)
    return 2 * float(np.hypot(points[:, 1] - stock.width / 2, points[:, 2] - stock.thickness / 2).max())


def resized(model: Model, look: MeshSummary, stock: Stock, share: float) -> Model:
    """The model `share` times as large, in proportion."""
    size = placed_model(look.support, model, stock).size
    placement = model.placement.model_copy(
        update={"size": (round(float(size[0]) * share, 6), None, None), "linked": True}
    )
    return model.model_copy(update={"placement": placement})
