"""The block as a closed triangle mesh, for looking at elsewhere."""

import numpy as np

from nephos.core.arrays import F64, I32, Bool
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.stock.block import Block

_MOST = 500_000


def _whole_cells(filled: Bool) -> Bool:
    """Cells between four filled columns, without those that touch only at a corner, where a mesh could not be
    closed."""
    cells: Bool = filled[:-1, :-1] & filled[:-1, 1:] & filled[1:, 1:] & filled[1:, :-1]
    while True:
        a, b, c, d = cells[:-1, :-1], cells[:-1, 1:], cells[1:, 1:], cells[1:, :-1]
        one, two = a & c & ~b & ~d, b & d & ~a & ~c
        if not (one.any() or two.any()):
            return cells
        cells = cells.copy()
        cells[:-1, :-1] &= ~one
        cells[:-1, 1:] &= ~two


def _walls(cells: Bool, k: I32) -> I32:
    """Edges (n, 2) round the cells, the cells on their left."""
    framed = np.pad(cells, 1)
    inner = framed[1:-1, 1:-1]
    sides = (
        (inner & ~framed[:-2, 1:-1], k[:-1, :-1], k[:-1, 1:]),
        (inner & ~framed[1:-1, 2:], k[:-1, 1:], k[1:, 1:]),
        (inner & ~framed[2:, 1:-1], k[1:, 1:], k[1:, :-1]),
        (inner & ~framed[1:-1, :-2], k[1:, :-1], k[:-1, :-1]),
    )
    return np.concatenate([np.stack([start[open_], end[open_]], 1) for open_, start, end in sides])


def block_mesh(block: Block) -> Mesh:
    """A closed mesh of the block: its top, its foot and walls around and in its holes, columns thinned to half a
    million.

    Raises
    ------
    Refused
        Where nothing is left of the block.
    """
    factor = max(1, int(np.ceil((block.grid.nx * block.grid.ny / _MOST) ** 0.5)))
    filled = block.empty[::factor, ::factor] == 0
    top, foot = block.top[::factor, ::factor].astype(np.float64), block.bottom[::factor, ::factor].astype(np.float64)
    ny, nx = top.shape
    x, y = block.grid.xs[::factor], block.grid.ys[::factor]
    x[0], y[0] = x[0] - block.grid.pitch / 2, y[0] - block.grid.pitch / 2
    x[-1], y[-1] = block.grid.xs[-1] + block.grid.pitch / 2, block.grid.ys[-1] + block.grid.pitch / 2
    cells = _whole_cells(filled)
    if not cells.any():
        raise Refused("nothing is left of the block to be written")
    px, py = np.meshgrid(x, y)
    upper: F64 = np.stack([px, py, top], axis=-1).reshape(-1, 3)
    lower: F64 = np.stack([px, py, foot], axis=-1).reshape(-1, 3)
    k = np.arange(nx * ny, dtype=np.int32).reshape(ny, nx)
    a, b, c, d = (q[cells] for q in (k[:-1, :-1], k[:-1, 1:], k[1:, 1:], k[1:, :-1]))
    roof = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    start, end = _walls(cells, k).T
    shift = np.int32(nx * ny)
    wall = np.concatenate([np.stack([start + shift, end + shift, end], 1), np.stack([start + shift, end, start], 1)])
    faces = np.concatenate([roof, roof[:, ::-1] + shift, wall])
    used, inverse = np.unique(faces, return_inverse=True)
    compact: I32 = np.ascontiguousarray(inverse.reshape(faces.shape), np.int32)
    return Mesh(np.concatenate([upper, lower])[used], compact, "block")
