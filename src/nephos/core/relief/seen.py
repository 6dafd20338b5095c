"""A mesh or a height image as a piece: what is seen of it from above."""

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.affinity import affine_transform

from nephos.core.arrays import F64, I32, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.picture import picture_mesh
from nephos.core.mesh.repair.cut_below import cut_below
from nephos.core.mesh.topology import edges_of
from nephos.core.relief.outline import moved_points
from nephos.core.relief.piece import Heights, Lines
from nephos.core.relief.sources import MeshSource
from nephos.core.rotation import turning
from nephos.core.surface.drop import drop_points
from nephos.core.surface.index import SurfaceIndex, build_index
from nephos.core.surface.silhouette import silhouette

__all__ = ["SeenMesh", "SeenPiece", "seen_mesh"]

_TIP = Profile.of(0.0, 5e-5)
"""Heights are read with a tip a little wider than the grid of the triangulation, so that rims are met."""
_HIDDEN = 2e-3
"""What lies deeper (mm) under the surface than this is hidden from above."""


@dataclass(frozen=True)
class SeenMesh:
    """A mesh as it is seen from above, centred on the origin, its foot at 0, `width` mm along X.

    `edges` (k, 2) are its visible edges among the `corners` (n, 2) on the plan; `height` is how high it is at its own
    scale."""

    area: shapely.Geometry
    index: SurfaceIndex
    height: float
    corners: F64
    edges: I32
    steep: bool

    def rise(self, xy: F64) -> F64:
        """Heights (n,) over the foot at its own scale; below it where there is nothing."""
        return drop_points(self.index, xy, _TIP, -1.0)


def seen_mesh(mesh: Mesh, source: MeshSource, most: int | None = None) -> SeenMesh:
    """What is seen of a mesh from above, as its source says; thinned to `most` triangles for a preview.

    Raises
    ------
    Refused
        Where nothing is left above the cut, or it has no extent.
    """
    rotation = turning(*source.turn)
    vertices = mesh.vertices @ np.asarray(rotation)[:3, :3].T
    turned = Mesh(vertices, mesh.faces)
    low, high = _box(turned)
    if source.foot > 0:
        turned = cut_below(turned, np.array([0.0, 0.0, 1.0]), float(low[2] + source.foot * (high[2] - low[2])))
        if len(turned.faces) == 0:
            raise Refused("nothing of the mesh is left above the cut: lower it")
        low, high = _box(turned)
    if most is not None and len(turned.faces) > most:
        # After the cut: a thinned plate would not lie level any more.
        thin, faces = picture_mesh(turned, most)
        turned = Mesh(thin.astype(np.float64), faces)
    if high[0] - low[0] < 1e-9 or high[2] - low[2] < 1e-9:
        raise Refused("the mesh has no width or no height as it is turned: turn it flat first")
    scale = source.width / float(high[0] - low[0])
    middle = np.array([*(low[:2] + high[:2]) / 2, low[2]])
    vertices = (turned.vertices - middle) * scale
    index = build_index(vertices, turned.faces)
    area = silhouette(vertices, turned.faces)
    if area.is_empty:
        raise Refused("nothing of the mesh is seen from above: turn it flat first")
    edges, steep = _visible_edges(vertices, turned.faces, index)
    return SeenMesh(area, index, float((high[2] - low[2]) * scale), *edges, steep)


def _box(mesh: Mesh) -> tuple[F64, F64]:
    """Low and high corner of what the faces use."""
    used = mesh.vertices[np.unique(mesh.faces)]
    return used.min(axis=0), used.max(axis=0)


