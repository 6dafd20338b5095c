"""The models of a face setup from above on a coarse grid, and how deep cutters get beside them."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, inf

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F64, Bool
from nephos.core.cutters import Cutter
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.boundary import Limit
from nephos.core.plan.model import Model
from nephos.core.plan.parting import ground_height
from nephos.core.plan.place import Placed
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup

_CELLS = 80
_SAMPLES = 24_000
_COPIES = 12
SLACK = 0.3
"""Resolution (mm) of depths that are estimated from the terrain."""
LEFT = 0.5
"""Stock (mm) that roughing leaves on walls."""
Shown = tuple[Model, Placed, MeshSummary]


@dataclass(frozen=True)
class Terrain:
    """The models from above on a coarse grid, in the setup's space: `heights` (ny, nx), -inf beside them, at x0 + i *
    step.

    `top` and `bottom` are the heights of the stock, `foot` the lowest that is cut, `ground` that beside the models.
    `border` (mm) is cut round the outline of a part of several faces.
    """

    heights: F64
    x0: float
    y0: float
    step: float
    top: float
    bottom: float
    foot: float
    ground: float
    border: float = 0.0

    @property
    def covered(self) -> Bool:
        """(ny, nx), where models stand."""
        found: Bool = np.isfinite(self.heights)
        return found

    def grown(self, mask: Bool, by: float) -> Bool:
        """All within `by` mm of what is in `mask`."""
        if by <= 0 or not mask.any():
            return mask
        near: Bool = ndimage.distance_transform_edt(~mask, sampling=self.step) <= by
        return near

    def disc(self, radius: float) -> Bool:
        """(k, k) cells within a radius (mm) of the middle one."""
        n = int(radius / self.step)
        y, x = np.mgrid[-n : n + 1, -n : n + 1]
        inside: Bool = x * x + y * y <= (radius / self.step) ** 2
        return inside

    def zone(self, limit: Limit, cutter: Cutter) -> Bool | None:
        """(ny, nx), where the axis of a cutter goes; none where only the drawn boundary tells."""
        by = limit.past(cutter.radius)
        if limit.boundary == "stock":
            return np.ones(self.heights.shape, np.bool_)
        if limit.boundary == "border":
            return self.grown(ndimage.binary_fill_holes(self.covered), self.border + by)
        if limit.boundary == "silhouette":
            return self.grown(self.covered, by)
        if limit.boundary == "box":
            rows, columns = np.flatnonzero(self.covered.any(axis=1)), np.flatnonzero(self.covered.any(axis=0))
            box = np.zeros(self.heights.shape, np.bool_)
            box[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1] = True
            return self.grown(box, by)
        return None

    def lowest_tip(
        self, cutter: Cutter, zone: Bool, level: float | None = None, wary: bool = False
    ) -> tuple[float, str]:
        """How low the tip of a cutter may go in a zone without shank or holder meeting model or stock, and which of
        them decides.

        All that the cutter reaches from the zone counts as cleared. -inf and nothing where neither meets anything.

        Parameters
        ----------
        level : the height that the tip goes to everywhere; none where it follows the model.
        wary : as if walls stood a cell nearer, for proposals: the grid does not show where in a cell they stand.
        """
        covered = np.where(self.covered, self.heights, self.ground)
        tips = (
            ndimage.maximum_filter(covered, footprint=self.disc(cutter.radius), mode="nearest")
            if level is None
            else np.full(zone.shape, level)
        )
        more = self.step if wary else 0.0
        cleared, rim = self.grown(zone, cutter.radius), self.grown(zone, 1.01 * self.step)
        beside = np.pad(~cleared, 1, constant_values=False)
        away = (
            ndimage.distance_transform_edt(~beside, sampling=self.step)[1:-1, 1:-1]
            if beside.any()
            else np.full(zone.shape, inf)
        )
        lowest, which = -inf, ""
        for name, radius, height in cutter.bodies:
            if name == "flutes":
                continue
            over = ndimage.maximum_filter(covered, footprint=self.disc(radius + more), mode="nearest") + LEFT
            over = np.where(away <= radius + more, np.maximum(over, self.top), over) - height
            # On the rim of the zone, which may run between cells, the tip is beside what it rests on within.
            meets = rim & (tips < over)
            if meets.any() and float(over[meets].max()) > lowest:
                lowest, which = float(over[meets].max()), name
        return lowest, which


def terrain_of(plan: Plan, setup: Setup, shown: Sequence[Shown]) -> Terrain | None:
    """The terrain of the shown models in a setup; none without models."""
    matrix = setup.frame(plan.stock).matrix
    low, high = np.zeros(3), setup.frame(plan.stock).high
    points = []
    for _, placed, look in shown:
        some = look.samples[:: max(1, len(look.samples) * min(len(placed.matrices), _COPIES) // _SAMPLES), :3].astype(
            np.float64
        )
        for own in placed.matrices[:: ceil(len(placed.matrices) / _COPIES)]:
            whole = matrix @ own
            points.append(some @ whole[:3, :3].T + whole[:3, 3])
    if not points:
        return None
    spots = np.concatenate(points)
    foot = max(
        float(min((matrix @ [0, 0, placed.low[2], 1])[2] for _, placed, _ in shown))
        if matrix[2, 2] > 0.9
        else float(spots[:, 2].min()),
        float(low[2]),
    )
    ground = foot
    if plan.faces is None:
        spots = spots[spots[:, 2] >= foot - SLACK]
    else:
        ground = ground_height(plan, setup)
    if not len(spots):
        return None
    step = float((high - low)[:2].max()) / _CELLS
    nx, ny = (np.ceil((high - low)[:2] / step).astype(int) + 1).tolist()
    i = np.clip(((spots[:, 0] - low[0]) / step).astype(int), 0, nx - 1)
    j = np.clip(((spots[:, 1] - low[1]) / step).astype(int), 0, ny - 1)
    heights = np.full((ny, nx), -inf)
    np.maximum.at(heights, (j, i), spots[:, 2])
    # Cells between samples belong to the models too.
    filled = ndimage.grey_closing(np.where(np.isfinite(heights), heights, foot - 1e3), size=(3, 3))
    heights = np.where(filled > foot - 1e2, np.maximum(heights, filled), -inf)
    if plan.faces is not None:
        foot = min(ground, float(heights[np.isfinite(heights)].min()))
    return Terrain(
        heights,
        float(low[0]) + step / 2,
        float(low[1]) + step / 2,
        step,
        float(high[2]),
        float(low[2]),
        foot,
        ground,
        0.0 if plan.faces is None else plan.faces.border,
    )
