"""What a way of making a part is: setups and operations for a job that is there, and a whole plan for a mesh alone."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from nephos.core.cutters import Cutter
from nephos.core.findings.terrain import Shown
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.stock import Stock
from nephos.core.stages.work import Meshes, Work

UNKNOWN = 10.0
"""A model smaller than this (mm) is in an unknown unit: it is made to fit the stock."""
USUAL = 150.0
"""Longest side (mm) of a model for which neither a size nor a stock is given."""


@dataclass(frozen=True)
class Proposal:
    """A proposed plan, and notes for the user."""

    plan: Plan
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Wish:
    """What is asked for; none where it is left to the proposal. Lengths in mm.

    `size_x` : of the model along X. `stock` : x, y, z. `bed` : the machine's travel along X and Y. `bar` : diameter and
    length, `core` : diameter. `turn` : degrees about X, Y and Z. `gap_above` : stock over the model."""

    pitch: float
    tolerance: float
    post: str | None = None
    size_x: float | None = None
    stock: tuple[float, float, float] | None = None
    bed: tuple[float, float] | None = None
    bar: tuple[float, float] | None = None
    core: float | None = None
    turn: tuple[float, float, float] = (0.0, 0.0, 0.0)
    gap_above: float = 0.0


@dataclass(frozen=True)
class Job:
    """A job that a way is proposed for: its plan, the models that are shown, and the shop's cutters."""

    plan: Plan
    shown: Sequence[Shown]
    cutters: Sequence[Cutter]
    meshes: Meshes
    work: Work


@dataclass(frozen=True)
class NewMesh:
    """A mesh that a plan is proposed for, what is known of it, and what was asked for."""

    mesh: Mesh
    look: MeshSummary
    wish: Wish
    cutters: Sequence[Cutter]


class Way(Protocol):
    """A way of making a part."""

    @property
    def title(self) -> str:
        """What the page calls it."""

    def for_job(self, job: Job) -> Proposal:
        """Setups and operations in the place of those that a job has.

        Raises
        ------
        Refused
            Where it cannot be done with this stock.
        """

    def for_mesh(self, new: NewMesh) -> Proposal:
        """A plan for a mesh, with the stock and the size that were asked for.

        Raises
        ------
        Refused
            Where that cannot be done with this stock or size.
        """


def new_model(new: NewMesh, turn: tuple[float, float, float] | None = None) -> Model:
    """The model of a new mesh, in the size that was asked for; `turn` (degrees) where none was asked for."""
    wish = new.wish
    placement = Placement(turn=turn if turn and not any(wish.turn) else wish.turn, unit=new.look.unit)
    if wish.size_x:
        placement = placement.model_copy(update={"size": (wish.size_x, None, None)})
    return Model(id="m1", name="model", mesh="model", placement=placement)


def sized(model: Model, size_x: float) -> Model:
    """The model in another size along X, in proportion."""
    return model.model_copy(update={"placement": model.placement.model_copy(update={"size": (size_x, None, None)})})


def in_usual_size(new: NewMesh, model: Model, stock: Stock) -> Model:
    """The model made :data:`USUAL` long where it is in an unknown unit and no size was asked for."""
    size = placed_model(new.look.support, model, stock).size
    if new.wish.size_x or float(size.max()) >= UNKNOWN:
        return model
    return sized(model, float(size[0]) * USUAL / float(size.max()))


def new_plan(new: NewMesh, model: Model, stock: Stock) -> Plan:
    """A plan for a model in a stock, without setups."""
    wish = new.wish
    return Plan(
        stock=stock,
        models=(model,),
        pitch=wish.pitch,
        tolerance=wish.tolerance,
        post=wish.post or "rs274-metric",
    )
