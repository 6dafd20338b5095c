"""From the unrolled surface of a bar to the axes of a machine: angles or lengths for the way round, and feeds.

On the path a feed is that of the tip over the surface, at its true radius. A controller that is given a feed a minute
takes it along X, Y and Z, or in degrees where only A moves (RS274/NGC, 2.1.2.5); one that is given inverse time takes
the whole move in 1 / F minutes (2.1.2.5, G93).
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from nephos.core.arrays import F32, F64
from nephos.core.machine.machine import Machine
from nephos.core.post.schema import Post
from nephos.core.toolpath import Kind, Toolpath

_LEAST_RADIUS = 1.0
"""Nearer to the axis (mm) the feed is that at this radius."""


@dataclass(frozen=True)
class RotaryAxis:
    """How the way round is written: as the `word` A in degrees or Y in millimetres, so much a turn (`per_turn`), with
    its `sense` (1 or -1); and whether feeds are `inverse` time. `radius` is the reference radius of the unrolled
    surface."""

    word: Literal["A", "Y"]
    per_turn: float
    sense: int
    inverse: bool
    radius: float

    @property
    def share(self) -> float:
        """What the axis says for each millimetre on the unrolled surface."""
        return self.sense * self.per_turn / (2 * np.pi * self.radius)


def surface_lengths(points: F64, radius: float) -> F64:
    """(n,) length (mm) of each move over the surface, at the mean radius of its tip; `points` lie unrolled."""
    step = np.diff(points, axis=0)
    at = np.maximum((points[1:, 2] + points[:-1, 2]) / 2, _LEAST_RADIUS)
    lengths: F64 = np.sqrt(step[:, 0] ** 2 + step[:, 2] ** 2 + (step[:, 1] / radius * at) ** 2)
    return lengths


def _least_minutes(step: F64, turned: F64, axis: RotaryAxis, machine: Machine) -> F64:
    """(n,) the shortest time (min) of moves in which no axis exceeds its own feed limit."""
    x_limit, y_limit, z_limit = machine.feed_limit
    around = next((item.feed_limit for item in machine.rotary if item.name == "A"), np.inf)
    limit = around if axis.word == "A" else y_limit
    found: F64 = np.maximum.reduce([np.abs(step[:, 0]) / x_limit, np.abs(step[:, 2]) / z_limit, np.abs(turned) / limit])
    return found


def axis_feeds(
    points: F64, feeds: F32, axis: RotaryAxis, inverse: bool, machine: Machine, written: F64 | None = None
) -> F64:
    """(n,) the feed words of moves: 1 / min where `inverse`, else mm / min, or degrees / min where only A moves.

    `written` are the points as a program has them, rounded: a controller takes the length of a move, which may be a few
    of its last decimals along X and Z, from there.

    Where the feed over the surface asks an axis for more than its limit, near the rotary axis above all, the word is
    that of the limit: a controller that does not hold its limits itself would lose steps."""
    lengths = np.maximum(surface_lengths(points, axis.radius), 1e-9)
    step = np.diff(points, axis=0)
    turned = step[:, 1] * axis.share
    minutes = np.maximum(
        lengths / np.maximum(feeds.astype(np.float64), 1e-9), _least_minutes(step, turned, axis, machine)
    )
    if axis.word == "A":
        shown = step if written is None else np.diff(written, axis=0)
        straight = np.hypot(shown[:, 0], shown[:, 2])
        said = np.where(straight > 1e-9, straight, np.abs(turned))
    else:
        said = np.sqrt(step[:, 0] ** 2 + step[:, 2] ** 2 + turned**2)
    found: F64 = np.where(feeds > 0, 1.0 / minutes if inverse else said / minutes, 0.0)
    return found


def program_path(path: Toolpath, axis: RotaryAxis, zero: F64, turns: int, post: Post, machine: Machine) -> Toolpath:
    """A path on the unrolled surface as a program says it: X, the word for the way round, and Z from the work zero.

    `turns` whole turns are added. Degrees and inverse feeds stand as many times as large as the `post`'s unit has
    millimetres, as all else is divided by that when it is written."""
    millimetres, grid = post.millimetres, post.millimetres * 10.0**-post.decimals
    points = path.points - zero
    written = np.rint(points / grid) * grid
    along = path.points[:, 1] * axis.share + axis.sense * turns * axis.per_turn
    points[:, 1] = along * (millimetres if axis.word == "A" else 1.0)
    feeds = axis_feeds(path.points, path.feeds, axis, axis.inverse, machine, written)
    if axis.inverse:
        feeds = feeds * millimetres
    elif axis.word == "A":
        step = np.diff(written, axis=0)
        only_a = np.hypot(step[:, 0], step[:, 2]) <= 1e-9
        feeds = np.where(only_a, feeds * millimetres, feeds)
    return Toolpath(points, path.kinds, feeds.astype(np.float32))


def machine_moves(points: F64, kinds: np.ndarray, feeds: F32, axis: RotaryAxis, machine: Machine) -> tuple[F64, F32]:
    """Moves as the axes of a machine make them, with the feeds of :func:`axis_feeds`: (n + 1, 4) X, Y, Z, A where it
    has a rotary axis, else (n + 1, 3) with the bar on Y."""
    around = points[:, 1] * axis.share
    moving = np.where(kinds == Kind.RAPID, np.float32(0.0), feeds)
    if axis.word == "A":
        found = np.column_stack([points[:, 0], np.zeros(len(points)), points[:, 2], around])
    else:
        found = np.column_stack([points[:, 0], around, points[:, 2]])
    return found, axis_feeds(points, moving, axis, False, machine).astype(np.float32)


def whole_turns(end: float, begin: float, radius: float) -> int:
    """Turns to add to a path that begins at `begin` (mm on the unrolled surface), so that A goes on from `end` on the
    shortest way."""
    return round((end - begin) / (2 * np.pi * radius))


def has_axis(machine: Machine, axis: RotaryAxis) -> bool:
    """Whether a machine has the axis that a post writes."""
    return axis.word == "Y" or any(item.name == "A" for item in machine.rotary)
