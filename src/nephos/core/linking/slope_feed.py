"""Feeds of moves that go down: no cutter goes down faster than its plunge feed."""

from dataclasses import replace
from math import log

import numpy as np

from nephos.core.arrays import F64
from nephos.core.machine.rotary_axis import surface_lengths
from nephos.core.toolpath import Kind, Toolpath

_STEP = 1.1
"""Ratio of one feed to the next. With feeds in steps, most moves of a program need no F word of their own."""


def with_slope_feeds(path: Toolpath, plunge_feed: float, radius: float | None = None) -> Toolpath:
    """A path on which the downward speed of no feed move exceeds the plunge feed.

    At a feed F on a slope of angle a the tip goes down at F sin(a). Where that is more than the plunge feed, the feed
    is the largest of `plunge_feed` x 1.1^k that keeps it. Level and upward moves keep their feeds.

    Parameters
    ----------
    plunge_feed : mm/min. radius : reference radius (mm) of a bar whose unrolled surface the path is on.
    """
    if not path.moves:
        return path
    down = -np.diff(path.points[:, 2])
    lengths = surface_lengths(path.points, radius) if radius else path.lengths()
    slow = (path.kinds != Kind.RAPID) & (path.feeds * down > plunge_feed * lengths * (1 + 1e-6))
    feeds = path.feeds.copy()
    steps = np.floor(np.log(lengths[slow] / down[slow]) / log(_STEP) + 1e-9)
    feeds[slow] = plunge_feed * _STEP ** np.maximum(steps, 0.0)
    return replace(path, feeds=feeds)


def slope_share(slopes: F64, feed: float, plunge_feed: float) -> float:
    """How many times longer paths over ground take where they go down no faster than the plunge feed.

    Half of the way over a slope goes down, in any direction across it: at an angle p to the steepest way the path has
    the slope tan(b) = tan(a) cos(p).

    Parameters
    ----------
    slopes : (n,) degrees, of equal shares of the ground.
    """
    if not len(slopes):
        return 1.0
    across = np.cos((np.arange(8) + 0.5) * np.pi / 16)
    rise = np.tan(np.radians(np.minimum(slopes, 85.0)))[:, None] * across
    lengths = np.sqrt(1 + rise**2)
    slower = np.maximum(feed * rise / lengths / plunge_feed, 1.0)
    return float((lengths * (1 + slower)).sum() / (2 * lengths.sum()))
