"""Triangles on the plan, divided until the surface over them is within the tolerance of its true height.

Sides that are too far off are halved, or divided where they cross a crease, so that creases stay sharp. A side is
divided for both of its triangles: no gaps come up.
"""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F64, I32, I64, U64, Bool
from nephos.core.errors import Refused
from nephos.core.parallel import kernel
from nephos.core.relief.sides import joined_again, partners
from nephos.core.relief.stack import Stack

__all__ = ["ROUNDS", "Terrain", "refined"]

WELD = 1e-4
"""Heights (mm) at one place that differ by less are one."""
_NUDGE = 5e-4
"""On steps heights are read so far (mm) inside the triangle."""
_STEP = 0.02
"""A difference (mm) over the nudge that makes a step."""
_SHORTEST = 0.004
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
_THINNEST = 1e-5
"""A triangle that is less wide (mm) is a line: its neighbours say where its sides are to be divided."""
_SLENDER = 1.5
ROUNDS = 40
_MOST = 6_000_000
_NEXT = np.array([1, 2, 0])
_AFTER = np.array([2, 0, 1])


@dataclass(frozen=True)
class Terrain:
    """Triangles with a height at each of their corners: two triangles at a wall have two heights at one point.

    `points` (n, 2) float64; `triangles` (m, 3) int32; `masks` (m,) uint64, the areas; `heights` (m, 3) float64."""

    points: F64
    triangles: I32
    masks: np.ndarray
    heights: F64


@dataclass(frozen=True)
class _Surface:
    """Reads heights of a stack at places that belong to triangles. `steep` are the bits of the layers with steps inside
    their area, `creased` of those with creases that no line follows, `lined` of those all of whose creases lines follow."""

    stack: Stack
    steep: np.uint64
    creased: np.uint64
    lined: np.uint64

    def hides_from(self, terrain: "Terrain", other: I64, chosen: I64, allowed: float) -> F64:
        """(n,) the length (mm) from which the sides of chosen triangles may hide something."""
        masks = terrain.masks[chosen]
        least = np.full(len(chosen), _INNER)
        may = np.flatnonzero(((masks & self.creased) != 0) & ((masks & self.lined) == 0))
        bent = _folded(terrain.points, terrain.triangles, terrain.heights, other, chosen[may], _FOLD * allowed)
        least[may[bent]] = _FINER
        return least

    def at(self, xy: F64, masks: np.ndarray, towards: F64) -> F64:
        """Heights at places; on steps, those on the side of `towards` (n, 2)."""
        z = self.stack.solid(xy, masks)
        careful = np.flatnonzero(masks & self.steep)
        if len(careful):
            beside = self.stack.solid(_beside(xy, towards, careful), masks[careful])
            step = np.abs(beside - z[careful]) > _STEP
            z[careful[step]] = beside[step]
        return z

    def numbered(self, xy: F64, masks: np.ndarray, towards: F64) -> tuple[F64, I64]:
        """As :meth:`at`, with the numbers of the smooth parts."""
        z, code = self.stack.numbered(xy, masks)
        careful = np.flatnonzero(masks & self.steep)
        if len(careful):
            beside, other = self.stack.numbered(_beside(xy, towards, careful), masks[careful])
            step = np.abs(beside - z[careful]) > _STEP
            z[careful[step]], code[careful[step]] = beside[step], other[step]
        return z, code


def _beside(xy: F64, towards: F64, chosen: I64) -> F64:
    """The chosen places, a hair nearer to others."""
    way = towards[chosen] - xy[chosen]
    length = np.maximum(np.hypot(*way.T), 1e-12)
    near: F64 = xy[chosen] + way * (np.minimum(_NUDGE, 0.2 * length) / length)[:, None]
    return near


def _corner_heights(surface: _Surface, points: F64, triangles: I32, masks: np.ndarray) -> F64:
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


