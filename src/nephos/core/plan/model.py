"""Models of a plan: meshes or compositions, and their placement in the stock."""

from typing import Annotated

from pydantic import Field, model_validator

from nephos.core.mesh.repair.registry import Repair
from nephos.core.plan.ranges import Align, Factor, Place, Size
from nephos.core.relief.composition import Composition, meshes_of
from nephos.core.value import Value


class Placement(Value):
    """How a mesh lies in the stock: turned about X, then Y, then Z, mirrored, sized, then moved.

    Mirroring is along the axes of the stock. A size that is given is reached; axes without one
    follow the first that has one while `linked`, and otherwise keep the file's unit times their factor.
    """

    turn: tuple[Place, Place, Place] = (0.0, 0.0, 0.0)
    mirror: tuple[bool, bool, bool] = (False, False, False)
    unit: Size = Field(default=1.0, description="millimetres that one unit of the file stands for")
    factors: tuple[Factor, Factor, Factor] = Field(
        default=(1.0, 1.0, 1.0), description="besides the unit, along each axis of the stock"
    )
    size: tuple[Size | None, Size | None, Size | None] = (None, None, None)
    before_repairs: tuple[Size, Size, Size] | None = Field(
        default=None,
        description="the size that was set before repairs changed what there is to size; none where none was set",
    )
    linked: bool = Field(default=True, description="axes without a size follow")
    align: tuple[Align, Align, Align] = ("centre", "centre", "high")
    offset: tuple[Place, Place, Place] = (0.0, 0.0, -1.0)
    sink: Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False)] = Field(
        default=0.0, title="Sink", description="how much of its foot is sunk away and not cut"
    )


class Copies(Value):
    """A model repeated in columns along X and rows along Y, with gaps between."""

    columns: Annotated[int, Field(ge=1, le=50)] = 1
    rows: Annotated[int, Field(ge=1, le=50)] = 1
    gap: tuple[Annotated[float, Field(ge=0, le=1000)], Annotated[float, Field(ge=0, le=1000)]] = (10.0, 10.0)


class Model(Value):
    """A mesh in the job, or a composition of pieces. `mesh` is the digest that names it in the store, or a path
    headless; a composition has none of its own."""

    id: str = Field(min_length=1, max_length=40)
    name: str = Field(min_length=1, max_length=120)
    mesh: str = ""
    composition: Composition | None = None
    shown: bool = True
    steps: tuple[Repair, ...] = ()
    placement: Placement = Placement()
    copies: Copies = Copies()

    @model_validator(mode="after")
    def _has_one_source(self) -> "Model":
        if (self.mesh == "") == (self.composition is None):
            raise ValueError("a model is either a mesh or a composition")
        return self

    @property
    def sources(self) -> tuple[str, ...]:
        """Digests of all meshes that it is made from."""
        return (self.mesh,) if self.composition is None else tuple(meshes_of(self.composition))
