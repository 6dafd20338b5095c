"""How far each side has to cut past the parting, so that no skin and no ridge is left between two faces."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import shapely
from scipy.spatial import cKDTree

from nephos.core.arrays import F64, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.mesh.model import Mesh
from nephos.core.parallel import Report
from nephos.core.plan.parting import height_below_parting
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.stages.models import ModelsStage
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.shadow import shadow_of
from nephos.core.stages.stage import Kept, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.surface.drop import drop_points
from nephos.core.surface.index import SurfaceIndex, build_index

_POINT = Profile.of(0.0, 1e-6)
_NEAR = 0.25
"""So near (mm) its outline at least, the part is looked at."""
_LOOKS_UP = 1e-3
"""Cosine of the slope up to which a triangle looks up."""
_HIDDEN = 0.01
"""A place lies under something where a point dropped there stops so much (mm) higher."""


@dataclass(frozen=True)
class RimReach:
    """How low a cutter's tip goes while it touches the part near its outline: the height in the frame of the setup, and
    the place (3,) that it touches there."""

    tip: float
    place: tuple[float, float, float]


def finishing_corner(setup: Setup) -> float:
    """Largest corner radius (mm) among the finishing cutters of a setup; of all its cutters where none finishes."""
    worked = [item for item in setup.worked if item.role == "finish"] or list(setup.worked)
    return max((item.cutter.profile.corner for item in worked), default=0.0)


def _near_rim(mesh: Mesh, outline: shapely.Geometry, within: float) -> Bool:
    """(n,) which vertices lie within so much of the outline, on the plan."""
    rings = shapely.get_rings(shapely.get_parts(outline))
    places = shapely.get_coordinates(shapely.segmentize(rings, within / 2))
    away, _ = cKDTree(places).query(mesh.vertices[:, :2], distance_upper_bound=1.2 * within)
    near: Bool = np.isfinite(away)
    return near


def _rim_reach(index: SurfaceIndex, mesh: Mesh, outline: shapely.Geometry, corner: float) -> Result:
    """The lowest tip while the cutter touches what the setup sees near the part's outline."""
    near = _near_rim(mesh, outline, max(corner, _NEAR))
    faces = mesh.faces[near[mesh.faces].any(axis=1)]
    a, b, c = (mesh.vertices[faces[:, k]] for k in range(3))
    normal = np.cross(b - a, c - a)
    length = np.linalg.norm(normal, axis=1)
    # Normals of imported meshes may be flipped: what is visible from above faces up.
    up = np.abs(normal[:, 2]) / np.maximum(length, 1e-300)
    chosen = np.flatnonzero((length > 1e-12) & (up > _LOOKS_UP))
    a, b, c, up = a[chosen], b[chosen], c[chosen], up[chosen]
    middle: F64 = (a + b + c) / 3
    hidden = drop_points(index, np.ascontiguousarray(middle[:, :2]), _POINT, float(index.low[2]) - 1.0) - middle[:, 2]
    tips = np.minimum(np.minimum(a[:, 2], b[:, 2]), c[:, 2]) - corner * (1 - up)
    seen = np.flatnonzero(hidden < _HIDDEN)
    if not len(seen):
        return as_result({"tip": float(index.high[2]), "place": index.high.tolist()})
    k = int(seen[tips[seen].argmin()])
    return as_result({"tip": float(tips[k]), "place": middle[k].tolist()})


@dataclass(frozen=True, eq=False)
class RimStage(Kept[RimReach]):
    """Finds how low the tip of a cutter with that corner radius (mm) has to go beside the part."""

    name: ClassVar[str] = "overrun"
    version: ClassVar[int] = 2

    models: ModelsStage
    corner: float

    @classmethod
    def of(cls, plan: Plan, setup: Setup) -> "RimStage":
        """The stage for a setup of a plan, with its own finishing cutters."""
        return cls(ModelsStage.of(plan, setup), finishing_corner(setup))

    def compute(self, work: Resolver, report: Report) -> Result:
        """The tip, and the place that asks for it."""
        mesh = work.of(self.models).whole
        outline = shadow_of(work, self.models.plan, self.models.setup)
        return _rim_reach(build_index(mesh.vertices, mesh.faces), mesh, outline, self.corner)

    def read(self, result: Result, work: Resolver) -> RimReach:
        """The reach that was kept."""
        x, y, z = result.facts["place"]
        return RimReach(result.facts["tip"], (x, y, z))


def smallest_overrun(space: SetupSpace, work: Resolver) -> tuple[float, RimReach]:
    """The smallest overrun (mm) of a setup that leaves no skin and no ridge, and where the part asks for it.

    Beside an upright wall the ball leaves a fillet as high as its radius, and roughing leaves its stock to leave: both
    have to lie past the parting."""
    reach = work.of(RimStage.of(space.plan, space.setup))
    return overrun_for(space.plan, space.setup, reach.tip), reach


def overrun_for(plan: Plan, setup: Setup, tip: float) -> float:
    """The smallest overrun (mm) of a setup whose cutter's tip has to get down to the height `tip` beside the part."""
    leave = max((item.settings.figures.leave for item in setup.worked), default=0.0)
    parting = height_below_parting(plan, setup, 0.0)
    return max(finishing_corner(setup), leave, parting - tip)
