"""The models and the stock of a setup, in its own frame."""

from dataclasses import dataclass

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Frame, Setup
from nephos.core.surface.drop import Surface
from nephos.core.surface.index import SurfaceIndex


@dataclass(frozen=True)
class SetupSpace:
    """The models and the stock in the orientation frame of a setup.

    `index` holds the surface that no cutter may go into: the models, and what is to stay standing beside them
    (stages/standing.py). `mesh` is the models alone, `parts` each of them by its id."""

    plan: Plan
    setup: Setup
    frame: Frame
    index: Surface
    mesh: Mesh
    parts: tuple[tuple[str, Mesh], ...]

    @property
    def matrix(self) -> F64:
        """(4, 4) transform from stock space to the frame."""
        return self.frame.matrix

    @property
    def stock_low(self) -> F64:
        """(3,) low corner of what can be cut."""
        return self.frame.low

    @property
    def stock_high(self) -> F64:
        """(3,) high corner of what can be cut."""
        return self.frame.high

    @property
    def zero(self) -> F64:
        """(3,) the work zero."""
        return self.frame.zero

    @property
    def surface(self) -> SurfaceIndex:
        """The surface of a face setup, which cutters come down on along Z."""
        if not isinstance(self.index, SurfaceIndex):
            raise Refused("this is for a part that lies on a face: the setup's part rotates")
        return self.index

    @property
    def clearance(self) -> float:
        """Height over everything."""
        return float(self.stock_high[2] + self.setup.clearance)

    @property
    def stock_box(self) -> tuple[float, float, float, float]:
        """The stock on the plan: low x, low y, high x, high y."""
        (x0, y0), (x1, y1) = self.stock_low[:2].tolist(), self.stock_high[:2].tolist()
        return x0, y0, x1, y1

    @property
    def floor(self) -> float:
        """The foot of the model, or of the stock where the model reaches through it."""
        return float(max(self.index.low[2], self.stock_low[2]))
