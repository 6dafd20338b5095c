"""The outline of a mesh seen from the cutter: exact, from the edges where its faces turn away."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from contourpy import contour_generator
from scipy.ndimage import binary_erosion

from nephos.core.arrays import F64, I32, I64, Bool
from nephos.core.cutters import Profile
from nephos.core.mesh.topology import edges_of
from nephos.core.surface.drop import drop_grid, drop_points
from nephos.core.surface.index import SurfaceIndex, build_index

MANY = 20_000
"""More edges than this are sieved: those that lie well inside are no part of the outline."""
TOO_MANY = 150_000
"""More edges near the outline than this, as a raw scan seen along its back has, are not followed: a grid tells the
outline."""
_POINT = Profile.of(0.0, 1e-6)


def _rim(vertices: F64, faces: I32) -> F64:
    """Segments (k, 4) on the plan round faces that all look one way: the edges that one of them has alone."""
    if len(faces) == 0:
        return np.empty((0, 4))
    edges = edges_of(faces)
    a, b = edges.ends[edges.balance != 0].T
    # The lower vertex comes first, so the same edge is the same segment on both sides.
    result: F64 = np.concatenate([vertices[a, :2], vertices[b, :2]], axis=1)
    return result


@dataclass(frozen=True)
class _Cover:
    """Which points of a grid (ny, nx) lie under the mesh, at x0 + i * pitch, y0 + j * pitch."""

    x0: float
    y0: float
    pitch: float
    under: Bool


def _cover(index: SurfaceIndex, cells: int) -> _Cover:
    """The cover on a grid of so many cells along the longer side, with three cells more all round."""
    low, high = index.low[:2], index.high[:2]
    pitch = float((high - low).max()) / cells
    x0, y0 = map(float, low - 3 * pitch)
    nx, ny = (np.ceil((high - low) / pitch).astype(int) + 7).tolist()
    floor = float(index.low[2]) - 1.0
    return _Cover(x0, y0, pitch, drop_grid(index, x0, y0, pitch, nx, ny, _POINT, floor) > floor)


def _near_outline(rim: F64, cover: _Cover) -> F64:
    """Those segments that do not lie wholly well inside what the mesh covers."""
    deep = binary_erosion(cover.under, iterations=2)
    i = np.floor((rim[:, 0::2] - cover.x0) / cover.pitch + 0.5).astype(np.int64)
    j = np.floor((rim[:, 1::2] - cover.y0) / cover.pitch + 0.5).astype(np.int64)
    long = np.hypot(rim[:, 2] - rim[:, 0], rim[:, 3] - rim[:, 1]) > 2 * cover.pitch
    return np.ascontiguousarray(rim[~deep[j, i].all(axis=1) | long])


def _from_grid(cover: _Cover) -> shapely.Geometry:
    """The outline as finely as the grid shows it, half a cell outside: for meshes whose rims are past counting."""
    ny, nx = cover.under.shape
    contours = contour_generator(
        cover.x0 + cover.pitch * np.arange(nx),
        cover.y0 + cover.pitch * np.arange(ny),
        cover.under.astype(np.float64),
        fill_type="OuterOffset",
    )
    outlines, offsets = contours.filled(0.5, np.inf)
    rings = [[points[a:b] for a, b in pairwise(offset)] for points, offset in zip(outlines, offsets, strict=True)]
    whole = shapely.union_all([shapely.make_valid(shapely.Polygon(ring[0], ring[1:])) for ring in rings])
    return whole.buffer(cover.pitch / 2).simplify(cover.pitch / 3)


def silhouette(vertices: F64, faces: I32) -> shapely.Geometry:
    """What a mesh covers on the plan: polygons with holes, through its own vertices.

    Parameters
    ----------
    vertices : (n, 3) float64 millimetres. faces : (m, 3) int32.

    Notes
    -----
    The outline runs along edges where a face that looks up meets one that does not, or none. Those edges, from both
    sides of the mesh, cut the plan into cells, each of which is covered or not as any point in it is; a point is
    covered
    where it lies under a face. Of a rough mesh, whose faces turn away everywhere, only the edges near the outline are
    looked
    at: what is not covered is then found down to about a thousandth of its size. Where even those are past counting,
    the
    outline is that of a grid of a 2400th of its size, half a cell outside.
    """
    # Millionths of a micrometre are no lengths, and numbers next to nothing upset where lines are found to cross.
    vertices = np.column_stack([np.round(vertices[:, :2], 9), vertices[:, 2]])
    a, b, c = (vertices[faces[:, k], :2] for k in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    flat = 1e-12 * float(np.ptp(vertices[:, :2], axis=0).max()) ** 2
    rims = [_rim(vertices, faces[side]) for side in (area > flat, area < -flat)]
    # A closed mesh turns from up to down along its rims, and both sides have them.
    rim = np.unique(np.concatenate(rims), axis=0)
    if len(rim) == 0:
        return shapely.MultiPolygon()
    index = build_index(vertices, faces)
    if len(rim) > MANY:
        cover = _cover(index, 1200)
        rim = _near_outline(rim, cover)
    if len(rim) > TOO_MANY:
        return _from_grid(_cover(index, 2400))
    lines = shapely.unary_union(shapely.linestrings(rim.reshape(-1, 2, 2)))
    cells = shapely.get_parts(shapely.polygonize([lines]))
    if len(cells) == 0:
        return shapely.MultiPolygon()
    floor = float(index.low[2]) - 1.0
    inside = shapely.get_coordinates(shapely.point_on_surface(cells))
    covered = drop_points(index, np.ascontiguousarray(inside), _POINT, floor) > floor
    return shapely.coverage_union_all(cells[covered])


def rings_of(geometry: shapely.Geometry) -> tuple[F64, I64]:
    """All rings of a geometry: points (n, 2) float64 and the index behind each ring's last point."""
    rings = shapely.get_rings(shapely.get_parts(geometry))
    points = [shapely.get_coordinates(ring) for ring in rings]
    ends = np.cumsum([len(item) for item in points], dtype=np.int64) if points else np.empty(0, np.int64)
    return (np.concatenate(points) if points else np.empty((0, 2))), ends
