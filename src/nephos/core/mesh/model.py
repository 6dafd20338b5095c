"""A triangle mesh as a value."""

import hashlib
from dataclasses import dataclass, field

import numpy as np

from nephos.core.arrays import F64, I32


@dataclass(frozen=True)
class Mesh:
    """Triangles over shared vertices.

    `vertices` : (n, 3) float64 in the file's unit. `faces` : (m, 3) int32. `repairs` : what reading had to put right,
    one sentence each. `unit` : the millimetres that the file says one unit stands for, none where it does not say."""

    vertices: F64
    faces: I32
    format: str = ""
    repairs: tuple[str, ...] = field(default=())
    unit: float | None = None

    @property
    def low(self) -> F64:
        """(3,) float64 lowest corner of the box."""
        lowest: F64 = self.vertices.min(axis=0)
        return lowest

    @property
    def high(self) -> F64:
        """(3,) float64 highest corner of the box."""
        highest: F64 = self.vertices.max(axis=0)
        return highest

    @property
    def size(self) -> F64:
        """(3,) float64 extent of the box."""
        return self.high - self.low

    def digest(self) -> str:
        """A hash of the geometry: equal for equal vertices and faces."""
        h = hashlib.sha256()
        h.update(np.ascontiguousarray(self.vertices).tobytes())
        h.update(np.ascontiguousarray(self.faces).tobytes())
        return h.hexdigest()

    def moved(self, matrix: F64) -> "Mesh":
        """The mesh under a (4, 4) matrix; faces are turned round where the matrix mirrors."""
        vertices = self.vertices @ matrix[:3, :3].T + matrix[:3, 3]
        faces = self.faces
        if np.linalg.det(matrix[:3, :3]) < 0:
            faces = np.ascontiguousarray(faces[:, ::-1])
        return Mesh(np.ascontiguousarray(vertices), faces, self.format, self.repairs, self.unit)


def box_mesh(size: tuple[float, float, float] = (1.0, 1.0, 1.0)) -> Mesh:
    """A closed box with its low corner at the origin."""
    corners = np.array([[x, y, z] for z in (0, 1) for y in (0, 1) for x in (0, 1)], np.float64) * size
    quads = [(0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5)]
    faces = [tri for a, b, c, d in quads for tri in ((a, b, c), (a, c, d))]
    return Mesh(corners, np.array(faces, np.int32))


def joined(parts: "list[Mesh]") -> Mesh:
    """Several meshes as one."""
    starts = np.cumsum([0, *(len(part.vertices) for part in parts[:-1])])
    faces = [part.faces + start for part, start in zip(parts, starts, strict=True)]
    return Mesh(np.concatenate([part.vertices for part in parts]), np.concatenate(faces).astype(np.int32))
