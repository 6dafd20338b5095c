"""A model in a bar that rotates: along the axis, centred, and how wide it sweeps."""

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Model, Stock

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


def centred(model: Model, look: MeshSummary, stock: Stock, x: float = 0.0) -> Model:
    """The model with its smallest enclosing circle about the bar's axis, `x` mm from the middle of the bar."""
    placement = model.placement.model_copy(
        update={"align": ("centre", "centre", "centre"), "offset": (x, 0.0, 0.0), "sink": 0.0}
    )
    model = model.model_copy(update={"placement": placement})
    y, z, _ = enclosing_circle(placed_points(model, look, stock))
    offset = (x, round(stock.width / 2 - y, 6), round(stock.thickness / 2 - z, 6))
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
