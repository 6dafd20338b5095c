"""Tabs at both ends along X of a part that is cut from four faces: where its end is solid and even enough to hold."""

from dataclasses import dataclass

import numpy as np
import shapely
from scipy.ndimage import grey_dilation

from nephos.core.arrays import F64, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.mesh.model import Mesh
from nephos.core.plan.joined_faces import FaceTab
from nephos.core.surface.drop import drop_grid
from nephos.core.surface.index import build_index

__all__ = ["PartEnds"]

_CELLS = 97
"""An end is looked at on a grid of so many cells along its longer side."""
_DIAMETERS = (16.0, 14.0, 12.0, 10.0, 8.0, 6.0, 5.0, 4.0, 3.0, 2.5, 2.0, 1.5)
_SHARE = 0.6
"""A tab is at most so large a share of the end's smaller side."""
_DEEPEST = 0.35
"""A tab holds within this share of the part's length from its end."""
_PER_DEPTH = 0.8
"""A tab that is so much (mm) thinner is worth a millimetre less along the part, which has to be cleaned by hand."""
_PER_OFF = 0.05
"""The same for a millimetre off the middle of the end."""
_INWARD = 1.0
"""A tab goes so far (mm) into the part at least."""
_POINT = Profile.of(0.0, 1e-6)


@dataclass(frozen=True)
class _End:
    """An end of the part as seen along X: how far (mm) behind its outermost point the surface lies on a grid (n, m)
    over (u, v), infinite beside the part."""

    depth: F64
    u: F64
    v: F64
    pitch: float


def _seen_from(mesh: Mesh, sign: int) -> _End:
    """The end towards X times `sign`; u and v are Y and Z, or Z and Y, so that nothing is mirrored."""
    order = (1, 2) if sign > 0 else (2, 1)
    turned = np.column_stack([mesh.vertices[:, order[0]], mesh.vertices[:, order[1]], sign * mesh.vertices[:, 0]])
    low, high = turned.min(axis=0), turned.max(axis=0)
    pitch = float(max((high - low)[:2].max() / _CELLS, 0.05))
    nx, ny = (int(n) + 1 for n in (high - low)[:2] / pitch)
    floor = float(low[2]) - 1.0
    top = drop_grid(
        build_index(np.ascontiguousarray(turned), mesh.faces),
        float(low[0]),
        float(low[1]),
        pitch,
        nx,
        ny,
        _POINT,
        floor,
    )
    depth = np.where(top > floor + 0.5, high[2] - top, np.inf)
    return _End(depth, low[0] + np.arange(nx) * pitch, low[1] + np.arange(ny) * pitch, pitch)


def _best(end: _End, length: float, most: float, least: float) -> tuple[float, int, int, float] | None:
    """Diameter, row and column of the tab that holds best, and how far (mm) it has to go in until all of it does."""
    middle_u, middle_v = float(end.u.mean()), float(end.v.mean())
    off = np.hypot(end.u[None, :] - middle_u, end.v[:, None] - middle_v)
    nowhere = 1e3 * length
    depth = np.minimum(end.depth, nowhere)
    small = min(float(np.ptp(end.u)), float(np.ptp(end.v)))
    best: tuple[float, float, int, int, float] | None = None
    for diameter in _DIAMETERS:
        if diameter > max(min(_SHARE * small, most), _DIAMETERS[-1]) or (diameter < least and best is not None):
            continue
        n = max(round(diameter / 2 / end.pitch), 1)
        disc: Bool = np.hypot(*np.mgrid[-n : n + 1, -n : n + 1]) <= n + 1e-9
        far = grey_dilation(depth, footprint=disc, mode="constant", cval=nowhere)
        fits = far < _DEEPEST * length
        if not fits.any():
            continue
        worth = np.where(fits, diameter - _PER_DEPTH * far - _PER_OFF * off, -np.inf)
        j, i = np.unravel_index(int(worth.argmax()), worth.shape)
        if best is None or worth[j, i] > best[0]:
            best = float(worth[j, i]), diameter, int(j), int(i), float(far[j, i])
    return None if best is None else best[1:]


@dataclass(frozen=True)
class PartEnds:
    """Both ends along X of a part, seen once: which tabs fit there is then quick to ask."""

    ends: tuple[_End, _End]
    low: float
    high: float

    @classmethod
    def of(cls, mesh: Mesh, within: shapely.Geometry) -> "PartEnds | None":
        """Ends of the faces of a placed `mesh` (stock space) `within` an area on the plan; none without such faces."""
        shapely.prepare(within)
        mine = shapely.intersects_xy(within, mesh.vertices[:, 0], mesh.vertices[:, 1])
        faces = mesh.faces[mine[mesh.faces].all(axis=1)]
        if len(faces) == 0:
            return None
        used, flat = np.unique(faces, return_inverse=True)
        part = Mesh(mesh.vertices[used], flat.reshape(-1, 3).astype(np.int32))
        x = part.vertices[:, 0]
        return cls((_seen_from(part, -1), _seen_from(part, 1)), float(x.min()), float(x.max()))

    def tabs(self, first: int, most: float = 12.0, least: float = 0.0) -> list[FaceTab]:
        """A round tab at each end.

        Parameters
        ----------
        first : number of the first tab. most : largest diameter (mm). least : smallest diameter (mm), where the part
        has room for it at any depth; thinner tabs are taken only where it has not.

        Returns
        -------
        At most one tab for each end; an end without room for the smallest tab has none.
        """
        found: list[FaceTab] = []
        for sign, end in zip((-1, 1), self.ends, strict=True):
            chosen = _best(end, self.high - self.low, most, least)
            if chosen is None:
                continue
            diameter, j, i, deepest = chosen
            y, z = (end.u[i], end.v[j]) if sign > 0 else (end.v[j], end.u[i])
            found.append(
                FaceTab(
                    id=f"tab-{first + len(found)}",
                    shape="round",
                    at=(round(self.high if sign > 0 else self.low, 2), round(float(y), 2), round(float(z), 2)),
                    angle=0.0 if sign > 0 else 180.0,
                    width=diameter,
                    thickness=diameter,
                    inward=round(deepest + _INWARD, 2),
                )
            )
        return found
