"""The places where a block is farthest from the model, a few and apart from one another, so that each can be looked
at."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F32
from nephos.core.stock.compare import Comparison
from nephos.core.surface.gouge import Gouge

_LOOKED_AT = 20_000


@dataclass(frozen=True)
class Worst:
    """A place (x, y, z) in setup space, the deviation there (mm, positive for material left), and whether a cutter of
    the job could have reached it."""

    place: tuple[float, float, float]
    deviation: float
    reachable: bool


def worst_gouges(gouges: Sequence[Gouge], limit: float, count: int = 6, apart: float = 5.0) -> tuple[Worst, ...]:
    """At most `count` of the gouges deeper than `limit`, the deepest first (as they are given), `apart` mm from one
    another."""
    found: list[Worst] = []
    for item in gouges:
        if item.depth <= limit or len(found) == count:
            break
        if all((item.place[0] - w.place[0]) ** 2 + (item.place[1] - w.place[1]) ** 2 >= apart * apart for w in found):
            found.append(Worst(item.place, -item.depth, True))
    return tuple(found)


def most_left(comparison: Comparison, top: F32, count: int = 6, apart: float = 5.0) -> tuple[Worst, ...]:
    """Where most is left beyond the limit: at most `count` places.

    Parameters
    ----------
    top : (ny, nx) heights of the block over the grid of the comparison.
    apart : millimetres between any two places.
    """
    grid = comparison.grid
    values = np.where(np.isfinite(comparison.deviation), comparison.deviation, -np.inf).ravel()
    beyond = np.flatnonzero(values > comparison.limit)
    if len(beyond) > _LOOKED_AT:
        beyond = beyond[np.argpartition(-values[beyond], _LOOKED_AT)[:_LOOKED_AT]]
    found: list[Worst] = []
    for k in beyond[np.argsort(-values[beyond], kind="stable")]:
        j, i = divmod(int(k), grid.nx)
        x, y = grid.x0 + i * grid.pitch, grid.y0 + j * grid.pitch
        if all((x - w.place[0]) ** 2 + (y - w.place[1]) ** 2 >= apart * apart for w in found):
            found.append(
                Worst((x, y, float(top[j, i])), float(comparison.deviation[j, i]), bool(comparison.reachable[j, i]))
            )
        if len(found) == count:
            break
    return tuple(found)
