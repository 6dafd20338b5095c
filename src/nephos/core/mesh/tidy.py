"""From what a file held to a mesh: corners that are no numbers and triangles without area go, and it is said."""

from math import inf

import numpy as np

from nephos.core.arrays import F64, I32
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.weld import weld

FARTHEST = 1e9
"""Coordinates beyond this are taken for rubbish, not for lengths."""


def tidied(corners: F64, kind: str, notes: list[str], unit: float | None = None) -> Mesh:
    """A mesh of triangles `corners` (m, 3, 3) float64, with equal corners shared.

    `kind` names the format, `notes` what reading had to put right so far, `unit` the millimetres
    that the file says one unit stands for.

    Raises
    ------
    Refused
        Where nothing usable is left.
    """
    notes = list(notes)
    finite = np.isfinite(corners).all(axis=(1, 2)) & (np.abs(corners).max(axis=(1, 2), initial=0) < FARTHEST)
    dropped = int(np.count_nonzero(~finite))
    if dropped and dropped >= 0.5 * len(corners):
        raise Refused(
            f"this is no {kind.split(',', maxsplit=1)[0]} file: most of what should be coordinates are no numbers"
        )
    if dropped:
        corners = corners[finite]
        notes.append(f"{dropped} triangles with corners that are no numbers were left out")
    if len(corners) == 0:
        raise Refused("the file holds no triangles: export it again as a mesh")
    vertices, faces = weld(corners)
    thin = (faces[:, 0] == faces[:, 1]) | (faces[:, 1] == faces[:, 2]) | (faces[:, 2] == faces[:, 0])
    if thin.any():
        faces = np.ascontiguousarray(faces[~thin])
        notes.append(f"{int(thin.sum())} triangles without area were left out")
    if len(faces) == 0:
        raise Refused("all triangles of the file are without area: export it again as a mesh")
    span = vertices.max(axis=0) - vertices.min(axis=0)
    if not 0 < span.max() < inf:
        raise Refused("the mesh has no size: all its corners are one point")
    return Mesh(vertices, faces, kind, tuple(notes), unit)


def checked_faces(vertices: F64, faces: I32, kind: str) -> F64:
    """The corners (m, 3, 3) that `faces` name among `vertices`; refuses faces that name vertices that are not there."""
    if len(faces) and (faces.min() < 0 or faces.max() >= len(vertices)):
        raise Refused(f"this {kind} file is damaged: its faces name corners that it does not hold; export it again")
    corners: F64 = vertices[faces]
    return corners
