"""Outlines of boundaries on the plan, in the frame of a setup."""

from dataclasses import dataclass
from math import ceil
from typing import ClassVar

import numpy as np
import shapely
from shapely.affinity import affine_transform

from nephos.core.errors import Refused
from nephos.core.estimate.perimeter import paths_around
from nephos.core.mesh.curves import area_of, smoothed
from nephos.core.mesh.examine import support_points
from nephos.core.mesh.repair.cut_below import cut_below
from nephos.core.parallel import Report
from nephos.core.plan.boundary import BUILT_IN, Boundary
from nephos.core.plan.faces import dowel_spots, turning_axis
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.relief.surface import piece_areas
from nephos.core.setups.registry import kind_of
from nephos.core.stages.canonical import said
from nephos.core.stages.prepared import prepared_mesh
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.shadow import shadow_of
from nephos.core.stages.space import SpaceStage
from nephos.core.stages.stage import Kept, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.strategies.clearing.levels import polygons_of
from nephos.core.strategies.following.tabs import loops_of, rim_heights
from nephos.core.surface.silhouette import rings_of, silhouette

_CIRCLE = 0.0005
"""Chords of a circle stay within this of it (mm)."""
_QUARTER = 24
"""Chords to a quarter of a round corner."""
View = tuple[float, float, float, float, float, float]
"""Affine transform on the plan, as shapely takes it."""
Spot = tuple[float, float]


@dataclass(frozen=True)
class Combined:
    """Another outline that one is combined with, and how."""

    how: str
    outline: "OutlineStage"


@dataclass(frozen=True)
class Holes:
    """Round holes: their places and their diameter, mm."""

    spots: tuple[Spot, ...]
    diameter: float


@dataclass(frozen=True, eq=False)
class OutlineStage(Kept[shapely.Geometry]):
    """The outline of a boundary: polygons with holes.

    `view` : from the view that its numbers are in to the frame; none where it is drawn on the frame itself. `border` :
    mm round a part of several faces. `dowels` : holes for registration. `marks`, `mark_size` : those that this setup
    makes for slides. `refusal` : why there is none."""

    name: ClassVar[str] = "outline"
    version: ClassVar[int] = 9

    space: SpaceStage
    boundary: Boundary
    combined: tuple[Combined, ...] = ()
    view: View | None = None
    border: float | None = None
    dowels: Holes | None = None
    marks: tuple[Spot, ...] = ()
    mark_size: Spot = (0.0, 0.0)
    refusal: str = ""
    called: str = said()

    @classmethod
    def of(cls, plan: Plan, setup: Setup, key: str, space: SpaceStage | None = None) -> "OutlineStage":
        """The stage for a boundary of a plan, by its id, in a setup, whose `space` may be known already."""
        return _outline(plan, setup, space or SpaceStage.of(plan, setup), key, ())

    def compute(self, work: Resolver, report: Report) -> Result:
        """The outline with what is known of it: area, length, box, and how high the part is beside each loop.

        Raises
        ------
        Refused
            Where it is empty, made of itself, or its models are gone.
        """
        if self.refusal:
            raise Refused(self.refusal)
        space = work.of(self.space)
        shape = _source(self, space, work)
        for item in self.combined:
            second = work.of(item.outline)
            shape = {"join": shape.union, "cut": shape.difference, "intersect": shape.intersection}[item.how](second)
        whole = self._limited(shape)
        return _described(whole, space) if whole is not None else _empty()

    def _limited(self, shape: shapely.Geometry) -> shapely.Geometry | None:
        """The shape grown, smoothed, and without what is left out; none of marks where none are made."""
        item = self.boundary
        shape = grown(shape, item.offset, item.corners)
        if item.smooth:
            # Out and in again, then in and out: corners and notches smaller than that are gone.
            half = item.smooth / 2
            shape = shape.buffer(half).buffer(-2 * half).buffer(half).simplify(item.smooth / 4)
        shape = _without_loops(shape, [self._seen(shapely.Point(spot)) for spot in item.left_out])
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
        if pieces:
            return shapely.union_all(pieces)
        if item.id == "marks":
            return None
        raise Refused(f"the boundary '{self.called}' is empty: give it other numbers or another source")

    def _seen(self, shape: shapely.Geometry) -> shapely.Geometry:
        """A shape of the view that the numbers are in, in the frame."""
        return shape if self.view is None else affine_transform(shape, list(self.view))

    def read(self, result: Result, work: Resolver) -> shapely.Geometry:
        """The outline that was kept.

        Raises
        ------
        Refused
            Where it was kept that there is none.
        """
        if "refused" in result.facts:
            raise Refused(result.facts["refused"])
        return shapely.from_wkb(result.arrays["wkb"].tobytes())


