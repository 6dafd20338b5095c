"""The block as a closed triangle mesh, for looking at elsewhere."""

import numpy as np

from nephos.core.arrays import F64, I32
from nephos.core.mesh.model import Mesh
from nephos.core.stock.block import Block

_MOST = 500_000


def block_mesh(block: Block) -> Mesh:
    """A closed mesh of the block: its top, its foot and a wall around, columns thinned to half a million."""
    factor = max(1, int(np.ceil((block.grid.nx * block.grid.ny / _MOST) ** 0.5)))
    top = block.top[::factor, ::factor].astype(np.float64)
    low = float(block.low[0].min())
    top = np.maximum(top, low + 1e-3)
    ny, nx = top.shape
    x = block.grid.xs[::factor]
    y = block.grid.ys[::factor]
    x[0] -= block.grid.pitch / 2
    y[0] -= block.grid.pitch / 2
    x[-1] = block.grid.xs[-1] + block.grid.pitch / 2
    y[-1] = block.grid.ys[-1] + block.grid.pitch / 2
    px, py = np.meshgrid(x, y)
    upper: F64 = np.stack([px, py, top], axis=-1).reshape(-1, 3)
    lower = upper.copy()
    lower[:, 2] = low
    k = np.arange(nx * ny, dtype=np.int32).reshape(ny, nx)
    a, b, c, d = (q.ravel() for q in (k[:-1, :-1], k[:-1, 1:], k[1:, 1:], k[1:, :-1]))
    roof = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    loop = np.concatenate([k[0, :-1], k[:-1, -1], k[-1, :0:-1], k[:0:-1, 0]])
    following = np.roll(loop, -1)
    shift = np.int32(nx * ny)
    wall = np.concatenate([
        np.stack([loop + shift, following + shift, following], 1), np.stack([loop + shift, following, loop], 1)
    ])
    faces: I32 = np.ascontiguousarray(np.concatenate([roof, roof[:, ::-1] + shift, wall]), np.int32)
    return Mesh(np.concatenate([upper, lower]), faces, "block")
