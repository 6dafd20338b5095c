"""Compositions for tests, and how a composed mesh is measured against closed forms."""

from collections.abc import Callable
from typing import Any

import numpy as np
import trimesh

from nephos.core.arrays import F64
from nephos.core.cutters.profile import Profile
from nephos.core.mesh.model import Mesh
from nephos.core.relief.composition import Composition
from nephos.core.relief.surface import composed
from nephos.core.surface.drop import drop_points
from nephos.core.surface.index import build_index

POINT = Profile.of(0.0, 1e-6)


def no_mesh(_: str) -> Mesh:
    raise AssertionError("no mesh is asked for")


def piece(key: str, source: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"id": key, "name": key, "source": source, **more}


def relief(*pieces: dict[str, Any], tolerance: float = 0.01) -> Composition:
    return Composition.model_validate({"pieces": list(pieces), "tolerance": tolerance})


def surface(*pieces: dict[str, Any], meshes: Callable[[str], Mesh] = no_mesh, tolerance: float = 0.01) -> Mesh:
    return composed(relief(*pieces, tolerance=tolerance), meshes)


def top_of(mesh: Mesh, xy: F64) -> F64:
    """Height of the mesh at places, read off its triangles."""
    return drop_points(build_index(mesh.vertices, mesh.faces), np.ascontiguousarray(xy), POINT, -1.0)


def is_closed(mesh: Mesh) -> bool:
    solid = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
    return bool(solid.is_watertight and solid.is_winding_consistent and solid.volume > 0)


def places(low: float, high: float, count: int = 4000, seed: int = 3) -> F64:
    return np.random.default_rng(seed).uniform(low, high, (count, 2))


BODY = piece("body", {"kind": "rectangle", "width": 80.0, "length": 60.0}, height=10.0)


def small_mesh(n: int = 60) -> Mesh:
    """A closed bump with a ridge, 12 x 9 x 3, on a plate of 1."""
    x, y = np.meshgrid(np.linspace(0, 12, n), np.linspace(0, 9, n))
    z = 1 + 2 * np.exp(-((x - 6) ** 2 + (y - 4.5) ** 2) / 6) + 0.3 * np.abs(np.sin(2 * x))
    k = np.arange(n * n, dtype=np.int32).reshape(n, n)
    a, b, c, d = (q.ravel() for q in (k[:-1, :-1], k[:-1, 1:], k[1:, 1:], k[1:, :-1]))
    top = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    rim = np.concatenate([k[0, :-1], k[:-1, -1], k[-1, :0:-1], k[:0:-1, 0]])
    m, after = n * n, np.roll(rim, -1)
    walls = np.concatenate([np.stack([rim + m, after + m, after], 1), np.stack([rim + m, after, rim], 1)])
    vertices = np.stack([x, y, z], -1).reshape(-1, 3)
    under = vertices * [1, 1, 0]
    return Mesh(np.concatenate([vertices, under]), np.concatenate([top, top[:, ::-1] + m, walls]).astype(np.int32))
