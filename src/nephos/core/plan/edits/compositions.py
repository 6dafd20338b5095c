"""Compositions: adding, changing, ordering and arranging the pieces of a built-up relief."""

from typing import Annotated, Any, Literal

import numpy as np
import shapely
from pydantic import Field

from nephos.core.errors import Refused
from nephos.core.plan.boundary import Boundary
from nephos.core.plan.edits.registry import edit, model_of, with_model
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.schema import Plan
from nephos.core.relief.composition import MOST_PIECES, Composition, ReliefPiece, links_of
from nephos.core.relief.forms import TITLES
from nephos.core.relief.outline import Outlines
from nephos.core.relief.shapes import Swept
from nephos.core.relief.sources import MeshSource

_BODY_EDGE = 10.0
"""The first piece leaves this (mm) of the stock free all round."""
_CHORD = 0.05


def _composition(plan: Plan, key: str) -> Composition:
    found = model_of(plan, key).composition
    if found is None:
        raise Refused("this model is a mesh: add a built-up relief first, and set the mesh into it")
    return found


def _piece(composition: Composition, key: str) -> ReliefPiece:
    found = composition.piece(key)
    if found is None:
        raise Refused("that piece is no longer in the relief")
    return found


def _with_pieces(plan: Plan, model: str, pieces: tuple[ReliefPiece, ...]) -> Plan:
    made = _composition(plan, model).model_copy(update={"pieces": pieces})
    return with_model(plan, model, composition=Composition.model_validate(made.model_dump()))


def _next_id(composition: Composition) -> str:
    numbers = [int(piece.id[1:]) for piece in composition.pieces if piece.id[1:].isdigit()]
    return f"p{max(numbers, default=0) + 1}"


def _free_name(composition: Composition, name: str) -> str:
    names = {piece.name for piece in composition.pieces}
    return name if name not in names else next(f"{name} {k}" for k in range(2, 1000) if f"{name} {k}" not in names)


@edit
def add_composition(plan: Plan, name: Annotated[str, Field(min_length=1, max_length=120)] = "Relief") -> Plan:
    """Add a built-up relief with one piece, a body that leaves a margin of the stock free."""
    numbers = [int(model.id[1:]) for model in plan.models if model.id[1:].isdigit()]
    length = max(plan.stock.length - 2 * _BODY_EDGE, plan.stock.length / 2)
    width = max(plan.stock.width - 2 * _BODY_EDGE, plan.stock.width / 2)
    body = ReliefPiece.model_validate(
        {
            "id": "p1",
            "name": "Body",
            "source": {"kind": "rectangle", "width": length, "length": width},
            "height": round(0.7 * plan.stock.thickness, 1),
        }
    )
    model = Model(
        id=f"m{max(numbers, default=0) + 1}",
        name=name,
        composition=Composition(pieces=(body,)),
        placement=Placement(offset=(0.0, 0.0, 0.0)),
    )
    return plan.model_copy(update={"models": (*plan.models, model)})


@edit
def add_piece(
    plan: Plan,
    model: str,
    kind: str,
    name: Annotated[str, Field(max_length=80)] = "",
    mesh: str | None = None,
    of: str | None = None,
    source: dict[str, Any] | None = None,
) -> Plan:
    """Add a piece on top of the others: a curve, lettering, the offset of the piece `of`, or the mesh `mesh`."""
    composition = _composition(plan, model)
    if len(composition.pieces) >= MOST_PIECES:
        raise Refused(f"a relief has {MOST_PIECES} pieces at most: take one out first")
    outline = kind
    values = _start(composition, outline, of) | (source or {})
    if outline == "mesh":
        if not mesh:
            raise Refused("choose the mesh that is to be set in")
        values |= {"mesh": mesh}
    made = {
        "id": _next_id(composition),
        "name": _free_name(composition, name or TITLES[kind].capitalize()),
        "source": values,
    }
    more = dict(_FIRST.get(kind, {}))
    if outline == "offset":
        base = _piece(composition, str(values["piece"]))
        more["height"] = round(max(abs(base.height) / 3, 0.5), 1)
    return _with_pieces(plan, model, (*composition.pieces, ReliefPiece.model_validate(made | more)))


