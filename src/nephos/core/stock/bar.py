"""The block of a rotary setup: a bar as rays from the axis, over place and angle (removal: rays.py)."""

from dataclasses import replace
from math import ceil, sqrt

import numpy as np

from nephos.core.arrays import F32, F64, U8
from nephos.core.cutters import Cutter
from nephos.core.cutters.profile import Profile
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.parallel import Report, part, silent
from nephos.core.stock.block import MOST_CELLS, Block, Grid
from nephos.core.stock.rays import PROBED, sweep_rays
from nephos.core.surface.rotary import TURN

_ROWS = 24
"""The number of rays round the bar is a multiple of this, so that they can be taken together in groups."""
_DENSE = 0.25
"""Rays closer than this (mm) are dense:"""
_BOUND_RAYS = 4
"""then the bound is kept for so many of them together."""
_LOOKED_AT = 250_000
"""Rays on which air is looked for at most."""
_HALF_DIAGONAL = 0.7072
_SLACK = 1.0005
"""So much larger the bar is taken for in the bound of whole cells, for rounding."""


def bar_grid(length: float, radius: float, pitch: float) -> Grid:
    """The grid over the unrolled surface of a bar, as near to `pitch` (mm at `radius`) as goes round evenly."""
    rows = max(_ROWS * round(TURN * radius / pitch / _ROWS), 4 * _ROWS)
    exact = TURN * radius / rows
    columns = max(round(length / exact), 1)
    if rows * columns > MOST_CELLS:
        finest = (TURN * radius * length / MOST_CELLS) ** 0.5
        raise Refused(
            f"a pitch of {pitch:g} mm makes {rows * columns / 1e6:.0f} million rays of this bar: use {finest:.2g} mm "
            "or more"
        )
    return Grid((length - (columns - 1) * exact) / 2, 0.0, exact, columns, rows, radius)


def box_radii(angles: F64, width: float, thickness: float) -> F64:
    """Distance from the axis to the side of a square bar at `angles` (radians, 0 at +Z)."""
    s, c = np.abs(np.sin(angles)), np.abs(np.cos(angles))
    found: F64 = np.minimum(
        width / 2 / np.maximum(s, 1e-12),
        thickness / 2 / np.maximum(c, 1e-12),
    )
    return found


def bar_block(length: float, radius: float, pitch: float, square: tuple[float, float] | None = None) -> Block:
    """A full bar: round of `radius`, or a box of width and thickness `square` whose corners lie at `radius`."""
    grid = bar_grid(length, radius, pitch)
    shape = (grid.ny, grid.nx)
    angles = np.arange(grid.ny) * TURN / grid.ny
    radii, bound = np.full(grid.ny, radius), np.full(grid.ny, radius)
    if square is not None:
        radii = box_radii(angles, *square)
        around = angles[:, None] + np.linspace(-0.5, 0.5, 9) * TURN / grid.ny
        bound = np.minimum(box_radii(around, *square).max(axis=1) * 1.0001, radius)
    top = np.ascontiguousarray(np.broadcast_to(radii[:, None], shape), np.float32)
    return bar_of_rays(
        grid,
        top,
        np.zeros(shape, np.float32),
        np.zeros(shape, np.float32),
        np.full(shape, -1, np.int32),
        np.nextafter(np.ascontiguousarray(np.broadcast_to(bound[:, None], shape), np.float32), np.float32(np.inf)),
    )


def bar_of_rays(grid: Grid, top: F32, gap_low: F32, gap_high: F32, touched: np.ndarray, bound: F32) -> Block:
    """A bar from where its rays (ny, nx) end, and where their gaps do."""
    gapped = gap_high > gap_low
    low = np.stack([np.zeros_like(top), np.where(gapped, gap_high, 0.0)]).astype(np.float32)
    high = np.stack([np.where(gapped, gap_low, top), np.where(gapped, top, 0.0)]).astype(np.float32)
    return Block(grid, low, high, touched, bound, 0.0)


def rays_of(block: Block) -> tuple[F32, F32, F32]:
    """`top`, `gap_low` and `gap_high` (ny, nx) of a bar, as :func:`~nephos.core.stock.rays.sweep_rays` takes them."""
    gapped = block.high[1] > block.low[1]
    zero = np.float32(0.0)
    return (
        np.where(gapped, block.high[1], block.high[0]),
        np.where(gapped, block.high[0], zero),
        np.where(gapped, block.low[1], zero),
    )


def cell_reach(grid: Grid) -> float:
    """No point of a cell lies farther (mm) from its ray than this."""
    return _HALF_DIAGONAL * grid.pitch * _SLACK


