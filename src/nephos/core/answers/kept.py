"""What answers are made from besides the plan: kept results, and what the shop knows."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, Protocol

import numpy as np

from nephos.core.cutters import Cutter
from nephos.core.estimate.stock_estimate import DrawnHeightMap, HeightMapStage
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.model import Model
from nephos.core.plan.place import Placed
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.stages.outline import OutlineStage
from nephos.core.stages.space import SpaceStage

ModelState = Literal["ready", "working", "refused"]
Facts = Mapping[str, Any]
"""The document of a kept result."""
Shown = tuple[Model, Placed, MeshSummary]
"""A model that is cut: where it lies, and the summary of its mesh."""


@dataclass(frozen=True)
class KnownModel:
    """What is known of a model: facts and summary of its mesh, after its repairs where they are `ready`, before them
    otherwise. `key` : of the result that it is drawn from."""

    key: str
    state: ModelState
    reason: str
    facts: dict[str, Any]
    summary: MeshSummary


class Kept(Protocol):
    """Gives what is kept. Each method asks the store once, however many keys it is given."""

    def facts(self, keys: Collection[str]) -> Mapping[str, Facts]:
        """The facts of those results that are kept, by key."""

    def models(self, models: Sequence[Model]) -> Mapping[str, KnownModel]:
        """What is known of models, by id. Those whose mesh is still being read are left out.

        Raises
        ------
        Refused
            Where the mesh of a model is gone.
        """

    def height_map(self, key: str) -> DrawnHeightMap:
        """A height map that is kept."""

    def rims(self, key: str) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Of a drawn boundary that is kept: points (n, 2) of its outer outlines, where each ends, and how thick the
        part is there."""

    def cutters(self) -> Sequence[Cutter]:
        """The cutters of the shop."""

    def real_times(self, machine: str) -> Sequence[tuple[float, float]]:
        """Pairs of calculated and real seconds of jobs on a machine."""


def outlines_wanted(plan: Plan) -> list[str]:
    """The boundaries of a plan that are drawn: its own, and those built in that follow the models, where an operation
    keeps to them; of a part of several faces its outline and its border in any case."""
    used = {operation.boundary.boundary for setup in plan.setups for operation in setup.operations}
    if plan.faces is not None:
        used |= {"silhouette", "border"}
    built_in = [key for key in ("silhouette", "border", "dowels", "marks") if key in used]
    return [item.id for item in plan.boundaries] + built_in


def outline_keys(plan: Plan, setup: Setup) -> dict[str, str]:
    """Under which the outlines that are drawn in a setup are kept, by boundary."""
    space = SpaceStage.of(plan, setup)
    return {key: OutlineStage.of(plan, setup, key, space).key for key in outlines_wanted(plan)}


def height_map_key(plan: Plan, setup: Setup) -> str:
    """Under which the height map that a setup is estimated by is kept."""
    return HeightMapStage.of(plan, setup).key