_LINE = {"vertices": [[-30.0, 0.0, 0.0], [30.0, 0.0, 0.0]]}
_CORNERS = [[-25.0, -15.0], [25.0, -15.0], [25.0, 15.0], [-25.0, 15.0]]
_ON_GROUND = {"combine": "higher", "base": {"kind": "ground", "height": 0.0}}
_FIRST: dict[str, dict[str, Any]] = {
    "mesh": _ON_GROUND,
    "offset": {"combine": "subtract"},
    "path": {"shape": {"kind": "bead"}, "height": 2.5, **_ON_GROUND},
    "lettering": {"height": 2.0},
}
"""How a new piece of a kind is combined, where not added as a flat one."""


def _start(composition: Composition, outline: str, of: str | None, but: str = "") -> dict[str, Any]:
    """What a source of a kind starts from where its own defaults draw nothing: for the offset of a piece the piece
    `of`, else the lowest that is not `but`."""
    if outline not in TITLES:
        raise Refused(f"there is no outline of the kind '{outline}': use one of {', '.join(TITLES)}")
    values: dict[str, Any] = {"kind": outline}
    if outline == "path":
        return values | _LINE
    if outline == "drawn":
        return values | {"curves": [{"points": _CORNERS, "smooth": True}]}
    if outline == "offset":
        others = [piece.id for piece in composition.pieces if piece.id != but]
        if of is None and not others:
            raise Refused("there is no other piece to follow: add one first")
        return values | {"piece": of or others[0]}
    return values


@edit
def change_piece(plan: Plan, model: str, piece: str, change: dict[str, Any]) -> Plan:
    """Change fields of a piece. Its source and shape may be given in part; another `kind` of them starts from its own
    defaults."""
    composition = _composition(plan, model)
    old = _piece(composition, piece)
    document = old.model_dump(mode="json")
    for name, value in change.items():
        before = document.get(name)
        if name == "source" and isinstance(value, dict) and value.get("kind", old.source.kind) != old.source.kind:
            document[name] = _start(composition, str(value["kind"]), None, old.id) | value
            if value["kind"] == "path" and not isinstance(old.shape, Swept):
                # An open curve needs something that is swept along it.
                document["shape"] = _FIRST["path"]["shape"]
            continue
        same = (
            isinstance(value, dict)
            and isinstance(before, dict)
            and value.get("kind", before.get("kind")) == before.get("kind")
        )
        document[name] = before | value if same and isinstance(before, dict) else value
    new = ReliefPiece.model_validate(document | {"id": old.id})
    return _with_pieces(plan, model, tuple(new if item.id == piece else item for item in composition.pieces))


@edit
def remove_piece(plan: Plan, model: str, piece: str) -> Plan:
    """Take a piece out of a relief."""
    composition = _composition(plan, model)
    gone = _piece(composition, piece)
    users = [item.name for item in composition.pieces if piece in links_of(item)]
    if users:
        raise Refused(f"'{users[0]}' follows the outline of '{gone.name}': change that piece first")
    return _with_pieces(plan, model, tuple(item for item in composition.pieces if item.id != piece))


@edit
def copy_piece(plan: Plan, model: str, piece: str) -> Plan:
    """Add the same piece once more, right above it."""
    composition = _composition(plan, model)
    old = _piece(composition, piece)
    new = old.model_copy(
        update={"id": _next_id(composition), "name": _free_name(composition, f"{old.name[:70]}, copy")}
    )
    at = composition.pieces.index(old) + 1
    return _with_pieces(plan, model, (*composition.pieces[:at], new, *composition.pieces[at:]))


@edit
def order_piece(plan: Plan, model: str, piece: str, to: Annotated[int, Field(ge=0)]) -> Plan:
    """Put a piece at another place of the order; 0 is the lowest."""
    composition = _composition(plan, model)
    moved = _piece(composition, piece)
    rest = [item for item in composition.pieces if item.id != piece]
    rest.insert(min(to, len(rest)), moved)
    return _with_pieces(plan, model, tuple(rest))