def _once(surface: _Surface, other: I64, fresh: Bool, masks: np.ndarray) -> I64:
    """The sides of fresh triangles that are to be looked at: one of two where both triangles see the same."""
    sides = np.flatnonzero(np.repeat(fresh, 3))
    own, there = sides // 3, other[sides]
    beyond = there // 3
    same = (there >= 0) & fresh[beyond] & (masks[own] == masks[beyond]) & ((masks[own] & surface.steep) == 0)
    return sides[~same | (sides < there)]


def _crossing(
    surface: _Surface, a: F64, b: F64, ha: F64, hb: F64, masks: np.ndarray, towards: F64, allowed: float
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
    surface = _Surface(stack, steep, creased, lined)
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
        terrain, other, fresh = _split(surface, terrain, other, *marks)
        if len(terrain.triangles) > _MOST:
            raise Refused("the composition needs more than six million triangles: give it a larger tolerance")
    return terrain


_Marks = tuple[I64, F64]
"""Sides that are to be divided, and where, as shares from their first point."""


def _no_marks() -> _Marks:
    return np.zeros(0, np.int64), np.zeros(0)


@kernel
def _upright(points: F64, triangles: I32, heights: F64, side: int) -> float:
    """What an error in height on a side counts for square to its triangle: nothing where the side is too short to be
    divided, or the triangle but a line."""
    t, k = side // 3, side % 3
    i, j = (k + 1) % 3, (k + 2) % 3
    a, b, c = triangles[t, i], triangles[t, j], triangles[t, k]
    ex, ey = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1]
    fx, fy = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1]
    de, df = heights[t, j] - heights[t, i], heights[t, k] - heights[t, i]
    area, length = ex * fy - ey * fx, np.sqrt(ex * ex + ey * ey)
    if length <= _SHORTEST or area <= _THINNEST * length:
        return 0.0
    gx, gy = (de * fy - df * ey) / area, (df * ex - de * fx) / area
    return 1 / np.sqrt(1 + gx * gx + gy * gy)


