"""Coarse radius map of the models of a rotary setup, and the depths that cutters reach on it."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, cos, inf, pi, sin, sqrt

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F64, Bool
from nephos.core.cutters import Cutter
from nephos.core.findings.terrain import LEFT, Shown
from nephos.core.parallel import kernel
from nephos.core.plan.boundary import Limit
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.rotary import RotarySetup

_ROWS = 120
"""Cells to a turn."""
_COLUMNS = 120


@kernel
def _beside(radii: F64, step: float, reach: float, out: F64) -> None:
    """:meth:`BarTerrain.beside` of `radii` (rows, columns) into `out`, on columns `step` mm wide."""
    rows, columns = radii.shape
    turn, near = 2 * pi / rows, int(reach / step)
    least = radii.min()
    for j in range(rows):
        out[j] = -np.inf
    for k in range(-(rows // 4), rows // 4 + 1):
        c, s = cos(k * turn), sin(k * turn)
        if least * abs(s) > reach:
            continue
        for j in range(rows):
            row = radii[(j + k) % rows]
            for i in range(columns):
                aside = row[i] * s
                room = reach * reach - aside * aside
                if room < 0.0:
                    continue
                high, wide = row[i] * c, min(int(sqrt(room) / step), near)
                for q in range(max(i - wide, 0), min(i + wide, columns - 1) + 1):
                    out[j, q] = max(out[j, q], high)


@dataclass(frozen=True)
class BarTerrain:
    """Models about the axis of a bar: `radii` (rows, columns) of their outermost surface, mm, the core beside them; one
    row to an angle, one column to `step` mm along the bar from `x0`.

    `covered` (rows, columns) is where models are. `top` is the radius of the bar, `foot` that of the core. `thick` :
    whether the bar stays thick beside the left and right end.
    """

    radii: F64
    covered: Bool
    x0: float
    step: float
    top: float
    foot: float
    thick: tuple[bool, bool] = (False, False)

    @property
    def bottom(self) -> float:
        """Nothing is cut nearer to the axis than this (mm)."""
        return self.foot

    @property
    def thinnest(self) -> F64:
        """(columns,) smallest radius of the models at each place along the bar, mm; that of the core beside them."""
        least: F64 = self.radii.min(axis=0)
        return least

    @property
    def xs(self) -> F64:
        """(columns,) places along the bar, mm."""
        return self.x0 + np.arange(self.radii.shape[1], dtype=np.float64) * np.float64(self.step)

    def zone(self, limit: Limit, cutter: Cutter) -> Bool | None:
        """(rows, columns), where the axis of a cutter goes; none where only the drawn boundary tells."""
        if limit.boundary == "stock":
            return np.ones(self.radii.shape, np.bool_)
        if limit.boundary != "box":
            return None
        by = limit.past(cutter.radius)
        columns = self.xs[self.covered.any(axis=0)]
        low, high = (min(by, 0.0) if thick else by for thick in self.thick)
        along: Bool = (self.xs >= columns[0] - low) & (self.xs <= columns[-1] + high)
        return np.broadcast_to(along, self.radii.shape)

    def beside(self, radii: F64, reach: float) -> F64:
        """(rows, columns) largest height over the axis (mm) of the surface `radii` within `reach` mm of the cutter's
        axis.

        A point at radius p, turned by the angle a, is p sin(a) beside the cutter's axis and p cos(a) high."""
        found = np.empty(radii.shape)
        _beside(np.ascontiguousarray(radii), self.step, reach, found)
        return found

    def tips(self, cutter: Cutter) -> F64:
        """(rows, columns) how near to the axis the tip of a flat cutter gets."""
        tips: F64 = np.maximum(self.beside(self.radii, cutter.radius), self.foot)
        return tips

    def lowest_tip(
        self, cutter: Cutter, zone: Bool, level: float | None = None, wary: bool = False
    ) -> tuple[float, str]:
        """How near to the axis the tip of a cutter may go in a zone without shank or holder meeting model or stock, and
        which of them decides; -inf and nothing where neither meets anything.

        Parameters
        ----------
        level : the radius that the tip goes to everywhere; none where it follows the model.
        wary : as if walls stood a cell nearer, for proposals.
        """
        tips = self.tips(cutter) if level is None else np.full(zone.shape, level)
        along = ndimage.binary_dilation(zone.any(axis=0), iterations=ceil(cutter.radius / self.step))
        standing = np.where(along, self.radii + LEFT, self.top)
        lowest, which = -inf, ""
        for name, radius, height in cutter.bodies:
            if name == "flutes":
                continue
            over = self.beside(standing, radius + (self.step if wary else 0.0)) - height
            meets = zone & (tips < over)
            if meets.any() and float(over[meets].max()) > lowest:
                lowest, which = float(over[meets].max()), name
        return lowest, which


def bar_terrain(plan: Plan, setup: RotarySetup, shown: Sequence[Shown]) -> BarTerrain | None:
    """The terrain of the shown models about the axis of a rotary setup; none without models."""
    matrix = setup.frame(plan.stock).matrix
    points = [look.moved_samples(matrix @ own)[0] for _, placed, look in shown for own in placed.matrices]
    if not points:
        return None
    spots = np.concatenate(points)
    core, radius, length = setup.rotary.core / 2, plan.stock.bar_radius, plan.stock.length
    step = max(float(np.ptp(spots[:, 0])) / _COLUMNS, 0.1)
    columns = max(int(length / step), 1)
    i = np.clip((spots[:, 0] / step).astype(int), 0, columns - 1)
    j = (np.arctan2(spots[:, 1], spots[:, 2]) % (2 * pi) / (2 * pi) * _ROWS).astype(int) % _ROWS
    radii = np.full((_ROWS, columns), -1.0)
    np.maximum.at(radii, (j, i), np.hypot(spots[:, 1], spots[:, 2]))
    # Cells between samples belong to the models too.
    filled = ndimage.grey_closing(np.pad(radii, ((2, 2), (0, 0)), mode="wrap"), size=(3, 3))[2:-2]
    radii = np.maximum(radii, filled)
    covered = radii > 0
    thick = setup.rotary.left_thick
    return BarTerrain(np.maximum(radii, max(core, 0.1)), covered, step / 2, step, radius, core, thick)
