"""Level roughing in rings, from outside in, each region finished to its bottom before the next."""

from collections.abc import Iterator
from math import ceil
from typing import Literal

import numpy as np
from shapely.geometry import Polygon
from shapely.geometry.polygon import orient

from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.paths.estimate import Estimate, Ground, travel_seconds
from nephos.core.paths.levels import Region, level_regions, polygons_of
from nephos.core.paths.registry import Passes, Strategy, StrategySettings, Task, choice, number
from nephos.core.paths.toolpath import Pass
from nephos.core.units import Say

_DIRECTIONS = {"climb": "climb", "conventional": "conventional"}


ROUGHING_SHAPES = ("flat", "ball", "bull-nose", "tapered-ball")
"""A pointed cutter clears no level ground."""


class RoughSettings(StrategySettings):
    """Settings that all level roughing shares."""

    stepdown: float = number("Stepdown", 3.0, unit="mm", over=0, high=200, step=0.5,
                             help="at most; made smaller so that all layers are equal")
    stepover: float = number("Stepover", 2.5, unit="mm", over=0, high=200, step=0.25,
                             help="between neighbouring ways")
    leave: float = number("Stock to leave", 0.5, unit="mm", low=0, high=20, step=0.1,
                          help="square to the surface, for the finisher")
    ramp_angle: float = number("Ramp", 3.0, unit="°", over=0, high=90, step=0.5, fold="Links and entries",
                               help="how steeply the cutter goes down along its way")

    def check_cutter(self, cutter: Cutter) -> None:
        """Refuse ways that would not meet."""
        self._stepover_fits(self.stepover, cutter)


class RoughRingsSettings(RoughSettings):
    """Settings of roughing in rings."""

    direction: Literal["climb", "conventional"] = choice("Direction", "climb", _DIRECTIONS)


def _rings(polygon: Polygon, stepover: float, radius: float) -> Iterator[Polygon]:
    """The polygon and those inside of it, one stepover apart, each followed by all within it."""
    yield polygon
    inner = polygons_of(polygon.buffer(-stepover, quad_segs=6).simplify(0.01))
    if not inner and stepover > radius:
        # The ways on both sides would leave a strip between them: one more way down its middle.
        inner = polygons_of(polygon.buffer(-0.9 * radius, quad_segs=6).simplify(0.01))
        yield from inner
        return
    for piece in inner:
        if piece.length > 0.2 * radius:
            yield from _rings(piece, stepover, radius)


def from_nearest(ring: np.ndarray, at: np.ndarray | None) -> np.ndarray:  # type: ignore[type-arg]
    """A closed ring (n, 2) turned so that it begins at its vertex nearest to `at`."""
    if at is None:
        return ring
    k = int(((ring[:-1] - at) ** 2).sum(axis=1).argmin())
    return np.concatenate([ring[k:-1], ring[: k + 1]])


def ring_passes(polygon: Polygon, level: float, climb: bool, at: np.ndarray | None) -> Iterator[Pass]:  # type: ignore[type-arg]
    """The outline and the holes of a polygon as closed passes at `level`, nearest first."""
    turned = orient(polygon, -1.0 if climb else 1.0)
    rings = [np.asarray(ring.coords) for ring in (turned.exterior, *turned.interiors)]
    while rings:
        k = 0 if at is None else int(np.argmin([((ring - at) ** 2).sum(axis=1).min() for ring in rings]))
        ring = from_nearest(rings.pop(k), at)
        at = ring[-1]
        yield Pass(np.column_stack([ring, np.full(len(ring), level)]), closed=True, entry="ramp")


def _cut(region: Region, settings: RoughRingsSettings, radius: float) -> Iterator[Pass]:
    at = None
    for ring in _rings(region.polygon, settings.stepover, radius):
        for item in ring_passes(ring, region.level, settings.direction == "climb", at):
            at = item.end[:2]
            yield item
    for below in region.below:
        yield from _cut(below, settings, radius)


def _make(task: Task) -> Passes:
    settings: RoughRingsSettings = task.settings
    passes: list[Pass] = []
    for region in level_regions(task, settings.stepdown, settings.leave):
        passes.extend(_cut(region, settings, task.cutter.radius))
    if not passes:
        raise Refused(
            f"there is no room for a {task.cutter.diameter:g} mm cutter inside the boundary above the floor: "
            "use a smaller cutter or a wider boundary"
        )
    return Passes(tuple(passes), stay_down=2.0 * task.cutter.diameter, on_surface=False,
                  ramp_angle=settings.ramp_angle)


def describe_rough(settings: RoughSettings, cutter: Cutter, say: Say) -> str:
    """The key numbers of a roughing operation."""
    return f"{say(settings.stepdown)} down · step {say(settings.stepover)} · leave {say(settings.leave)}"


def estimate_rough(settings: RoughSettings, cutter: Cutter, leave: float, ground: Ground) -> Estimate:
    """Layers of ways one stepover apart; the model stands in about half of them."""
    layers = max(ceil((ground.depth - settings.leave) / settings.stepdown - 1e-6), 1)
    over_model = min(ground.relief / max(ground.depth, 1e-9), 1.0) * 0.5
    length = layers * ground.width * ground.height / settings.stepover * (1 - over_model)
    ways = ceil(min(ground.width, ground.height) / settings.stepover)
    return Estimate(
        seconds=travel_seconds(length, 4 * layers * ways, ground.feed, ground.acceleration)
        + layers * (ground.depth / layers) / 0.0524 / ground.plunge_feed * 60,
        lines=ways, layers=layers,
    )


STRATEGY = Strategy(
    key="rough_rings", title="Rough, rings", summary="clears level by level, in rings from outside in",
    settings=RoughRingsSettings, uses_block=True, shapes=ROUGHING_SHAPES, make=_make, describe=describe_rough, estimate=estimate_rough,
)
