"""Triangles on the plan, divided until the surface over them is within the tolerance of its true height.

Sides that are too far off are halved, or divided where they cross a crease, so that creases stay sharp. A side is
divided for both of its triangles: no gaps come up.
"""

import numpy as np

from nephos.core.arrays import F64, I32, I64, Bool
from nephos.core.errors import Refused
from nephos.core.relief.dividing import divided
from nephos.core.relief.sides import partners
from nephos.core.relief.stack import Stack
from nephos.core.relief.terrain import AFTER, NEXT, WELD, SurfaceReader, Terrain, any_side
from nephos.core.relief.triangles import SHORTEST, centres, folded, larger, middles

__all__ = ["ROUNDS", "refined"]

_SHARP = 1e-4
"""A crease is found to so much (mm) along a side."""
_INNER, _FINER = 0.5, 0.06
"""A triangle with a side longer than this (mm) is looked at in its middle too, and such a side at more places than its
middle; where creases may lie that no line follows, and triangles are folded, already from the second length on."""
_FOLD = 6.0
"""The corner beyond a side lies at least so many times what is allowed off a triangle's plane where there is a crease
(looked at closely everywhere instead, the tray of demo/composing.py gets 0.05 % more triangles)."""
_ASIDE = (0.23, 0.79)
"""The shares of such a side at which it is looked at besides its middle."""
_SLENDER = 1.5
ROUNDS = 40
_MOST = 6_000_000