@kernel
def _middles(
    points: F64,
    triangles: I32,
    heights: F64,
    masks: U64,
    other: I64,
    sides: I64,
    middle: F64,
    level: F64,
    upright: F64,
) -> None:
    """The middle of sides (n,), the mean height of their ends, and what an error in height counts for square to the
    triangle beside it that is less steep: a sliver may stand upright on a gentle surface. `other` (3 m,) is the side
    beyond each."""
    for s in range(len(sides)):
        t, k = sides[s] // 3, sides[s] % 3
        i, j = (k + 1) % 3, (k + 2) % 3
        a, b = triangles[t, i], triangles[t, j]
        middle[s, 0] = 0.5 * (points[a, 0] + points[b, 0])
        middle[s, 1] = 0.5 * (points[a, 1] + points[b, 1])
        level[s] = 0.5 * (heights[t, i] + heights[t, j])
        upright[s] = _upright(points, triangles, heights, sides[s])
        if other[sides[s]] >= 0 and masks[other[sides[s]] // 3] == masks[t]:
            upright[s] = max(upright[s], _upright(points, triangles, heights, other[sides[s]]))


@kernel
def _folded(points: F64, triangles: I32, heights: F64, other: I64, chosen: I64, least: float) -> Bool:
    """Which of the chosen triangles (n,) have a neighbour whose far corner lies more than `least` mm off their plane, or
    are but lines: a crease passes near them."""
    out = np.zeros(len(chosen), np.bool_)
    for s in range(len(chosen)):
        t = chosen[s]
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ex, ey = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1]
        fx, fy = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1]
        de, df = heights[t, 1] - heights[t, 0], heights[t, 2] - heights[t, 0]
        area = ex * fy - ey * fx
        if area <= _THINNEST * (abs(ex) + abs(ey)):
            out[s] = True
            continue
        gx, gy = (de * fy - df * ey) / area, (df * ex - de * fx) / area
        limit = least * np.sqrt(1 + gx * gx + gy * gy)
        for k in range(3):
            beyond = other[3 * t + k]
            if beyond < 0:
                continue
            p = triangles[beyond // 3, beyond % 3]
            plane = heights[t, 0] + gx * (points[p, 0] - points[a, 0]) + gy * (points[p, 1] - points[a, 1])
            if abs(heights[beyond // 3, beyond % 3] - plane) > limit:
                out[s] = True
    return out


@kernel
def _larger(points: F64, triangles: I32, chosen: I64, length: F64) -> Bool:
    """Which of the chosen triangles (n,) have a side longer than their `length` (n,), mm."""
    out = np.zeros(len(chosen), np.bool_)
    for s in range(len(chosen)):
        t = chosen[s]
        for k in range(3):
            a, b = triangles[t, k], triangles[t, (k + 1) % 3]
            dx, dy = points[a, 0] - points[b, 0], points[a, 1] - points[b, 1]
            if dx * dx + dy * dy > length[s] * length[s]:
                out[s] = True
    return out


@kernel
def _centres(points: F64, triangles: I32, heights: F64, chosen: I64, middle: F64, level: F64, upright: F64) -> None:
    """As `_middles`, for the middles of triangles."""
    for s in range(len(chosen)):
        t = chosen[s]
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ex, ey = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1]
        fx, fy = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1]
        de, df = heights[t, 1] - heights[t, 0], heights[t, 2] - heights[t, 0]
        area = max(ex * fy - ey * fx, 1e-12)
        middle[s, 0], middle[s, 1] = points[a, 0] + (ex + fx) / 3, points[a, 1] + (ey + fy) / 3
        level[s] = heights[t, 0] + (de + df) / 3
        gx, gy = (de * fy - df * ey) / area, (df * ex - de * fx) / area
        upright[s] = 1 / np.sqrt(1 + gx * gx + gy * gy)


def _to_split(surface: _Surface, terrain: Terrain, other: I64, fresh: Bool, allowed: float) -> _Marks:
    """The sides of fresh triangles that are too far off; those that are farther off come later."""
    points, triangles, masks = terrain.points, terrain.triangles, terrain.masks
    sides = _once(surface, other, fresh, masks)
    own, q = sides // 3, sides % 3
    middle, level, upright = np.empty((len(sides), 2)), np.empty(len(sides)), np.empty(len(sides))
    _middles(points, triangles, terrain.heights, masks, other, sides, middle, level, upright)
    towards = points[triangles[own, q]] if surface.steep else middle
    z = surface.at(middle, masks[own], towards)
    off = np.abs(z - level) * upright
    _look_aside(surface, terrain, other, sides, towards, upright, off, allowed)
    at = np.flatnonzero(off > allowed)
    bad, corner = own[at], q[at]
    a, b = points[triangles[bad, _NEXT[corner]]], points[triangles[bad, _AFTER[corner]]]
    ha, hb = terrain.heights[bad, _NEXT[corner]], terrain.heights[bad, _AFTER[corner]]
    share = _crossing(surface, a, b, ha, hb, masks[bad], points[triangles[bad, corner]], allowed)
    order = np.argsort(off[at], kind="stable")
    found, where = sides[at][order], share[order]
    marked = np.zeros(len(other), bool)
    marked[found] = True
    marked[other[found][other[found] >= 0]] = True
    inner = np.flatnonzero(fresh & ~_any_side(marked.reshape(-1, 3)))
    inner = inner[_larger(points, triangles, inner, surface.hides_from(terrain, other, inner, allowed))]
    inner = inner[_inside_off(surface, terrain, inner, 1.53 * allowed)]
    corners = points[triangles[inner]]
    across = np.hypot(*(corners[:, _NEXT] - corners[:, _AFTER]).transpose(2, 0, 1))
    longest = 3 * inner + across.argmax(axis=1)
    worth = across.max(axis=1) > _SHORTEST if len(inner) else np.zeros(0, bool)
    more = np.concatenate([longest[worth], _slender(points, triangles, bad)])
    return np.concatenate([more, found]), np.concatenate([np.full(len(more), 0.5), where])


def _look_aside(
    surface: _Surface,
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
    first, last = triangles[own, _NEXT[q]], triangles[own, _AFTER[q]]
    way = np.abs(points[last] - points[first])
    far = np.maximum(way[:, 0], way[:, 1]) > surface.hides_from(terrain, other, own, allowed)
    chosen = np.flatnonzero(far & (off <= allowed) & (upright > 0))
    own, q = own[chosen], q[chosen]
    a, b = points[first[chosen]], points[last[chosen]]
    ha, hb = heights[own, _NEXT[q]], heights[own, _AFTER[q]]
    for share in _ASIDE:
        z = surface.at(a + share * (b - a), terrain.masks[own], towards[chosen])
        off[chosen] = np.maximum(off[chosen], np.abs(z - ha - share * (hb - ha)) * upright[chosen])


def _slender(points: F64, triangles: I32, own: I64) -> I64:
    """The longest sides of those triangles (k,), rising, that are much longer than they are wide: dividing shorter sides
    alone would make them more slender still (Rivara, 1984)."""
    own = own[np.diff(own, prepend=-1) > 0]
    corners = points[triangles[own]]
    across = np.hypot(*(corners[:, _NEXT] - corners[:, _AFTER]).transpose(2, 0, 1))
    if len(own) == 0:
        return own
    chosen = across.max(axis=1) > _SLENDER * np.median(across, axis=1)
    sides: I64 = (3 * own + across.argmax(axis=1))[chosen]
    return sides


def _any_side(marked: Bool) -> Bool:
    """(m,) which triangles have a marked side, of (m, 3): faster than to reduce short rows."""
    found: Bool = marked[:, 0] | marked[:, 1] | marked[:, 2]
    return found


def _inside_off(surface: _Surface, terrain: Terrain, chosen: I64, allowed: float) -> Bool:
    """Which of the chosen triangles are too far off at their middle."""
    middle, level, upright = np.empty((len(chosen), 2)), np.empty(len(chosen)), np.empty(len(chosen))
    _centres(terrain.points, terrain.triangles, terrain.heights, chosen, middle, level, upright)
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
    du = h[own, _NEXT[q]] - h[beyond, _AFTER[r]]
    dv = h[own, _AFTER[q]] - h[beyond, _NEXT[r]]
    at = np.flatnonzero((du * dv < 0) & (np.abs(du) > WELD) & (np.abs(dv) > WELD))
    return left[at], np.clip(du[at] / (du[at] - dv[at]), 0.01, 0.99)


def _split(surface: _Surface, terrain: Terrain, other: I64, sides: I64, shares: F64) -> tuple[Terrain, I64, Bool]:
    """Divide the marked sides, and the triangles at them; returns also the partners of all sides and which triangles
    are new. Of two marks on one side the later one holds."""
    points, triangles, masks, heights = terrain.points, terrain.triangles, terrain.masks, terrain.heights
    count = len(points)
    there = other[sides]
    mate = (there >= 0) & (there < sides)
    name = np.where(mate, there, sides)
    share = np.full(len(other), np.nan)
    share[name] = np.where(mate, 1 - shares, shares)
    split = np.flatnonzero(~np.isnan(share))
    own, q = split // 3, split % 3
    a, b = points[triangles[own, _NEXT[q]]], points[triangles[own, _AFTER[q]]]
    points = np.concatenate([points, a + share[split][:, None] * (b - a)])
    flat = np.full(len(other), -1, np.int64)
    flat[split] = count + np.arange(len(split))
    mates = other[split]
    flat[mates[mates >= 0]] = flat[split[mates >= 0]]
    new = flat.reshape(-1, 3)
    touched = np.flatnonzero(_any_side(new >= 0))
    t, w, m, h = triangles[touched], new[touched], masks[touched], heights[touched]
    # Heights at the new points, as each triangle sees them.
    wanted = np.flatnonzero(w.ravel() >= 0)
    at = w.ravel()[wanted]
    z = surface.at(points[at], m[wanted // 3], points[t.ravel()[wanted]])
    hw = np.zeros(w.shape)
    hw.reshape(-1)[wanted] = z
    pattern = _pattern(w)
    parts, of, firsts = [], [], []
    for marks in range(1, 8):
        row = np.flatnonzero(pattern == marks)
        corner, height, source = _divided(t[row], w[row], h[row], hw[row], marks, points)
        parts.append((corner, height))
        of.append(row[source])
        firsts.append(np.arange(len(source)) < len(row))
    source = np.concatenate(of)
    corner = np.concatenate([corner for corner, _ in parts]).astype(np.int32)
    height = np.concatenate([height for _, height in parts])
    # The first part of a triangle takes its number, so that all others keep theirs.
    first = np.concatenate(firsts)
    rest = ~first
    number = np.empty(len(source), np.int64)
    number[first] = touched[source[first]]
    number[rest] = len(triangles) + np.arange(int(rest.sum()))
    grown = len(triangles) + int(rest.sum())
    out = Terrain(
        points,
        np.concatenate([triangles, np.empty((grown - len(triangles), 3), np.int32)]),
        np.concatenate([masks, m[source[rest]]]),
        np.concatenate([heights, np.empty((grown - len(triangles), 3))]),
    )
    out.triangles[number], out.heights[number] = corner, height
    changed = np.zeros(grown, bool)
    changed[number] = True
    met = other.reshape(-1, 3)[touched].ravel()
    met = met[(met >= 0) & ~changed[met // 3]]
    return out, joined_again(other, out.triangles, number, met), changed


def _pattern(w: I64) -> I64:
    """Which sides of each triangle are divided, as bits."""
    marked: Bool = w >= 0
    return marked @ np.array([1, 2, 4])


def _divided(t: I32, w: I64, h: F64, hw: F64, marks: int, points: F64) -> tuple[I32, F64, I64]:
    """Triangles with one pattern, divided: corners, heights, and which of them each comes from, the first parts of all
    before the others."""
    n = len(t)
    every = np.arange(n)

    def take(*names: tuple[str, int]) -> tuple[I32, F64]:
        corner = np.stack([t[:, k] if kind == "t" else w[:, k] for kind, k in names], 1)
        height = np.stack([h[:, k] if kind == "t" else hw[:, k] for kind, k in names], 1)
        return corner.astype(np.int32), height

    bits = [k for k in range(3) if marks >> k & 1]
    if len(bits) == 1:
        k = bits[0]
        a, b = (k + 1) % 3, (k + 2) % 3
        pieces = [take(("t", k), ("t", a), ("w", k)), take(("t", k), ("w", k), ("t", b))]
        of = [every, every]
    elif len(bits) == 3:
        pieces = [
            take(("t", 0), ("w", 2), ("w", 1)),
            take(("t", 1), ("w", 0), ("w", 2)),
            take(("t", 2), ("w", 1), ("w", 0)),
            take(("w", 0), ("w", 1), ("w", 2)),
        ]
        of = [every] * 4
    else:
        k = ({0, 1, 2} - set(bits)).pop()
        # The sides over a and b are divided: they meet at corner k.
        a, b = (k + 1) % 3, (k + 2) % 3
        tip = take(("t", k), ("w", b), ("w", a))
        one = points[w[:, b]] - points[t[:, b]]
        two = points[w[:, a]] - points[t[:, a]]
        first = np.hypot(*one.T) <= np.hypot(*two.T)
        way1 = [take(("w", b), ("t", a), ("t", b)), take(("w", b), ("t", b), ("w", a))]
        way2 = [take(("w", b), ("t", a), ("w", a)), take(("w", a), ("t", a), ("t", b))]
        pieces, of = [tip], [every]
        for chosen, way in ((first, way1), (~first, way2)):
            pieces += [(corner[chosen], z[chosen]) for corner, z in way]
            of += [every[chosen]] * 2
    return (
        np.concatenate([corner for corner, _ in pieces]),
        np.concatenate([z for _, z in pieces]),
        np.concatenate(of) if n else np.zeros(0, np.int64),
    )