def cut_bar(
    block: Block, points: F64, kinds: U8, first: int, cutter: Cutter, report: Report = silent
) -> tuple[Block, F32, F64]:
    """Cut a bar with moves on its unrolled surface, counted over the job from `first`.

    Two fields of rays are cut: one at the middles of cells, and the bound. There the cutter is smaller by half a cell,
    so that where it takes a ray the whole cell is gone, and rapids are probed with one that is as much larger.

    Returns
    -------
    The block; how much (mm) each move takes off, or a rapid meets, (n,); how deep shank and holder go, as
    :func:`~nephos.core.stock.rays.sweep_rays` says.
    """
    grid, profile = block.grid, cutter.profile
    top, gap_low, gap_high = rays_of(block)
    touched = block.touched.copy()
    bodies = np.array([[radius, height] for _, radius, height in cutter.bodies]).reshape(-1, 2)
    depths, strikes = sweep_rays(
        top,
        gap_low,
        gap_high,
        touched,
        grid,
        points,
        kinds,
        first,
        profile,
        bodies=bodies,
        report=part(report, 0, 0.6),
    )
    whole, coarse = whole_cells(block)
    whole, low, high = whole.copy(), np.zeros_like(whole), np.zeros_like(whole)
    reach = cell_reach(coarse)
    small, lift = profile.shrunk(reach)
    lifted = points + np.array([0.0, 0.0, lift])
    met, _ = sweep_rays(
        whole,
        low,
        high,
        np.full(whole.shape, -1, np.int32),
        coarse,
        lifted,
        kinds,
        0,
        small,
        rapid=profile.grown(reach + PROBED),
        rapid_lift=-lift - reach - PROBED,
        report=part(report, 0.6, 1),
    )
    depths[kinds == 0] = met[kinds == 0]
    factor = grid.ny // coarse.ny
    bound = np.repeat(np.repeat(whole, factor, axis=0), factor, axis=1)[:, : grid.nx]
    return bar_of_rays(grid, top, gap_low, gap_high, touched, np.maximum(bound, top)), depths, strikes


def removed_from_bar(block: Block, points: F64, kinds: U8, cutter: Profile) -> F32:
    """How much (mm) each move would take off a bar, (n,); the block stays as it is."""
    top, grid = coarser_bar(rays_of(block)[0], block.grid, _LOOKED_AT)
    top, low, high = top.copy(), np.zeros_like(top), np.zeros_like(top)
    return sweep_rays(top, low, high, np.full(top.shape, -1, np.int32), grid, points, kinds, 0, cutter)[0]


def coarser_bar(heights: F32, grid: Grid, most: int) -> tuple[F32, Grid]:
    """The highest of each few rays together, so that there are about `most`."""
    wanted = max(1.0, sqrt(grid.nx * grid.ny / most))
    factor = next((f for f in (2, 3, 4, 6, 8, 12, 24) if f >= wanted), 24) if wanted > 1 else 1
    columns = -(-grid.nx // factor)
    padded = np.pad(heights, ((0, 0), (0, columns * factor - grid.nx)), mode="edge")
    shift = grid.pitch * (factor - 1) / 2
    highest: F32 = np.ascontiguousarray(padded.reshape(grid.ny // factor, factor, columns, factor).max(axis=(1, 3)))
    return highest, Grid(grid.x0 + shift, grid.y0 + shift, grid.pitch * factor, columns, grid.ny // factor, grid.radius)


def whole_cells(block: Block) -> tuple[F32, Grid]:
    """The bound of a bar, for two rays together each way where they are dense: no more is needed for rapids."""
    most = block.grid.nx * block.grid.ny
    return coarser_bar(block.bound, block.grid, most // _BOUND_RAYS if block.grid.pitch < _DENSE else most)


def shown_bar_grid(grid: Grid, most: int) -> Grid:
    """A coarser grid over the same bar with about `most` rays at most."""
    factor = next((f for f in (1, 2, 3, 4, 6, 8, 12, 24) if grid.nx * grid.ny <= most * f * f), 24)
    columns = max(ceil(grid.nx / factor), 1)
    return replace(grid, pitch=grid.pitch * factor, nx=columns, ny=grid.ny // factor)


_MOST_SHOWN = 500_000


def bar_mesh(block: Block) -> Mesh:
    """A closed mesh of a bar, from where its rays end, with flat ends."""
    grid = shown_bar_grid(block.grid, _MOST_SHOWN)
    factor = block.grid.ny // grid.ny
    columns = np.unique(np.append(np.arange(0, block.grid.nx, factor), block.grid.nx - 1))
    top = block.top[::factor, columns].astype(np.float64)
    x = block.grid.xs[columns]
    x[0], x[-1] = x[0] - block.grid.pitch / 2, x[-1] + block.grid.pitch / 2
    angles = np.arange(grid.ny) * TURN / grid.ny
    ring = np.stack(
        [np.broadcast_to(x, top.shape), top * np.sin(angles)[:, None], top * np.cos(angles)[:, None]], axis=-1
    )
    ny, nx = top.shape
    k = np.arange(nx * ny, dtype=np.int32).reshape(ny, nx)
    nxt = np.roll(k, -1, axis=0)
    a, b, c, d = k[:, :-1].ravel(), k[:, 1:].ravel(), nxt[:, 1:].ravel(), nxt[:, :-1].ravel()
    left, right = np.int32(nx * ny), np.int32(nx * ny + 1)
    faces = np.concatenate(
        [
            np.stack([a, b, c], 1),
            np.stack([a, c, d], 1),
            np.stack([np.full(ny, left), k[:, 0], nxt[:, 0]], 1),
            np.stack([np.full(ny, right), nxt[:, -1], k[:, -1]], 1),
        ]
    ).astype(np.int32)
    vertices = np.concatenate([ring.reshape(-1, 3), [[x[0], 0.0, 0.0], [x[-1], 0.0, 0.0]]])
    return Mesh(vertices, faces)
