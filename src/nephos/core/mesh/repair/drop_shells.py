"""Drop loose pieces: speckles of a scan, things left inside."""

import numpy as np

from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.pieces import counted, with_faces
from nephos.core.mesh.repair.registry import RepairKind, RepairSettings, setting
from nephos.core.mesh.topology import shells_of


class DropShells(RepairSettings):
    """Which pieces go."""

    size: float = setting("Smaller than", 5.0, over=0, length="file", help="the longest side of a piece's box")


def _apply(mesh: Mesh, settings: DropShells) -> tuple[Mesh, str]:
    shell, count = shells_of(mesh.faces, len(mesh.vertices))
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    for k in range(3):
        np.minimum.at(low, shell, mesh.vertices[mesh.faces[:, k]])
        np.maximum.at(high, shell, mesh.vertices[mesh.faces[:, k]])
    kept = (high - low).max(axis=1) >= settings.size
    if not kept.any():
        raise Refused("every piece is smaller than that: give a smaller size")
    return with_faces(
        mesh, mesh.faces[kept[shell]]
    ), f"{counted(int((~kept).sum()), 'loose piece', 'loose pieces')} dropped"


REPAIR = RepairKind(
    "drop_shells", "Drop loose pieces", "pieces smaller than a size go: speckles of a scan", DropShells, _apply
)
