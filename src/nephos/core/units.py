"""Lengths for people: millimetres inside, millimetres or inches in words."""

from collections.abc import Callable
from typing import Literal

Units = Literal["mm", "in"]
Say = Callable[[float], str]
"""Says a length, given in millimetres, in the unit that the job is shown in."""


def number_in(units: Units) -> Say:
    """Says a length as a number alone, as short as it is exact: `2.4`, `0.0945`."""
    return (lambda mm: f"{mm:g}") if units == "mm" else (lambda mm: f"{round(mm / 25.4, 4):g}")


def length_in(units: Units) -> Say:
    """Says a length with its unit, as finely as it matters in a sentence: `3.2 mm`, `1600 mm`, `0.126 in`."""
    if units == "mm":
        return lambda mm: f"{round(mm, 1 if abs(mm) >= 0.1 else 3):.7g} mm"
    return lambda mm: f"{round(mm / 25.4, 3 if abs(mm) >= 2.54 else 4):.7g} in"


def size_in(units: Units) -> Say:
    """Says a length that was chosen, with its unit and no digits that it does not have: `28 mm`, `1.1024 in`."""
    number = number_in(units)
    return lambda mm: f"{number(mm)} {units}"


def feed_in(units: Units) -> Say:
    """Says a feed, given in mm a minute: `1800 mm/min`, `70.87 in/min`."""
    return (lambda feed: f"{feed:g} mm/min") if units == "mm" else (lambda feed: f"{round(feed / 25.4, 2):g} in/min")
