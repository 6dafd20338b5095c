"""Turn-over between setups, and registration of the stock."""

from dataclasses import dataclass
from math import atan2, degrees
from typing import Literal

from nephos.core.plan.joined_faces import Registration
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup

Axis = Literal["x", "y", "z"]
_EDGES = {
    "front-left": "front left",
    "front-right": "front right",
    "back-left": "back left",
    "back-right": "back right",
}


@dataclass(frozen=True)
class TurnOver:
    """How the stock is turned from one setup to the next: `angle` degrees about an axis of the machine, by the
    right-hand rule; without an axis where it takes more than one turn."""

    axis: Axis | None
    angle: float


def turn_between(before: Setup, after: Setup) -> TurnOver:
    """The turn of the stock from one setup to the next."""
    m = after.rotation @ before.rotation.T
    axes: tuple[Axis, Axis, Axis] = ("x", "y", "z")
    for k, axis in enumerate(axes):
        if abs(m[k, k] - 1) < 1e-9:
            a, b = ((1, 2), (2, 0), (0, 1))[k]
            angle = round(degrees(atan2(m[b, a], m[a, a])), 6)
            return TurnOver(axis, 180.0 if abs(angle) == 180 else angle + 0.0)
    return TurnOver(None, 0.0)


def turn_in_words(turn: TurnOver, after: Setup, driven: float | None = None) -> str:
    """What hands do, as a sentence without its end. `driven` is the A word (degrees) of the setup's programs, where
    they rotate the bar."""
    if driven is not None:
        return f"leave the bar in the chuck: the program rotates it to A {driven:g}"
    return after.turned_in_words(_stock_turned(turn, after))


def _stock_turned(turn: TurnOver, after: Setup) -> str:
    """How the stock is turned over."""
    if turn.axis is None:
        return f"turn the stock so that its {after.side_in_words} lies up"
    if turn.angle == 0:
        return "leave the stock as it lies"
    if turn.angle == 180:
        ends = {"x": "front and back change places", "y": "left and right change places", "z": "it stays as it lies"}
        return f"turn the stock over by half a turn about {turn.axis.upper()}: {ends[turn.axis]}"
    up = {
        ("x", True): "the back comes up",
        ("x", False): "the front comes up",
        ("y", True): "the left end comes up",
        ("y", False): "the right end comes up",
        ("z", True): "counterclockwise as seen from above",
        ("z", False): "clockwise as seen from above",
    }[turn.axis, turn.angle > 0]
    much = "a quarter turn" if abs(turn.angle) == 90 else f"{abs(turn.angle):g}°"
    return f"turn the stock by {much} about {turn.axis.upper()}: {up}"


def turning_axis(plan: Plan) -> Literal["x", "y"]:
    """The axis that the stock is turned about between its faces: that of the first turn which has one."""
    for before, after in zip(plan.setups, plan.setups[1:], strict=False):
        axis = turn_between(before, after).axis
        if axis in {"x", "y"}:
            return axis
    return "x"


def dowel_spots(
    registration: Registration, length: float, width: float, axis: Literal["x", "y"]
) -> tuple[tuple[float, float], tuple[float, float]]:
    """The places (x, y) of two dowels on the turning axis of a stock, as a setup sees it: they stay where they are."""
    inset = registration.inset
    if axis == "x":
        return (inset, width / 2), (length - inset, width / 2)
    return (length / 2, inset), (length / 2, width - inset)


def found_again(plan: Plan) -> str:
    """What to touch off, or to put the stock against, before and after it is turned over."""
    if plan.faces is None:
        return ""
    registration = plan.faces.registration
    if registration.by == "dowels":
        return (
            f"two dowels of {registration.diameter:g} mm on the turning axis, {registration.inset:g} mm from the ends: "
            f"the holes go through the stock and {registration.depth:g} mm into the bed"
        )
    if registration.by == "centre":
        return "touch off both sides of the stock in X and in Y and take the middle, before and after"
    return (
        f"stops at the {_EDGES[registration.corner]} corner of the machine: push the stock against them before and "
        "after, and keep the zero"
    )


def step_of(registration: Registration, reach: float) -> float:
    """The step (mm) at the parting that the assumed error makes, at a place `reach` mm from the turning point."""
    shift = (registration.dx**2 + registration.dy**2) ** 0.5
    return shift + reach * abs(registration.rotation) * 3.141592653589793 / 180
