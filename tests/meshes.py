"""Small meshes with known answers."""

import numpy as np

from nephos.core.cutters import Profile
from nephos.core.estimate.height_map import HeightMap
from nephos.core.mesh.model import Mesh


def grid_mesh(x: np.ndarray, y: np.ndarray, z: np.ndarray) -> Mesh:
    """A sheet of triangles over a grid (ny, nx)."""
    ny, nx = z.shape
    k = np.arange(ny * nx, dtype=np.int32).reshape(ny, nx)
    a, b, c, d = (q.ravel() for q in (k[:-1, :-1], k[:-1, 1:], k[1:, 1:], k[1:, :-1]))
    faces = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)]).astype(np.int32)
    return Mesh(np.stack([x, y, z], -1).reshape(-1, 3).astype(float), faces)


def box_mesh(low: tuple[float, float, float], high: tuple[float, float, float]) -> Mesh:
    """A closed box."""
    corners = np.array(
        [[x, y, z] for z in (low[2], high[2]) for y in (low[1], high[1]) for x in (low[0], high[0])], float
    )
    quads = [(0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5)]
    faces = [t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))]
    return Mesh(corners, np.array(faces, np.int32))


ALL_SHAPES = {
    "flat": Profile.of(2.0, 0.0),
    "ball": Profile.of(0.0, 2.0),
    "bull-nose": Profile.of(1.2, 0.8),
    "tapered ball": Profile.of(0.0, 0.5, 4.0, 2.0),
    "V": Profile.of(0.0, 0.0, 1.7, 2.0),
    "engraver": Profile.of(0.3, 0.0, 3.0, 2.0),
    "drill": Profile.of(0.0, 0.0, 0.6, 2.0),
}
"""One cutter of every shape, 4 mm thick."""


def at(relief: HeightMap, values: np.ndarray, x: float, y: float) -> float:
    """A value of a picture of the ground at a place."""
    return float(values[round((y - relief.y0) / relief.step), round((x - relief.x0) / relief.step)])


def underside_of(cutter: Profile, rho: np.ndarray) -> np.ndarray:
    """Heights of a cutter's underside, written down once more from its definition: level, round, cone."""
    t = np.maximum(rho - cutter.flat, 0.0)
    round_part = cutter.corner - np.sqrt(np.maximum(cutter.corner**2 - t**2, 0.0))
    if np.isfinite(cutter.slope):
        lean = np.arctan(cutter.slope)
        joins = cutter.corner * np.sin(lean)
        cone = cutter.corner * (1 - np.cos(lean)) + cutter.slope * (t - joins)
        round_part = np.where(t > joins, cone, round_part)
    return np.where(rho <= cutter.radius, round_part, np.inf)


def ellipsoid(half: tuple[float, float, float], rings: int = 48) -> Mesh:
    """A closed ellipsoid about the origin with these half axes."""
    u = np.linspace(0, np.pi, rings + 1)[1:-1]
    v = np.linspace(0, 2 * np.pi, 2 * rings, endpoint=False)
    uu, vv = np.meshgrid(u, v, indexing="ij")
    ring = np.stack([np.sin(uu) * np.cos(vv), np.sin(uu) * np.sin(vv), np.cos(uu)], -1).reshape(-1, 3)
    points = np.concatenate([ring, [[0, 0, 1], [0, 0, -1]]]) * half
    n, m = len(u), len(v)
    k = np.arange(n * m).reshape(n, m)
    after = np.roll(k, -1, axis=1)
    quads = np.concatenate(
        [
            np.stack([k[:-1], k[1:], after[1:]], -1).reshape(-1, 3),
            np.stack([k[:-1], after[1:], after[:-1]], -1).reshape(-1, 3),
        ]
    )
    north = np.stack([np.full(m, n * m), k[0], after[0]], -1)
    south = np.stack([np.full(m, n * m + 1), after[-1], k[-1]], -1)
    return Mesh(points, np.concatenate([quads, north, south]).astype(np.int32))
