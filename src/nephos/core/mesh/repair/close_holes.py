"""Close holes."""

from dataclasses import replace

import numpy as np
from mapbox_earcut import triangulate_float64
from shapely.geometry import Polygon

from nephos.core.arrays import F64, I32
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.pieces import counted
from nephos.core.mesh.repair.registry import RepairKind, RepairSettings, setting
from nephos.core.mesh.topology import edges_of, open_loops


class CloseHoles(RepairSettings):
    """Which holes are closed."""

    size: float = setting(
        "Up to", 10.0, over=0, length="file", help="the diagonal of a hole's box; larger ones stay open"
    )


def patch(points: F64) -> I32 | None:
    """Triangles (k, 3) over a closed loop of points (n, 3), in its own direction; none where it is no simple loop in
    its plane.

    The loop is cut into ears in the plane that fits it best.
    """
    middle = points.mean(axis=0)
    area = np.cross(points - middle, np.roll(points, -1, axis=0) - middle).sum(axis=0)
    length = float(np.linalg.norm(area))
    if length < 1e-300:
        return None
    up = area / length
    across = np.cross(up, np.eye(3)[int(np.abs(up).argmin())])
    across /= np.linalg.norm(across)
    flat = np.stack([(points - middle) @ across, (points - middle) @ np.cross(up, across)], 1)
    if not Polygon(flat).is_valid:
        return None
    found = triangulate_float64(np.ascontiguousarray(flat), np.array([len(flat)], np.uint32)).reshape(-1, 3)
    a, b, c = (flat[found[:, k]] for k in range(3))
    turn = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    return np.where((turn < 0)[:, None], found[:, ::-1], found).astype(np.int32)


def _apply(mesh: Mesh, settings: CloseHoles) -> tuple[Mesh, str]:
    loops = open_loops(mesh.faces, edges_of(mesh.faces), len(mesh.vertices))
    vertices, faces = [mesh.vertices], [mesh.faces]
    count, closed, left = len(mesh.vertices), 0, 0
    for loop in loops:
        points = mesh.vertices[loop]
        if len(loop) < 3 or np.linalg.norm(np.ptp(points, axis=0)) > settings.size:
            left += 1
            continue
        found = patch(points)
        if found is None:
            # A loop that crosses itself in its plane: a fan about its middle closes it all the same.
            vertices.append(points.mean(axis=0, keepdims=True))
            fan = np.stack([loop, np.roll(loop, -1), np.full(len(loop), count, np.int32)], 1)
            faces.append(fan.astype(np.int32))
            count += 1
        else:
            faces.append(loop[found].astype(np.int32))
        closed += 1
    done = replace(mesh, vertices=np.concatenate(vertices), faces=np.ascontiguousarray(np.concatenate(faces), np.int32))
    rest = f", {left} larger left open" if left else ""
    return done, f"{counted(closed, 'hole', 'holes')} closed{rest}"


REPAIR = RepairKind("close_holes", "Close holes", "holes up to a size are closed over", CloseHoles, _apply)
