"""The space of a setup: its models, and the surface that no cutter may go into."""

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from nephos.core.memo import Memo
from nephos.core.mesh.model import Mesh
from nephos.core.parallel import Report
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of
from nephos.core.stages.models import ModelsStage
from nephos.core.stages.seen import space_seen
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.stage import Resolver, Stage
from nephos.core.surface.index import build_index

_SPACES: Memo[tuple[Plan, Setup, "SpaceStage"]] = Memo(64)


@dataclass(frozen=True, eq=False)
class SpaceStage(Stage[SetupSpace]):
    """Indexes the surface that cutters are dropped on: the models, and what stays beside them. `plan` and `setup` have
    nothing but what it depends on."""

    name: ClassVar[str] = "space"
    version: ClassVar[int] = 5

    models: ModelsStage
    plan: Plan
    setup: Setup

    @classmethod
    def of(cls, plan: Plan, setup: Setup) -> "SpaceStage":
        """The stage for a setup of a plan. Asked for by every outline and estimate: the same is given for the same
        plan."""

        def made() -> tuple[Plan, Setup, "SpaceStage"]:
            lying = setup.lying(parted=plan.faces is not None)
            return plan, setup, cls(ModelsStage.of(plan, setup), space_seen(plan, setup), lying)

        # What is remembered holds plan and setup: their identities stay theirs.
        return _SPACES.get((id(plan), id(setup)), made)[2]

    def value(self, work: Resolver, report: Report) -> SetupSpace:
        """The space."""
        frame, placed = self.setup.frame(self.plan.stock), work.of(self.models)
        index = kind_of(self.setup).surface(self.plan, frame, placed.whole, work)
        return SetupSpace(self.plan, self.setup, frame, index, placed.whole, placed.parts)


def space_of(space: SetupSpace, plan: Plan, setup: Setup) -> SetupSpace:
    """A space with the whole plan, and one of the setups that lie in the same way."""
    return replace(space, plan=plan, setup=setup, frame=setup.frame(plan.stock))


def setup_space(plan: Plan, setup: Setup, work: Resolver) -> SetupSpace:
    """The space of a setup with the whole plan, for what is no stage."""
    return space_of(work.of(SpaceStage.of(plan, setup)), plan, setup)


def stock_space(plan: Plan, setup: Setup) -> SetupSpace:
    """A setup without its models: the stock alone, over a floor at its underside."""
    frame = setup.frame(plan.stock)
    low, high = frame.low, frame.high
    floor = Mesh(
        np.array([low, [high[0], low[1], low[2]], [high[0], high[1], low[2]], [low[0], high[1], low[2]]]),
        np.array([[0, 1, 2], [0, 2, 3]], np.int32),
    )
    return SetupSpace(plan, setup, frame, build_index(floor.vertices, floor.faces), floor, ())
