"""Which sides of a part of four faces are worth a setup: the front and the back of a flat part have little to cut."""

from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np

from nephos.core.arrays import F64, Bool
from nephos.core.findings.terrain import Shown, terrain_of
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.setups.setup import Setup

_SIDES: tuple[Literal["top", "bottom", "front", "back"], ...] = ("top", "bottom", "front", "back")
LEAST_SHARE = 0.03
"""Share of the surface that a side has to finish better than the top and the underside do."""
_STEEP = 70.0
"""Slope (degrees) from which the top and the underside finish a surface badly: its lines lie far apart there."""
_SEEN = 75.0
"""Slope (degrees) up to which the front or the back finishes it well."""
_CELLS = 2.0
"""Error of the terrain along a slope, in its cells."""


class _View(NamedTuple):
    """Samples of the models as one side sees them: `seen` (n,), those that nothing hides, and their `slopes` (n,) in
    degrees from level."""

    seen: Bool
    slopes: F64


def _view(plan: Plan, setup: Setup, shown: Sequence[Shown]) -> _View:
    matrix = setup.frame(plan.stock).matrix
    moved = [look.moved_samples(matrix @ own) for _, placed, look in shown for own in placed.matrices]
    points, normals = (np.concatenate(parts) for parts in zip(*moved, strict=True))
    slopes = np.degrees(np.arccos(np.clip(normals[:, 2], -1.0, 1.0)))
    terrain = terrain_of(plan, setup, shown)
    if terrain is None:
        return _View(np.zeros(len(points), np.bool_), slopes)
    ny, nx = terrain.heights.shape
    i = np.clip(np.rint((points[:, 0] - terrain.x0) / terrain.step).astype(int), 0, nx - 1)
    j = np.clip(np.rint((points[:, 1] - terrain.y0) / terrain.step).astype(int), 0, ny - 1)
    rise = np.tan(np.radians(np.clip(slopes, 15.0, _SEEN)))
    seen = (slopes < 87.0) & (points[:, 2] >= terrain.heights[j, i] - _CELLS * terrain.step * rise)
    return _View(seen, slopes)


def own_shares(plan: Plan, shown: Sequence[Shown]) -> dict[str, float]:
    """Share of the surface that the front, and the back, see at less than 75°, while top and underside see it at 70° or
    more, or not at all; by side.

    From samples of the surface, on a coarse terrain: within a few hundredths."""
    bare = plan.model_copy(update={"faces": None})
    views = {side: _view(bare, FaceSetup(id=side, name=side, side=side), shown) for side in _SIDES}
    done = np.any([views[side].seen & (views[side].slopes < _STEEP) for side in ("top", "bottom")], axis=0)
    return {side: float((views[side].seen & (views[side].slopes < _SEEN) & ~done).mean()) for side in ("front", "back")}


def needs_front_and_back(plan: Plan, shown: Sequence[Shown]) -> bool:
    """Whether the front and the back of the models have enough surface of their own for a setup each.

    Where they have not, these setups would go through air nearly all the time: two faces do."""
    return max(own_shares(plan, shown).values()) >= LEAST_SHARE
