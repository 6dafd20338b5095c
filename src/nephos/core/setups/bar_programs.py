"""Programs of setups on a bar: the way round in the place of Y, and faces that are cut on a bar in its chuck."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from nephos.core.errors import Refused
from nephos.core.machine.machine import machine_of
from nephos.core.machine.rotary_axis import program_path, whole_turns
from nephos.core.plan.bar_axis import axis_of, bar_position
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.holding import Rotary
from nephos.core.plan.setups.setup import Setup
from nephos.core.post.read import Reading
from nephos.core.post.schema import Post
from nephos.core.post.write import BarPosition, Program, Step
from nephos.core.stages.programs import LOW, step_of
from nephos.core.stages.setup_outcome import Outcome
from nephos.core.stages.setup_space import SetupSpace


def rotary_steps(space: SetupSpace, run: Sequence[Outcome], post: Post) -> list[Step]:
    """The operations of a file on a bar. A goes on from one to the next on the shortest way, by whole turns."""
    axis, over = axis_of(space.plan), space.clearance - float(space.zero[2])
    steps, end = [], 0.0
    for outcome in run:
        begin = float(outcome.path.points[0, 1])
        turns = whole_turns(end, begin, axis.radius)
        path = program_path(outcome.path, axis, space.zero, turns, post, machine_of(space.plan.machine))
        steps.append(step_of(outcome.operation, path, space.plan.tolerance, over, axis))
        end = float(outcome.path.points[-1, 1]) + turns * 2 * np.pi * axis.radius
    return steps


def as_turned(reading: Reading, post: Post, name: str) -> Reading:
    """A reading of a rotary program with the way round in the place of Y, as :func:`program_path` has it.

    Raises
    ------
    Refused
        Where the cutter leaves the plane of the axis.
    """
    if post.rotary is None or post.rotary.word == "Y":
        if np.isfinite(reading.angles).any():
            raise Refused(f"{name} moves the A axis, but the bar is driven as Y: look at the lines of the post")
        return reading
    across = reading.points[:, 1]
    if not (np.nan_to_num(across) == 0.0).all():
        raise Refused(f"{name} moves the cutter along Y beside the axis: it was not posted; please report this")
    points = reading.points.copy()
    points[:, 1] = reading.angles * post.millimetres
    return replace(reading, points=points)


def bar_stand(space: SetupSpace) -> BarPosition | None:
    """To where the programs of a face on a bar rotate it, with the cutter over all that its corners sweep."""
    angle = bar_position(space.plan, space.setup)
    if angle is None:
        return None
    gap = space.clearance - float(space.stock_high[2])
    swept = float(space.stock_high[2]) / 2 + space.plan.stock.bar_radius
    return BarPosition(angle, max(space.clearance, swept + gap) - float(space.zero[2]))


def check_bar_stays(program: Program, reading: Reading, position: BarPosition | None) -> None:
    """Refuse a program of a face that moves the A axis, but for the one word that rotates a bar to its `position` while
    the cutter is over all that it sweeps."""
    known = np.isfinite(reading.angles)
    if position is None and not known.any():
        return
    first = int(known.argmax())
    fine = (
        position is not None
        and known[first:].all()
        and first > 0
        and (np.abs(reading.angles[first:] - position.angle) < 1e-3).all()
        and reading.points[first, 2] >= position.height - LOW
        and (reading.rapid[:first] == 1).all()
    )
    if not fine:
        raise Refused(f"{program.name} moves the A axis: it was not posted; look at the lines of the post")


def _positive_turn(sense: int) -> str:
    return "+Y up to +Z" if sense > 0 else "-Y up to +Z"


def face_on_bar_in_words(plan: Plan, setup: Setup) -> list[str]:
    """How a bar is clamped while a face of it is cut, for the top of a file; empty on a board."""
    position = bar_position(plan, setup)
    if position is None:
        return []
    return [
        f"it stays in the chuck: A 0 as it was clamped - A {position:.3f} here",
        f"A in degrees: positive A brings {_positive_turn(axis_of(plan).sense)}",
    ]


def bar_in_words(plan: Plan, rotary: Rotary) -> list[str]:
    """How a bar that rotates is clamped and its axis set, for the top of a file."""
    axis = axis_of(plan)
    up = _positive_turn(axis.sense)
    said = f"chuck on the {rotary.chuck} - {rotary.grip:g} mm of the bar in it"
    if axis.word == "Y":
        return [said, f"driven as Y - {axis.per_turn:.4f} mm a turn: positive Y brings {up}"]
    return [said, f"A in degrees: positive A brings {up}", "go to A 0 as it was clamped before each file"]