def _outline(plan: Plan, setup: Setup, space: SpaceStage, key: str, seen: tuple[str, ...]) -> OutlineStage:
    item = next((item for item in plan.boundaries if item.id == key), None)
    if item is None and key in BUILT_IN:
        item = Boundary(id=key, name=BUILT_IN[key], source=key)
    if item is None:
        gone = f"the boundary '{key}' is no longer in the job: choose another one"
        return OutlineStage(space, Boundary(id="gone", name="gone"), refusal=gone)
    bare = item.model_copy(update={"name": "boundary", "combine": (), "setup": None})
    if key in seen:
        itself = f"the boundary '{item.name}' is made of itself: take one of the combinations out"
        return OutlineStage(space, bare, refusal=itself)
    view: View | None = None
    if item.source in {"rectangle", "circle", "drawn"} or item.left_out:
        try:
            view = kind_of(setup).view(plan, item)
        except Refused as reason:
            return OutlineStage(space, bare, refusal=str(reason))
    several = item.source in {"border", "dowels"}
    if several and plan.faces is None:
        refusal = "this boundary is for a part that is cut from several faces: choose another one"
        return OutlineStage(space, bare, refusal=refusal)
    marks = item.source == "marks"
    return OutlineStage(
        space,
        bare,
        tuple(Combined(o.how, _outline(plan, setup, space, o.boundary, (*seen, key))) for o in item.combine),
        view,
        plan.faces.border if plan.faces is not None and item.source == "border" else None,
        _dowels(plan, setup) if item.source == "dowels" else None,
        setup.marks if marks else (),
        setup.mark_size if marks else (0.0, 0.0),
        called=item.name,
    )


def _dowels(plan: Plan, setup: Setup) -> Holes | None:
    if plan.faces is None:
        return None
    registration, frame = plan.faces.registration, setup.frame(plan.stock)
    width, depth = float(frame.high[0]), float(frame.high[1])
    return Holes(dowel_spots(registration, width, depth, turning_axis(plan)), registration.diameter)


def _rings(spots: tuple[Spot, ...], diameter: float) -> shapely.Geometry:
    return shapely.union_all([shapely.Point(spot).buffer(diameter / 2, _QUARTER) for spot in spots])


def _marks(marks: tuple[Spot, ...], size: Spot) -> shapely.Geometry:
    """The dowel holes or score marks that a tile makes for the slides."""
    width, depth = size
    if not marks:
        return shapely.Polygon()
    if width == depth:
        return _rings(marks, width)
    return shapely.union_all(
        [shapely.box(x - width / 2, y - depth / 2, x + width / 2, y + depth / 2) for x, y in marks]
    )


def _border(space: SetupSpace, work: Resolver, width: float) -> shapely.Geometry:
    outline = shadow_of(work, space.plan, space.setup)
    whole = shapely.union_all([shapely.Polygon(piece.exterior) for piece in polygons_of(outline)])
    return whole.buffer(width, quad_segs=_QUARTER)


def _typed(item: Boundary) -> shapely.Geometry:
    """A rectangle or a circle by its numbers."""
    (x, y), (w, h) = item.at, item.size
    if item.source == "rectangle":
        return shapely.box(x - w / 2, y - h / 2, x + w / 2, y + h / 2)
    return shapely.Point(x, y).buffer(w / 2, quad_segs=max(4 * _QUARTER, ceil(0.56 * (w / 2 / _CIRCLE) ** 0.5)))


def _source(stage: OutlineStage, space: SetupSpace, work: Resolver) -> shapely.Geometry:
    item = stage.boundary
    if item.source == "stock":
        low, high = space.stock_low, space.stock_high
        return shapely.box(low[0], low[1], high[0], high[1])
    if item.source == "marks":
        return _marks(stage.marks, stage.mark_size)
    if stage.border is not None:
        return _border(space, work, stage.border)
    if stage.dowels is not None:
        return _rings(stage.dowels.spots, stage.dowels.diameter)
    if item.source in {"rectangle", "circle"}:
        return stage._seen(_typed(item))
    if item.source == "drawn":
        if not item.curves:
            raise Refused(f"nothing is drawn in the boundary '{stage.called}' yet: add a curve or import a file")
        points = [np.array(curve.points) for curve in item.curves]
        runs = [smoothed(run) if curve.smooth else run for run, curve in zip(points, item.curves, strict=True)]
        return stage._seen(area_of(runs))
    if item.source == "piece":
        return _piece(stage, space, work)
    return _of_models(stage, space, work)


