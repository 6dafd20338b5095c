"""How far each side has to cut past the parting, so that no skin and no ridge is left between two faces."""

from dataclasses import dataclass

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.cutters.profile import Profile
from nephos.core.mesh.model import Mesh
from nephos.core.pipeline.keys import models_key
from nephos.core.pipeline.space import SetupSpace, Work
from nephos.core.pipeline.standing import ground_height, shadow_of
from nephos.core.pipeline.store import Result, as_result, key_of
from nephos.core.plan.place import to_setup
from nephos.core.plan.schema import Setup
from nephos.core.surface.drop import drop_points
from nephos.core.surface.index import SurfaceIndex, build_index

_POINT = Profile.of(0.0, 1e-6)
_BATCH = 4000
"""Triangles looked at together, the lowest first."""
_MOST = 400_000
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
    worked = [item for item in setup.worked if item.strategy.startswith("finish")] or list(setup.worked)
    return max((item.cutter.profile.corner for item in worked), default=0.0)


def _rim_reach(index: SurfaceIndex, mesh: Mesh, outline: shapely.Geometry, corner: float) -> Result:
    """The lowest tip while the cutter touches what the setup sees near the part's outline, from below up."""
    a, b, c = (mesh.vertices[mesh.faces[:, k]] for k in range(3))
    normal = np.cross(b - a, c - a)
    length = np.linalg.norm(normal, axis=1)
    up = normal[:, 2] / np.maximum(length, 1e-300)
    faces = np.flatnonzero((length > 1e-12) & (up > 1e-3))
    lowest = np.minimum(np.minimum(a[faces, 2], b[faces, 2]), c[faces, 2])
    tips = lowest - corner * (1 - up[faces])
    order = np.argsort(tips)[:_MOST]
    rim = shapely.boundary(outline)
    shapely.prepare(rim)
    floor = float(index.low[2]) - 1.0
    for first in range(0, len(order), _BATCH):
        some = order[first : first + _BATCH]
        middle: F64 = np.ascontiguousarray((a[faces[some]] + b[faces[some]] + c[faces[some]]) / 3)
        seen = drop_points(index, np.ascontiguousarray(middle[:, :2]), _POINT, floor) - middle[:, 2] < _HIDDEN
        near = np.zeros(len(some), np.bool_)
        near[seen] = shapely.dwithin(rim, shapely.points(middle[seen, :2]), max(corner, 0.25))
        if near.any():
            k = int(np.flatnonzero(near)[0])
            return as_result({"tip": float(tips[some[k]]), "place": middle[k].tolist()})
    return as_result({"tip": float(index.high[2]), "place": index.high.tolist()})


def rim_reach(space: SetupSpace, work: Work, corner: float) -> RimReach:
    """How low the tip of a cutter with that corner radius has to go beside the part, seen from a setup."""
    models = models_key(space.plan, space.setup)
    kept = work.stage(
        key_of("overrun", models, corner),
        "overrun",
        lambda: _rim_reach(
            build_index(space.mesh.vertices, space.mesh.faces),
            space.mesh,
            shadow_of(work, models, (), space.mesh),
            corner,
        ),
    )
    return RimReach(kept.facts["tip"], tuple(kept.facts["place"]))


def smallest_overrun(space: SetupSpace, work: Work) -> tuple[float, RimReach]:
    """The smallest overrun (mm) of a setup that leaves no skin and no ridge, and where the part asks for it.

    Beside an upright wall the ball leaves a fillet as high as its radius, and roughing leaves its stock to leave: both
    have to lie past the parting."""
    setup = space.setup
    corner = finishing_corner(setup)
    reach = rim_reach(space, work, corner)
    leave = max((getattr(item.settings, "leave", 0.0) for item in setup.worked), default=0.0)
    parting = ground_height(space.plan, setup.model_copy(update={"overrun": 0.0}))
    return max(corner, leave, parting - reach.tip), reach


def parting_in_frame(space: SetupSpace, point: F64) -> float:
    """Height of a point (3,) of the stock in the frame of a setup."""
    return float((to_setup(space.plan.stock, space.setup) @ [*point, 1.0])[2])
