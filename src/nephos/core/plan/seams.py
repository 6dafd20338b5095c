"""Where seams of tiles may run: over plain ground, which sands easily."""

from dataclasses import dataclass
from math import ceil

import numpy as np

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.machine.machine import Machine
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.model import Model
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.setups.tiling import Axis, Tiles

_STEP = 4.0
"""Seams are weighed so far (mm) apart at least,"""
_MOST = 500
"""at so many places at most."""
_ACROSS = 12.0
"""Along a seam the ground is looked at in pieces of so many millimetres."""
_WORST = 0.9
"""Fine detail on a tenth of a seam counts as much as what lies on all of it."""
_EVEN = 0.4
"""So much a seam may cost more that makes tiles of one size."""
_SHORTEST = 0.4
"""No tile is shorter than this share of one of equal tiles."""
_ROOM = 2.0
"""A tile is so much (mm) shorter at each end than the machine travels."""


@dataclass(frozen=True)
class SeamCosts:
    """What a seam would cost at places `at` (n,) along an axis, mm: 0 over bare stock, `cost` (n,) about 1 over steep
    or fine ground."""

    at: F64
    cost: F64


def _samples(plan: Plan, setup: Setup, model: Model, look: MeshSummary) -> F64:
    """(n, 6) samples of a model's surface in a setup: points, and directions of length 1."""
    frame = setup.frame(plan.stock).matrix
    matrices = placed_model(look.support, model, plan.stock).matrices
    return np.concatenate([np.concatenate(look.moved_samples(frame @ matrix), axis=1) for matrix in matrices])


def seam_costs(plan: Plan, setup: Setup, shown: list[tuple[Model, MeshSummary]], axis: Axis = "x") -> SeamCosts:
    """What a straight seam across an axis would cost, from samples of the surface that is seen from the setup's side.

    Ground costs as much as it is steep, and as its direction changes within a piece of it: fine detail."""
    along, across = (0, 1) if axis == "x" else (1, 0)
    size = setup.frame(plan.stock).high
    length, width = float(size[along]), float(size[across])
    count = int(min(max(ceil(length / _STEP), 4), _MOST))
    pieces = max(ceil(width / _ACROSS), 1)
    edges = np.linspace(0.0, length, count + 1)
    at = (edges[:-1] + edges[1:]) / 2
    if not shown:
        return SeamCosts(at, np.zeros(count))
    samples = np.concatenate([_samples(plan, setup, model, look) for model, look in shown])
    samples = samples[samples[:, 5] > -0.05]
    i = np.clip((samples[:, along] / length * count).astype(np.int64), 0, count - 1)
    j = np.clip((samples[:, across] / width * pieces).astype(np.int64), 0, pieces - 1)
    cell = i * pieces + j
    hits = np.bincount(cell, minlength=count * pieces)
    mean = np.stack([np.bincount(cell, samples[:, k], count * pieces) for k in (3, 4, 5)]) / np.maximum(hits, 1)
    steep = np.where(hits > 0, 1.0 - mean[2], 0.0)
    mixed = np.where(hits > 1, 1.0 - np.linalg.norm(mean, axis=0), 0.0)
    cost = (steep + 2 * mixed).reshape(count, pieces)
    line = cost.mean(axis=1) + np.quantile(cost, _WORST, axis=1)
    # A seam is sanded over the width of its overrun.
    return SeamCosts(at, np.maximum(line, np.maximum(np.roll(line, 1), np.roll(line, -1))))


def longest_tile(machine: Machine, setup: Setup, tiles: Tiles | None, axis: Axis) -> float:
    """How long (mm) a tile may be on a machine: it cuts past its seams, and the cutter's axis past the board's ends."""
    travel = machine.travel[0 if axis == "x" else 1]
    overrun = tiles.overrun if tiles is not None else Tiles(seams_x=(1.0,)).overrun
    widest = max((operation.cutter.radius for operation in setup.worked), default=3.0)
    past = overrun + widest + _ROOM
    if tiles is not None and tiles.slide == "dowels":
        past = max(past, tiles.past + tiles.diameter)
    return travel - 2 * past


def proposed_seams(costs: SeamCosts, length: float, longest: float, count: int | None = None) -> tuple[float, ...]:
    """Seams that cost least, with no tile longer than `longest` mm: as few as there can be, or for `count` tiles.

    Raises
    ------
    Refused
        Where the machine is too small for tiles of that number, or of any.
    """
    if longest <= 2 * _ROOM:
        raise Refused("the machine does not travel far enough for the overrun of a tile: make the overrun smaller")
    needed = max(ceil(length / longest - 1e-9), 1)
    # Tiles as long as the machine goes leave the seams no choice.
    if count is None and needed > 1 and needed * longest - length < 0.1 * longest:
        needed += 1
    parts = count or needed
    if length / parts > longest + 1e-9:
        raise Refused(
            f"tiles of {length / parts:.0f} mm are longer than the machine cuts: make it {needed} or more tiles"
        )
    if parts < 2:
        raise Refused("one tile is the whole board: give two or more")
    even = length / parts
    least = max(_SHORTEST * even, 1.0)
    at = costs.at
    best = np.where((at >= least) & (at <= longest), 0.0, np.inf) + costs.cost + _EVEN * np.abs(at - even) / even
    came: list[np.ndarray] = []
    for k in range(2, parts):
        step = at[None, :] - at[:, None]
        through = np.where((step >= least) & (step <= longest), best[:, None], np.inf)
        came.append(through.argmin(axis=0))
        best = through.min(axis=0) + costs.cost + _EVEN * np.abs(at - k * even) / even
    best = np.where((length - at >= least) & (length - at <= longest), best, np.inf)
    last = int(best.argmin())
    if not np.isfinite(best[last]):
        return tuple(round(even * k, 1) for k in range(1, parts))
    places = [last]
    for table in reversed(came):
        places.append(int(table[places[-1]]))
    return tuple(round(float(at[k]), 1) for k in reversed(places))