def _of_models(stage: OutlineStage, space: SetupSpace, work: Resolver) -> shapely.Geometry:
    """Silhouette, slice or box of models."""
    item = stage.boundary
    chosen = [(key, mesh) for key, mesh in space.parts if not item.models or key in item.models]
    if not chosen:
        raise Refused(f"the models of the boundary '{stage.called}' are gone or switched off: choose others")
    parts = [mesh for _, mesh in chosen]
    own = kind_of(space.setup).models_outline(space, parts)
    if own is not None:
        return own
    if item.source == "box":
        ends = np.array([[*part.low[:2], *part.high[:2]] for part in parts])
        return shapely.box(*ends[:, :2].min(axis=0), *ends[:, 2:].max(axis=0))
    if item.source == "slice":
        parts = [cut_below(part, np.array([0.0, 0.0, 1.0]), float(part.low[2]) + item.height) for part in parts]
        return shapely.union_all([silhouette(part.vertices, part.faces) for part in parts if len(part.faces)])
    # All models together are asked for most, by every setup.
    if len(chosen) == len(space.parts):
        return shadow_of(work, space.plan, space.setup)
    return shapely.union_all([shadow_of(work, space.plan, space.setup, (key,)) for key, _ in chosen])


def _piece(stage: OutlineStage, space: SetupSpace, work: Resolver) -> shapely.Geometry:
    """The outline of a piece of a composition, seen along Z."""
    item = stage.boundary
    model = next((model for model in space.plan.models if item.models and model.id == item.models[0]), None)
    area = None
    if model is not None and model.composition is not None and kind_of(space.setup).sees_pieces:
        area = piece_areas(model.composition, work.meshes).get(item.piece)
    if model is None or area is None:
        raise Refused(f"the piece of the boundary '{stage.called}' is gone or switched off: choose another one")
    placed = placed_model(support_points(prepared_mesh(model, work)), model, space.plan.stock)
    shapes = []
    for matrix in placed.matrices:
        m = space.matrix @ matrix
        if max(abs(m[0, 2]), abs(m[1, 2])) > 1e-9 * float(np.abs(m[:3, :3]).max()):
            raise Refused("the outline of a piece is seen on edge in this setup: choose a boundary of another kind")
        shapes.append(affine_transform(area, [m[0, 0], m[0, 1], m[1, 0], m[1, 1], m[0, 3], m[1, 3]]))
    return shapely.union_all(shapes)


def grown(shape: shapely.Geometry, by: float, corners: str) -> shapely.Geometry:
    """A shape grown by so much (mm), with round or sharp corners; smaller where `by` is less than 0."""
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


def _described(whole: shapely.Geometry, space: SetupSpace) -> Result:
    """An outline with its measures; `rims` and `rim_heights` are those of its loops."""
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


@dataclass(frozen=True)
class OperationOutlines:
    """The outline of an operation's boundary, and those that it stays out of."""

    boundary: OutlineStage
    without: tuple[OutlineStage, ...]

    @classmethod
    def of(cls, plan: Plan, setup: Setup, operation: Operation, space: SpaceStage | None = None) -> "OperationOutlines":
        """Those of an operation of a setup."""
        limit = operation.boundary
        return cls(
            OutlineStage.of(plan, setup, limit.boundary, space),
            tuple(OutlineStage.of(plan, setup, other, space) for other in limit.without),
        )


def region_of(space: SetupSpace, work: Resolver, operation: Operation, outlines: OperationOutlines) -> shapely.Geometry:
    """Where the axis of an operation's cutter may be.

    Raises
    ------
    Refused
        Where that is nowhere.
    """
    limit, radius = operation.boundary, operation.cutter.radius
    by = limit.past(radius) + operation.settings.beside(operation.cutter)
    flat_sided = limit.boundary in {"box", "stock"}
    stock = shapely.box(*space.stock_box).buffer(max(radius, by), join_style="mitre")
    region = grown(work.of(outlines.boundary), by, "sharp" if flat_sided else "round").intersection(stock)
    held = kind_of(space.setup).cutter_area(space, operation)
    if held is not None:
        region = region.intersection(held)
    for other in outlines.without:
        region = region.difference(grown(work.of(other), -by, "round"))
    if region.is_empty and limit.boundary != "marks":
        raise Refused(f"operation {operation.number}: the boundary is empty for this cutter; give it a larger margin")
    return region
