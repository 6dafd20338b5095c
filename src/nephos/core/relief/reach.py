"""What a cutter leaves of a whole composition: corners, narrow gaps and creases that it does not reach."""

from dataclasses import dataclass
from math import ceil, sqrt

import numpy as np
from scipy import ndimage

from nephos.core.arrays import F32, F64, I32
from nephos.core.cutters.profile import Profile
from nephos.core.mesh.model import Mesh
from nephos.core.parallel import in_parallel, kernel
from nephos.core.relief.section import makers_at
from nephos.core.relief.surface import Composed
from nephos.core.surface.drop import drop_grid
from nephos.core.surface.index import build_index

__all__ = ["LIMIT", "Reach", "reach_of"]

LIMIT = 0.05
"""What a cutter leaves up to this (mm) is no corner that it cannot reach."""
_TIP = Profile.of(0.0, 1e-3)
_ACROSS = 6
"""Places on the grid to a radius of the cutter, as far as there may be as many."""
_MOST = 800_000
_BAND = 32


@dataclass(frozen=True)
class Reach:
    """`left` (ny, nx) float32 is what the cutter leaves, upright in millimetres, on a grid of `step` mm whose first
    place is (`x0`, `y0`); at most `most`. More than :data:`LIMIT` is left on a `share` of the relief. The widest place
    where it is, is `wide` mm across, at `at` on the surface of layer `layer`."""

    x0: float
    y0: float
    step: float
    left: F32
    most: float
    share: float
    wide: float
    at: tuple[float, float]
    layer: int


@kernel
def _made(tips: F64, under: F64, first: int, out: F32) -> None:
    """The lowest that the cutter comes at each place of the rows from `first` on, into `out` (rows, nx): its `tips`
    (ny, nx) and the heights of its underside, `under` (2 k + 1, 2 k + 1), all in millimetres."""
    ny, nx = tips.shape
    wide = len(under) // 2
    for row in range(len(out)):
        j = first + row
        for i in range(nx):
            best = np.inf
            for b in range(max(j - wide, 0), min(j + wide, ny - 1) + 1):
                for a in range(max(i - wide, 0), min(i + wide, nx - 1) + 1):
                    height = tips[b, a] + under[b - j + wide, a - i + wide]
                    best = min(best, height)
            out[row, i] = best


def _underside(cutter: Profile, step: float) -> F64:
    """The underside of a cutter on a grid. It stands anywhere between the places that it is dropped at: so much nearer
    it may come to a wall, and nothing is called left that it does reach."""
    wide = ceil(cutter.radius / step) + 1
    away = step * np.hypot(*np.mgrid[-wide : wide + 1, -wide : wide + 1])
    return cutter.heights(np.maximum(away - step / sqrt(2), 0.0))


def reach_of(ready: Composed, mesh: Mesh, cutter: Profile) -> Reach:
    """What a cutter leaves of a composition, whose surface is `mesh`."""
    index = build_index(mesh.vertices, mesh.faces)
    size = mesh.high[:2] - mesh.low[:2]
    step = max(cutter.radius / _ACROSS, sqrt(float(size.prod()) / _MOST))
    # The cutter comes in from beside the relief.
    margin = cutter.radius + step
    x0, y0 = (float(v) - margin for v in mesh.low[:2])
    nx, ny = (int((float(v) + 2 * margin) / step) + 2 for v in size)
    tips = drop_grid(index, x0, y0, step, nx, ny, cutter, 0.0)
    height = drop_grid(index, x0, y0, step, nx, ny, _TIP, 0.0)
    left: F32 = np.empty((ny, nx), np.float32)
    under = _underside(cutter, step)
    in_parallel(lambda first, last: _made(tips, under, first, left[first:last]), ny, _BAND)
    left -= height.astype(np.float32)
    # Beside the relief, and on its outer walls, nothing is to be finished.
    relief = height > 0
    left[~relief | (left < 0)] = 0.0
    missed = left > LIMIT
    share = float(missed.sum() / max(int(relief.sum()), 1))
    away = step * ndimage.distance_transform_edt(missed)
    j, i = np.unravel_index(int(away.argmax()), away.shape)
    at = (x0 + int(i) * step, y0 + int(j) * step)
    layer: I32 = makers_at(ready, np.array([at]))[1]
    # From the middle of a place to the first that is reached it is half a step too far, on both sides.
    wide = max(2 * float(away[j, i]) - step, 0.0)
    return Reach(x0, y0, step, left, float(left.max()), share, wide, at, int(layer[0]))
