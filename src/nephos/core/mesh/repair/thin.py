"""Thin out the triangles, within a measured deviation."""

from dataclasses import replace

import fast_simplification
import numpy as np

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.registry import RepairKind, RepairSettings, said_length, setting
from nephos.core.parallel import in_parallel, kernel
from nephos.core.surface.index import GridArrays, build_index
from nephos.core.surface.nearest import distance_at


class Thin(RepairSettings):
    """How few triangles, and how far the surface may move."""

    triangles: int = setting("Triangles", 300_000, low=100, high=20_000_000)
    deviation: float = setting(
        "Within", 0.05, over=0, length="file", help="how far a corner of the old surface may lie from the new one"
    )


MOST_HASTE = 7
"""Largest value of the library's `agg` option; 0 is the lowest."""


@kernel
def _farthest(grid: GridArrays, points: F64, first: int, last: int, reach: float) -> float:
    """The largest distance (mm) of points[first .. last - 1] (n, 3) from the mesh, at most `reach`."""
    worst = 0.0
    for k in range(first, last):
        worst = max(worst, distance_at(grid, points[k, 0], points[k, 1], points[k, 2], reach))
    return worst


def deviation_of(points: F64, mesh: Mesh, reach: float) -> float:
    """The largest distance from `points` (n, 3) to the surface of `mesh`, at most `reach`."""
    grid = build_index(mesh.vertices, mesh.faces).arrays
    return max(in_parallel(lambda a, b: float(_farthest(grid, points, a, b, reach)), len(points), 20_000), default=0.0)


def _simplified(mesh: Mesh, wanted: int, haste: int) -> Mesh:
    vertices, faces = fast_simplification.simplify(
        mesh.vertices.astype(np.float32),
        mesh.faces.astype(np.int32),
        target_reduction=1 - wanted / len(mesh.faces),
        agg=haste,
    )
    return replace(
        mesh, vertices=np.ascontiguousarray(vertices, np.float64), faces=np.ascontiguousarray(faces, np.int32)
    )


def _apply(mesh: Mesh, settings: Thin) -> tuple[Mesh, str]:
    before = len(mesh.faces)
    if before <= settings.triangles:
        return mesh, f"it has {before} triangles already: nothing to thin out"
    reach = max(4 * settings.deviation, 1e-4 * float(mesh.size.max()))
    best, moved, nearest = mesh, 0.0, np.inf
    # The more haste, the fewer triangles and the farther the surface moves: the most that stays within is found by
    # halves.
    low, high = -1, MOST_HASTE + 1
    while high - low > 1:
        haste = (low + high) // 2
        thin = _simplified(mesh, settings.triangles, haste)
        far = deviation_of(mesh.vertices, thin, reach)
        nearest = min(nearest, far)
        if far > settings.deviation:
            high = haste
            continue
        if len(thin.faces) < len(best.faces):
            best, moved = thin, far
        if len(thin.faces) <= settings.triangles * 1.01 + 2:
            high = haste
        else:
            low = haste
    if best is mesh:
        raise Refused(f"the surface would move {nearest / settings.deviation:.1f} times as far as that: allow more")
    enough = len(best.faces) <= settings.triangles * 1.01 + 2
    short = "" if enough else f", more than asked for, to stay within {said_length(settings.deviation)}"
    return (
        best,
        f"{before} triangles thinned to {len(best.faces)}{short}; the surface moved {said_length(moved)} at most",
    )


REPAIR = RepairKind("thin", "Thin out", "fewer triangles, within a deviation that is measured", Thin, _apply)
