"""The outline of models as a setup sees them, the same for two sides that look at each other."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import shapely
from shapely.affinity import affine_transform

from nephos.core.arrays import F64
from nephos.core.mesh.model import joined
from nephos.core.parallel import Report
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.setup import Setup
from nephos.core.stages.models import ModelsStage
from nephos.core.stages.stage import Kept, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.surface.silhouette import silhouette

_PARALLEL = 1e-12
"""Sides look at each other where the cosine of the angle between them differs from 1 by no more than this."""


@dataclass(frozen=True, eq=False)
class ShadowStage(Kept[shapely.Geometry]):
    """The outline, in the frame of `models`, of those with some `ids`; of all where none are given."""

    name: ClassVar[str] = "shadow"
    version: ClassVar[int] = 2

    models: ModelsStage
    ids: tuple[str, ...] = ()

    @classmethod
    def of(cls, plan: Plan, setup: Setup, ids: tuple[str, ...] = ()) -> "ShadowStage":
        """The stage for a setup of a plan: that of its opposite side where that comes first."""
        return cls(ModelsStage.of(plan, _first_of_two(plan, setup)), ids)

    def compute(self, work: Resolver, report: Report) -> Result:
        """The union of all triangles, seen along Z."""
        placed = work.of(self.models)
        chosen = [part for key, part in placed.parts if key in self.ids]
        mesh = joined(chosen) if chosen else placed.whole
        return as_result({}, wkb=np.frombuffer(shapely.to_wkb(silhouette(mesh.vertices, mesh.faces)), np.uint8))

    def read(self, result: Result, work: Resolver) -> shapely.Geometry:
        """The outline that was kept."""
        return shapely.from_wkb(result.arrays["wkb"].tobytes())


def shadow_of(work: Resolver, plan: Plan, setup: Setup, ids: tuple[str, ...] = ()) -> shapely.Geometry:
    """The outline of models in the frame of a setup; of all models where no `ids` are given."""
    m = _mirror(plan, setup, _first_of_two(plan, setup))
    outline = work.of(ShadowStage.of(plan, setup, ids))
    return affine_transform(outline, [m[0, 0], m[0, 1], m[1, 0], m[1, 1], m[0, 3], m[1, 3]])


def _mirror(plan: Plan, setup: Setup, first: Setup) -> F64:
    """(4, 4) transform to the frame of a setup from that of another one."""
    found: F64 = setup.frame(plan.stock).matrix @ first.frame(plan.stock).back
    return found


def _first_of_two(plan: Plan, setup: Setup) -> Setup:
    """The side whose outline is kept for a setup and its opposite: the setup itself where it is tilted."""
    for side in ("top", "front", "left"):
        other = FaceSetup(id="setup", name="setup", side=side)
        if abs(abs(_mirror(plan, setup, other)[2, 2]) - 1) < _PARALLEL:
            return other
    return setup
