"""How long a job takes at the machine: moves, cutter changes and waits, corrected by what jobs really took."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from nephos.core.machine.machine import Machine


@dataclass(frozen=True)
class JobTime:
    """Seconds: of the moves, of changing cutters, of waiting for the spindle."""

    moves: float
    changes: float
    waits: float

    @property
    def total(self) -> float:
        """All of it."""
        return self.moves + self.changes + self.waits


def job_time(seconds: list[float], cutters: list[int], machine: Machine) -> JobTime:
    """Of operations in their order: the seconds of each one's moves, and the number of its cutter.

    The first cutter counts as in the spindle already; the spindle is waited for at every operation.
    """
    changes = sum(before != after for before, after in pairwise(cutters))
    return JobTime(sum(seconds), changes * machine.cutter_change_seconds, len(seconds) * machine.spindle_wait_seconds)


@dataclass(frozen=True)
class Calibration:
    """By how much real times exceed calculated ones: the usual ratio, and the lowest and highest of those entered.

    Without any entry all are 1.
    """

    factor: float
    low: float
    high: float
    entries: int


def calibrate(pairs: list[tuple[float, float]]) -> Calibration:
    """From pairs of calculated and real seconds; the usual ratio is the median, so that one run with a pause in it does
    not count."""
    ratios = np.array([real / calculated for calculated, real in pairs if calculated > 0 and real > 0])
    if not len(ratios):
        return Calibration(1.0, 1.0, 1.0, 0)
    return Calibration(float(np.median(ratios)), float(ratios.min()), float(ratios.max()), len(ratios))
