"""Fill the open underside of a relief with a base."""

from dataclasses import replace

import numpy as np
from mapbox_earcut import triangulate_float64
from shapely.geometry import Polygon

from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.registry import PartSettings, RepairKind, said_length, setting
from nephos.core.mesh.topology import edges_of, open_loops


class Base(PartSettings):
    """Where the base lies."""

    depth: float = setting("Below", 2.0, low=0, length="part", help="how far the base reaches under the lowest point")


def _apply(mesh: Mesh, settings: Base) -> tuple[Mesh, str]:
    up = np.asarray(settings.normal, np.float64)
    if np.linalg.norm(up) < 1e-9:
        raise Refused("the base has no direction")
    up = up / np.linalg.norm(up)
    loops = [loop for loop in open_loops(mesh.faces, edges_of(mesh.faces), len(mesh.vertices)) if len(loop) >= 3]
    if not loops:
        raise Refused("the mesh has no open underside: it is closed already")
    loop = max(loops, key=lambda item: float(np.linalg.norm(np.ptp(mesh.vertices[item], axis=0))))
    rim = mesh.vertices[loop]
    across = np.cross(up, np.eye(3)[int(np.abs(up).argmin())])
    across /= np.linalg.norm(across)
    flat = np.stack([rim @ across, rim @ np.cross(up, across)], 1)
    if not Polygon(flat).is_valid:
        raise Refused("its rim crosses itself seen from above: close its holes and drop its loose pieces first")
    level = float((mesh.vertices @ up).min()) - settings.depth
    foot = rim + (level - rim @ up)[:, None] * up
    n, k = len(mesh.vertices), len(loop)
    below = np.arange(n, n + k, dtype=np.int32)
    after, below_after = np.roll(loop, -1), np.roll(below, -1)
    walls = np.concatenate([np.stack([loop, after, below], 1), np.stack([after, below_after, below], 1)])
    ears = triangulate_float64(np.ascontiguousarray(flat), np.array([k], np.uint32)).reshape(-1, 3)
    a, b, c = (flat[ears[:, q]] for q in range(3))
    turn = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    # The loop runs as what fills it must: the cap follows it.
    x, y = flat.T
    runs = np.sign((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
    ears = np.where((np.sign(turn) != runs)[:, None], ears[:, ::-1], ears)
    faces = np.concatenate([mesh.faces, walls, below[ears]])
    done = replace(mesh, vertices=np.concatenate([mesh.vertices, foot]), faces=np.ascontiguousarray(faces, np.int32))
    return done, f"its underside filled with a base {said_length(settings.depth)} below its lowest point"


REPAIR = RepairKind("base", "Fill the underside", "walls go down from the rim of a relief to a flat base", Base, _apply)
