"""The cheap geometry that estimates work on: what is known of an operation's ground before anything is calculated."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from math import atan, degrees, pi
from typing import Any

import numpy as np

from nephos.core.arrays import F64, Bool
from nephos.core.machine.kinematics import machine_named
from nephos.core.memo import Memo
from nephos.core.mesh.look import Look
from nephos.core.paths.estimate import Ground, Survey
from nephos.core.paths.levels import FLAT, wide_heights
from nephos.core.paths.relief import Relief
from nephos.core.paths.rough_rings import RoughSettings, rough_levels
from nephos.core.plan.keys import space_key
from nephos.core.plan.place import Placed, to_setup
from nephos.core.plan.results import key_of
from nephos.core.plan.schema import Model, Operation, Plan, Setup

_THIN = 8
"""Every eighth sample is enough for shares; the coarse picture wants them all."""
_SHARES = 20
"""Into so many equal shares the ground is divided by height and by slope."""
_ROUND = 15.0
"""Millimetres beyond models and stock that the coarse picture shows, for the widest cutters."""
_UPWARDS = 0.03
"""Faces whose direction has less than this of up in it are walls, which take up nothing on the plan."""


def _weighted_shares(values: F64, weights: F64) -> tuple[float, ...]:
    order = np.argsort(values)
    sums = np.cumsum(weights[order])
    at = np.searchsorted(sums, np.arange(1, _SHARES + 1) / _SHARES * sums[-1] - 1e-12).clip(0, len(values) - 1)
    return tuple(float(value) for value in values[order][at])


@dataclass(frozen=True)
class _Sampled:
    """Samples that look up: places in the setup, heights over the models' foot, slopes in degrees, plan areas; `walls` as of :class:`Ground`."""

    points: F64
    heights: F64
    slopes: F64
    areas: F64
    walls: tuple[float, ...]


def _sampled(plan: Plan, setup: Setup, models: list[tuple[Model, Placed, Look]]) -> _Sampled:
    turn = to_setup(plan.stock, setup)
    places, slopes, areas, sides = [np.zeros((0, 3))], [np.zeros(0)], [np.zeros(0)], [np.zeros(0)]
    for _, box, look in models:
        for matrix in box.matrices:
            whole = turn @ matrix
            points = look.samples[:, :3] @ whole[:3, :3].T + whole[:3, 3]
            normals = look.samples[:, 3:] @ np.linalg.inv(whole[:3, :3])
            up = normals[:, 2] / np.maximum(np.linalg.norm(normals, axis=1), 1e-12)
            seen = up > -_UPWARDS
            if not seen.any():
                continue
            up = np.clip(up[seen], 0.0, 1.0)
            # Samples are even by area: what one stands for follows from the plan area of all.
            each = float(np.abs(np.ptp(points[:, :2], axis=0)).prod()) / max(float(up.sum()), 1e-9)
            places.append(points[seen])
            slopes.append(np.degrees(np.arccos(up)))
            areas.append(each * up)
            sides.append(each * np.sqrt(1 - up**2))
    at, slope, side = np.concatenate(places), np.concatenate(slopes), np.concatenate(sides)
    z = at[:, 2]
    walls = tuple(float(side[slope >= angle].sum()) for angle in np.linspace(0, 90, _SHARES - 1))
    return _Sampled(at, z - z.min(initial=np.inf) if len(z) else z, slope, np.concatenate(areas), walls)


def _region(plan: Plan, operation: Operation, low: F64, high: F64, stock: F64, outline: Mapping[str, Any] | None) -> dict[str, float]:
    """Box, area, perimeter and loops of where the axis goes, from the drawn outline where there is one."""
    limit, radius = operation.boundary, operation.cutter.radius
    by = {"inside": -radius, "centre": 0.0, "outside": radius}[limit.contain] + limit.plus
    size = np.abs(stock[1] - stock[0]) if limit.boundary == "stock" else high - low
    if outline and "box" in outline:
        size = np.array(outline["box"])
    width, height = np.maximum(size[:2] + 2 * by, 1.0)
    if not outline or "length" not in outline:
        return {"width": width, "height": height, "area": width * height, "perimeter": 2 * (width + height), "loops": 1,
                "outline": 2 * float(size[0] + size[1])}
    loops = int(outline["loops"])
    area = outline["area"] + outline["length"] * by + pi * by * abs(by)
    return {"width": width, "height": height, "area": max(area, 1.0), "perimeter": max(outline["length"] + 2 * pi * by * loops, 1.0),
            "loops": loops, "outline": outline["length"]}


