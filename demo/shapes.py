"""Building blocks of the sample meshes: noise, strokes, closed solids."""

import numpy as np
from scipy.ndimage import zoom

from nephos.core.arrays import F64, I32
from nephos.core.mesh.model import Mesh


def noise(rng: np.random.Generator, shape: tuple[int, int], cells: int, octaves: int = 5) -> F64:
    """Smooth fractal noise (ny, nx) about 0, `cells` bumps along the longer side in its first octave."""
    out = np.zeros(shape)
    for octave in range(octaves):
        n = cells * 2**octave
        coarse = rng.normal(size=tuple(max(round(s * n / max(shape)), 2) + 3 for s in shape))
        factors = tuple((s + 1) / (c - 3) for s, c in zip(shape, coarse.shape, strict=True))
        fine = zoom(coarse, factors, order=3)[: shape[0], : shape[1]]
        out += fine * 0.5**octave
    return out


def stroke(x: F64, y: F64, points: list[tuple[float, float, float]]) -> tuple[F64, F64, F64]:
    """A brush stroke through (x, y, radius) points.

    Returns, for each place, the distance to its spine over the radius there, the path along it
    (0 to 1) and the signed side.
    """
    best = np.full(x.shape, np.inf)
    along = np.zeros(x.shape)
    side = np.zeros(x.shape)
    count = len(points) - 1
    for k in range(count):
        (ax, ay, ar), (bx, by, br) = points[k], points[k + 1]
        dx, dy = bx - ax, by - ay
        t = np.clip(((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy), 0, 1)
        d = np.hypot(x - ax - t * dx, y - ay - t * dy) / (ar + t * (br - ar))
        nearer = d < best
        best = np.where(nearer, d, best)
        along = np.where(nearer, (k + t) / count, along)
        side = np.where(nearer, np.sign((x - ax) * dy - (y - ay) * dx) * d, side)
    return best, along, side


def dome(d: F64, height: float, power: float = 2.0) -> F64:
    """Height of a rounded ridge at the relative distance d from its spine."""
    return height * np.sqrt(np.clip(1 - np.abs(d) ** power, 0, None))


def sheet(x: F64, y: F64, z: F64) -> tuple[F64, I32]:
    """Vertices and faces of a grid of points, each (ny, nx)."""
    ny, nx = z.shape
    k = np.arange(ny * nx, dtype=np.int32).reshape(ny, nx)
    a, b, c, d = (q.ravel() for q in (k[:-1, :-1], k[:-1, 1:], k[1:, 1:], k[1:, :-1]))
    return np.stack([x, y, z], -1).reshape(-1, 3), np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])


def slab_under(x: F64, y: F64, z: F64, bottom: F64 | float) -> Mesh:
    """A closed solid: the sheet z over the grid (ny, nx), a sheet `bottom`, and walls between."""
    ny, nx = z.shape
    upper, faces = sheet(x, y, z)
    lower = upper.copy()
    lower[:, 2] = np.broadcast_to(bottom, z.shape).ravel()
    k = np.arange(ny * nx).reshape(ny, nx)
    loop = np.concatenate([k[0, :-1], k[:-1, -1], k[-1, :0:-1], k[:0:-1, 0]])
    nxt = np.roll(loop, -1)
    n = ny * nx
    walls = np.concatenate([np.stack([loop + n, nxt + n, nxt], 1), np.stack([loop + n, nxt, loop], 1)])
    return Mesh(np.concatenate([upper, lower]), np.concatenate([faces, faces[:, ::-1] + n, walls]).astype(np.int32))


def tube(spine: F64, radius: F64, around: int) -> Mesh:
    """A closed tube: rings of `radius` (n, around) about the points of `spine` (n, 3)."""
    n = len(spine)
    path = np.gradient(spine, axis=0)
    path /= np.linalg.norm(path, axis=1, keepdims=True)
    up = np.where(np.abs(path[:, 2:]) > 0.9, [[1.0, 0, 0]], [[0, 0, 1.0]])
    u = np.cross(up, path)
    u /= np.linalg.norm(u, axis=1, keepdims=True)
    v = np.cross(path, u)
    angle = np.linspace(0, 2 * np.pi, around, endpoint=False)
    rings = spine[:, None] + radius[..., None] * (
        np.cos(angle)[None, :, None] * u[:, None] + np.sin(angle)[None, :, None] * v[:, None]
    )
    k = np.arange(n * around).reshape(n, around)
    r = np.roll(k, -1, axis=1)
    a, b, c, d = k[:-1].ravel(), r[:-1].ravel(), r[1:].ravel(), k[1:].ravel()
    first, last = n * around, n * around + 1
    caps = np.concatenate(
        [np.stack([np.full(around, first), r[0], k[0]], 1), np.stack([np.full(around, last), k[-1], r[-1]], 1)]
    )
    faces = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1), caps])
    return Mesh(np.concatenate([rings.reshape(-1, 3), spine[:1], spine[-1:]]), faces.astype(np.int32))


def joined(meshes: list[Mesh]) -> Mesh:
    """Several meshes as one."""
    offsets = np.cumsum([0] + [len(m.vertices) for m in meshes[:-1]])
    return Mesh(
        np.concatenate([m.vertices for m in meshes]),
        np.concatenate([m.faces + o for m, o in zip(meshes, offsets, strict=True)]).astype(np.int32),
    )
