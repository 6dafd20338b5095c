"""Long work cut into bands: both cores busy, progress told and cancelling obeyed between bands.

Kernels are compiled without the interpreter lock, so plain threads run them side by side.
"""

import os
from collections.abc import Callable
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from typing import Protocol, TypeVar

import numba

T = TypeVar("T")

CORES = max(1, min(os.cpu_count() or 1, int(os.environ.get("NEPHOS_CORES", "64"))))

kernel = numba.njit(cache=True, nogil=True, error_model="numpy")
"""Decorator of every compiled function: kept in the cache, run outside the interpreter lock."""

inlined = numba.njit(cache=True, nogil=True, error_model="numpy", forceinline=True)
"""Decorator of the small functions that kernels are built of, where the call itself would cost most."""


class Report(Protocol):
    """Told how far the work is. Raises :class:`~nephos.core.errors.Cancelled` to stop it."""

    def __call__(self, fraction: float) -> None:
        """Take note that `fraction` (0 to 1) of the work is done."""


def silent(fraction: float) -> None:
    """Report to nobody."""


def part(report: Report, low: float, high: float) -> Report:
    """A report that covers `low` to `high` of `report`."""
    return lambda fraction: report(low + (high - low) * fraction)


def in_parallel(work: Callable[[int, int], T], count: int, band: int, report: Report = silent) -> list[T]:
    """Call `work(first, last)` for bands of `band` items that cover `range(count)`; results in order.

    At most one band more than there are cores is under way, so that a cancel is obeyed at once.
    """
    bounds = [(i, min(i + band, count)) for i in range(0, count, band)]
    if CORES == 1 or len(bounds) == 1:
        results = []
        for k, (first, last) in enumerate(bounds):
            report(k / len(bounds))
            results.append(work(first, last))
        report(1.0)
        return results
    found: dict[int, T] = {}
    with ThreadPoolExecutor(CORES) as pool:
        waiting: dict[Future[T], int] = {}
        done = 0
        for k, (first, last) in enumerate(bounds):
            waiting[pool.submit(work, first, last)] = k
            if len(waiting) > CORES or k == len(bounds) - 1:
                while waiting and (len(waiting) > CORES or k == len(bounds) - 1):
                    ready, _ = wait(waiting, return_when=FIRST_COMPLETED)
                    for future in ready:
                        found[waiting.pop(future)] = future.result()
                        done += 1
                    report(done / len(bounds))
    return [found[k] for k in range(len(bounds))]
