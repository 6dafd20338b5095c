"""Meshes of models: composed of pieces, and repaired."""

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from nephos.core.mesh.examine import support_points
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.registry import by_part, repaired
from nephos.core.parallel import Report
from nephos.core.plan.model import Copies, Model, Placement
from nephos.core.plan.place import scale_in_file
from nephos.core.relief.composition import Composition
from nephos.core.relief.surface import composed
from nephos.core.stages.seen import unnamed
from nephos.core.stages.stage import Kept, Resolver
from nephos.core.stages.store import Result, as_result

_REPEATS = 12
_SAME_SCALE = 1e-6


@dataclass(frozen=True, eq=False)
class ComposedStage(Kept[Mesh]):
    """The surface of a composition of pieces."""

    name: ClassVar[str] = "composed"
    version: ClassVar[int] = 6

    composition: Composition

    def compute(self, work: Resolver, report: Report) -> Result:
        """The mesh, in the composition's own millimetres."""
        mesh = composed(self.composition, work.meshes)
        return as_result({"said": []}, vertices=mesh.vertices, faces=mesh.faces)

    def read(self, result: Result, work: Resolver) -> Mesh:
        """The mesh that was kept."""
        return Mesh(result.arrays["vertices"], result.arrays["faces"], "composition", unit=1.0)


@dataclass(frozen=True, eq=False)
class PreparedStage(Kept[Mesh]):
    """The mesh of a model after its repairs. `model` has nothing but what they read: its source and steps, and of its
    placement what decides the scale, where lengths of the finished part are asked for."""

    name: ClassVar[str] = "prepared"
    version: ClassVar[int] = 3

    model: Model

    @classmethod
    def of(cls, model: Model) -> "PreparedStage":
        """The stage for a model of a plan."""
        known = Placement() if not by_part(model.steps) else _scale_seen(model.placement)
        change = {"id": "model", "shown": True, "copies": Copies(), "placement": known}
        return cls(unnamed(model).model_copy(update=change))

    def compute(self, work: Resolver, report: Report) -> Result:
        """The repairs, one after another."""
        mesh, notes = _repaired_at_size(source_mesh(self.model, work), self.model)
        return as_result({"said": list(notes)}, vertices=mesh.vertices, faces=mesh.faces)

    def read(self, result: Result, work: Resolver) -> Mesh:
        """The mesh that was kept."""
        came = source_mesh(self.model, work)
        return replace(came, vertices=result.arrays["vertices"], faces=result.arrays["faces"])


def _scale_seen(placement: Placement) -> Placement:
    """A placement of which what decides the scale is known alone."""
    if not any(placement.size) and len(set(placement.factors)) == 1:
        return Placement(unit=placement.unit * placement.factors[0])
    return Placement(**placement.model_dump(include={"unit", "factors", "size", "linked", "turn", "mirror"}))


def prepared_key(model: Model) -> str:
    """Under which a model's mesh is kept after its repairs; a composition's without any after it is composed."""
    if model.composition is not None and not model.steps:
        return composed_key(model)
    return PreparedStage.of(model).key


def composed_key(model: Model) -> str:
    """Under which the surface of a composition is kept."""
    composition = unnamed(model).composition
    if composition is None:
        raise ValueError("this model is no composition")
    return ComposedStage(composition).key


def source_mesh(model: Model, work: Resolver) -> Mesh:
    """The mesh of a model before its repairs: as it came, or composed of its pieces."""
    composition = unnamed(model).composition
    return work.meshes(model.mesh) if composition is None else work.of(ComposedStage(composition))


def prepared_mesh(model: Model, work: Resolver) -> Mesh:
    """The mesh of a model after its repairs."""
    return work.of(PreparedStage.of(model)) if model.steps else source_mesh(model, work)


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
