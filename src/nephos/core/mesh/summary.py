"""What is kept of a mesh for quick answers: its examination, hull, samples of its surface, and pictures."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from nephos.core.arrays import F32, F64
from nephos.core.mesh.examine import examine_closely, support_points
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.picture import light_picture, picture_mesh
from nephos.core.mesh.topology import Edges, edges_of, shells_of

SAMPLES = 48_000
UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4}


@dataclass(frozen=True)
class MeshSummary:
    """Enough of a mesh to answer at once how it lies, whichever way it is turned.

    `support` : (k, 3) float64, points with the same box however the mesh is turned. `samples` : (n, 6) float32, points
    spread evenly over its surface, each with the direction of its face. `unit` : millimetres that one unit of the file
    stands for, as the file says or as it is guessed. `main` : like `support`, of the mesh without its loose pieces; the
    same array where these do not reach out of its box. `loose` : the longest side of the box of the largest loose
    piece, in the file's unit; 0 where there is none."""

    support: F64
    samples: F32
    unit: float = 1.0
    main: F64 | None = None
    loose: float = 0.0

    def moved_samples(self, matrix: F64) -> tuple[F64, F64]:
        """Points (n, 3) and unit normals (n, 3), both float64, of the samples under an affine map (4, 4).

        Normals are mapped by the inverse transpose of the linear part, so that they stay square to the surface under
        unequal scales."""
        points = self.samples[:, :3].astype(np.float64) @ matrix[:3, :3].T + matrix[:3, 3]
        normals = self.samples[:, 3:].astype(np.float64) @ np.linalg.inv(matrix[:3, :3])
        return points, normals / np.maximum(np.linalg.norm(normals, axis=1), 1e-12)[:, None]


def surface_samples(mesh: Mesh, edges: Edges, count: int = SAMPLES) -> F32:
    """(count, 6) float32 points and outward directions, spread evenly by area; the same ones for the same mesh."""
    rng = np.random.default_rng(7)
    a, b, c = (mesh.vertices[mesh.faces[:, k]] for k in range(3))
    cross = np.cross(b - a, c - a)
    twice = np.linalg.norm(cross, axis=1)
    sums = np.cumsum(twice)
    # One draw in each of equal shares of the area: spread more evenly than by chance alone.
    t = np.searchsorted(sums, (np.arange(count) + rng.random(count)) / count * sums[-1]).clip(0, len(sums) - 1)
    u, v = rng.random((2, count, 1))
    u, v = np.where(u + v > 1, 1 - u, u), np.where(u + v > 1, 1 - v, v)
    points = a[t] + u * (b[t] - a[t]) + v * (c[t] - a[t])
    # A mesh that was mirrored without turning its faces round looks inwards all over. Of a closed one the volume tells.
    closed = float((edges.uses == 2).mean()) > 0.999
    outwards = -1.0 if closed and np.einsum("ij,ij->", a - mesh.low, cross) < 0 else 1.0
    normals = outwards * cross[t] / np.maximum(twice[t], 1e-300)[:, None]
    return np.concatenate([points, normals], axis=1).astype(np.float32)


def unit_guess(mesh: Mesh) -> dict[str, Any]:
    """The unit of the file: its own word where it has one, otherwise a guess from the longest side.

    Models for a router are between a finger and a door long; the first unit of mm, inch, cm and m under which the mesh
    is so is taken."""
    if mesh.unit is not None:
        name = next((key for key, value in UNITS.items() if value == mesh.unit), f"{mesh.unit:g} mm")
        return {"name": name, "mm": mesh.unit, "sure": True}
    longest = float(mesh.size.max())
    for name in ("mm", "inch", "cm", "m"):
        if 20 <= longest * UNITS[name] <= 2000:
            return {"name": name, "mm": UNITS[name], "sure": False}
    return {"name": "mm", "mm": 1.0, "sure": False}


LOOSE = 0.02
"""A shell with less than this share of the area of the largest one is a loose piece."""


def without_loose(mesh: Mesh, support: F64) -> tuple[F64, float]:
    """Support points of a mesh without its loose pieces, and the longest side of the largest of those (0 where there is
    none).

    `support` itself where no loose piece reaches out of the box of the rest.
    """
    shell, count = shells_of(mesh.faces, len(mesh.vertices))
    if count < 2:
        return support, 0.0
    a, b, c = (mesh.vertices[mesh.faces[:, k]] for k in range(3))
    area = np.bincount(shell, np.linalg.norm(np.cross(b - a, c - a), axis=1), count)
    small = area < LOOSE * area.max()
    if not small.any():
        return support, 0.0
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    for k in range(3):
        np.minimum.at(low, shell, mesh.vertices[mesh.faces[:, k]])
        np.maximum.at(high, shell, mesh.vertices[mesh.faces[:, k]])
    size = float((high - low)[small].max())
    outside = (low[small] < low[~small].min(axis=0)).any() or (high[small] > high[~small].max(axis=0)).any()
    if not outside:
        return support, size
    kept = np.unique(mesh.faces[~small[shell]])
    return support_points(Mesh(mesh.vertices[kept], np.zeros((0, 3), np.int32))), size


def summarize(mesh: Mesh, said: tuple[str, ...] = ()) -> tuple[dict[str, Any], dict[str, Any]]:
    """Facts (plain values) and arrays to be kept of a mesh.

    Arrays: `support`, `samples`; `vertices`, `faces` and `light_vertices`, `light_faces`, the pictures;
    `holes`, `nonmanifold` (edges), `flipped`, `loose` (triangles), where faults are.
    """
    with ThreadPoolExecutor(1) as pool:
        spanning = pool.submit(support_points, mesh)
        edges = edges_of(mesh.faces)
        examined = pool.submit(examine_closely, mesh, edges)
        vertices, faces = picture_mesh(mesh)
        light_vertices, light_faces = light_picture(vertices, faces)
        samples = surface_samples(mesh, edges)
        (found, faults), support = examined.result(), spanning.result()
    main, loose = without_loose(mesh, support)
    facts = asdict(found) | {
        "size": list(found.size),
        "repairs": list(found.repairs),
        "unit": unit_guess(mesh),
        "said": list(said),
        "loose_size": loose,
    }
    return facts, {
        "support": support,
        "main": main,
        "samples": samples,
        "vertices": vertices,
        "faces": faces,
        "light_vertices": light_vertices,
        "light_faces": light_faces,
        "holes": faults.holes,
        "nonmanifold": faults.nonmanifold,
        "flipped": faults.flipped,
        "loose": faults.loose,
    }


def quick_look(mesh: Mesh) -> MeshSummary:
    """The part of a look that placing needs, made at once."""
    support = support_points(mesh)
    return MeshSummary(
        support, surface_samples(mesh, edges_of(mesh.faces)), unit_guess(mesh)["mm"], *without_loose(mesh, support)
    )
