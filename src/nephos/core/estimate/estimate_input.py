"""The cheap geometry that estimates work on: what is known of an operation's ground before anything is calculated."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from math import pi
from typing import Any

import numpy as np

from nephos.core.arrays import F64
from nephos.core.estimate.estimate import EstimateInput
from nephos.core.estimate.perimeter import around_box
from nephos.core.estimate.stock_estimate import DrawnHeightMap, sampled_height_map, stock_estimate
from nephos.core.machine.machine import machine_of
from nephos.core.memo import Memo
from nephos.core.mesh.summary import MeshSummary
from nephos.core.plan.model import Model
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import Placed
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of
from nephos.core.stages.canonical import key_of
from nephos.core.stages.space import SpaceStage

_THIN = 8
"""Every eighth sample is enough for shares; the coarse picture wants them all."""
_SHARES = 20
"""Into so many equal shares the ground is divided by height and by slope."""
_UPWARDS = 0.03
"""Faces whose direction has less than this of up in it are walls, which take up nothing on the plan."""


def _weighted_shares(values: F64, weights: F64) -> tuple[float, ...]:
    order = np.argsort(values)
    sums = np.cumsum(weights[order])
    at = np.searchsorted(sums, np.arange(1, _SHARES + 1) / _SHARES * sums[-1] - 1e-12).clip(0, len(values) - 1)
    return tuple(float(value) for value in values[order][at])


@dataclass(frozen=True)
class _Sampled:
    """Samples that look up, or out from the axis of a bar: places in the setup, heights over the models' foot, slopes
    in degrees, plan areas; `walls` as of :class:`EstimateInput`."""

    points: F64
    heights: F64
    slopes: F64
    areas: F64
    walls: tuple[float, ...]


def _sampled(plan: Plan, setup: Setup, models: list[tuple[Model, Placed, MeshSummary]]) -> _Sampled:
    turn = setup.frame(plan.stock).matrix
    kind = kind_of(setup)
    places, slopes, areas, sides = [np.zeros((0, 3))], [np.zeros(0)], [np.zeros(0)], [np.zeros(0)]
    for _, box, look in models:
        for matrix in box.matrices:
            points, up, larger = kind.samples_seen(plan, *look.moved_samples(turn @ matrix))
            seen = up > -_UPWARDS
            if not seen.any():
                continue
            up, larger = np.clip(up[seen], 0.0, 1.0), larger[seen]
            # Samples are even by area: what one stands for follows from the plan area of all.
            each = float(np.abs(np.ptp(points[:, :2], axis=0)).prod()) / max(float((larger * up).sum()), 1e-9)
            places.append(points[seen])
            slopes.append(np.degrees(np.arccos(up)))
            areas.append(each * larger * up)
            sides.append(each * larger * np.sqrt(1 - up**2))
    at, slope, side = np.concatenate(places), np.concatenate(slopes), np.concatenate(sides)
    z = at[:, 2]
    walls = tuple(float(side[slope >= angle].sum()) for angle in np.linspace(0, 90, _SHARES - 1))
    return _Sampled(at, z - z.min(initial=np.inf) if len(z) else z, slope, np.concatenate(areas), walls)


def _region(operation: Operation, low: F64, high: F64, stock: F64, outline: Mapping[str, Any] | None) -> dict[str, Any]:
    """Box, area, perimeter and loops of where the axis goes, and the ways round its outline, from the drawn one where
    there is one."""
    limit, radius = operation.boundary, operation.cutter.radius
    by = limit.past(radius)
    size = np.abs(stock[1] - stock[0]) if limit.boundary == "stock" else high - low
    if outline and "box" in outline:
        size = np.array(outline["box"])
    width, height = np.maximum(size[:2] + 2 * by, 1.0)
    if not outline or "length" not in outline:
        return {
            "width": width,
            "height": height,
            "area": width * height,
            "perimeter": 2 * (width + height),
            "loops": 1,
            "around": around_box(float(size[0]), float(size[1])),
        }
    loops = int(outline["loops"])
    area = outline["area"] + outline["length"] * by + pi * by * abs(by)
    return {
        "width": width,
        "height": height,
        "area": max(area, 1.0),
        "perimeter": max(outline["length"] + 2 * pi * by * loops, 1.0),
        "loops": loops,
        "around": outline["around"],
    }


_SAMPLED: Memo[_Sampled] = Memo(32)


def _box(low: F64, high: F64, outline: Mapping[str, Any] | None) -> tuple[F64, F64]:
    """Corners on the plan of what an operation is limited to: of the drawn outline, else of the models."""
    if outline and "box" in outline:
        return np.array(outline["low"]), np.array(outline["low"]) + np.array(outline["box"])
    return low[:2], high[:2]


def estimate_input(
    plan: Plan,
    setup: Setup,
    operation: Operation,
    models: list[tuple[Model, Placed, MeshSummary]],
    outline: Mapping[str, Any] | None = None,
    drawn: DrawnHeightMap | None = None,
) -> EstimateInput:
    """What an estimate of one operation may know.

    `models` are those that are shown, each with where it lies and what is known of its mesh; `outline` the facts of
    the drawn boundary (area, length, loops, box), and `drawn` the relief of the models, where they have been drawn.
    """
    matrix = setup.frame(plan.stock).matrix
    corners = np.concatenate([[box.low, box.high] for _, box, _ in models]) @ matrix[:3, :3].T + matrix[:3, 3]
    kind = kind_of(setup)
    low, high, stock = kind.estimate_box(plan, corners.min(axis=0), corners.max(axis=0))
    drawn = drawn if kind.draws_height_map else None
    top = float(stock[:, 2].max())
    floor = max(float(low[2]), top - operation.cut_to if operation.cut_to else float(low[2]))
    region = _region(operation, low, high, stock, outline)
    key = key_of("stock-estimate", 4, SpaceStage.of(plan, setup).key)
    sampled = _SAMPLED.get(key, lambda: _sampled(plan, setup, models))
    # Beside the models the ground is level, at their foot.
    beside = max(region["area"] - float(sampled.areas.sum()), 0.0)
    heights, slopes, areas = (
        np.append(a, b)
        for a, b in (
            (sampled.heights[::_THIN], 0.0),
            (sampled.slopes[::_THIN], 0.0),
            (_THIN * sampled.areas[::_THIN], beside + 1e-9),
        )
    )
    machine = machine_of(plan.machine)
    return EstimateInput(
        width=float(region["width"]),
        height=float(region["height"]),
        depth=max(top - floor, 0.1),
        relief=float(high[2] - low[2]),
        top=top,
        feed=operation.cutting_feed,
        plunge_feed=operation.entering_feed,
        rapid=min(machine.rapid[:2]),
        acceleration=min(machine.acceleration[:2]),
        thickness=float(np.ptp(stock[:, 2])),
        area=float(region["area"]),
        perimeter=float(region["perimeter"]),
        loops=int(region["loops"]),
        around=region["around"],
        shares=_weighted_shares(heights, areas),
        slopes=_weighted_shares(slopes, areas),
        walls=sampled.walls,
        stock_estimate=cache(
            lambda: stock_estimate(
                plan,
                setup,
                operation,
                drawn or sampled_height_map(key, sampled.points, sampled.slopes, sampled.areas, stock),
                stock,
                floor,
                _box(low, high, outline),
            )
        )
        if len(sampled.points)
        else None,
    )
