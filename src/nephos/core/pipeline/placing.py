"""Places the models of a plan in a setup: meshes, their repairs, the surface that cutters are dropped on."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import shapely
from shapely.affinity import affine_transform

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.examine import support_points
from nephos.core.mesh.model import Mesh, joined
from nephos.core.mesh.repair.cut_below import cut_below
from nephos.core.mesh.repair.registry import by_part, repaired
from nephos.core.pipeline.keys import source_cause
from nephos.core.pipeline.space import SetupSpace
from nephos.core.pipeline.store import MemoryStore, Result, as_result, key_of
from nephos.core.pipeline.work import Meshes, Work
from nephos.core.plan.model import Model
from nephos.core.plan.place import Placed, placed_model, scale_in_file
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.relief.surface import composed, piece_areas
from nephos.core.setups.registry import kind_of
from nephos.core.surface.index import build_index

_REPEATS = 12
_SAME_SCALE = 1e-6


def shown_models(plan: Plan) -> list[Model]:
    """The models that are to be cut."""
    models = [model for model in plan.models if model.shown]
    if not models:
        raise Refused("the job has no model: add one, or show one that is hidden")
    return models


def prepared_key(model: Model) -> str:
    """Under which a model's mesh is kept after its repairs; a composition's without any after it is composed."""
    if model.composition is not None and not model.steps:
        return composed_key(model)
    steps = [step.model_dump() for step in model.steps]
    return key_of("prepared", source_cause(model), steps, *([_size_cause(model)] if by_part(model.steps) else []))


def _size_cause(model: Model) -> object:
    """What the scale of a model depends on, besides its mesh."""
    placement = model.placement
    if not any(placement.size) and len(set(placement.factors)) == 1:
        return placement.unit * placement.factors[0]
    return placement.model_dump(include={"unit", "factors", "size", "linked", "turn", "mirror"})


def composed_key(model: Model) -> str:
    """Under which the surface of a composition is kept."""
    return key_of("composed", source_cause(model))


def source_mesh(model: Model, meshes: Meshes, work: Work) -> Mesh:
    """The mesh of a model before its repairs: as it came, or composed once of its pieces."""
    if model.composition is None:
        return meshes(model.mesh)
    composition = model.composition

    def made() -> Result:
        mesh = composed(composition, meshes)
        return as_result({"said": []}, vertices=mesh.vertices, faces=mesh.faces)

    result = work.stage(composed_key(model), "composed", made)
    return Mesh(result.arrays["vertices"], result.arrays["faces"], "composition", unit=1.0)


def prepared_mesh(model: Model, meshes: Meshes, work: Work) -> Mesh:
    """The mesh of a model after its repairs, worked out once."""
    came = source_mesh(model, meshes, work)
    if not model.steps:
        return came

    def made() -> Result:
        mesh, said = _repaired_at_size(came, model)
        return as_result({"said": list(said)}, vertices=mesh.vertices, faces=mesh.faces)

    result = work.stage(prepared_key(model), "prepared", made)
    return replace(came, vertices=result.arrays["vertices"], faces=result.arrays["faces"])


def _repaired_at_size(came: Mesh, model: Model) -> tuple[Mesh, tuple[str, ...]]:
    """The mesh of a model after its repairs, and what each did.

    Lengths of the finished part ask for its scale. Where a size is given, the scale follows from the extent of the
    repaired mesh, and a flat back takes some of that away: so the repairs are done again with the scale that came of
    them, until it stays."""
    if not by_part(model.steps):
        return repaired(came, model.steps)
    scale = scale_in_file(support_points(came), model.placement)
    for _ in range(_REPEATS):
        mesh, said = repaired(came, model.steps, scale)
        after = scale_in_file(support_points(mesh), model.placement)
        if np.abs(after - scale).max() <= _SAME_SCALE * np.abs(scale).max():
            break
        scale = after
    return mesh, said


def placed_parts(plan: Plan, model: Model, mesh: Mesh) -> list[Mesh]:
    """All copies of a model in the stock's space; what is sunk is cut away."""
    placed = placed_model(support_points(mesh), model, plan.stock)
    parts = [mesh.moved(matrix) for matrix in placed.matrices]
    if model.placement.sink > 0:
        parts = [cut_below(part, np.array([0.0, 0.0, 1.0]), float(placed.low[2])) for part in parts]
    return parts


def setup_space(plan: Plan, setup: Setup, meshes: Meshes, work: Work | None = None) -> SetupSpace:
    """Place the models for a setup and index their surface."""
    frame, kind = setup.frame(plan.stock), kind_of(setup)
    work = work or Work(MemoryStore())
    parts = tuple(
        (model.id, joined(placed_parts(plan, model, prepared_mesh(model, meshes, work))).moved(frame.matrix))
        for model in shown_models(plan)
    )
    whole = joined([part for _, part in parts])
    index = kind.surface(plan, frame, whole, work)
    return SetupSpace(plan, setup, frame, index, whole, parts, kind.piece_outlines(plan, frame, meshes, work))


def outlines_from_above(plan: Plan, matrix: F64, meshes: Meshes, work: Work) -> dict[tuple[str, str], shapely.Geometry]:
    """The outlines of pieces that boundaries follow, in the frame of a setup that sees them from above or below."""
    wanted = {(item.models[0], item.piece) for item in plan.boundaries if item.source == "piece" and item.models}
    found: dict[tuple[str, str], shapely.Geometry] = {}
    for model in plan.models:
        pieces = [piece for key, piece in wanted if key == model.id]
        if not pieces or model.composition is None or not model.shown:
            continue
        placed = placed_model(support_points(prepared_mesh(model, meshes, work)), model, plan.stock)
        areas = piece_areas(model.composition, meshes)
        for piece in pieces:
            if piece in areas:
                copies = [_on_plan(areas[piece], matrix @ copy) for copy in placed.matrices]
                found[model.id, piece] = shapely.union_all(copies)
    return found


def _on_plan(area: shapely.Geometry, m: F64) -> shapely.Geometry:
    """A flat outline of a model under a (4, 4) matrix, seen along Z."""
    if max(abs(m[0, 2]), abs(m[1, 2])) > 1e-9 * float(np.abs(m[:3, :3]).max()):
        raise Refused("the outline of a piece is seen on edge in this setup: choose a boundary of another kind")
    return affine_transform(area, [m[0, 0], m[0, 1], m[1, 0], m[1, 1], m[0, 3], m[1, 3]])


def space_of_part(space: SetupSpace, part: Setup) -> SetupSpace:
    """The space of another part of the same setup, such as its next tile: all but its zero is the same."""
    return replace(space, setup=part, frame=part.frame(space.plan.stock))


def stock_space(plan: Plan, setup: Setup) -> SetupSpace:
    """A setup without its models: the stock alone, over a floor at its underside."""
    frame = setup.frame(plan.stock)
    low, high = frame.low, frame.high
    floor = Mesh(
        np.array([low, [high[0], low[1], low[2]], [high[0], high[1], low[2]], [low[0], high[1], low[2]]]),
        np.array([[0, 1, 2], [0, 2, 3]], np.int32),
    )
    return SetupSpace(plan, setup, frame, build_index(floor.vertices, floor.faces), floor, ())


def placed_models(plan: Plan, support: Callable[[Model], F64]) -> dict[str, Placed]:
    """Where each model lies in the stock, from few points of each mesh: quick enough for every keystroke."""
    return {model.id: placed_model(support(model), model, plan.stock) for model in plan.models}
