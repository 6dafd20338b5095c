"""What earlier setups have cut, from the results that are kept of them."""

from dataclasses import dataclass

from nephos.core.pipeline.kept_blocks import block_after, untouched
from nephos.core.pipeline.keys import setup_keys
from nephos.core.pipeline.store import Store
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of
from nephos.core.stock.block import Block
from nephos.core.stock.passed_on import Side
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
    stock = block = block_before(plan, setup, store)
    keys = setup_keys(plan, setup)
    if stock is None or block is None:
        return None
    history: list[Cuts] = []
    key = next((item.before for item in keys.operations.values()), keys.space)
    for operation in setup.worked if number else ():
        own = keys.operations[operation.number]
        moves, cut = store.get(own.moves), store.get(own.block)
        if moves is None or cut is None:
            return None
        history.append((moves.arrays["points"], moves.arrays["kinds"], operation.cutter.profile))
        block, key = block_after(block, cut), own.block
        if operation.number == number:
            break
    return Begun(stock, block, tuple(history), key)


def operation_before(setup: Setup, number: int) -> int:
    """The number of the operation that is worked out before another one of a setup; 0 where it is the first or none of
    the setup's."""
    numbers = [operation.number for operation in setup.worked]
    at = numbers.index(number) if number in numbers else 0
    return numbers[at - 1] if at > 0 else 0


def block_before(plan: Plan, setup: Setup, store: Store) -> Block | None:
    """The block that a setup begins with; none where an earlier setup is not calculated as it is now."""
    sides: list[Side] = []
    block: Block | None = None
    at = next(k for k, item in enumerate(plan.setups) if item.id == setup.id)
    todo = [item for item in plan.setups[:at] if item.worked]
    for k, earlier in enumerate(todo):
        kept = store.get(setup_keys(plan, earlier).block)
        if kept is None:
            return None
        block = block_after(block or kind_of(earlier).first_block(plan, tuple(sides)), kept)
        following = todo[k + 1] if k + 1 < len(todo) else setup
        if following.parent_id != earlier.parent_id:
            sides.append(kind_of(earlier).side(plan, block))
            block = None
    return untouched(block) if block is not None else kind_of(setup).first_block(plan, tuple(sides))
