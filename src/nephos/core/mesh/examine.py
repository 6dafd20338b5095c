"""What there is to say of a mesh: is it closed, of how many pieces, with how many holes."""

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import ConvexHull, QhullError

from nephos.core.arrays import F64, I64
from nephos.core.mesh.model import Mesh


@dataclass(frozen=True)
class Examination:
    """Findings about a mesh. Lengths in the file's unit."""

    format: str
    triangles: int
    vertices: int
    size: tuple[float, float, float]
    watertight: bool
    shells: int
    holes: int
    repairs: tuple[str, ...]


def _pieces(ends: I64, count: int) -> int:
    """Number of connected pieces among the vertices named by `ends` (k, 2)."""
    used, numbers = np.unique(ends, return_inverse=True)
    numbers = numbers.reshape(-1, 2)
    graph = coo_array((np.ones(len(ends), np.int8), (numbers[:, 0], numbers[:, 1])), shape=(len(used),) * 2)
    return int(connected_components(graph, directed=False)[0]) if count else 0


def examine(mesh: Mesh) -> Examination:
    """Count what is open, loose or doubled in `mesh`.

    A hole is a closed chain of edges that have a triangle on one side only; shells are pieces
    that share no vertex. Watertight means that each edge joins exactly two triangles that run
    along it in opposite directions.
    """
    n = len(mesh.vertices)
    ends = mesh.faces.astype(np.int64)
    following = np.roll(ends, -1, axis=1)
    low, high = np.minimum(ends, following).ravel(), np.maximum(ends, following).ravel()
    keys = low * n + high
    order = np.argsort(keys)
    keys = keys[order]
    starts = np.flatnonzero(np.concatenate([[True], keys[1:] != keys[:-1]]))
    uses = np.diff(np.append(starts, len(keys)))
    forward = np.where((ends < following).ravel()[order], 1, -1)
    balance = np.add.reduceat(forward, starts)
    single = keys[starts[uses == 1]]
    border = np.stack([single // n, single % n], axis=1)
    return Examination(
        format=mesh.format, triangles=len(mesh.faces), vertices=n,
        size=(float(mesh.size[0]), float(mesh.size[1]), float(mesh.size[2])),
        watertight=bool((uses == 2).all() and (balance == 0).all()),
        shells=_pieces(np.concatenate([ends[:, :2], ends[:, 1:]]), n),
        holes=_pieces(border, len(border)),
        repairs=mesh.repairs,
    )


def support_points(mesh: Mesh) -> F64:
    """Few points (k, 3) float64 that have the same box as the mesh however it is turned: its hull."""
    points = mesh.vertices
    if len(points) > 20000:
        # The farthest points in some directions, then the hull of those together with a sieve of
        # all that lies outside of their hull.
        directions = np.random.default_rng(1).normal(size=(48, 3))
        far = points[np.unique((points @ directions.T).argmax(axis=0))]
        try:
            sides = ConvexHull(far).equations
            outside = (points @ sides[:, :3].T + sides[:, 3]).max(axis=1) > 0
            points = np.concatenate([far, points[outside]])
        except QhullError:
            points = mesh.vertices
    try:
        return np.ascontiguousarray(points[ConvexHull(points).vertices])
    except QhullError:
        low, high = mesh.low, mesh.high
        return np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
