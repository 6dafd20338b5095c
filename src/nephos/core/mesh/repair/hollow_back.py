"""A back that follows the front at a wall thickness."""

from dataclasses import replace

import numpy as np
import shapely

from nephos.core.arrays import F64, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.registry import PartSettings, RepairKind, said_length, setting
from nephos.core.mesh.repair.solid import mesh_from, solid_from, upright
from nephos.core.surface.drop import drop_grid
from nephos.core.surface.index import build_index
from nephos.core.surface.nearest import distance_at
from nephos.core.surface.silhouette import silhouette

_CELLS = 500
"""Cells of the back along the longer side of the model."""
_BELOW = 0.05
"""The hollow begins so many wall thicknesses under the foot, so that no faces lie in one plane."""


_MEASURED = 4000
"""Places of the back at which the wall is measured, about."""


class HollowBack(PartSettings):
    """How thick the wall is, and the rim that stays."""

    wall: float = setting("Wall", 4.0, over=0, length="part", help="thickness, square to the surface")
    rim: float = setting(
        "Rim", 5.0, low=0, length="part", help="width of the level rim; 0 lets the back follow the front to the outline"
    )


def back_heights(mesh: Mesh, wall: float, x0: float, y0: float, step: float, nx: int, ny: int) -> F64:
    """(ny, nx) the highest back that keeps a wall below the front of a mesh, seen from above.

    It is the lower envelope of balls of radius `wall` about all of the front: where such a ball, dropped on the
    mirrored front, has its centre. Not a number where there is no front within the wall's reach."""
    front = build_index(mesh.vertices, mesh.faces)
    nowhere = float(front.low[2]) - 1e4
    seen = drop_grid(front, x0, y0, step, nx, ny, Profile.of(0.0, 1e-6), nowhere)
    del front
    under = np.where(seen > nowhere, seen, np.nan)
    sheet = _sheet(under, x0, y0, step)
    mirrored = build_index(sheet.vertices * [1.0, 1.0, -1.0], sheet.faces[:, ::-1])
    floor = float(mirrored.low[2]) - 1e4
    tips = drop_grid(mirrored, x0, y0, step, nx, ny, Profile.of(0.0, wall), floor)
    return np.where(tips > floor, -(tips + wall), np.nan)


def _sheet(heights: F64, x0: float, y0: float, step: float) -> Mesh:
    """The front as a sheet over the cells whose corners all lie on it."""
    ny, nx = heights.shape
    k = np.arange(nx * ny, dtype=np.int32).reshape(ny, nx)
    a, b, c, d = k[:-1, :-1], k[:-1, 1:], k[1:, 1:], k[1:, :-1]
    known = np.isfinite(heights)
    whole: Bool = known[:-1, :-1] & known[:-1, 1:] & known[1:, 1:] & known[1:, :-1]
    if not whole.any():
        raise Refused("there is no front to be seen from above: choose another side up")
    faces = np.concatenate([np.stack([a[whole], b[whole], c[whole]], 1), np.stack([a[whole], c[whole], d[whole]], 1)])
    px, py = np.meshgrid(x0 + step * np.arange(nx), y0 + step * np.arange(ny))
    used, inverse = np.unique(faces, return_inverse=True)
    points = np.stack([px, py, np.nan_to_num(heights)], -1).reshape(-1, 3)[used]
    return Mesh(points, np.ascontiguousarray(inverse.reshape(faces.shape), np.int32))


def _under(heights: F64, x0: float, y0: float, step: float, foot: float) -> Mesh:
    """A closed solid from under the foot up to heights over a whole grid."""
    ny, nx = heights.shape
    k = np.arange(nx * ny, dtype=np.int32).reshape(ny, nx)
    px, py = np.meshgrid(x0 + step * np.arange(nx), y0 + step * np.arange(ny))
    top = np.stack([px, py, heights], -1).reshape(-1, 3)
    low = top.copy()
    low[:, 2] = foot
    a, b, c, d = (q.ravel() for q in (k[:-1, :-1], k[:-1, 1:], k[1:, 1:], k[1:, :-1]))
    roof = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    n = np.int32(nx * ny)
    ring = np.concatenate([k[0, :-1], k[:-1, -1], k[-1, :0:-1], k[:0:-1, 0]])
    after = np.roll(ring, -1)
    walls = np.concatenate([np.stack([ring + n, after + n, after], 1), np.stack([ring + n, after, ring], 1)])
    return Mesh(np.concatenate([top, low]), np.concatenate([roof, roof[:, ::-1] + n, walls]).astype(np.int32))


def _apply(mesh: Mesh, settings: HollowBack) -> tuple[Mesh, str]:
    turn = upright(settings.normal)
    stood = replace(mesh, vertices=mesh.vertices @ turn.T)
    solid = solid_from(stood)
    low, high = stood.low, stood.high
    foot, wall = float(low[2]), settings.wall
    if wall >= float(high[2] - low[2]):
        raise Refused("the wall is thicker than the whole model: give less")
    step = float((high - low)[:2].max()) / _CELLS
    x0, y0 = float(low[0]) - 2 * step, float(low[1]) - 2 * step
    nx, ny = (int(np.ceil(span / step)) + 5 for span in (high - low)[:2])
    back = back_heights(stood, wall, x0, y0, step, nx, ny)
    under = foot - _BELOW * wall
    if settings.rim > 0:
        outline = silhouette(stood.vertices, stood.faces)
        inner = outline.buffer(-settings.rim)
        shapely.prepare(inner)
        px, py = np.meshgrid(x0 + step * np.arange(nx), y0 + step * np.arange(ny))
        back = np.where(shapely.intersects_xy(inner, px, py), back, under)
    heights = np.maximum(np.nan_to_num(back, nan=under), under)
    if (heights <= foot).all():
        raise Refused("there is nothing to hollow: the model is nowhere thicker than the wall within the rim")
    hollow = solid_from(_under(heights, x0, y0, step, under - wall))
    left = solid - hollow
    pieces = left.decompose()
    if not pieces:
        raise Refused("nothing would be left: give a thicker wall")
    largest = max(pieces, key=lambda piece: float(piece.volume()))
    done = mesh_from(largest, mesh)
    deep = heights > foot + 1e-9
    thinnest = _thinnest(stood, heights, deep, x0, y0, step, wall)
    done = replace(done, vertices=done.vertices @ turn)
    return done, f"its back hollowed to a wall of {said_length(wall)}; the thinnest place is {said_length(thinnest)}"


def _thinnest(mesh: Mesh, heights: F64, deep: Bool, x0: float, y0: float, step: float, wall: float) -> float:
    """The smallest distance from the back to the front, measured at places of the back."""
    j, i = np.nonzero(deep)
    every = max(1, len(j) // _MEASURED)
    places = np.column_stack([x0 + step * i, y0 + step * j, heights[j, i]])[::every]
    front = _front(mesh)
    grid = build_index(front.vertices, front.faces).arrays
    return min((float(distance_at(grid, *place, 2 * wall)) for place in places), default=wall)


def _front(mesh: Mesh) -> Mesh:
    """The faces that look up."""
    a, b, c = (mesh.vertices[mesh.faces[:, k]] for k in range(3))
    up = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    return replace(mesh, faces=mesh.faces[up > 0])


REPAIR = RepairKind(
    "hollow_back",
    "Hollow the back",
    "the back follows the front at a wall thickness, with a level rim",
    HollowBack,
    _apply,
)
