"""The rotary axis of a bar as the post of a plan writes it."""

import numpy as np

from nephos.core.errors import Refused
from nephos.core.machine.rotary_axis import RotaryAxis
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup


def axis_of(plan: Plan) -> RotaryAxis:
    """How the post of a plan writes the way round a bar.

    Raises
    ------
    Refused
        Where it has no words for that.
    """
    post = plan.own_post
    words = post.rotary
    if words is None:
        raise Refused(
            f"the post '{post.title}' has no words for a bar that rotates: choose one with A in degrees, or with the "
            "bar driven as Y"
        )
    radius = plan.stock.bar_radius
    per_turn = 360.0 if words.word == "A" else words.per_turn or 2 * np.pi * radius
    return RotaryAxis(words.word, per_turn, words.sense, words.feed == "inverse", radius)


def bar_position(plan: Plan, setup: Setup) -> float | None:
    """The A word (degrees) that the programs of a face setup on a bar begin with; none where the bar is not held so, or
    the post does not write A in degrees."""
    words = plan.own_post.rotary
    if plan.held_bar is None or words is None or words.word != "A":
        return None
    angle = setup.bar_angle
    return None if angle is None else words.sense * angle + 0.0
