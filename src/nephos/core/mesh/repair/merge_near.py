"""Weld corners that lie close together."""

from dataclasses import replace

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.pieces import counted, with_faces
from nephos.core.mesh.repair.registry import RepairKind, RepairSettings, setting


class MergeNear(RepairSettings):
    """How close is one."""

    distance: float = setting("Within", 0.01, over=0, length="file", help="corners closer than this become one")


def _apply(mesh: Mesh, settings: MergeNear) -> tuple[Mesh, str]:
    if settings.distance > 0.05 * float(mesh.size.max()):
        raise Refused("that is more than a twentieth of the whole model: give a smaller distance")
    pairs = cKDTree(mesh.vertices).query_pairs(settings.distance, output_type="ndarray")
    n = len(mesh.vertices)
    joined = coo_array((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(n, n))
    count, number = connected_components(joined, directed=False)
    weight = np.bincount(number, minlength=count)
    middle = np.stack([np.bincount(number, mesh.vertices[:, k], count) / weight for k in range(3)], axis=1)
    faces = number[mesh.faces].astype(np.int32)
    thin = (faces[:, 0] == faces[:, 1]) | (faces[:, 1] == faces[:, 2]) | (faces[:, 2] == faces[:, 0])
    if thin.all():
        raise Refused("all triangles would shrink to nothing: give a smaller distance")
    gone = f", {counted(int(thin.sum()), 'triangle', 'triangles')} shrunk to nothing" if thin.any() else ""
    return with_faces(
        replace(mesh, vertices=middle), faces[~thin]
    ), f"{counted(n - int(count), 'corner', 'corners')} welded{gone}"


REPAIR = RepairKind(
    "merge_near", "Weld corners", "corners closer than a distance become one: closes hairline cracks", MergeNear, _apply
)
