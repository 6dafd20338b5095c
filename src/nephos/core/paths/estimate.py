"""What a setting costs, from cheap geometry, before anything is calculated."""

from dataclasses import dataclass
from math import ceil, cos, radians, sin


@dataclass(frozen=True)
class Ground:
    """What an estimate may know: the box of the region, in millimetres, and the feeds in mm/min.

    `depth` is from the top of the block to the floor; `relief` the height of the model's surface; `thickness` that of the stock.
    """

    width: float
    height: float
    depth: float
    relief: float
    top: float
    feed: float
    plunge_feed: float
    acceleration: float = 500.0
    thickness: float = 20.0


@dataclass(frozen=True)
class Estimate:
    """Costs of an operation as it is set: scallop height in mm, lines, layers, seconds."""

    seconds: float
    lines: int = 0
    layers: int = 0
    scallop: float | None = None


def line_count(width: float, height: float, angle: float, stepover: float) -> tuple[int, float]:
    """Number of parallel lines over a rectangle, and their mean length in millimetres."""
    a = radians(angle)
    span = abs(width * sin(a)) + abs(height * cos(a))
    lines = ceil(span / stepover - 1e-9) + 1
    return lines, width * height / max(span, 1e-9)


def travel_seconds(length: float, stretches: int, feed: float, acceleration: float) -> float:
    """Seconds for `length` mm at `feed` with as many stops from and to rest as there are `stretches`."""
    speed = feed / 60
    return length / speed + stretches * speed / acceleration