def _corner_heights(surface: SurfaceReader, points: F64, triangles: I32, masks: np.ndarray) -> F64:
    """(m, 3) heights at the corners; places within one area are read once."""
    flat, of = triangles.ravel(), np.repeat(masks, 3)
    area = np.zeros(len(points), np.uint64)
    area[flat] = of
    several = np.zeros(len(points), bool)
    several[flat[area[flat] != of]] = True
    several[flat[(of & surface.steep) != 0]] = True
    once = surface.stack.solid(points, area)
    out = once[flat]
    some = np.flatnonzero(several[flat])
    kinds, kind = np.unique(of[some], return_inverse=True)
    careful = (of[some] & surface.steep) != 0
    key = np.where(careful, -1 - np.arange(len(some)), flat[some].astype(np.int64) * max(len(kinds), 1) + kind)
    _, first, back = np.unique(key, return_index=True, return_inverse=True)
    at = some[first]
    z = surface.at(points[flat[at]], of[at], points[triangles[at // 3]].mean(axis=1))
    out[some] = z[back]
    return out.reshape(-1, 3)


def _once(surface: SurfaceReader, other: I64, fresh: Bool, masks: np.ndarray) -> I64:
    """The sides of fresh triangles that are to be looked at: one of two where both triangles see the same."""
    sides = np.flatnonzero(np.repeat(fresh, 3))
    own, there = sides // 3, other[sides]
    beyond = there // 3
    same = (there >= 0) & fresh[beyond] & (masks[own] == masks[beyond]) & ((masks[own] & surface.steep) == 0)
    return sides[~same | (sides < there)]


def _crossing(
    surface: SurfaceReader, a: F64, b: F64, ha: F64, hb: F64, masks: np.ndarray, towards: F64, allowed: float
) -> F64:
    """Where along a-b (n, 2), whose ends are `ha` and `hb` high, the surface has a crease, as shares; 0.5 where none
    is found.

    A crease lies where the number of the surface changes, or where the tangents at both ends meet on the surface."""

    def read(share: F64, chosen: I64) -> tuple[F64, I64]:
        places = a[chosen] + share[:, None] * (b - a)[chosen]
        return surface.numbered(places, masks[chosen], towards[chosen])

    every = np.arange(len(a))
    near = np.full(len(a), 1e-3)
    (za, first), (zb, last) = read(near, every), read(1 - near, every)
    share = np.full(len(a), 0.5)
    down, up = (za - ha) / near, (hb - zb) / near
    meet = np.clip((hb - ha - up) / np.where(np.abs(down - up) < 1e-9, np.nan, down - up), 0.0, 1.0)
    bent = np.flatnonzero((meet > 0.004) & (meet < 0.996))
    if len(bent):
        z, _ = read(meet[bent], bent)
        sharp = np.abs(z - ha[bent] - down[bent] * meet[bent]) < 0.3 * allowed
        share[bent[sharp]] = meet[bent[sharp]]
    mixed = np.flatnonzero((first != last) & (share == 0.5))
    lo, hi, begin = near[mixed], 1 - near[mixed], first[mixed]
    length = np.hypot(*(b - a)[mixed].T)
    while len(wide := np.flatnonzero((hi - lo) * length > _SHARP)):
        middle = (lo[wide] + hi[wide]) / 2
        same = read(middle, mixed[wide])[1] == begin[wide]
        lo[wide], hi[wide] = np.where(same, middle, lo[wide]), np.where(same, hi[wide], middle)
    found = (lo + hi) / 2
    share[mixed] = np.where((found > 0.004) & (found < 0.996), found, 0.5)
    return share


def refined(
    stack: Stack,
    steep: np.uint64,
    creased: np.uint64,
    lined: np.uint64,
    points: F64,
    triangles: I32,
    masks: np.ndarray,
    tolerance: float,
    rounds: int = ROUNDS,
) -> Terrain:
    """Divide triangles until the composition's surface over them is within the tolerance, measured square to it.

    Parameters
    ----------
    stack : the layers. steep, creased, lined : bits of the layers with steps inside their area, with creases that no
    line follows, and of those all of whose creases are lines. points : (n, 2) float64. triangles :
    (m, 3) int32, turning left. masks : (m,) uint64. tolerance : millimetres. rounds : how often at most sides are
    divided; a few of them make a preview.

    Raises
    ------
    Refused
        Where more than six million triangles would be needed.
    """
    surface = SurfaceReader(stack, steep, creased, lined)
    terrain = Terrain(points, triangles, masks, _corner_heights(surface, points, triangles, masks))
    fresh = np.ones(len(triangles), bool)
    # Between the places that are looked at the error may be about twice as much.
    allowed = 0.44 * tolerance
    other = partners(triangles, len(points))
    for _ in range(rounds):
        marks = _to_split(surface, terrain, other, fresh, allowed) if fresh.any() else _no_marks()
        if len(marks[0]) == 0:
            marks = _bow_ties(terrain, other)
        if len(marks[0]) == 0:
            break
        terrain, other, fresh = divided(surface, terrain, other, *marks)
        if len(terrain.triangles) > _MOST:
            raise Refused("the composition needs more than six million triangles: give it a larger tolerance")
    return terrain


_Marks = tuple[I64, F64]
"""Sides that are to be divided, and where, as shares from their first point."""


def _no_marks() -> _Marks:
    return np.zeros(0, np.int64), np.zeros(0)


def _to_split(surface: SurfaceReader, terrain: Terrain, other: I64, fresh: Bool, allowed: float) -> _Marks:
    """The sides of fresh triangles that are too far off; those that are farther off come later."""
    points, triangles, masks = terrain.points, terrain.triangles, terrain.masks
    sides = _once(surface, other, fresh, masks)
    own, q = sides // 3, sides % 3
    middle, level, upright = np.empty((len(sides), 2)), np.empty(len(sides)), np.empty(len(sides))
    middles(points, triangles, terrain.heights, masks, other, sides, middle, level, upright)
    towards = points[triangles[own, q]] if surface.steep else middle
    z = surface.at(middle, masks[own], towards)
    off = np.abs(z - level) * upright
    _look_aside(surface, terrain, other, sides, towards, upright, off, allowed)
    at = np.flatnonzero(off > allowed)
    bad, corner = own[at], q[at]
    a, b = points[triangles[bad, NEXT[corner]]], points[triangles[bad, AFTER[corner]]]
    ha, hb = terrain.heights[bad, NEXT[corner]], terrain.heights[bad, AFTER[corner]]
    share = _crossing(surface, a, b, ha, hb, masks[bad], points[triangles[bad, corner]], allowed)
    order = np.argsort(off[at], kind="stable")
    found, where = sides[at][order], share[order]
    marked = np.zeros(len(other), bool)
    marked[found] = True
    marked[other[found][other[found] >= 0]] = True
    inner = np.flatnonzero(fresh & ~any_side(marked.reshape(-1, 3)))
    inner = inner[larger(points, triangles, inner, _hides_from(surface, terrain, other, inner, allowed))]
    inner = inner[_inside_off(surface, terrain, inner, 1.53 * allowed)]
    corners = points[triangles[inner]]
    across = np.hypot(*(corners[:, NEXT] - corners[:, AFTER]).transpose(2, 0, 1))
    longest = 3 * inner + across.argmax(axis=1)
    worth = across.max(axis=1) > SHORTEST if len(inner) else np.zeros(0, bool)
    more = np.concatenate([longest[worth], _slender(points, triangles, bad)])
    return np.concatenate([more, found]), np.concatenate([np.full(len(more), 0.5), where])


def _hides_from(surface: SurfaceReader, terrain: Terrain, other: I64, chosen: I64, allowed: float) -> F64:
    """(n,) the length (mm) from which the sides of chosen triangles may hide something."""
    masks = terrain.masks[chosen]
    least = np.full(len(chosen), _INNER)
    may = np.flatnonzero(((masks & surface.creased) != 0) & ((masks & surface.lined) == 0))
    bent = folded(terrain.points, terrain.triangles, terrain.heights, other, chosen[may], _FOLD * allowed)
    least[may[bent]] = _FINER
    return least


def _look_aside(
    surface: SurfaceReader,
    terrain: Terrain,
    other: I64,
    sides: I64,
    towards: F64,
    upright: F64,
    off: F64,
    allowed: float,
) -> None:
    """Raise `off` (n,) of long sides by what they are off at places beside their middle: a crease may pass right
    through the middle, or twice beside it."""
    points, triangles, heights = terrain.points, terrain.triangles, terrain.heights
    own, q = sides // 3, sides % 3
    first, last = triangles[own, NEXT[q]], triangles[own, AFTER[q]]
    way = np.abs(points[last] - points[first])
    far = np.maximum(way[:, 0], way[:, 1]) > _hides_from(surface, terrain, other, own, allowed)
    chosen = np.flatnonzero(far & (off <= allowed) & (upright > 0))
    own, q = own[chosen], q[chosen]
    a, b = points[first[chosen]], points[last[chosen]]
    ha, hb = heights[own, NEXT[q]], heights[own, AFTER[q]]
    for share in _ASIDE:
        z = surface.at(a + share * (b - a), terrain.masks[own], towards[chosen])
        off[chosen] = np.maximum(off[chosen], np.abs(z - ha - share * (hb - ha)) * upright[chosen])


def _slender(points: F64, triangles: I32, own: I64) -> I64:
    """The longest sides of those triangles (k,), rising, that are much longer than they are wide: dividing shorter
    sides alone would make them more slender still (Rivara, 1984)."""
    own = own[np.diff(own, prepend=-1) > 0]
    corners = points[triangles[own]]
    across = np.hypot(*(corners[:, NEXT] - corners[:, AFTER]).transpose(2, 0, 1))
    if len(own) == 0:
        return own
    chosen = across.max(axis=1) > _SLENDER * np.median(across, axis=1)
    sides: I64 = (3 * own + across.argmax(axis=1))[chosen]
    return sides


def _inside_off(surface: SurfaceReader, terrain: Terrain, chosen: I64, allowed: float) -> Bool:
    """Which of the chosen triangles are too far off at their middle."""
    middle, level, upright = np.empty((len(chosen), 2)), np.empty(len(chosen)), np.empty(len(chosen))
    centres(terrain.points, terrain.triangles, terrain.heights, chosen, middle, level, upright)
    z = surface.stack.solid(middle, terrain.masks[chosen])
    found: Bool = np.abs(z - level) * upright > allowed
    return found


def _bow_ties(terrain: Terrain, other: I64) -> _Marks:
    """Sides at walls of which the left is higher at one end and the right at the other, and where they cross."""
    left = np.flatnonzero(other > np.arange(len(other)))
    right = other[left]
    own, q = left // 3, left % 3
    beyond, r = right // 3, right % 3
    h = terrain.heights
    du = h[own, NEXT[q]] - h[beyond, AFTER[r]]
    dv = h[own, AFTER[q]] - h[beyond, NEXT[r]]
    at = np.flatnonzero((du * dv < 0) & (np.abs(du) > WELD) & (np.abs(dv) > WELD))
    return left[at], np.clip(du[at] / (du[at] - dv[at]), 0.01, 0.99)
