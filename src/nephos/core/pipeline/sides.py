"""What earlier setups have cut, from the results that are kept of them."""

from nephos.core.pipeline.keys import setup_keys
from nephos.core.pipeline.run import block_after
from nephos.core.pipeline.space import first_block, side_of, stock_space
from nephos.core.pipeline.store import Store
from nephos.core.plan.schema import Plan, Setup
from nephos.core.stock.block import Block
from nephos.core.stock.columns import CutSide


def block_before(plan: Plan, setup: Setup, store: Store) -> Block | None:
    """The block that a setup begins with; none where an earlier setup is not calculated as it is now."""
    sides = sides_before(plan, setup, store)
    return None if sides is None else first_block(stock_space(plan, setup), sides)


def sides_before(plan: Plan, setup: Setup, store: Store) -> tuple[CutSide, ...] | None:
    """What the setups before one have cut; none where one of them is not calculated as it is now."""
    found: list[CutSide] = []
    for earlier in plan.setups[: plan.setups.index(setup)]:
        if not earlier.worked:
            continue
        if earlier.kind == "rotary":
            # What a bar leaves is not passed on.
            return None
        kept = store.get(setup_keys(plan, earlier).block)
        if kept is None:
            return None
        space = stock_space(plan, earlier)
        found.append(side_of(space, block_after(first_block(space, tuple(found)), kept)))
    return tuple(found)
