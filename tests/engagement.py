"""How much of a flat cutter's round stands in the material along its path, found the slow path: cell by cell."""

import numpy as np

from nephos.core.polyline import densified
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.toolpath import Kind

EVERY = 0.3
"""Millimetres between the places that are looked at."""
LAG = 0.5
"""The path is taken out so many radii behind the cutter."""


def engaged_along(done: SetupOutcome, number: int = 0, pitch: float = 0.1) -> tuple[np.ndarray, np.ndarray]:
    """Degrees of the round engaged at places along all cutting and links of an operation, (n,), and the places, (n, 3).

    Entries cut too, but are not told: going down is a load of its own.
    """
    outcome = done.outcomes[number]
    radius, (x0, y0, _), high = outcome.operation.cutter.radius, done.space.stock_low, done.space.stock_high
    shape = (int((high[1] - y0) / pitch) + 1, int((high[0] - x0) / pitch) + 1)
    top = np.full(shape, high[2], np.float32)
    # Of the half that goes ahead; what the cutter has just cut itself stays for a while, or it would hide what is at
    # its side.
    around = np.radians(np.arange(-87.5, 90, 5))
    waiting: list[tuple[float, float, float]] = []
    reach = int(radius / pitch) + 1
    rows, columns = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    disc = rows**2 + columns**2 <= (radius / pitch) ** 2
    degrees, places = [], []

    def take(x: float, y: float, z: float) -> None:
        i, j = round((x - x0) / pitch), round((y - y0) / pitch)
        low_j, high_j, low_i, high_i = (
            max(j - reach, 0),
            min(j + reach + 1, shape[0]),
            max(i - reach, 0),
            min(i + reach + 1, shape[1]),
        )
        if low_j < high_j and low_i < high_i:
            part = top[low_j:high_j, low_i:high_i]
            part[disc[low_j - j + reach : high_j - j + reach, low_i - i + reach : high_i - i + reach] & (part > z)] = z

    for k in np.flatnonzero(outcome.kinds != Kind.RAPID):
        told = outcome.kinds[k] != Kind.ENTRY
        for x, y, z in densified(np.ascontiguousarray(outcome.points[k : k + 2]), EVERY)[1:]:
            if told:
                angles = around + np.arctan2(*(outcome.points[k + 1] - outcome.points[k])[1::-1])
                i = np.round((x + (radius - 0.7 * pitch) * np.cos(angles) - x0) / pitch).astype(int)
                j = np.round((y + (radius - 0.7 * pitch) * np.sin(angles) - y0) / pitch).astype(int)
                on = (i >= 0) & (j >= 0) & (i < shape[1]) & (j < shape[0])
                degrees.append(5.0 * np.count_nonzero(top[j[on], i[on]] > z + 0.02))
                places.append((x, y, z))
            waiting.append((x, y, z))
            while len(waiting) > (LAG * radius / EVERY if told else 0):
                take(*waiting.pop(0))
    return np.array(degrees), np.array(places)
