"""The block after all setups as one solid: the stock, less what each side has cut, each as finely as it was cut."""

from dataclasses import dataclass

import manifold3d
import numpy as np

from nephos.core.arrays import F32, F64
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.stock.bar import bar_mesh
from nephos.core.stock.columns import CutSide
from nephos.core.stock.passed_on import CutBar, Side

CELLS = 250_000
"""Columns of each side at most, in the solid."""
_LEAST = 1.0
"""Pieces of less volume (mm^3) are dust."""


@dataclass(frozen=True)
class Solid:
    """A connected piece of the finished block: its `mesh` in stock space, `volume` in mm^3, and the corners of its
    box."""

    mesh: Mesh
    volume: float
    low: tuple[float, float, float]
    high: tuple[float, float, float]


def _under(side: CutSide, size: F64) -> Mesh:
    """What a side has left: from under the stock up to its field, over the stock of `size` (3,) in its frame."""
    factor = max(1, int(np.ceil((side.grid.nx * side.grid.ny / CELLS) ** 0.5)))
    field: F32 = side.field[::factor, ::factor]
    x, y = side.grid.xs[::factor].copy(), side.grid.ys[::factor].copy()
    x[0], x[-1], y[0], y[-1] = -1.0, size[0] + 1.0, -1.0, size[1] + 1.0
    # What was not cut ends over the stock, so that no two faces lie in one plane.
    heights = np.where(field >= size[2] - 1e-4, size[2] + 1.0, field).astype(np.float64)
    ny, nx = heights.shape
    px, py = np.meshgrid(x, y)
    top = np.stack([px, py, heights], axis=-1).reshape(-1, 3)
    k = np.arange(nx * ny, dtype=np.int32).reshape(ny, nx)
    a, b, c, d = (q.ravel() for q in (k[:-1, :-1], k[:-1, 1:], k[1:, 1:], k[1:, :-1]))
    roof = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    ring = np.concatenate([k[0, :-1], k[:-1, -1], k[-1, :0:-1], k[:0:-1, 0]])
    after = np.roll(ring, -1)
    n = len(top)
    foot = np.arange(len(ring), dtype=np.int32) + n
    foot_after = np.roll(foot, -1)
    walls = np.concatenate([np.stack([foot, foot_after, after], 1), np.stack([foot, after, ring], 1)])
    fan = np.stack([np.full(len(ring) - 2, foot[0]), foot[2:], foot[1:-1]], 1)
    under = top[ring].copy()
    under[:, 2] = -1.0
    return Mesh(np.concatenate([top, under]), np.concatenate([roof, walls, fan]).astype(np.int32))


def _manifold(mesh: Mesh) -> manifold3d.Manifold:
    return manifold3d.Manifold(
        manifold3d.Mesh64(
            vert_properties=np.ascontiguousarray(mesh.vertices, np.float64),
            tri_verts=np.ascontiguousarray(mesh.faces, np.uint64),
        )
    )


def _mesh_of(solid: manifold3d.Manifold) -> Mesh:
    found = solid.to_mesh64()
    vertices: F64 = np.asarray(found.vert_properties, np.float64)[:, :3]
    return Mesh(vertices, np.asarray(found.tri_verts).astype(np.int32), "block")


def whole_block(stock: Mesh, sides: tuple[Side, ...]) -> tuple[Solid, ...]:
    """The connected pieces of the block after all setups, the largest first, in stock space.

    Parameters
    ----------
    stock : the closed mesh of the stock before the first cut.
    sides : what each setup has cut.

    Raises
    ------
    Refused
        Where nothing is left.
    """
    solid = _manifold(stock)
    for side in sides:
        inverse: F64 = np.asarray(np.linalg.inv(side.matrix), np.float64)
        if isinstance(side, CutBar):
            solid = solid ^ _manifold(bar_mesh(side.block).moved(inverse))
            solid.num_tri()
            continue
        corners = stock.vertices @ side.matrix[:3, :3].T + side.matrix[:3, 3]
        solid = solid ^ _manifold(_under(side, corners.max(axis=0)).moved(inverse))
        # Asked for its size, it is worked out now: put off, all sides are intersected at once, which takes far longer.
        solid.num_tri()
    pieces = []
    for piece in solid.decompose():
        volume = float(piece.volume())
        if volume < _LEAST:
            continue
        x0, y0, z0, x1, y1, z1 = (float(v) for v in piece.bounding_box())
        pieces.append(Solid(_mesh_of(piece), volume, (x0, y0, z0), (x1, y1, z1)))
    if not pieces:
        raise Refused("nothing is left of the block")
    return tuple(sorted(pieces, key=lambda item: -item.volume))
