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
