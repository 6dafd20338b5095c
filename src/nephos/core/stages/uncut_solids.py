"""What stays standing beside a part that is cut from several faces: the ground beside it, and its tabs.

They are closed solids in the surface that cutters are dropped on, so that no strategy of any setup can cut them.

The ground lies at the parting less the overrun, only where the setup does not see the part. Inside its outline a cutter
goes as deep as the part asks for."""

from itertools import pairwise

import mapbox_earcut
import numpy as np
import shapely

from nephos.core.arrays import F64, I32
from nephos.core.mesh.model import Mesh, joined
from nephos.core.plan.joined_faces import FaceTab
from nephos.core.plan.parting import ground_height
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.stages.shadow import shadow_of
from nephos.core.stages.stage import Resolver
from nephos.core.strategies.clearing.levels import polygons_of
from nephos.core.surface.silhouette import rings_of

BEYOND = 2.0
"""Tabs reach so far (mm) into the frame."""
_UNDER = 0.02
"""The ground reaches so far (mm) under the part, so that no cutter finds a gap between them."""
_TILE = 8.0
"""The ground is laid in tiles of this size (mm): long thin triangles would lie over many cells of an index."""
_ROUND = 64
"""Sides of a round tab."""
_DEEP = 1.0
"""The ground reaches so far (mm) below the stock."""


def prism(area: shapely.Geometry, low: float, high: float) -> list[Mesh]:
    """Closed upright solids over the polygons of an area, from `low` to `high`."""
    found = []
    for piece in polygons_of(area):
        points, ends = rings_of(shapely.geometry.polygon.orient(piece, 1.0))
        # Each ring comes closed: the last point of each is its first.
        inner = [(a, b - 1) for a, b in pairwise([0, *ends.tolist()])]
        plan = np.concatenate([points[a:b] for a, b in inner])
        stops = np.cumsum([b - a for a, b in inner])
        cover: I32 = mapbox_earcut.triangulate_float64(plan, stops.astype(np.uint32)).reshape(-1, 3).astype(np.int32)
        if not len(cover):
            continue
        u, v = plan[cover[:, 1]] - plan[cover[:, 0]], plan[cover[:, 2]] - plan[cover[:, 0]]
        clockwise = u[:, 0] * v[:, 1] < u[:, 1] * v[:, 0]
        cover[clockwise] = cover[clockwise][:, ::-1]
        n = np.int32(len(plan))
        start = np.arange(n, dtype=np.int32)
        after = start + 1
        for a, b in pairwise([0, *stops.tolist()]):
            after[b - 1] = a
        walls = np.concatenate([np.stack([start + n, after + n, after], 1), np.stack([start + n, after, start], 1)])
        vertices = np.concatenate([np.column_stack([plan, np.full(n, height)]) for height in (high, low)])
        found.append(Mesh(vertices, np.concatenate([cover, cover[:, ::-1] + n, walls]).astype(np.int32)))
    return found


def _tiled(area: shapely.Geometry) -> list[shapely.Geometry]:
    x0, y0, x1, y1 = area.bounds
    xs, ys = np.arange(x0, x1, _TILE), np.arange(y0, y1, _TILE)
    left, front = (side.ravel() for side in np.meshgrid(xs, ys))
    tiles = shapely.box(left, front, left + _TILE, front + _TILE)
    shapely.prepare(area)
    tiles = tiles[shapely.intersects(area, tiles)]
    whole = shapely.contains(area, tiles)
    return [*tiles[whole], *shapely.intersection(area, tiles[~whole])]


def _ground(plan: Plan, setup: Setup, outline: shapely.Geometry) -> list[Mesh]:
    size = setup.frame(plan.stock).high
    height = ground_height(plan, setup)
    area = shapely.box(0, 0, size[0], size[1]).buffer(_TILE, join_style="mitre").difference(outline.buffer(-_UNDER))
    return [solid for tile in _tiled(area) for solid in prism(tile, -_DEEP, height)]


def tab_mesh(tab: FaceTab, border: float) -> Mesh:
    """The solid of a tab, in stock space."""
    low, high = -tab.inward, border + BEYOND
    if tab.shape == "bar":
        section = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * [tab.width / 2, tab.thickness / 2]
    else:
        turn = np.arange(_ROUND) * 2 * np.pi / _ROUND
        section = np.column_stack([np.cos(turn), np.sin(turn)]) * tab.thickness / 2
    n = len(section)
    ends = [np.column_stack([np.full(n, x), section]) for x in (low, high)]
    k = np.arange(n)
    after = np.roll(k, -1)
    sides = np.concatenate([np.stack([k, after, after + n], 1), np.stack([k, after + n, k + n], 1)])
    fan = np.column_stack([np.zeros(n - 2, int), k[1:-1], k[2:]])
    faces = np.concatenate([sides[:, ::-1], fan[:, ::-1], fan + n])[:, ::-1]
    angle = np.radians(tab.angle)
    about_z = np.array([[np.cos(angle), -np.sin(angle), 0], [np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
    vertices: F64 = np.concatenate(ends) @ about_z.T + tab.at
    mesh = Mesh(vertices, np.ascontiguousarray(faces, np.int32))
    return mesh if _volume(mesh) > 0 else Mesh(vertices, np.ascontiguousarray(faces[:, ::-1], np.int32))


def _volume(mesh: Mesh) -> float:
    a, b, c = (mesh.vertices[mesh.faces[:, k]] for k in range(3))
    return float((a * np.cross(b, c)).sum()) / 6


def standing(plan: Plan, setup: Setup, work: Resolver) -> list[Mesh]:
    """The solids that stay standing beside the models in a setup, in its frame; none where the part is cut from one
    face."""
    faces = plan.faces
    if faces is None:
        return []
    outline = shadow_of(work, plan, setup)
    matrix = setup.frame(plan.stock).matrix
    tabs = [tab_mesh(tab, faces.border).moved(matrix) for tab in faces.tabs]
    ground = _ground(plan, setup, outline)
    return [joined([*ground, *tabs])] if ground or tabs else []
