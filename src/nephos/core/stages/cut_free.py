"""Checks of a finished part of several faces: surface that no setup has cut, and webs that connect it with its
frame."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from nephos.core.arrays import F32, F64, I32, Bool
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.topology import shells_of
from nephos.core.plan.joined_faces import FaceTab
from nephos.core.plan.setups.setup import Setup
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.uncut_solids import BEYOND
from nephos.core.stock.block import Block
from nephos.core.stock.over_surface import outside_of, remaining_thickness, surface_samples
from nephos.core.stock.passed_on import Side
from nephos.core.stock.pieces import find_pieces
from nephos.core.surface.index import build_index
from nephos.core.surface.inside import signed_distances

UNCUT = 1.0
"""Surface with more remaining stock (mm) than this counts as uncut."""
HELD = 1.0
"""Smallest height (mm) of a web between part and frame. A lower one is a ridge, which breaks off by hand."""
ALLOWANCE = 0.5
"""Roughing may leave this much (mm) more than its stock to leave, as its outlines are chords."""
_MOST = 60.0
"""Largest thickness (mm) of remaining stock that is measured."""
_SAMPLES = 40_000
"""Number of samples of the surface."""
_LEAST_SHARE = 0.001
"""A smaller uncut share of the surface is not reported."""
_INSIDE = 0.05
"""Depth (mm) inside the model from which on a point is in the model itself."""


@dataclass(frozen=True)
class Uncut:
    """Uncut surface of a part.

    `share` : of the surface area. `most` : largest thickness of remaining stock, mm. `place` : of that, in stock space;
    none where all is cut. `heights` : (n,) float64 thickness at evenly spread samples of the surface, 0 where it is
    cut.
    """

    share: float
    most: float
    place: tuple[float, float, float] | None
    heights: F64


def near_tabs(points: F64, tabs: Sequence[FaceTab], border: float, beside: float) -> Bool:
    """(n,) bool: which points (n, 3) in stock space lie in a tab, or within `beside` mm of one."""
    found: Bool = np.zeros(len(points), np.bool_)
    for tab in tabs:
        angle = np.radians(tab.angle)
        rel = points - np.array(tab.at)
        along = rel[:, 0] * np.cos(angle) + rel[:, 1] * np.sin(angle)
        across = rel[:, 1] * np.cos(angle) - rel[:, 0] * np.sin(angle)
        wide = tab.width if tab.shape == "bar" else tab.thickness
        found |= (
            (along >= -tab.inward - beside)
            & (along <= border + BEYOND)
            & (np.abs(across) <= wide / 2 + beside)
            & (np.abs(rel[:, 2]) <= tab.thickness / 2 + beside)
        )
    return found


def tab_skin(setups: Iterable[Setup]) -> float:
    """Thickness (mm) of the layer that roughing leaves on tabs: its stock to leave, and on round tabs up to the
    stepdown of its finest levels. Finishing leaves tabs out."""
    skins = [0.0]
    for setup in setups:
        leaves = [operation.settings.figures.leave for operation in setup.worked]
        steps = [operation.settings.figures.stepdown or 0.0 for operation in setup.worked if operation.role == "rough"]
        skins.append(max(leaves, default=0.0) + min(steps, default=0.0))
    return max(skins) + ALLOWANCE


def uncut_surface(
    mesh: Mesh,
    sides: Sequence[Side],
    size: F64,
    tabs: Sequence[FaceTab] = (),
    border: float = 0.0,
    corner: float = 0.0,
    *,
    holds: Callable[[F64, F64], Bool] | None = None,
) -> Uncut:
    """Measure the surface of a model that no setup has cut.

    Parameters
    ----------
    mesh : the model in stock space. sides : the cut of each setup. size : (3,) size of the stock. tabs, border : of the
    part; samples on tabs are left out. corner : margin (mm) round tabs, the radius of the largest cutter, which leaves
    fillets there. holds : which samples (points and normals, (n, 3) each) hold the part by other means; they are left
    out too.

    Notes
    -----
    Closed cavities and shells inside another shell cannot be machined: their surfaces are left out. Across a slot only
    the stock up to the opposite wall counts.
    """
    points, normals = surface_samples(mesh.vertices, _outer_faces(mesh), _SAMPLES)
    off = ~near_tabs(points, tabs, border, corner)
    if holds is not None:
        off &= ~holds(points, normals)
    points, normals = points[off], normals[off]
    if not len(points):
        return Uncut(0.0, 0.0, None, np.zeros(0))
    heights = remaining_thickness(points, normals, sides, size, _MOST)
    thick = np.flatnonzero(heights > UNCUT)
    index = build_index(mesh.vertices, mesh.faces) if len(thick) else None
    kept: Bool = np.ones(len(points), np.bool_)
    if index is not None:
        at, out = points[thick], normals[thick]
        buried = signed_distances(index, at + 2 * _INSIDE * out, 1.0) < 0
        kept[thick[buried]] = False
        # From where on a ray is inside the model again.
        reach = heights[thick].copy()
        for t in np.arange(UNCUT / 2, reach.max(), UNCUT / 2):
            going = np.flatnonzero(t < reach)
            if not len(going):
                break
            seen = signed_distances(index, at[going] + t * out[going], UNCUT)
            reach[going[seen < -_INSIDE]] = t
        heights[thick] = reach
    heights, points = heights[kept], points[kept]
    # Beyond the border is the frame.
    heights = np.minimum(np.where(heights > UNCUT, heights, 0.0), border if border > UNCUT else _MOST)
    share = float((heights > 0).mean())
    if share < _LEAST_SHARE:
        return Uncut(0.0, 0.0, None, np.zeros(len(heights)))
    worst = int(heights.argmax())
    place = (float(points[worst, 0]), float(points[worst, 1]), float(points[worst, 2]))
    return Uncut(share, float(heights[worst]), place, heights)


def _outer_faces(mesh: Mesh) -> I32:
    """Faces (m, 3) of a mesh with normals outwards, without the walls of closed cavities.

    A cavity is a shell of negative volume. Where the whole volume is negative the mesh is inside out: its faces are
    reversed."""
    faces = np.ascontiguousarray(mesh.faces, np.int32)
    number, count = shells_of(faces, len(mesh.vertices))
    a, b, c = (mesh.vertices[faces[:, k]] for k in range(3))
    volume = np.bincount(number, np.einsum("ij,ij->i", a, np.cross(b, c)) / 6, count)
    if volume.sum() < 0:
        faces, volume = faces[:, ::-1], -volume
    return np.ascontiguousarray(faces[volume[number] >= 0])


def held_in_frame(
    space: SetupSpace, block: Block, outline: shapely.Geometry, mesh: Mesh, sides: Sequence[Side], skin: float
) -> tuple[float, float, float] | None:
    """A point of the part (stock space) that a web connects with the frame, besides the tabs; none without a web.

    Parameters
    ----------
    space : of a face setup. block : the finished block in its frame. outline : of the part, seen from that setup. mesh
    : the model in stock space. sides : the cut of each setup. skin : layer (mm) that roughing leaves on the sides of
    tabs.
    """
    faces = space.plan.faces
    if faces is None:
        return None
    g, back = block.grid, np.linalg.inv(space.matrix)
    x, y = np.meshgrid(g.xs, g.ys)
    middles = np.column_stack([x.ravel(), y.ravel(), np.zeros(x.size), np.ones(x.size)])
    # Columns through tabs, with their skin, are removed at all heights.
    through: Bool = np.zeros(x.size, np.bool_)
    for tab in faces.tabs:
        middles[:, 2] = (space.matrix @ [*tab.at, 1.0])[2]
        through |= near_tabs((middles @ back.T)[:, :3], (tab,), faces.border, skin + 2 * g.pitch)
    labels, _ = find_pieces(block.only(~through.reshape(x.shape)), HELD)
    around = shapely.union_all([shapely.Polygon(piece.exterior) for piece in shapely.get_parts(outline)])
    off = around.buffer(0.9 * faces.border)
    shapely.prepare(off)
    frame = np.unique(labels[:, ~shapely.intersects_xy(off, x, y)])
    points, normals = surface_samples(mesh.vertices, _outer_faces(mesh), _SAMPLES // 10)
    inside = points - 2 * g.pitch * normals
    inside = inside[outside_of(inside, sides, np.array(space.plan.stock.size)) < -g.pitch]
    seen = inside @ space.matrix[:3, :3].T + space.matrix[:3, 3]
    i = np.clip(np.rint((seen[:, 0] - g.x0) / g.pitch).astype(int), 0, g.nx - 1)
    j = np.clip(np.rint((seen[:, 1] - g.y0) / g.pitch).astype(int), 0, g.ny - 1)
    stands = (seen[:, 2] > block.low[:, j, i]) & (seen[:, 2] < block.high[:, j, i])
    label = np.where(stands, labels[:, j, i], -1).max(axis=0, initial=-1)
    held = np.isin(label, frame[frame >= 0]) & (label >= 0)
    if not held.any():
        return None
    at = inside[int(held.argmax())]
    return float(at[0]), float(at[1]), float(at[2])


def with_uncut(deviation: F32, reachable: Bool, uncut: Uncut) -> tuple[F32, Bool]:
    """Deviations (n,) (mm) and reachability (n,) of the compared cells, with uncut surface added by its share of the
    area.

    Compared cells with more than :data:`UNCUT` are replaced, so that no area counts twice."""
    cut = np.isfinite(deviation) & (deviation <= UNCUT)
    more = np.sort(uncut.heights[uncut.heights > 0])
    if not len(more):
        return deviation, reachable
    count = max(round(int(cut.sum()) * uncut.share / max(1.0 - uncut.share, 1e-3)), 1)
    spread = np.quantile(more, (np.arange(count) + 0.5) / count).astype(np.float32)
    return np.concatenate([deviation[cut], spread]), np.concatenate([reachable[cut], np.zeros(count, np.bool_)])
