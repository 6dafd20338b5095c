"""A bar as links and entries see it: its rays on coarser grids, cut while passes are put in order."""

from math import atan2, ceil, cos, floor, pi, sin, sqrt

import numpy as np

from nephos.core.arrays import F32, F64
from nephos.core.cutters import Profile
from nephos.core.parallel import kernel
from nephos.core.polyline import densified
from nephos.core.stock.bar import cell_reach, coarser_bar, rays_of, whole_cells
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.rays import sweep_rays
from nephos.core.surface.contact import underside
from nephos.core.surface.rotary import TURN

_CELLS = 250_000
_EVERY = 0.5
"""So far apart (mm) a path is looked at, with a cutter larger by half of that."""


@kernel
def _rest_on_ray(hi: float, u: float, s: float, c: float, p: Profile) -> float:
    """Tip height at which cutter `p` rests on a ray of material up to `hi`, at u along the axis and an angle with sine
    s and cosine c from the cutter's; -inf beside it. It is the largest of a concave function along the ray."""
    r = p.radius
    if u >= r:
        return -np.inf
    end = hi
    if s > 1e-12:
        end = min(end, sqrt(r * r - u * u) / s)
    best = end * c - underside(min(sqrt(u * u + end * end * s * s), r), p)
    low, high = 0.0, end
    before = 0.999 * end
    if best >= before * c - underside(min(sqrt(u * u + before * before * s * s), r), p):
        return best
    # Golden sections: where the round falls off more steeply than the ray rises.
    for _ in range(24):
        a, b = high - 0.618 * (high - low), low + 0.618 * (high - low)
        fa = a * c - underside(min(sqrt(u * u + a * a * s * s), r), p)
        fb = b * c - underside(min(sqrt(u * u + b * b * s * s), r), p)
        best = max(best, fa, fb)
        if fa < fb:
            low = a
        else:
            high = b
    return best


@kernel
def _rests(
    top: F32,
    x0: float,
    pitch: float,
    step_a: float,
    radius: float,
    places: F64,
    p: Profile,
    half_u: float,
    half_a: float,
    out: F64,
) -> None:
    """Rest heights at places (n, 2 or more); each cell is looked at half_u and half_a nearer than its middle."""
    na, nx = top.shape
    r = p.radius
    for k in range(len(places)):
        x, a = places[k, 0], places[k, 1] / radius
        a -= TURN * floor(a / TURN)
        best = -np.inf
        i0 = max(int(ceil((x - r - half_u - x0) / pitch)), 0)
        i1 = min(int(floor((x + r + half_u - x0) / pitch)), nx - 1)
        home = int(np.round(a / step_a))
        side = 0
        while True:
            n = (side + 1) // 2 if side % 2 == 1 else -(side // 2)
            side += 1
            if abs(n) * step_a - half_a - step_a > min(atan2(r, max(best, 0.0)), 0.5 * pi):
                break
            phi = max(abs((home + n) * step_a - a) - half_a, 0.0)
            if phi >= 0.4999 * pi:
                continue
            c, s = cos(phi), sin(phi)
            q = ((home + n) % na + na) % na
            for i in range(i0, i1 + 1):
                if top[q, i] * c <= best or top[q, i] <= 0.0:
                    continue
                u = max(abs(x0 + i * pitch - x) - half_u, 0.0)
                best = max(best, _rest_on_ray(np.float64(top[q, i]), u, s, c, p))
        out[k] = best


class BarLinkBlock:
    """The same as :class:`~nephos.core.linking.link_block.LinkBlock` for a bar; places lie on its unrolled surface."""

    def __init__(self, block: Block, keep_up: bool) -> None:
        self.top, self.grid = coarser_bar(rays_of(block)[0], block.grid, _CELLS)
        # As coarse as the proof has it, or coarser: no rapid may be lower here than there.
        self.bound, self.bound_grid = coarser_bar(*whole_cells(block), _CELLS)
        self.uncut = float(self.bound.max())
        self._gaps = [np.zeros_like(field) for field in (self.top, self.top, self.bound, self.bound)]
        self._touched = [np.zeros(field.shape, np.int32) for field in (self.top, self.bound)]
        self._keep_up = keep_up

    def _rest(self, heights: F32, g: Grid, places: F64, cutter: Profile, whole: float) -> F64:
        out = np.empty(len(places))
        step = TURN / g.ny
        _rests(
            heights,
            g.x0,
            g.pitch,
            step,
            g.radius,
            np.ascontiguousarray(places[:, :2] - np.array([0.0, g.y0])),
            cutter,
            whole * g.pitch / 2,
            whole * step / 2,
            out,
        )
        return out

    def highest(self, a: F64, b: F64, radius: float) -> float:
        """From which tip height on a level cutter of `radius` clears the bar on the path a-b; -inf beside it."""
        return self._highest(self.top, self.grid, a, b, radius, 0.0)

    def highest_anywhere(self, a: F64, b: F64, radius: float) -> float:
        """As :meth:`highest`, over all of the cells."""
        return self._highest(self.bound, self.bound_grid, a, b, radius + _EVERY / 2, 1.0)

    def _highest(self, heights: F32, g: Grid, a: F64, b: F64, radius: float, whole: float) -> float:
        path = densified(np.array([[a[0], a[1], 0.0], [b[0], b[1], 0.0]]), _EVERY)
        return float(self._rest(heights, g, path, Profile.of(max(radius, 1e-3), 0.0), whole).max())

    def rests(self, places: F64, cutter: Profile, inset: float = 0.0) -> F64:
        """Tip heights (n,) at which a cutter over places (n, 2 or more) rests on the bar; -inf beside it.

        Its rim is looked at as if it were `inset` mm farther in.
        """
        return self._rest(
            self.top, self.grid, places, cutter.slimmer(min(inset, 0.9 * cutter.radius)) if inset > 0 else cutter, 0.0
        )

    def rests_anywhere(self, place: F64, cutter: Profile) -> float:
        """Tip height from which down a cutter at a place (2 or more) may meet material; -inf beside the bar."""
        return (
            float(self._rest(self.bound, self.bound_grid, place[None], cutter.grown(_EVERY / 2), 1.0)[0]) + _EVERY / 2
        )

    def cut(self, points: F64, cutter: Profile) -> None:
        """Take away what a pass cuts."""
        if not self._keep_up:
            return
        feeding = np.ones(len(points) - 1, np.uint8)
        a, b, c, d = self._gaps
        sweep_rays(self.top, a, b, self._touched[0], self.grid, points, feeding, 0, cutter, sag=0.02)
        small, lift = cutter.shrunk(min(cell_reach(self.bound_grid), 0.9 * cutter.radius))
        lifted = points + np.array([0.0, 0.0, lift])
        sweep_rays(self.bound, c, d, self._touched[1], self.bound_grid, lifted, feeding, 0, small, sag=0.02)
