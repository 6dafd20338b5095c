"""One closed mesh from a composition."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely

from nephos.core.arrays import F64, I32
from nephos.core.errors import Refused
from nephos.core.memo import Memo
from nephos.core.mesh.model import Mesh
from nephos.core.relief.closing import closed_mesh
from nephos.core.relief.composition import Composition, PieceRefused, ReliefPiece, links_of
from nephos.core.relief.nearest_line import line_index
from nephos.core.relief.outline import Outlines
from nephos.core.relief.piece import Lines, PreparedPiece
from nephos.core.relief.refine import ROUNDS, refined
from nephos.core.relief.seen import SeenMesh, SeenPiece, seen_mesh
from nephos.core.relief.shaped import ShapedPiece, rings_of_area, shaped_piece
from nephos.core.relief.shapes import Bead, Rope, Section
from nephos.core.relief.sources import MeshSource
from nephos.core.relief.stack import Layer, Smoothed, Stack, smoothed_ground
from nephos.core.relief.swept import BeadPiece, SweptPiece, swept_piece
from nephos.core.relief.triangulation import triangulated

__all__ = ["Composed", "Meshes", "composed", "mesh_of", "piece_areas", "stack_of"]

Meshes = Callable[[str], Mesh]
_CHORD = 0.35
"""Share of the tolerance that the chords of outlines may lie off their curves."""
_SEEN: Memo[SeenMesh] = Memo(16)
_PREPARED: Memo[PreparedPiece] = Memo(128)
_LINES: Memo[Lines] = Memo(128)
_SMOOTHED: Memo[Smoothed] = Memo(16)


@dataclass(frozen=True)
class Composed:
    """A composition ready to be read or meshed. `layers` are those of the pieces that are on, in order."""

    stack: Stack
    keys: tuple[str, ...]
    tolerance: float

    @property
    def layers(self) -> tuple[Layer, ...]:
        """The layers from the lowest to the uppermost."""
        return self.stack.layers


class _Named:
    """Meshes by name, each with its digest, worked out once: under one name another mesh may come next time."""

    def __init__(self, meshes: Meshes, most: int | None) -> None:
        self._meshes = meshes
        self.most = most
        self._held: dict[str, tuple[Mesh, str]] = {}

    def _get(self, name: str) -> tuple[Mesh, str]:
        if name not in self._held:
            mesh = self._meshes(name)
            self._held[name] = mesh, mesh.digest()
        return self._held[name]

    def digest(self, name: str) -> str:
        """The digest of the mesh with that name."""
        return self._get(name)[1]

    def seen(self, source: MeshSource) -> SeenMesh:
        """What is seen of a mesh from above."""
        mesh, digest = self._get(source.mesh)
        key = (digest, self.most, source.model_dump_json())
        return _SEEN.get(key, lambda: seen_mesh(mesh, source, self.most))


def _outlines(composition: Composition, meshes: _Named, chord: float) -> Outlines:
    return Outlines(composition, chord, lambda source: meshes.seen(source).area)


def _prepared(piece: ReliefPiece, outlines: Outlines, meshes: _Named, chord: float) -> PreparedPiece:
    height = max(abs(piece.height), 1e-6)
    shape = piece.shape
    if isinstance(piece.source, MeshSource):
        copies = tuple(outlines.copies(piece))
        return SeenPiece(meshes.seen(piece.source), copies, outlines.area(piece), height)
    if isinstance(shape, Bead | Rope | Section):
        return swept_piece(outlines.lines(piece), shape, height, chord)
    return shaped_piece(outlines.area(piece), shape, height, chord)


def _smoothed(piece: ReliefPiece, below: list[Layer], area: shapely.Geometry, keys: tuple[str, ...]) -> Smoothed:
    """The ground below a piece, smoothed as it says; worked out again where any piece below has changed."""
    causes = [layer.piece.model_dump(exclude={"id", "name"}) for layer in below]
    own = (piece.combine, piece.amount, shapely.to_wkb(area))
    return _SMOOTHED.get(
        (keys, str(causes), own), lambda: smoothed_ground(Stack(tuple(below)), area, piece.combine, piece.amount)
    )


def _key(composition: Composition, piece: ReliefPiece, meshes: _Named, chord: float) -> str:
    """What a prepared piece depends on: itself, and all pieces that its outline follows."""
    found, todo = [piece], links_of(piece)
    while todo:
        other = composition.piece(todo.pop())
        if other is not None and other not in found:
            found.append(other)
            todo += links_of(other)
    own = {"id": "", "name": "", "on": True, "combine": "add", "base": None, "fade": 0, "amount": 0}
    digests = [meshes.digest(item.source.mesh) for item in found if isinstance(item.source, MeshSource)]
    return f"{chord}:{meshes.most}:{digests}:" + "|".join(str(item.model_dump() | own) for item in found)


def stack_of(
    composition: Composition, meshes: Meshes, tolerance: float | None = None, most: int | None = None
) -> Composed:
    """The pieces of a composition that are on, prepared in their order.

    `meshes` gives the mesh of a digest; for a preview each is thinned to `most` triangles. Pieces that did not change
    since they were prepared last are taken from memory.

    Raises
    ------
    PieceRefused
        Where its outline cannot be drawn or its mesh not be used.
    """
    limit = tolerance or composition.tolerance
    chord = _CHORD * limit
    named = _Named(meshes, most)
    outlines = _outlines(composition, named, chord)
    layers: list[Layer] = []
    keys: list[str] = []
    for piece in composition.pieces:
        if not piece.on:
            continue
        key = _key(composition, piece, named, chord)
        try:
            if piece.works_on_ground:
                area = outlines.area(piece)
                smoothed = _smoothed(piece, layers, area, tuple(keys)) if piece.combine != "scale" else None
                prepared = None
            else:
                prepared = _PREPARED.get(key, lambda: _ready(_prepared(piece, outlines, named, chord)))  # noqa: B023
                area, smoothed = prepared.area, None
        except Refused as reason:
            raise PieceRefused(piece, str(reason)) from None
        outline = line_index(rings_of_area(area)) if piece.fade > 0 else None
        layers.append(Layer(piece, prepared, area, outline, smoothed))
        keys.append(key)
    if not layers:
        raise Refused("the composition has no piece that is on: add one")
    return Composed(Stack(tuple(layers)), tuple(keys), limit)


def _ready(prepared: PreparedPiece) -> PreparedPiece:
    """The piece with the search tree of its area made: that is made at the first question, and is not safe where
    several threads, which share kept pieces, ask it at one time."""
    shapely.prepare(prepared.area)
    shapely.contains_xy(prepared.area, 0.0, 0.0)
    return prepared


def _lines(prepared: PreparedPiece, tolerance: float, key: str) -> Lines:
    return _LINES.get(f"{tolerance}:{key}", lambda: prepared.lines(tolerance))


def piece_areas(composition: Composition, meshes: Meshes) -> dict[str, shapely.Geometry]:
    """What each piece that is on covers on the plan of the composition, by its id."""
    ready = stack_of(composition, meshes)
    return {layer.piece.id: layer.area for layer in ready.layers}


def _plan_lines(ready: Composed) -> tuple[F64, I32, np.ndarray]:
    """Points, segments and their masks, of all outlines and creases."""
    points: list[F64] = []
    ends: list[I32] = []
    masks: list[np.ndarray] = []
    first = 0

    def add(run: F64, closed: bool, mask: int) -> None:
        nonlocal first
        n = len(run)
        index = np.arange(first, first + n, dtype=np.int32)
        points.append(run)
        ends.append(np.stack([index, np.roll(index, -1)], 1)[: n if closed else n - 1])
        masks.append(np.full(n if closed else n - 1, mask, np.uint64))
        first += n

    for k, layer in enumerate(ready.layers):
        for run, closed in rings_of_area(layer.area):
            add(run, closed, 1 << k)
        if layer.prepared is None:
            continue
        lines = _lines(layer.prepared, ready.tolerance, ready.keys[k])
        for run, closed in lines.creases:
            add(run, closed, 0)
        if len(lines.edges):
            points.append(lines.corners)
            ends.append(lines.edges + np.int32(first))
            masks.append(np.zeros(len(lines.edges), np.uint64))
            first += len(lines.corners)
        if len(lines.seeds):
            points.append(lines.seeds)
            first += len(lines.seeds)
    return np.concatenate(points), np.concatenate(ends), np.concatenate(masks)


def composed(composition: Composition, meshes: Meshes, tolerance: float | None = None) -> Mesh:
    """The surface of a composition as one closed mesh, its bottom at 0, within the tolerance of its true height.

    Parameters
    ----------
    composition : its pieces. meshes : gives the mesh of a digest. tolerance : millimetres, square to the surface; none
    for the composition's own.

    Raises
    ------
    Refused
        Where a piece cannot be drawn, or nothing is left of them all.
    """
    return mesh_of(stack_of(composition, meshes, tolerance))


def mesh_of(ready: Composed, rounds: int = ROUNDS) -> Mesh:
    """The closed mesh of a prepared composition; a few `rounds` of dividing triangles make a preview."""
    points, ends, masks = _plan_lines(ready)
    plan = triangulated(points, ends, masks)
    inside = plan.regions != 0
    prepared = [layer.prepared for layer in ready.layers]
    steep = sum(1 << k for k, piece in enumerate(prepared) if piece is not None and piece.steep)
    creased = sum(1 << k for k, piece in enumerate(prepared) if isinstance(piece, ShapedPiece) and piece.creased)
    lined = sum(1 << k for k, piece in enumerate(prepared) if isinstance(piece, BeadPiece | SweptPiece | SeenPiece))
    terrain = refined(
        ready.stack,
        np.uint64(steep),
        np.uint64(creased),
        np.uint64(lined),
        plan.points,
        plan.triangles[inside],
        plan.regions[inside],
        ready.tolerance,
        rounds,
    )
    return closed_mesh(terrain)
