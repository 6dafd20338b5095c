"""What earlier setups have cut, from the results that are kept of them."""

from dataclasses import dataclass

from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.stages.of_plan import stages_of
from nephos.core.stages.store import Store
from nephos.core.stages.work import NotKept, Work
from nephos.core.stock.block import Block
from nephos.core.stock.rapids import Cuts


@dataclass(frozen=True)
class Begun:
    """What a program meets: the `stock` as its setup begins with it, the `block` after the operations before the
    program, their cuts, and the `key` of that block."""

    stock: Block
    block: Block
    history: tuple[Cuts, ...]
    key: str


def begun_after(plan: Plan, setup: Setup, number: int, store: Store) -> Begun | None:
    """The block of a setup after its operation `number` (0: as the setup begins), from results that are kept; none
    where they are not calculated as the plan is now."""
    stages, work = stages_of(plan)[setup.id], Work(store, only_kept=True)
    done = stages.operations.get(number)
    try:
        stock = work.of(stages.first)
        if done is None:
            return Begun(stock, stock, (), stages.first.key)
        history = (*done.block.history(work), done.block.cuts(work))
        return Begun(stock, work.of(done.block), history, done.block.key)
    except NotKept:
        return None


def operation_before(setup: Setup, number: int) -> int:
    """The number of the operation that is worked out before another one of a setup; 0 where it is the first or none of
    the setup's."""
    numbers = [operation.number for operation in setup.worked]
    at = numbers.index(number) if number in numbers else 0
    return numbers[at - 1] if at > 0 else 0


def block_before(plan: Plan, setup: Setup, store: Store) -> Block | None:
    """The block that a setup begins with; none where an earlier setup is not calculated as it is now."""
    try:
        return Work(store, only_kept=True).of(stages_of(plan)[setup.id].first)
    except NotKept:
        return None