def _visible_edges(vertices: F64, faces: np.ndarray, index: SurfaceIndex) -> tuple[tuple[F64, I32], bool]:
    """Corners and edges on the plan that are seen from above, and whether the surface has steps among them."""
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    up = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    tiny = 1e-12 * float(np.ptp(vertices[:, :2], axis=0).max()) ** 2
    facing = faces[up > tiny]
    if len(facing) == 0:
        # The mesh may be inside out, or look down only.
        facing = faces[np.abs(up) > tiny]
    found = edges_of(np.ascontiguousarray(facing, np.int32))
    ends = found.ends
    highest = drop_points(index, np.ascontiguousarray(vertices[:, :2]), _TIP, -1.0)
    seen = vertices[:, 2] >= highest - _HIDDEN
    middle = (vertices[ends[:, 0]] + vertices[ends[:, 1]]) / 2
    tops = drop_points(index, np.ascontiguousarray(middle[:, :2]), _TIP, -1.0)
    shown = np.stack([seen[ends[:, 0]], seen[ends[:, 1]], middle[:, 2] >= tops - _HIDDEN])
    # An edge of a step counts though only a part of it is seen.
    visible: Bool = np.where(found.balance != 0, shown.any(axis=0), shown.all(axis=0))
    length = np.hypot(*(vertices[ends[:, 0], :2] - vertices[ends[:, 1], :2]).T)
    visible &= length > 1e-4
    used, back = np.unique(ends[visible], return_inverse=True)
    edges = np.ascontiguousarray(vertices[used, :2]), back.reshape(-1, 2).astype(np.int32)
    # A step is an edge that only one face looking up has, with something lower beside it.
    rim = ends[visible & (found.balance != 0)]
    around = middle[visible & (found.balance != 0)][:, :2]
    side = vertices[rim[:, 1], :2] - vertices[rim[:, 0], :2] if len(rim) else np.zeros((0, 2))
    side = np.stack([-side[:, 1], side[:, 0]], 1) / np.maximum(np.hypot(*side.T), 1e-12)[:, None] if len(rim) else side
    both = [drop_points(index, np.ascontiguousarray(around + s * 1e-3 * side), _TIP, -1.0) for s in (-1, 1)]
    lower = np.minimum(*both) if len(rim) else np.zeros(0)
    steep = bool((lower > -0.5).any()) if len(rim) else False
    return edges, steep


@dataclass(frozen=True)
class SeenPiece:
    """A seen mesh, placed: `matrices` (3, 3) put its copies on the plan, `height` is the piece's."""

    mesh: SeenMesh
    matrices: tuple[F64, ...]
    area: shapely.Geometry
    height: float

    @property
    def steep(self) -> bool:
        """Whether it has upright steps inside its area."""
        return self.mesh.steep or len(self.matrices) > 1

    def heights(self, xy: F64) -> Heights:
        """Its heights at places (n, 2) in its area: that of the highest copy."""
        best, part = np.full(len(xy), -1.0), np.zeros(len(xy), np.int32)
        for k, matrix in enumerate(self.matrices):
            rise = self.mesh.rise(np.ascontiguousarray(moved_points(xy, np.asarray(np.linalg.inv(matrix), np.float64))))
            part[rise > best] = k
            best = np.maximum(best, rise)
        return Heights(np.maximum(best, 0.0) * (self.height / self.mesh.height), part)

    def lines(self, tolerance: float) -> Lines:
        """Its visible edges, and the outline of each copy."""
        count = len(self.mesh.corners)
        corners = [moved_points(self.mesh.corners, m) for m in self.matrices]
        edges = [self.mesh.edges + k * count for k in range(len(self.matrices))]
        creases: list[tuple[F64, bool]] = []
        if len(self.matrices) > 1:
            for m in self.matrices:
                own = affine_transform(self.mesh.area, [m[0, 0], m[0, 1], m[1, 0], m[1, 1], m[0, 2], m[1, 2]])
                creases += [(shapely.get_coordinates(r)[:-1], True) for r in shapely.get_rings(shapely.get_parts(own))]
        return Lines(tuple(creases), np.zeros((0, 2)), np.concatenate(corners), np.concatenate(edges).astype(np.int32))
