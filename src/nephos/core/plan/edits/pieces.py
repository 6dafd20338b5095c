"""Pieces of a large design: taken out along a curve, and laid out on a board."""

from typing import Annotated, Any

import numpy as np
from pydantic import Field

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.curves import smoothed
from nephos.core.mesh.repair.registry import Repair
from nephos.core.plan.boundary import Boundary
from nephos.core.plan.edits.registry import Looks, edit, model_of, placed_in, tidy
from nephos.core.plan.edits.turn import turned
from nephos.core.plan.model import Copies, Model, Placement
from nephos.core.plan.place import place, placed_model
from nephos.core.plan.schema import Plan
from nephos.core.rotation import turning

Gap = Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)]
Curves = tuple[tuple[tuple[float, float], ...], ...]


def _curves_of(boundary: Boundary) -> Curves:
    """The closed curves of a boundary that are known without the mesh, in stock space."""
    if boundary.setup is not None:
        raise Refused("this boundary is drawn in the view of another side: draw one from above")
    (x, y), (w, h) = boundary.at, boundary.size
    if boundary.source == "rectangle":
        return (((x - w / 2, y - h / 2), (x + w / 2, y - h / 2), (x + w / 2, y + h / 2), (x - w / 2, y + h / 2)),)
    if boundary.source == "circle":
        angles = np.linspace(0, 2 * np.pi, 361)[:-1]
        return (tuple((x + w / 2 * float(np.cos(a)), y + w / 2 * float(np.sin(a))) for a in angles),)
    if boundary.source == "drawn":
        runs = [np.array(curve.points) for curve in boundary.curves]
        done = [smoothed(run) if curve.smooth else run for run, curve in zip(runs, boundary.curves, strict=True)]
        return tuple(tuple((float(px), float(py)) for px, py in run) for run in done)
    raise Refused("the outline of this boundary follows the models: send its curves, or draw one")


@edit
def take_piece(
    plan: Plan,
    looks: Looks,
    model: str,
    boundary: str,
    name: Annotated[str, Field(min_length=1, max_length=120)] = "piece",
    allowance: Annotated[float, Field(ge=-20, le=20, allow_inf_nan=False)] = 0.0,
    curves: Curves | None = None,
) -> Plan:
    """Make a model of its own of what lies inside a boundary, where it lies; the whole model is hidden.

    `curves` are those of the boundary in stock space, where they follow the models and are drawn already."""
    found, placed = model_of(plan, model), placed_in(plan, looks, model)
    item = next((item for item in plan.boundaries if item.id == boundary), None)
    if item is None and curves is None:
        raise Refused("that boundary is no longer in the job")
    around = curves if curves is not None else _curves_of(item) if item is not None else ()
    if not around:
        raise Refused("nothing is drawn in this boundary yet: draw a closed curve round the piece")
    frame = placed.matrix
    step = Repair.model_validate(
        {"kind": "keep_inside", "settings": {"curves": around, "frame": frame.tolist(), "allowance": allowance}}
    )
    spots = np.concatenate([np.array(curve) for curve in around])
    low = np.maximum(spots.min(axis=0) + allowance, placed.low[:2])
    high = np.minimum(spots.max(axis=0) - allowance, placed.high[:2])
    if (low >= high).any():
        raise Refused("nothing of the model lies inside the curve: draw it over the model")
    old = found.placement
    # It keeps its scale and lies where it lay: its foot is that of the whole.
    placement = Placement(
        turn=old.turn,
        mirror=old.mirror,
        unit=1.0,
        factors=(float(placed.scale[0]), float(placed.scale[1]), float(placed.scale[2])),
        align=("low", "low", "low"),
        offset=(tidy(float(low[0])), tidy(float(low[1])), tidy(float(placed.low[2]))),
    )
    numbers = [int(other.id[1:]) for other in plan.models if other.id[1:].isdigit()]
    piece = Model(
        id=f"m{max(numbers, default=0) + 1}",
        name=name,
        mesh=found.mesh,
        composition=found.composition,
        steps=(*found.steps, step),
        placement=placement,
        copies=Copies(),
    )
    hidden = tuple(other.model_copy(update={"shown": False}) if other.id == model else other for other in plan.models)
    return plan.model_copy(update={"models": (*hidden, piece)})


def _rows(sizes: list[F64], board: tuple[float, float], gap: float) -> list[tuple[float, float] | None]:
    """Low corners of boxes laid in rows from the front left, the deepest first; none for those that find no room.

    Each goes into the first row that has room for it (shelf first fit, Coffman et al. 1980)."""
    order = sorted(range(len(sizes)), key=lambda k: -float(sizes[k][1]))
    rows: list[list[float]] = []
    spots: list[tuple[float, float] | None] = [None] * len(sizes)
    for k in order:
        w, h = map(float, sizes[k][:2])
        row = next((row for row in rows if row[0] + w + gap <= board[0] + 1e-9 and h <= row[2] + 1e-9), None)
        if row is None:
            y = rows[-1][1] + rows[-1][2] + gap if rows else gap
            if w + 2 * gap > board[0] + 1e-9 or y + h + gap > board[1] + 1e-9:
                continue
            row = [gap, y, h]
            rows.append(row)
        spots[k] = (row[0], row[1])
        row[0] += w + gap
    return spots


@edit
def lay_out(plan: Plan, looks: Looks, gap: Gap = 12.0, turn: bool = True, among: tuple[str, ...] | None = None) -> Plan:
    """Lay all models that are shown (or those named in `among`) out on the board, in rows with a gap; those that find
    no room are hidden.

    Models that are longer along Y than along X are turned by a quarter first, where `turn` allows it."""
    if among is not None:
        chosen = tuple(model.model_copy(update={"shown": model.id in among}) for model in plan.models)
        plan = plan.model_copy(update={"models": chosen})
    shown = [model for model in plan.models if model.shown]
    if not shown:
        raise Refused("the job has no model that is shown: import one, or show one that is hidden")
    lying: list[Model] = []
    for model in shown:
        size = placed_model(looks(model).support, model, plan.stock).size
        if turn and float(size[1]) > float(size[0]) * 1.01:
            plan = turned(plan, looks, model.id, turning(0.0, 0.0, 90.0))
        lying.append(model_of(plan, model.id))
    sizes = [place(looks(model).support, model.placement, plan.stock, model.copies) for model in lying]
    spots = _rows([box.high - box.low for box in sizes], (plan.stock.length, plan.stock.width), gap)
    if all(spot is None for spot in spots):
        raise Refused("none of the models fits on the board with this gap: take a larger board, or a smaller gap")
    made: dict[str, Model] = {}
    for model, spot in zip(lying, spots, strict=True):
        if spot is None:
            made[model.id] = model.model_copy(update={"shown": False})
            continue
        now = model.placement
        change: dict[str, Any] = {
            "align": ("low", "low", now.align[2]),
            "offset": (tidy(spot[0]), tidy(spot[1]), now.offset[2]),
        }
        made[model.id] = model.model_copy(update={"placement": now.model_copy(update=change)})
    return plan.model_copy(update={"models": tuple(made.get(model.id, model) for model in plan.models)})
