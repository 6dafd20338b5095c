"""The places where a comparison is worst, a few and apart from one another, so that each can be looked at."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import F32
from nephos.core.stock.compare import Comparison

_LOOKED_AT = 20_000


@dataclass(frozen=True)
class Worst:
    """A place (x, y, z) in setup space, the deviation there (mm, positive for material left), and whether a cutter of the job could
    have reached it."""

    place: tuple[float, float, float]
    deviation: float
    reachable: bool


def worst_places(comparison: Comparison, top: F32, count: int = 6, apart: float = 5.0) -> tuple[Worst, ...]:
    """The deepest gouges and the most that is left, where each is beyond the limit: at most `count` of either.

    Parameters
    ----------
    top : (ny, nx) heights of the block over the grid of the comparison.
    apart : millimetres between any two places of one sign.
    """
    found: list[Worst] = []
    grid = comparison.grid
    for sign in (-1.0, 1.0):
        values = np.where(np.isfinite(comparison.deviation), sign * comparison.deviation, -np.inf).ravel()
        beyond = np.flatnonzero(values > comparison.limit)
        if len(beyond) > _LOOKED_AT:
            beyond = beyond[np.argpartition(-values[beyond], _LOOKED_AT)[:_LOOKED_AT]]
        order = beyond[np.argsort(-values[beyond], kind="stable")]
        taken: list[tuple[float, float]] = []
        for k in order:
            j, i = divmod(int(k), grid.nx)
            x, y = grid.x0 + i * grid.pitch, grid.y0 + j * grid.pitch
            if all((x - a) ** 2 + (y - b) ** 2 >= apart * apart for a, b in taken):
                taken.append((x, y))
                found.append(Worst((x, y, float(top[j, i])), float(comparison.deviation[j, i]), bool(comparison.reachable[j, i])))
            if len(taken) == count:
                break
    return tuple(found)
