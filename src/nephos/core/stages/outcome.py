"""What is known of a setup after all its operations: the values of its stages, together."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from nephos.core.parallel import Report, silent
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of
from nephos.core.setups.seams import SeamStep
from nephos.core.stages.of_plan import OperationStages, SetupStages
from nephos.core.stages.overrun import overrun_for
from nephos.core.stages.pieces import piece_from
from nephos.core.stages.seen import reported
from nephos.core.stages.setup_outcome import Outcome, Proof, SetupOutcome
from nephos.core.stages.space import space_of
from nephos.core.stages.stage import Resolver, Stage
from nephos.core.stock.gain import Gain
from nephos.core.stock.worst import Worst


def outcome_of(work: Resolver, stages: OperationStages, operation: Operation, report: Report) -> Outcome:
    """The results of an operation; its stages are computed in their order."""
    moves = work.of(stages.moves)
    cut = work.result(stages.block)
    depths = cut.arrays["depths"]
    if len(cut.arrays["suspects"]):
        depths = np.maximum(depths, work.of(stages.rapids))
    gouges = work.of(stages.gouges)
    # What arcs of a strip cut is within their tolerance of its moves.
    if stages.arcs is not None:
        gouges = tuple(sorted(gouges + work.of(stages.arcs), key=lambda item: -item.depth))
    report(1.0)
    return Outcome(
        operation,
        moves.points,
        moves.kinds,
        moves.feeds,
        moves.seconds,
        work.of(stages.path),
        depths,
        tuple((name, depth, move) for name, depth, move in cut.facts["struck"]),
        gouges,
    )


@dataclass(frozen=True, eq=False)
class OutcomeStage(Stage[SetupOutcome]):
    """All that report and findings may read of a setup. `plan` and `setup` have nothing but what they may read of the
    plan itself; nothing of the programs."""

    name: ClassVar[str] = "outcome"
    version: ClassVar[int] = 1

    plan: Plan
    setup: Setup
    stages: SetupStages

    @classmethod
    def of(cls, stages: SetupStages) -> "OutcomeStage":
        """The stage for the stages of a setup."""
        return cls(*reported(stages.plan, stages.setup), stages)

    def value(self, work: Resolver, report: Report) -> SetupOutcome:
        """The values of all stages."""
        return setup_outcome(work, self.stages, self.plan, self.setup)


def setup_outcome(work: Resolver, stages: SetupStages, plan: Plan, setup: Setup) -> SetupOutcome:
    """What is known of a setup, with as much of the plan as is given."""
    space = space_of(work.of(stages.space), plan, setup)
    todo = list(setup.worked)
    outcomes = tuple(outcome_of(work, stages.operations[operation.number], operation, silent) for operation in todo)
    facts, pieces = work.result(stages.compare).facts, work.of(stages.pieces)
    proof = Proof(
        work.of(stages.compare),
        tuple(Worst(tuple(w["place"]), w["deviation"], w["reachable"]) for w in facts["worst"]),
        tuple(Gain(**(g | {"number": todo[g["number"]].number})) for g in facts["gains"]),
        tuple((d, share) for d, share in facts["balls"]),
        facts["walls"],
        tuple(piece_from(item, todo) for item in pieces.facts["pieces"]),
        pieces.arrays["sorting"],
        tuple(SeamStep(**(step | {"place": tuple(step["place"])})) for step in facts["steps"]),
    )
    outlines = {number: work.of(own.passes.outlines.boundary) for number, own in stages.operations.items()}
    rim = None if stages.rim is None else work.of(stages.rim)
    return SetupOutcome(
        space,
        outcomes,
        work.of(stages.block),
        work.of(stages.proof_block),
        proof,
        (),
        kind_of(setup).tabs(space, outlines),
        work.of(stages.first),
        None if rim is None else (overrun_for(plan, setup, rim.tip), rim.place),
        block_key=stages.proof_block.key,
    )
