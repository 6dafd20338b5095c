"""Closed meshes as solids that can be cut from one another, and the frame that an up direction makes."""

from dataclasses import replace

import manifold3d
import numpy as np

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.weld import weld


def upright(normal: tuple[float, float, float]) -> F64:
    """(3, 3) rotation that brings a direction to +Z.

    Raises
    ------
    Refused
        For a direction without length.
    """
    up = np.asarray(normal, np.float64)
    if np.linalg.norm(up) < 1e-9:
        raise Refused("the back has no direction")
    up = up / np.linalg.norm(up)
    across = np.eye(3)[0] if abs(up[0]) < 0.9 else np.eye(3)[1]
    across = across - (across @ up) * up
    across /= np.linalg.norm(across)
    result: F64 = np.stack([across, np.cross(up, across), up])
    return result


def solid_from(mesh: Mesh) -> manifold3d.Manifold:
    """A closed mesh as a solid.

    Raises
    ------
    Refused
        Where it is open, or its faces do not fit together.
    """
    vertices, faces = weld(mesh.vertices[mesh.faces])
    solid = manifold3d.Manifold(
        manifold3d.Mesh64(
            vert_properties=np.ascontiguousarray(vertices, np.float64),
            tri_verts=np.ascontiguousarray(faces, np.uint64),
        )
    )
    if solid.status() != manifold3d.Error.NoError or solid.is_empty():
        raise Refused("the mesh is not closed: close its holes, or fill its underside, first")
    if solid.volume() < 0:
        raise Refused("the mesh is inside out: turn it inside out first")
    return solid


def mesh_from(solid: manifold3d.Manifold, like: Mesh) -> Mesh:
    """A solid as a mesh with the format and the unit of another one."""
    found = solid.to_mesh64()
    vertices = np.ascontiguousarray(np.asarray(found.vert_properties, np.float64)[:, :3])
    return replace(like, vertices=vertices, faces=np.ascontiguousarray(np.asarray(found.tri_verts), np.int32))
