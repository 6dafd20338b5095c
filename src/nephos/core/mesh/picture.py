"""A lighter mesh to draw: few enough triangles for a fluent view. Numbers never come from it."""

import fast_simplification
import numpy as np

from nephos.core.arrays import F32, F64, I32, I64
from nephos.core.mesh.model import Mesh
from nephos.core.parallel import kernel

DRAWN = 160_000
CLUSTERED = 400_000


@kernel
def _cluster(cells: I64, slots: I64, first: I64, number: I32) -> int:
    """Number equal values of `cells` (n,): `number` (n,) gets the number of each, `first` (n,) the place where each
    number is first met. `slots` (a power of two, all -1) is the hash table. Returns how many numbers there are."""
    mask = len(slots) - 1
    count = 0
    for k in range(len(cells)):
        h = cells[k] * -7046029254386353131
        h = (h ^ (h >> 32)) & mask
        while True:
            other = slots[h]
            if other < 0:
                slots[h] = k
                first[count] = k
                number[k] = count
                count += 1
                break
            if cells[k] == cells[other]:
                number[k] = number[other]
                break
            h = (h + 1) & mask
    return count


def _clustered(vertices: F64, faces: I32, wanted: int) -> tuple[F64, I32]:
    """Merge the vertices of each cell of a grid to the one nearest to their mean; leaves about `wanted` triangles.

    So all vertices lie on the mesh: a mean of some beside single ones would make noise look like spikes."""
    low = vertices.min(axis=0)
    corners = vertices[faces]
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum()
    cell = np.sqrt(2.2 * area / wanted)
    place = ((vertices - low) / cell).astype(np.int64)
    cells = (place[:, 0] << 42) | (place[:, 1] << 21) | place[:, 2]
    slots = np.full(1 << int(2 * len(cells)).bit_length(), -1, np.int64)
    first = np.empty(len(cells), np.int64)
    number = np.empty(len(cells), np.int32)
    count = _cluster(cells, slots, first, number)
    weight = np.bincount(number, minlength=count)
    middle = np.stack([np.bincount(number, vertices[:, k], count) / weight for k in range(3)], axis=1)
    away = ((vertices - middle[number]) ** 2).sum(axis=1)
    order = np.lexsort((away, number))
    chosen = order[np.searchsorted(number[order], np.arange(count))]
    merged = number[faces]
    kept = (merged[:, 0] != merged[:, 1]) & (merged[:, 1] != merged[:, 2]) & (merged[:, 2] != merged[:, 0])
    return vertices[chosen], merged[kept]


def picture_mesh(mesh: Mesh, wanted: int = DRAWN) -> tuple[F32, I32]:
    """Vertices (n, 3) float32 and faces (m, 3) int32 with about `wanted` triangles at most."""
    vertices, faces = mesh.vertices, mesh.faces
    if len(faces) > CLUSTERED:
        # Collapsing edges takes seconds here, and what it does better cannot be seen at this density.
        vertices, faces = _clustered(vertices, faces, wanted)
    elif len(faces) > wanted:
        vertices32, faces32 = fast_simplification.simplify(
            vertices.astype(np.float32), faces.astype(np.int32), target_reduction=1 - wanted / len(faces), agg=5
        )
        return np.ascontiguousarray(vertices32, np.float32), np.ascontiguousarray(faces32, np.int32)
    return vertices.astype(np.float32), np.ascontiguousarray(faces, np.int32)


LIGHT = 24_000


def light_picture(vertices: F32, faces: I32) -> tuple[F32, I32]:
    """A picture lighter still, drawn where the other would be too slow while it moves."""
    if len(faces) <= LIGHT:
        return vertices, faces
    few, rest = _clustered(vertices.astype(np.float64), faces, LIGHT)
    return few.astype(np.float32), np.ascontiguousarray(rest, np.int32)
