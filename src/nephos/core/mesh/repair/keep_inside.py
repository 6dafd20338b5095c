"""A piece of a model: what lies inside a closed curve, with straight cut sides."""

from typing import Annotated

import manifold3d
import numpy as np
import shapely
from pydantic import Field

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.curves import area_of
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.registry import RepairKind, RepairSettings
from nephos.core.mesh.repair.solid import mesh_from, solid_from
from nephos.core.strategies.clearing.levels import polygons_of

_Number = Annotated[float, Field(allow_inf_nan=False)]
_Row = tuple[_Number, _Number, _Number, _Number]
_CHORD = 0.002
"""Curves are followed within this (mm)."""
_QUARTER = 32
_BEYOND = 1.0
"""The cut goes so far (mm) past the model at top and bottom."""


class KeepInside(RepairSettings):
    """Closed curves on a plan, the frame that they lie in, and how far inside of them the cut is.

    `frame` is a 4x4 matrix from the file's coordinates to the frame, in millimetres, with Z along the cut."""

    curves: tuple[tuple[tuple[_Number, _Number], ...], ...] = Field(default=(), title="Curves", max_length=500)
    frame: tuple[_Row, _Row, _Row, _Row] = Field(
        default=((1.0, 0.0, 0.0, 0.0), (0.0, 1.0, 0.0, 0.0), (0.0, 0.0, 1.0, 0.0), (0.0, 0.0, 0.0, 1.0)),
        title="Frame",
    )
    allowance: float = Field(
        default=0.0,
        title="Joint allowance",
        description="so far (mm) inside of the curve the piece ends",
        ge=-20,
        le=20,
        allow_inf_nan=False,
    )


def _outline(settings: KeepInside) -> shapely.Geometry:
    area = area_of([np.array(curve, np.float64) for curve in settings.curves if len(curve) > 2])
    if area.is_empty:
        raise Refused("the curve encloses nothing: draw a closed curve round the piece")
    inside = area.buffer(-settings.allowance, quad_segs=_QUARTER) if settings.allowance else area
    if inside.is_empty:
        raise Refused("nothing is left inside the curve with this allowance: make it smaller")
    return inside.simplify(_CHORD)


def _prism(area: shapely.Geometry, low: float, high: float) -> manifold3d.Manifold:
    rings = [np.asarray(ring.coords)[:-1] for piece in polygons_of(area) for ring in (piece.exterior, *piece.interiors)]
    section = manifold3d.CrossSection(rings, manifold3d.FillRule.EvenOdd)
    return manifold3d.Manifold.extrude(section, high - low).translate([0.0, 0.0, low])


def _apply(mesh: Mesh, settings: KeepInside) -> tuple[Mesh, str]:
    frame: F64 = np.array(settings.frame, np.float64)
    if abs(np.linalg.det(frame[:3, :3])) < 1e-12:
        raise Refused("the frame of the curve is flat: place the model again")
    placed = mesh.moved(frame)
    area = _outline(settings)
    prism = _prism(area, float(placed.low[2]) - _BEYOND, float(placed.high[2]) + _BEYOND)
    inside = solid_from(placed) ^ prism
    if inside.is_empty():
        raise Refused("nothing of the model lies inside the curve: draw it over the model")
    back: F64 = np.asarray(np.linalg.inv(frame), np.float64)
    return mesh_from(inside, mesh).moved(back), "cut to the inside of a curve, with straight sides"


REPAIR = RepairKind(
    "keep_inside",
    "Piece inside a curve",
    "keeps what lies inside a closed curve, with straight cut sides",
    KeepInside,
    _apply,
)
