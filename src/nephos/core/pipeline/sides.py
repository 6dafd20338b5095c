"""What earlier setups have cut, from the results that are kept of them."""

from nephos.core.pipeline.kept_blocks import block_after, untouched
from nephos.core.pipeline.keys import setup_keys
from nephos.core.pipeline.space import first_block, side_of, stock_space
from nephos.core.pipeline.store import Store
from nephos.core.plan.schema import Plan, Setup
from nephos.core.stock.block import Block
from nephos.core.stock.passed_on import Side


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
        space = stock_space(plan, earlier)
        block = block_after(block or first_block(space, tuple(sides)), kept)
        following = todo[k + 1] if k + 1 < len(todo) else setup
        if following.whole != earlier.whole:
            sides.append(side_of(space, block))
            block = None
    return untouched(block) if block is not None else first_block(stock_space(plan, setup), tuple(sides))
