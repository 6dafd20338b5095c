"""Small things that several repairs do to a mesh."""

from dataclasses import replace

import numpy as np

from nephos.core.arrays import F64, I32
from nephos.core.mesh.model import Mesh


def with_faces(mesh: Mesh, faces: I32, vertices: F64 | None = None) -> Mesh:
    """The mesh with other faces, and without the vertices that none of them uses."""
    points = mesh.vertices if vertices is None else vertices
    used = np.zeros(len(points), bool)
    used[faces] = True
    number = np.cumsum(used, dtype=np.int64) - 1
    return replace(
        mesh, vertices=np.ascontiguousarray(points[used]), faces=np.ascontiguousarray(number[faces], np.int32)
    )


def counted(count: int, one: str, many: str) -> str:
    """`1 hole`, `3 holes`."""
    return f"{count} {one if count == 1 else many}"
