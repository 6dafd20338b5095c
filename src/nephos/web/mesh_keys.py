"""Under which what is known of meshes is kept, and how its arrays are read."""

import numpy as np

from nephos.core.plan.model import Model
from nephos.core.stages.canonical import key_of
from nephos.core.stages.prepared import prepared_key
from nephos.web.blobs import read_chunks
from nephos.web.models import ResultArray

_SUMMARY = 6
"""Version of the summaries of meshes."""
EXPORT = 2
"""Version of exported files."""


def raw_mesh_summary_key(digest: str) -> str:
    """Under which the look of a mesh as it came is kept."""
    return key_of("mesh-summary", _SUMMARY, digest)


def mesh_summary_key(model: Model) -> str:
    """Under which the look of a model's mesh is kept, composed or its repairs done."""
    made = model.steps or model.composition is not None
    return key_of("mesh-summary", _SUMMARY, prepared_key(model)) if made else raw_mesh_summary_key(model.mesh)


def kept_arrays(key: str, names: tuple[str, ...]) -> dict[str, np.ndarray]:
    """Arrays of a result, by name."""
    found = {}
    for name in names:
        row = ResultArray.objects.get(result_id=key, name=name)
        found[name] = np.frombuffer(b"".join(read_chunks(row.blob_id)), row.dtype).reshape(row.shape)
    return found
