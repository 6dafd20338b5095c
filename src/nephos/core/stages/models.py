"""The models in the frame of a setup."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from nephos.core.errors import Refused
from nephos.core.mesh.examine import support_points
from nephos.core.mesh.model import Mesh, joined
from nephos.core.mesh.repair.cut_below import cut_below
from nephos.core.parallel import Report
from nephos.core.plan.model import Model
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.stages.prepared import prepared_mesh
from nephos.core.stages.seen import models_seen
from nephos.core.stages.stage import Resolver, Stage


@dataclass(frozen=True)
class PlacedModels:
    """Meshes in the frame of a setup: all copies of each model, by its id, and all together."""

    parts: tuple[tuple[str, Mesh], ...]
    whole: Mesh


@dataclass(frozen=True, eq=False)
class ModelsStage(Stage[PlacedModels]):
    """Places the shown models of a plan in the frame of a setup. `plan` : stock and models. `setup` : how it lies."""

    name: ClassVar[str] = "models"
    version: ClassVar[int] = 1

    plan: Plan
    setup: Setup

    @classmethod
    def of(cls, plan: Plan, setup: Setup) -> "ModelsStage":
        """The stage for a setup of a plan."""
        return cls(models_seen(plan), setup.lying())

    def value(self, work: Resolver, report: Report) -> PlacedModels:
        """The meshes."""
        frame = self.setup.frame(self.plan.stock)
        parts = tuple(
            (model.id, joined(placed_parts(self.plan, model, prepared_mesh(model, work))).moved(frame.matrix))
            for model in shown_models(self.plan)
        )
        return PlacedModels(parts, joined([part for _, part in parts]))


def shown_models(plan: Plan) -> list[Model]:
    """The models that are to be cut."""
    models = [model for model in plan.models if model.shown]
    if not models:
        raise Refused("the job has no model: add one, or show one that is hidden")
    return models


def placed_parts(plan: Plan, model: Model, mesh: Mesh) -> list[Mesh]:
    """All copies of a model in the stock's space; what is sunk is cut away."""
    placed = placed_model(support_points(mesh), model, plan.stock)
    parts = [mesh.moved(matrix) for matrix in placed.matrices]
    if model.placement.sink > 0:
        parts = [cut_below(part, np.array([0.0, 0.0, 1.0]), float(placed.low[2])) for part in parts]
    return parts
