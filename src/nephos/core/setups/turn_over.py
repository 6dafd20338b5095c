"""What hands do between two setups, as the page reads it."""

from typing import Any

from nephos.core.plan.bar_axis import bar_position
from nephos.core.plan.faces import found_again, turn_between, turn_in_words
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup


def turned_over(plan: Plan, before: Setup, after: Setup) -> dict[str, Any]:
    """How the stock is turned between two setups, how it is found again, and what to check."""
    turn = turn_between(before, after)
    return {
        "slide": False,
        "axis": turn.axis,
        "angle": turn.angle,
        "words": turn_in_words(turn, after, bar_position(plan, after)),
        "found": found_again(plan),
        "check": f"the zero: {after.zero_in_words(plan.units)}",
    }
