"""A flat back at a height."""

from dataclasses import replace

import manifold3d
import numpy as np

from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.registry import PartSettings, RepairKind, said_length, setting
from nephos.core.mesh.repair.solid import mesh_from, solid_from, upright


class FlatBack(PartSettings):
    """Where the flat lies."""

    height: float = setting("Height", 1.0, over=0, length="part", help="over the foot of the model")


def _apply(mesh: Mesh, settings: FlatBack) -> tuple[Mesh, str]:
    turn = upright(settings.normal)
    stood = replace(mesh, vertices=mesh.vertices @ turn.T)
    level = float(stood.low[2]) + settings.height
    if level >= float(stood.high[2]):
        raise Refused("nothing would be left above this height: lower it")
    upper: manifold3d.Manifold = solid_from(stood).split_by_plane([0.0, 0.0, 1.0], level)[0]
    if upper.is_empty():
        raise Refused("nothing would be left above this height: lower it")
    done = mesh_from(upper, mesh)
    return (
        replace(done, vertices=np.ascontiguousarray(done.vertices @ turn)),
        f"a flat back {said_length(settings.height)} over its foot",
    )


REPAIR = RepairKind("flat_back", "Flat back", "cut level at a height, and closed there", FlatBack, _apply)
