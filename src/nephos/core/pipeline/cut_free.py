"""What a part of several faces is left with after all its setups: surface that no side has cut, and what still holds it
in its frame besides its tabs."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from nephos.core.arrays import F32, F64, Bool
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.topology import shells_of
from nephos.core.pipeline.outcome import SetupOutcome
from nephos.core.pipeline.standing import BEYOND
from nephos.core.plan.joined_faces import FaceTab
from nephos.core.stock.block import Block
from nephos.core.stock.over_surface import left_over_places, outside_of, surface_places
from nephos.core.stock.passed_on import Side
from nephos.core.stock.pieces import find_pieces
from nephos.core.surface.index import build_index
from nephos.core.surface.inside import signed_distances

UNCUT = 1.0
"""Where more (mm) than this stands over it, the surface counts as not cut."""
HELD = 1.0
"""What holds the part in its frame by less height (mm) than this breaks off by hand: it is a ridge."""
_MOST = 60.0
"""Material over a place is followed so far (mm) at most."""
_PLACES = 40_000
_SOME = 0.001
"""Less of the surface than this share is a place or two in corners."""
_INSIDE = 0.05
"""So far (mm) inside of the model material is the model's own."""


@dataclass(frozen=True)
class Uncut:
    """Surface that is not cut: which `share` of it, how much (mm) stands there at `most`, and where (stock space);
    `heights` (n,) (mm) are those of evenly spread places of the whole surface, 0 where it is cut."""

    share: float
    most: float
    place: tuple[float, float, float] | None
    heights: F64


def near_tabs(points: F64, tabs: Sequence[FaceTab], border: float, beside: float) -> Bool:
    """(n,) bool, which places (n, 3) in stock space lie on the footprint of a tab, or no more than `beside` mm off."""
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


def uncut_surface(
    mesh: Mesh, sides: Sequence[Side], size: F64, tabs: Sequence[FaceTab] = (), border: float = 0.0, corner: float = 0.0
) -> Uncut:
    """What of a model's surface the setups have left uncut.

    Parameters
    ----------
    mesh : the model in stock space. sides : what each setup has cut. size : (3,) of the stock's box. corner :
    radius (mm) of the thickest cutter: in the corners between tabs and part it leaves as much.

    Notes
    -----
    Surfaces of closed hollows inside the model belong to no machining, and neither do those of a shell inside another:
    they are left out. Across a slot, material is followed to the other wall only.
    """
    points, normals = surface_places(mesh.vertices, _outer(mesh), _PLACES)
    off = ~near_tabs(points, tabs, border, corner)
    points, normals = points[off], normals[off]
    if not len(points):
        return Uncut(0.0, 0.0, None, np.zeros(0))
    heights = left_over_places(points, normals, sides, size, _MOST)
    thick = np.flatnonzero(heights > UNCUT)
    index = build_index(mesh.vertices, mesh.faces) if len(thick) else None
    kept: Bool = np.ones(len(points), np.bool_)
    if index is not None:
        at, out = points[thick], normals[thick]
        buried = signed_distances(index, at + 2 * _INSIDE * out, 1.0) < 0
        kept[thick[buried]] = False
        reach = heights[thick].copy()
        for t in np.arange(UNCUT / 2, reach.max(), UNCUT / 2):
            open_ = t < reach
            if not open_.any():
                break
            seen = signed_distances(index, at[open_] + t * out[open_], UNCUT)
            reach[np.flatnonzero(open_)[seen < -_INSIDE]] = t
        heights[thick] = reach
    heights, points = heights[kept], points[kept]
    # What stands farther off than the border is the frame.
    heights = np.minimum(np.where(heights > UNCUT, heights, 0.0), border if border > UNCUT else _MOST)
    share = float((heights > 0).mean())
    if share < _SOME:
        return Uncut(0.0, 0.0, None, np.zeros(len(heights)))
    worst = int(heights.argmax())
    place = (float(points[worst, 0]), float(points[worst, 1]), float(points[worst, 2]))
    return Uncut(share, float(heights[worst]), place, heights)


def _outer(mesh: Mesh) -> np.ndarray:
    """The faces of a mesh without the walls of closed hollows inside of it: shells that are inside out."""
    number, count = shells_of(np.ascontiguousarray(mesh.faces, np.int32), len(mesh.vertices))
    a, b, c = (mesh.vertices[mesh.faces[:, k]] for k in range(3))
    volume = np.bincount(number, np.einsum("ij,ij->i", a, np.cross(b, c)) / 6, count)
    if volume.max(initial=0.0) <= 0:
        return mesh.faces
    return np.ascontiguousarray(mesh.faces[volume[number] >= 0])


def held_in_frame(
    done: SetupOutcome, block: Block, outline: shapely.Geometry, mesh: Mesh, sides: Sequence[Side]
) -> tuple[float, float, float] | None:
    """A place of the part (stock space) if it hangs in its frame by more than its tabs; none where it is free.

    Parameters
    ----------
    block : the finished block in the frame of `done`. outline : of the part as that setup sees it. mesh : the model in
    stock space.
    """
    faces = done.space.plan.faces
    if faces is None:
        return None
    g, back = block.grid, np.linalg.inv(done.space.matrix)
    x, y = np.meshgrid(g.xs, g.ys)
    middles = np.column_stack([x.ravel(), y.ravel(), np.zeros(x.size), np.ones(x.size)])
    # Columns through tabs are taken out, wherever a tab stands in them.
    through: Bool = np.zeros(x.size, np.bool_)
    for tab in faces.tabs:
        middles[:, 2] = (done.space.matrix @ [*tab.at, 1.0])[2]
        through |= near_tabs((middles @ back.T)[:, :3], (tab,), faces.border, 2 * g.pitch)
    labels, _ = find_pieces(block.only(~through.reshape(x.shape)), HELD)
    around = shapely.union_all([shapely.Polygon(piece.exterior) for piece in shapely.get_parts(outline)])
    off = around.buffer(0.9 * faces.border)
    shapely.prepare(off)
    frame = np.unique(labels[:, ~shapely.intersects_xy(off, x, y)])
    points, normals = surface_places(mesh.vertices, _outer(mesh), _PLACES // 10)
    inside = points - 2 * g.pitch * normals
    inside = inside[outside_of(inside, sides, np.array(done.space.plan.stock.size)) < -g.pitch]
    seen = inside @ done.space.matrix[:3, :3].T + done.space.matrix[:3, 3]
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
    """What was compared (n,), deviations (mm) and what cutters reach, with the places of the whole surface that no side
    has cut: as many as their share of the area asks for, in the place of what was seen of them."""
    cut = np.isfinite(deviation) & (deviation <= UNCUT)
    more = np.sort(uncut.heights[uncut.heights > 0])
    if not len(more):
        return deviation, reachable
    count = max(round(int(cut.sum()) * uncut.share / max(1.0 - uncut.share, 1e-3)), 1)
    spread = np.quantile(more, (np.arange(count) + 0.5) / count).astype(np.float32)
    return np.concatenate([deviation[cut], spread]), np.concatenate([reachable[cut], np.zeros(count, np.bool_)])
