"""Boundaries: from their names to outlines on the plan, in a setup's space."""

from math import ceil
from typing import TYPE_CHECKING

import numpy as np
import shapely

from nephos.core.errors import Refused
from nephos.core.estimate.perimeter import paths_around
from nephos.core.mesh.curves import area_of, smoothed
from nephos.core.mesh.repair.cut_below import cut_below
from nephos.core.pipeline.keys import outline_key_of
from nephos.core.pipeline.standing import shadow_of
from nephos.core.pipeline.store import Result, as_result
from nephos.core.plan.boundary import BUILT_IN, Boundary
from nephos.core.plan.faces import dowel_spots, turning_axis
from nephos.core.plan.operation import Operation
from nephos.core.setups.registry import kind_of
from nephos.core.strategies.clearing.levels import polygons_of
from nephos.core.strategies.following.tabs import loops_of, rim_heights
from nephos.core.surface.silhouette import rings_of, silhouette

if TYPE_CHECKING:
    from nephos.core.pipeline.space import SetupSpace
    from nephos.core.pipeline.work import Work

_CIRCLE = 0.0005
"""Chords of a circle stay within this of it (mm)."""
_QUARTER = 24
"""Chords to a quarter of a round corner."""


def boundary_named(space: "SetupSpace", key: str) -> Boundary:
    """The boundary with that id, of the plan or built in."""
    for item in space.plan.boundaries:
        if item.id == key:
            return item
    if key in BUILT_IN:
        return Boundary(id=key, name=BUILT_IN[key], source=key)
    raise Refused(f"the boundary '{key}' is no longer in the job: choose another one")


def _of_faces(space: "SetupSpace", work: "Work", source: str) -> shapely.Geometry:
    """The boundaries of a part that is cut from several faces."""
    faces = space.plan.faces
    if faces is None:
        raise Refused("this boundary is for a part that is cut from several faces: choose another one")
    if source == "border":
        outline = shadow_of(work, space.plan, space.setup, (), space.mesh)
        whole = shapely.union_all([shapely.Polygon(piece.exterior) for piece in polygons_of(outline)])
        return whole.buffer(faces.border, quad_segs=_QUARTER)
    size = space.stock_high - space.stock_low
    spots = dowel_spots(faces.registration, float(size[0]), float(size[1]), turning_axis(space.plan))
    return shapely.union_all([shapely.Point(spot).buffer(faces.registration.diameter / 2, _QUARTER) for spot in spots])


def _marks(space: "SetupSpace") -> shapely.Geometry:
    """The dowel holes or score marks that a tile makes for the slides."""
    marks, (width, depth) = space.setup.marks, space.setup.mark_size
    if not marks:
        return shapely.Polygon()
    if width == depth:
        return shapely.union_all([shapely.Point(spot).buffer(width / 2, _QUARTER) for spot in marks])
    return shapely.union_all(
        [shapely.box(x - width / 2, y - depth / 2, x + width / 2, y + depth / 2) for x, y in marks]
    )


def _source(space: "SetupSpace", work: "Work", item: Boundary) -> shapely.Geometry:
    low, high = space.stock_low, space.stock_high
    if item.source in {"silhouette", "slice", "box"}:
        outline = kind_of(space.setup).models_outline(space, item)
        if outline is not None:
            return outline
    if item.source == "stock":
        return shapely.box(low[0], low[1], high[0], high[1])
    if item.source == "marks":
        return _marks(space)
    if item.source in {"border", "dowels"}:
        return _of_faces(space, work, item.source)
    if item.source in {"rectangle", "circle"}:
        (x, y), (w, h) = item.at, item.size
        shape = (
            shapely.box(x - w / 2, y - h / 2, x + w / 2, y + h / 2)
            if item.source == "rectangle"
            else shapely.Point(x, y).buffer(w / 2, quad_segs=max(4 * _QUARTER, ceil(0.56 * (w / 2 / _CIRCLE) ** 0.5)))
        )
        return kind_of(space.setup).drawn(space, item, shape)
    if item.source == "drawn":
        if not item.curves:
            raise Refused(f"nothing is drawn in the boundary '{item.name}' yet: add a curve or import a file")
        points = [np.array(curve.points) for curve in item.curves]
        return kind_of(space.setup).drawn(
            space,
            item,
            area_of([smoothed(run) if curve.smooth else run for run, curve in zip(points, item.curves, strict=True)]),
        )
    if item.source == "piece":
        found = space.pieces.get((item.models[0] if item.models else "", item.piece))
        if found is None:
            raise Refused(f"the piece of the boundary '{item.name}' is gone or switched off: choose another one")
        return found
    chosen = [(key, mesh) for key, mesh in space.parts if not item.models or key in item.models]
    parts = [mesh for _, mesh in chosen]
    if not parts:
        raise Refused(f"the models of the boundary '{item.name}' are gone or switched off: choose others")
    if item.source == "box":
        ends = np.array([[*part.low[:2], *part.high[:2]] for part in parts])
        return shapely.box(*ends[:, :2].min(axis=0), *ends[:, 2:].max(axis=0))
    if item.source == "slice":
        parts = [cut_below(part, np.array([0.0, 0.0, 1.0]), float(part.low[2]) + item.height) for part in parts]
        parts = [part for part in parts if len(part.faces)]
        return shapely.union_all([silhouette(part.vertices, part.faces) for part in parts])
    # All models together are asked for most, by every setup.
    if len(chosen) == len(space.parts):
        return shadow_of(work, space.plan, space.setup, (), space.mesh)
    return shapely.union_all([shadow_of(work, space.plan, space.setup, (key,), mesh) for key, mesh in chosen])