_CAUSES = {"cutter", "settings", "boundary", "strategy"}
"""Of an operation, what the block after it depends on."""
_SAMPLED: Memo[_Sampled] = Memo(16)
_RELIEFS: Memo[Relief] = Memo(16)
_STANDING: Memo[F64] = Memo(64)


def _axis_goes(relief: Relief, operation: Operation, stock: F64, box: tuple[F64, F64]) -> Bool:
    """Where of a relief the axis of an operation's cutter goes, as well as it is known without drawing the boundary."""
    limit, radius = operation.boundary, operation.cutter.radius
    by = {"inside": -radius, "centre": 0.0, "outside": radius}[limit.contain] + limit.plus
    if limit.boundary == "silhouette":
        return relief.reach(relief.model, by) if by >= 0 else ~relief.reach(~relief.model, -by)
    low, high = (stock.min(axis=0), stock.max(axis=0)) if limit.boundary == "stock" else box
    x, y = relief.places
    found: Bool = (x >= low[0] - by) & (x <= high[0] + by) & (y >= low[1] - by) & (y <= high[1] + by)
    return found


def _standing(key: str, relief: Relief, depth: float, flats: Callable[[Operation], tuple[float, ...]], earlier: list[Operation],
              axis: Callable[[Operation], Bool]) -> F64:
    """How high material stands over the floor after earlier roughing, level by level as that will cut it."""
    if not earlier:
        return np.full(relief.z.shape, depth)
    last = earlier[-1]
    causes = (key, *(item.model_dump_json(include=_CAUSES) for item in earlier))

    def cut() -> F64:
        before = _standing(key, relief, depth, flats, earlier[:-1], axis)
        settings = last.settings
        tips = relief.tips(last.cutter.profile, float(getattr(settings, "leave", 0.0)))
        if not isinstance(settings, RoughSettings):
            return np.minimum(before, relief.swept(tips, last.cutter.profile, axis(last) & (tips <= depth)))
        levels = np.array([height for height, _ in rough_levels(settings, depth, flats(last))])[::-1]
        at = np.searchsorted(levels, tips - 1e-6)
        where = axis(last) & (at < len(levels))
        return np.minimum(before, relief.swept(levels[np.minimum(at, len(levels) - 1)], last.cutter.profile, where))

    return _STANDING.get(causes, cut)


def _level_ground(sampled: _Sampled, floor: float, least: float) -> tuple[float, ...]:
    """Heights over the floor at which at least `least` mm^2 lie level, the highest first."""
    level = sampled.slopes < degrees(atan(FLAT))
    return tuple(wide_heights(sampled.points[level, 2] - floor, sampled.areas[level], least))


def _surveyed(plan: Plan, setup: Setup, operation: Operation, sampled: _Sampled, stock: F64, floor: float, box: tuple[F64, F64]) -> Survey:
    """The coarse picture that an operation finds."""
    depth = float(stock[:, 2].max()) - floor
    key = key_of("survey", space_key(plan, setup), floor, stock.tolist())
    earlier = [item for item in setup.worked if item.number < operation.number and item.strategy.startswith("rough")]

    def made() -> Relief:
        points = sampled.points - np.array([0.0, 0.0, floor])
        low, high = points[:, :2].min(axis=0), points[:, :2].max(axis=0)
        margin = float(max(np.abs(np.stack([stock[:, :2].min(axis=0) - low, stock[:, :2].max(axis=0) - high])).max(), 0.0)) + _ROUND
        return Relief.of_samples(points, low, high, min(margin, 3 * float((high - low).max())))

    relief = _RELIEFS.get(key, made)
    axis = partial(_axis_goes, relief, stock=stock[:, :2], box=box)

    def flats(of: Operation) -> tuple[float, ...]:
        return _level_ground(sampled, floor, 4 * of.cutter.diameter**2)

    key = f"{key} {np.round(box, 1).tolist()}"
    causes = [*(item.model_dump_json(include=_CAUSES) for item in earlier), operation.model_dump_json(include={"cutter", "boundary"})]
    return Survey(key_of("survey", key, causes), relief, axis(operation), _standing(key, relief, depth, flats, earlier, axis), flats(operation))


