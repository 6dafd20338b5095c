"""Make all triangles of a piece run the same way round, outwards."""

from dataclasses import replace

import numpy as np

from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.pieces import counted
from nephos.core.mesh.repair.registry import RepairKind, RepairSettings
from nephos.core.mesh.topology import edges_of, sides_of


class Unify(RepairSettings):
    """Nothing to choose."""


def _apply(mesh: Mesh, settings: Unify) -> tuple[Mesh, str]:
    edges = edges_of(mesh.faces)
    patch, turned = sides_of(mesh.faces, edges)
    m = len(mesh.faces)
    against, total = np.bincount(patch, turned, m), np.bincount(patch, minlength=m)
    flip = turned.astype(bool) ^ (against > total / 2)[patch]
    faces = np.where(flip[:, None], mesh.faces[:, ::-1], mesh.faces)
    # A closed piece whose volume is negative is inside out.
    a, b, c = (mesh.vertices[faces[:, k]] - mesh.low for k in range(3))
    volume = np.bincount(patch, np.einsum("ij,ij->i", a, np.cross(b, c)), m)
    is_open = np.zeros(m, bool)
    is_open[patch[edges.first[edges.uses != 2] // 3]] = True
    inside_out = (volume < 0) & ~is_open
    wrong = inside_out[patch]
    faces = np.where(wrong[:, None], faces[:, ::-1], faces)
    pieces = int(inside_out.sum())
    said = f"{counted(int(flip.sum()), 'triangle', 'triangles')} turned round"
    if pieces:
        said += f", {counted(pieces, 'piece', 'pieces')} turned inside out"
    return replace(mesh, faces=np.ascontiguousarray(faces)), said


REPAIR = RepairKind(
    "unify", "Unify faces", "triangles that run against the rest of their piece are turned round", Unify, _apply
)
