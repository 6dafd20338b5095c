"""What there is to say of a mesh: is it closed, of how many pieces, with how many holes and faults."""

from dataclasses import dataclass

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from nephos.core.arrays import F32, F64, I32
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.topology import Edges, edges_of, open_loops, shells_of, sides_of

SHOWN = 20_000
"""Most edges or triangles of one kind of fault that are handed on to be shown."""


@dataclass(frozen=True)
class Examination:
    """Findings about a mesh. Lengths in the file's unit, `area` in its square, `volume` in its cube (closed meshes
    only)."""

    format: str
    triangles: int
    vertices: int
    size: tuple[float, float, float]
    watertight: bool
    shells: int
    holes: int
    flipped: int
    inside_out: int
    without_area: int
    duplicates: int
    nonmanifold: int
    largest_hole: float
    smallest_shell: int
    area: float
    volume: float | None
    repairs: tuple[str, ...]


@dataclass(frozen=True)
class Faults:
    """Where the faults are, to be shown: edges (k, 2, 3) and triangles (k, 3, 3), float32, in the file's space."""

    holes: F32
    nonmanifold: F32
    flipped: F32
    loose: F32


def _duplicates(faces: I32) -> int:
    """How many triangles have the same corners as an earlier one, whichever way they run."""
    corners = np.sort(faces, axis=1).astype(np.uint64)
    # A mixed key first: sorting three columns costs three times as much and is needed where keys meet only.
    a, b, c = corners.T
    key = (a * np.uint64(11400714819323198485) ^ b * np.uint64(14029467366897019727)) + c * np.uint64(
        1609587929392839161
    )
    order = np.argsort(key)
    key = key[order]
    meet = np.flatnonzero(key[1:] == key[:-1])
    return int((corners[order[meet]] == corners[order[meet + 1]]).all(axis=1).sum())


def _areas(mesh: Mesh) -> tuple[F64, F64]:
    """(m,) area of each triangle, and (m,) six times the volume that it spans with the middle of the box."""
    middle = (mesh.low + mesh.high) / 2
    a, b, c = (mesh.vertices[mesh.faces[:, k]] - middle for k in range(3))
    cross = np.cross(b - a, c - a)
    return 0.5 * np.sqrt(np.einsum("ij,ij->i", cross, cross)), np.einsum("ij,ij->i", a, cross)


def examine_closely(mesh: Mesh, edges: Edges | None = None) -> tuple[Examination, Faults]:
    """Count and place what is open, loose, turned round or doubled in `mesh`.

    A hole is a closed chain of edges that have a triangle on one side only; shells are pieces that share no vertex.
    Watertight means that each edge joins exactly two triangles that run along it in opposite directions. Flipped are
    the triangles that run against most of their patch; inside out are closed shells whose volume is negative."""
    faces, n = mesh.faces, len(mesh.vertices)
    edges = edges or edges_of(faces)
    shell, shells = shells_of(faces, n)
    patch, turned = sides_of(faces, edges)
    against = np.bincount(patch, turned, len(faces))
    total = np.bincount(patch, minlength=len(faces))
    # Where more are turned than not, it is the others that run against the rest.
    flipped = turned.astype(bool) ^ (against > total / 2)[patch]
    loops = open_loops(faces, edges, n)
    area, spanned = _areas(mesh)
    per_shell = np.bincount(shell, minlength=shells)
    is_open = np.zeros(shells, bool)
    is_open[shell[edges.first[edges.uses != 2] // 3]] = True
    volume = np.bincount(shell, spanned, shells) / 6
    watertight = bool((edges.uses == 2).all() and (edges.balance == 0).all())
    diagonal = float(np.linalg.norm(mesh.size))
    largest = max((float(np.linalg.norm(np.ptp(mesh.vertices[loop], axis=0))) for loop in loops), default=0.0)
    examination = Examination(
        format=mesh.format,
        triangles=len(faces),
        vertices=n,
        size=(float(mesh.size[0]), float(mesh.size[1]), float(mesh.size[2])),
        watertight=watertight,
        shells=shells,
        holes=len(loops),
        flipped=int(flipped.sum()),
        inside_out=int(((volume < 0) & ~is_open).sum()),
        without_area=int((area <= 1e-12 * diagonal * diagonal).sum()),
        duplicates=_duplicates(faces),
        nonmanifold=int((edges.uses > 2).sum()),
        largest_hole=largest,
        smallest_shell=int(per_shell.min()),
        area=float(area.sum()),
        volume=float(volume.sum()) if watertight else None,
        repairs=mesh.repairs,
    )
    biggest = np.bincount(shell, area, shells).argmax()
    points = mesh.vertices

    def shown(picked: I32) -> F32:
        return np.ascontiguousarray(points[picked[:SHOWN]], np.float32)

    faults = Faults(
        shown(edges.ends[edges.open]),
        shown(edges.ends[edges.uses > 2]),
        shown(faces[flipped]),
        shown(faces[shell != biggest]),
    )
    return examination, faults


def examine(mesh: Mesh) -> Examination:
    """The counts of :func:`examine_closely` alone."""
    return examine_closely(mesh)[0]


def support_points(mesh: Mesh) -> F64:
    """Few points (k, 3) float64 that have the same box as the mesh however it is turned: its hull."""
    points = mesh.vertices
    if len(points) > 20000:
        # The farthest points in some directions, then the hull of those together with a sieve of
        # all that lies outside of their hull.
        directions = np.random.default_rng(1).normal(size=(48, 3))
        far = points[np.unique((directions @ points.T).argmax(axis=1))]
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
