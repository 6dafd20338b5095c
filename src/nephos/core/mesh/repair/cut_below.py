"""Cut off everything below a plane: scan slabs, plinths."""

import numpy as np
from pydantic import Field

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.pieces import with_faces
from nephos.core.mesh.repair.registry import RepairKind, RepairSettings, setting

Vector = tuple[float, float, float]


class CutBelow(RepairSettings):
    """A plane in the file's own space: what lies on the far side of it goes."""

    normal: Vector = Field(default=(0.0, 0.0, 1.0), title="Up", description="direction of what stays")
    height: float = setting(
        "Height", 0.0, length="file", help="of the plane along that direction, from the file's origin"
    )


def cut_below(mesh: Mesh, normal: F64, height: float) -> Mesh:
    """The part of `mesh` where vertex . normal >= height; triangles across the plane are cut along it.

    `normal` is a unit vector (3,). The cut stays open.
    """
    above = mesh.vertices @ normal - height
    # A corner very near the plane is on it: no slivers.
    above[np.abs(above) < 1e-9 * max(float(np.abs(above).max()), 1e-300)] = 0.0
    corner = above[mesh.faces]
    kept = mesh.faces[(corner >= 0).all(axis=1) & (corner > 0).any(axis=1)]
    across = mesh.faces[(corner > 0).any(axis=1) & (corner < 0).any(axis=1)]
    if len(across) == 0:
        return with_faces(mesh, kept)
    # Turn each triangle so that its odd corner (alone on its side, or the one on the plane) comes first.
    side = np.sign(above[across]).astype(np.int64)
    lone = np.where((side > 0).sum(axis=1) == 1, (side > 0).argmax(axis=1), (side < 0).argmax(axis=1))
    turned = np.take_along_axis(across, (lone[:, None] + np.arange(3)) % 3, axis=1)
    a, b, c = turned.T
    n = len(mesh.vertices)

    def crossing(p: F64, q: F64) -> F64:
        # From the lower number to the higher, so that both neighbours get the same point to the bit.
        lo, hi = np.minimum(p, q), np.maximum(p, q)
        share = above[lo] / (above[lo] - above[hi])
        return mesh.vertices[lo] + share[:, None] * (mesh.vertices[hi] - mesh.vertices[lo])

    ends = np.concatenate([np.stack([a, b], 1), np.stack([a, c], 1)])
    key = np.minimum(*ends.T).astype(np.int64) * n + np.maximum(*ends.T)
    _, where, number = np.unique(key, return_index=True, return_inverse=True)
    points = crossing(ends[where, 0], ends[where, 1])
    ab, ac = (n + number.reshape(-1)).reshape(2, -1)
    up = above[a] > 0
    new = [np.stack([a, ab, ac], 1)[up], np.stack([ab, b, c], 1)[~up], np.stack([ab, c, ac], 1)[~up]]
    faces = np.concatenate([kept, *new]).astype(np.int64)
    flat = (faces[:, 0] == faces[:, 1]) | (faces[:, 1] == faces[:, 2]) | (faces[:, 2] == faces[:, 0])
    vertices = np.concatenate([mesh.vertices, points])
    # Where a corner lies on the plane the crossing is that corner.
    return with_faces(mesh, np.ascontiguousarray(faces[~flat], np.int32), vertices)


def _apply(mesh: Mesh, settings: CutBelow) -> tuple[Mesh, str]:
    normal = np.asarray(settings.normal, np.float64)
    length = float(np.linalg.norm(normal))
    if length < 1e-9:
        raise Refused("the plane has no direction")
    normal = normal / length
    along = mesh.vertices @ normal
    if settings.height >= along.max():
        raise Refused("nothing would be left above this height: lower it")
    cut = cut_below(mesh, normal, settings.height)
    gone = max(settings.height - float(along.min()), 0.0)
    share = 100 * gone / float(np.ptp(along))
    return cut, f"the lowest {share:.1f} % of its height cut off, {len(mesh.faces) - len(cut.faces)} triangles fewer"


REPAIR = RepairKind(
    "cut_below", "Cut off below", "everything under a height goes: a scan's slab, a plinth", CutBelow, _apply
)
