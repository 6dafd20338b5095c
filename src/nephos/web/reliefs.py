"""Built-up reliefs before a worker has composed them: coarse previews, their outlines, sections and gaps."""

import json
from collections.abc import Mapping
from functools import lru_cache
from threading import Lock
from typing import Any

import numpy as np
from typing_extensions import TypedDict

from nephos.core.cutters import Cutter
from nephos.core.errors import NotYet, Refused
from nephos.core.memo import Memo
from nephos.core.mesh.examine import support_points
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import MeshSummary, quick_look, summarize
from nephos.core.plan.model import Model
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.relief.composition import Composition
from nephos.core.relief.preview import Preview, preview_of
from nephos.core.relief.reach import LIMIT, reach_of
from nephos.core.relief.section import gaps_of, section_of
from nephos.core.relief.shaped import rings_of_area
from nephos.core.relief.stack import inside_masks
from nephos.web.mesh_keys import kept_arrays, raw_mesh_summary_key
from nephos.web.models import ResultArray

_PREVIEWS: Memo[Preview] = Memo(12)
_ONE_AT_A_TIME = Lock()
_LOOKS: Memo[tuple[dict[str, Any], MeshSummary]] = Memo(12)
_RING = 0.05
_MOST_GAPS = 40
_LEFT_UNIT = 0.02
Spot = tuple[float, float]


@lru_cache(maxsize=8)
def _light_mesh(digest: str) -> Mesh:
    try:
        found = kept_arrays(raw_mesh_summary_key(digest), ("light_vertices", "light_faces"))
    except ResultArray.DoesNotExist:
        raise NotYet("a mesh of the relief is still being read: try again in a moment") from None
    faces = np.ascontiguousarray(found["light_faces"], np.int32)
    return Mesh(found["light_vertices"].astype(np.float64), faces)


def preview(composition: Composition) -> Preview:
    """A coarse composition, remembered for a while. Those who ask for the same at once wait for one."""
    with _ONE_AT_A_TIME:
        return _PREVIEWS.get(composition.model_dump_json(), lambda: preview_of(composition, _light_mesh))


def stand_in(composition: Composition) -> tuple[dict[str, Any], MeshSummary]:
    """Facts and look of a composition from its preview, until a worker has composed it."""

    def made() -> tuple[dict[str, Any], MeshSummary]:
        mesh = preview(composition).mesh
        facts, _ = summarize(mesh)
        return facts | {"unit": {"name": "mm", "mm": 1.0, "sure": True}}, quick_look(mesh)

    return _LOOKS.get(composition.model_dump_json(), made)


def _rings(found: Preview) -> dict[str, Any]:
    """The outlines of the pieces, each point with the height of the surface there."""
    layers = found.ready.layers
    out: dict[str, Any] = {}
    for k, layer in enumerate(layers):
        rings = [ring for ring, _ in rings_of_area(layer.area.simplify(_RING))]
        points = np.concatenate(rings)
        masks = inside_masks(layers, points) | np.uint64(1 << k)
        height = found.ready.stack.solid(points, masks)
        ends = np.cumsum([len(ring) for ring in rings])[:-1]
        out[layer.piece.id] = [part.tolist() for part in np.split(np.round(np.column_stack([points, height]), 3), ends)]
    return out


def preview_bytes(plan: Plan, model: Model, composition: Composition) -> bytes:
    """The preview of a relief as bytes: a head, vertices (float32) and faces (uint32)."""
    found = preview(composition)
    placed = placed_model(support_points(found.mesh), model, plan.stock)
    names = [layer.piece.id for layer in found.ready.layers]
    gaps = [
        {"pieces": [names[gap.first], names[gap.second]], "distance": gap.distance, "at": gap.at}
        for gap in gaps_of(found.ready)[:_MOST_GAPS]
    ]
    head = {
        "vertices": len(found.mesh.vertices),
        "faces": len(found.mesh.faces),
        "matrix": placed.matrices[0].tolist(),
        "outlines": _rings(found),
        "refused": found.refused,
        "gaps": gaps,
        "height": float(found.mesh.high[2]),
    }
    return _with_head(head, found.mesh.vertices.astype("<f4"), found.mesh.faces.astype("<u4"))


def _with_head(head: Mapping[str, Any], *arrays: np.ndarray) -> bytes:
    """A JSON head and arrays as bytes: the length of the head (uint32), the head, spaces up to a multiple of four, the
    arrays one behind the other."""
    text = json.dumps(head).encode()
    text += b" " * (-len(text) % 4)
    return b"".join([len(text).to_bytes(4, "little"), text, *(array.tobytes() for array in arrays)])


class ReachHead(TypedDict):
    """What a cutter leaves of a relief: the grid it is looked for on (mm), how much at most and on which share of it,
    how wide the widest place is, where that is and in which piece. `unit` is what a byte of the array counts (mm)."""

    x0: float
    y0: float
    step: float
    nx: int
    ny: int
    unit: float
    limit: float
    most: float
    share: float
    wide: float
    at: tuple[float, float]
    piece: str | None


def reach_bytes(composition: Composition, cutter: Cutter) -> bytes:
    """What a cutter leaves of a relief as bytes: a :class:`ReachHead`, and (ny, nx) uint8."""
    found = preview(composition)
    reach = reach_of(found.ready, found.mesh, cutter.profile)
    layers = found.ready.layers
    head = ReachHead(
        x0=reach.x0,
        y0=reach.y0,
        step=reach.step,
        nx=reach.left.shape[1],
        ny=reach.left.shape[0],
        unit=_LEFT_UNIT,
        limit=LIMIT,
        most=reach.most,
        share=reach.share,
        wide=reach.wide,
        at=reach.at,
        piece=layers[reach.layer].piece.id if reach.layer >= 0 else None,
    )
    return _with_head(head, np.minimum(np.round(reach.left / _LEFT_UNIT), 255).astype(np.uint8))


def section(composition: Composition, start: Spot, end: Spot, cutter: Cutter | None) -> dict[str, Any]:
    """A section through a relief: distances, heights, and the piece that made each; what a cutter leaves."""
    if start == end:
        raise Refused("the section has no length: draw it from one place to another")
    found = preview(composition)
    cut = section_of(found.ready, start, end, cutter.profile if cutter is not None else None)
    names = [layer.piece.id for layer in found.ready.layers]
    return {
        "along": np.round(cut.along, 3).tolist(),
        "height": np.round(cut.height, 3).tolist(),
        "piece": [names[k] if k >= 0 else None for k in cut.layer.tolist()],
        "made": np.round(cut.fit.surface, 3).tolist() if cut.fit is not None else None,
        "left": cut.fit.left if cut.fit is not None else None,
        "left_at": cut.fit.at if cut.fit is not None else None,
        "fits": cut.fit.fits if cut.fit is not None else None,
    }
