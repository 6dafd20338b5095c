"""The shapes of cutters: a new one is one entry in `SHAPES`."""

from collections.abc import Callable
from dataclasses import dataclass
from math import inf, radians, tan
from typing import Protocol

from nephos.core.cutters.profile import Profile


class Dimensions(Protocol):
    """The dimensions of a cutter that decide its profile; lengths in mm, the angle in degrees."""

    @property
    def radius(self) -> float:
        """Largest, mm."""

    @property
    def corner_radius(self) -> float:
        """Of the rounded edge, mm."""

    @property
    def tip_diameter(self) -> float:
        """Of the tip, mm."""

    @property
    def angle(self) -> float:
        """Between the sides, degrees."""


@dataclass(frozen=True)
class ShapeKind:
    """How a shape is called, which dimensions it has besides those of every cutter, and what its profile is.

    `needs` names the fields; `usual` gives them for a diameter.
    """

    title: str
    profile: Callable[[Dimensions], Profile]
    needs: tuple[str, ...] = ()
    usual: Callable[[float], dict[str, float]] = lambda _diameter: {}


def cone_slope(angle: float) -> float:
    """Rise of a cone per millimetre outwards, from its included angle in degrees."""
    return 1 / tan(radians(angle) / 2) if angle > 0 else inf


def _bull_nose(cutter: Dimensions) -> Profile:
    return Profile.of(cutter.radius - cutter.corner_radius, cutter.corner_radius)


def _tapered(cutter: Dimensions) -> Profile:
    return Profile.of(0.0, cutter.tip_diameter / 2, cone_slope(cutter.angle), cutter.radius)


def _pointed(cutter: Dimensions) -> Profile:
    return Profile.of(0.0, 0.0, cone_slope(cutter.angle), cutter.radius)


def _engraver(cutter: Dimensions) -> Profile:
    return Profile.of(cutter.tip_diameter / 2, 0.0, cone_slope(cutter.angle), cutter.radius)


SHAPES: dict[str, ShapeKind] = {
    "flat": ShapeKind("Flat", lambda cutter: Profile.of(cutter.radius, 0.0)),
    "ball": ShapeKind("Ball", lambda cutter: Profile.of(0.0, cutter.radius)),
    "bull-nose": ShapeKind("Bull-nose", _bull_nose, ("corner_radius",), lambda d: {"corner_radius": d / 6}),
    "tapered-ball": ShapeKind(
        "Tapered ball", _tapered, ("tip_diameter", "angle"), lambda d: {"tip_diameter": d / 4, "angle": 12.0}
    ),
    "v": ShapeKind("V", _pointed, ("angle",), lambda _d: {"angle": 60.0}),
    "engraver": ShapeKind(
        "Engraver", _engraver, ("tip_diameter", "angle"), lambda d: {"tip_diameter": d / 30, "angle": 30.0}
    ),
    "drill": ShapeKind("Drill", _pointed, ("angle",), lambda _d: {"angle": 118.0}),
}