def _grown(shape: shapely.Geometry, by: float, corners: str) -> shapely.Geometry:
    style = "mitre" if corners == "sharp" else "round"
    return shape.buffer(by, quad_segs=_QUARTER, join_style=style, mitre_limit=10) if by else shape


def _without_loops(shape: shapely.Geometry, spots: list[shapely.Geometry]) -> shapely.Geometry:
    """The shape without the loops that pass nearest to the spots: outlines go with all that is in them, holes are
    filled."""
    pieces = polygons_of(shape)
    loops = [
        (k, h, ring) for k, piece in enumerate(pieces) for h, ring in enumerate((piece.exterior, *piece.interiors))
    ]
    gone = {min((ring.distance(spot), k, h) for k, h, ring in loops)[1:] for spot in spots} if loops else set()
    kept = [
        shapely.Polygon(piece.exterior, [ring for h, ring in enumerate(piece.interiors, 1) if (k, h) not in gone])
        for k, piece in enumerate(pieces)
        if (k, 0) not in gone
    ]
    return shapely.MultiPolygon(kept)


def shape_of(space: "SetupSpace", work: "Work", key: str, seen: tuple[str, ...] = ()) -> shapely.Geometry:
    """The outline of a boundary: polygons with holes.

    Raises
    ------
    Refused
        Where it is empty, made of itself, or its models are gone.
    """
    item = boundary_named(space, key)
    if key in seen:
        raise Refused(f"the boundary '{item.name}' is made of itself: take one of the combinations out")

    def made() -> Result:
        shape = _source(space, work, item)
        for other in item.combine:
            second = shape_of(space, work, other.boundary, (*seen, key))
            shape = {"join": shape.union, "cut": shape.difference, "intersect": shape.intersection}[other.how](second)
        shape = _grown(shape, item.offset, item.corners)
        if item.smooth:
            # Out and in again, then in and out: corners and notches smaller than that are gone.
            half = item.smooth / 2
            shape = shape.buffer(half).buffer(-2 * half).buffer(half).simplify(item.smooth / 4)
        shape = _without_loops(
            shape, [kind_of(space.setup).drawn(space, item, shapely.Point(spot)) for spot in item.left_out]
        )
        pieces = [piece for piece in polygons_of(shape) if piece.area > max(item.drop_under, 1e-9)]
        pieces = [
            shapely.Polygon(
                piece.exterior,
                []
                if item.outer_only
                else [hole for hole in piece.interiors if shapely.Polygon(hole).area > item.drop_under],
            )
            for piece in pieces
        ]
        if not pieces and key == "marks":
            return _empty()
        if not pieces:
            raise Refused(f"the boundary '{item.name}' is empty: give it other numbers or another source")
        whole = shapely.union_all(pieces)
        points, ends = rings_of(whole)
        x_low, y_low, x_high, y_high = whole.bounds
        rims = [loop.rim for loop in loops_of(whole)]
        thick = [rim_heights(space.index, rim, space.floor) for rim in rims]
        return as_result(
            {
                "area": float(whole.area),
                "loops": len(ends),
                "length": float(whole.length),
                "low": [x_low, y_low],
                "box": [x_high - x_low, y_high - y_low],
                "around": paths_around(whole),
            },
            points=points,
            ends=ends,
            wkb=np.frombuffer(shapely.to_wkb(whole), np.uint8),
            rims=np.concatenate(rims),
            rim_ends=np.cumsum([len(rim) for rim in rims], dtype=np.int64),
            rim_heights=np.concatenate(thick),
        )

    result = work.stage(outline_key(space, key), "outline", made)
    if "refused" in result.facts:
        raise Refused(result.facts["refused"])
    return shapely.from_wkb(result.arrays["wkb"].tobytes())


def _empty() -> Result:
    """The outline of a tile that makes no marks."""
    return as_result(
        {"area": 0.0, "loops": 0, "length": 0.0, "low": [0.0, 0.0], "box": [0.0, 0.0], "around": []},
        points=np.empty((0, 2)),
        ends=np.empty(0, np.int64),
        wkb=np.frombuffer(shapely.to_wkb(shapely.Polygon()), np.uint8),
        rims=np.empty((0, 2)),
        rim_ends=np.empty(0, np.int64),
        rim_heights=np.empty(0),
    )


def outline_key(space: "SetupSpace", key: str) -> str:
    """Under which the outline of a boundary is kept."""
    return outline_key_of(space.plan, space.setup, key)


def region_of(space: "SetupSpace", work: "Work", operation: Operation) -> shapely.Geometry:
    """Where the axis of an operation's cutter may be."""
    limit, radius = operation.boundary, operation.cutter.radius
    shape = shape_of(space, work, limit.boundary)
    by = limit.past(radius) + operation.settings.beside(operation.cutter)
    flat_sided = limit.boundary in {"box", "stock"}
    stock = shapely.box(*space.stock_low[:2], *space.stock_high[:2]).buffer(max(radius, by), join_style="mitre")
    region = _grown(shape, by, "sharp" if flat_sided else "round").intersection(stock)
    held = kind_of(space.setup).cutter_area(space, operation)
    if held is not None:
        region = region.intersection(held)
    for other in limit.without:
        region = region.difference(_grown(shape_of(space, work, other), -by, "round"))
    if region.is_empty and limit.boundary != "marks":
        raise Refused(f"operation {operation.number}: the boundary is empty for this cutter; give it a larger margin")
    return region