Bounds = tuple[float, float, float, float]


def _bounds(composition: Composition, piece: ReliefPiece) -> Bounds:
    """The box of a piece on the plan; of a mesh a square as wide as it, since its outline is not known here."""

    def square(source: MeshSource) -> shapely.Geometry:
        half = source.width / 2
        return shapely.box(-half, -half, half, half)

    outlines = Outlines(composition, _CHORD, square)
    points = np.concatenate([line for line, _ in outlines.lines(piece)])
    (x0, y0), (x1, y1) = points.min(axis=0).tolist(), points.max(axis=0).tolist()
    return x0, y0, x1, y1


def _shifted(piece: ReliefPiece, dx: float, dy: float) -> ReliefPiece:
    if piece.repeat.along is not None:
        return piece
    return piece.model_copy(update={"at": (round(piece.at[0] + dx, 6), round(piece.at[1] + dy, 6))})


@edit
def align_pieces(
    plan: Plan,
    model: str,
    pieces: Annotated[tuple[str, ...], Field(min_length=1)],
    how: Literal["left", "middle-x", "right", "front", "middle-y", "back", "centre"],
    to: str | None = None,
) -> Plan:
    """Align pieces with another piece (`to`, else the lowest of the relief): their edges or their middles."""
    composition = _composition(plan, model)
    base = _piece(composition, to or composition.pieces[0].id)
    x0, y0, x1, y1 = _bounds(composition, base)
    moved: dict[str, ReliefPiece] = {}
    for key in pieces:
        item = _piece(composition, key)
        if item.id == base.id:
            continue
        a0, b0, a1, b1 = _bounds(composition, item)
        dx = {"left": x0 - a0, "right": x1 - a1}.get(how, (x0 + x1 - a0 - a1) / 2)
        dy = {"front": y0 - b0, "back": y1 - b1}.get(how, (y0 + y1 - b0 - b1) / 2)
        along_x, along_y = (
            how in {"left", "middle-x", "right", "centre"},
            how in {"front", "middle-y", "back", "centre"},
        )
        moved[key] = _shifted(item, dx if along_x else 0.0, dy if along_y else 0.0)
    return _with_pieces(plan, model, tuple(moved.get(item.id, item) for item in composition.pieces))


@edit
def space_pieces(
    plan: Plan,
    model: str,
    pieces: Annotated[tuple[str, ...], Field(min_length=3)],
    along: Literal["x", "y"],
) -> Plan:
    """Move pieces so that the gaps between them are even; the first and the last stay."""
    composition = _composition(plan, model)
    k = 0 if along == "x" else 1
    boxes = {key: _bounds(composition, _piece(composition, key)) for key in pieces}
    order = sorted(pieces, key=lambda key: boxes[key][k] + boxes[key][k + 2])
    widths = [boxes[key][k + 2] - boxes[key][k] for key in order]
    room = boxes[order[-1]][k + 2] - boxes[order[0]][k]
    gap = (room - sum(widths)) / (len(order) - 1)
    at, moved = boxes[order[0]][k], dict[str, ReliefPiece]()
    for key, width in zip(order, widths, strict=True):
        by = at - boxes[key][k]
        moved[key] = _shifted(_piece(composition, key), by if k == 0 else 0.0, by if k == 1 else 0.0)
        at += width + gap
    return _with_pieces(plan, model, tuple(moved.get(item.id, item) for item in composition.pieces))


@edit
def add_piece_boundary(plan: Plan, model: str, piece: str) -> Plan:
    """Make a named boundary of the outline of a piece."""
    found = _piece(_composition(plan, model), piece)
    if any(item.source == "piece" and item.models == (model,) and item.piece == piece for item in plan.boundaries):
        raise Refused(f"the outline of '{found.name}' is a boundary already")
    ids = {item.id for item in plan.boundaries}
    key = next(f"b{k}" for k in range(1, 10_000) if f"b{k}" not in ids)
    made = Boundary(id=key, name=found.name[:60], source="piece", models=(model,), piece=piece)
    return plan.model_copy(update={"boundaries": (*plan.boundaries, made)})
