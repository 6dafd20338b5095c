"""Turn all triangles round."""

from dataclasses import replace

import numpy as np

from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.registry import RepairKind, RepairSettings


class TurnInsideOut(RepairSettings):
    """Nothing to choose."""


def _apply(mesh: Mesh, settings: TurnInsideOut) -> tuple[Mesh, str]:
    return replace(mesh, faces=np.ascontiguousarray(mesh.faces[:, ::-1])), "all triangles turned round"


REPAIR = RepairKind(
    "turn_inside_out",
    "Turn inside out",
    "outside becomes inside: for meshes whose faces all look inwards",
    TurnInsideOut,
    _apply,
)