def _box(low: F64, high: F64, outline: Mapping[str, Any] | None) -> tuple[F64, F64]:
    """Corners on the plan of what an operation is limited to: of the drawn outline, else of the models."""
    if outline and "box" in outline:
        return np.array(outline["low"]), np.array(outline["low"]) + np.array(outline["box"])
    return low[:2], high[:2]


def ground_of(plan: Plan, setup: Setup, operation: Operation, models: list[tuple[Model, Placed, Look]],
              outline: Mapping[str, Any] | None = None) -> Ground:
    """What an estimate of one operation may know.

    `models` are those that are shown, each with where it lies and what is known of its mesh; `outline` the facts of
    the drawn boundary (area, length, loops, box), where it has been drawn.
    """
    matrix = to_setup(plan.stock, setup)
    corners = np.concatenate([[box.low, box.high] for _, box, _ in models]) @ matrix[:3, :3].T + matrix[:3, 3]
    stock = np.array([[0, 0, 0], plan.stock.size]) @ matrix[:3, :3].T + matrix[:3, 3]
    low, high = corners.min(axis=0), corners.max(axis=0)
    top = float(stock[:, 2].max())
    floor = max(float(low[2]), top - operation.cut_to if operation.cut_to else float(low[2]))
    region = _region(plan, operation, low, high, stock, outline)
    sampled = _SAMPLED.get(key_of("survey", space_key(plan, setup)), lambda: _sampled(plan, setup, models))
    # Beside the models the ground is level, at their foot.
    beside = max(region["area"] - float(sampled.areas.sum()), 0.0)
    heights, slopes, areas = (np.append(a, b) for a, b in (
        (sampled.heights[::_THIN], 0.0), (sampled.slopes[::_THIN], 0.0), (_THIN * sampled.areas[::_THIN], beside + 1e-9)))
    earlier = [item for item in setup.operations if item.on and item.number < operation.number and item.strategy.startswith("rough")]
    # Cleared is only what a cutter as wide as this one finds empty all round the outline.
    wide = [item for item in earlier if item.boundary.boundary == "stock" or item.cutter.diameter + item.boundary.plus
            >= operation.cutter.diameter + (0.0 if item.boundary.contain == "outside" else item.cutter.diameter)]
    cleared = max((top - floor - float(getattr(item.settings, "leave", 0.0)) for item in wide), default=0.0)
    machine = machine_named(plan.machine)
    return Ground(
        width=float(region["width"]), height=float(region["height"]), depth=max(top - floor, 0.1), relief=float(high[2] - low[2]),
        top=top, feed=operation.cutting_feed, plunge_feed=operation.entering_feed, acceleration=min(machine.acceleration[:2]),
        thickness=float(np.ptp(stock[:, 2])), area=float(region["area"]), perimeter=float(region["perimeter"]),
        loops=int(region["loops"]), outline=float(region["outline"]), cleared=cleared,
        cleared_by=min((item.cutter.diameter for item in earlier), default=0.0),
        shares=_weighted_shares(heights, areas), slopes=_weighted_shares(slopes, areas), walls=sampled.walls,
        survey=_surveyed(plan, setup, operation, sampled, stock, floor, _box(low, high, outline)) if len(sampled.points) else None,
    )
