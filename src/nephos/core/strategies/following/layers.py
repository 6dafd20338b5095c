"""Finishing in layers: the same passes at several depths, each layer cutting only the material above its depth.

In a layer the cutter follows the surface, but goes no lower than the layer's depth. Ground that lies above the depth of
an earlier layer was finished there and is left out of the later ones."""

from collections.abc import Callable
from dataclasses import replace
from math import inf

import numpy as np

from nephos.core.arrays import Bool
from nephos.core.linking.air_cuts import EVERY, broken
from nephos.core.linking.link_block import LinkBlock
from nephos.core.parallel import part
from nephos.core.polyline import densified
from nephos.core.strategies.clearing.levels import level_heights
from nephos.core.strategies.following.wall_order import nearest_next
from nephos.core.strategies.registry import Task, number
from nephos.core.toolpath import Pass

_SAME = 1e-6
_STANDS = 0.02
"""Material that stands no higher than this (mm) over a layer is none."""

LayerPasses = Callable[[Task], list[Pass]]
"""Makes the passes of a task, over the floor that it names."""


def layer_setting() -> float:
    """The setting that all finishing strategies with layers share."""
    depth: float = number(
        "Depth per layer",
        0.0,
        unit="mm",
        low=0,
        high=500,
        step=1,
        fold="Heights",
        help="goes down in layers no deeper than this, for finishing in one operation from the full; 0 for one layer",
    )
    return depth


def layers_share(depth: float, shares: tuple[float, ...], height: float) -> float:
    """How much longer the paths of all layers are than those of one, for an estimate.

    `shares` are heights (mm over the floor) that tenths of the surface are under, `height` that of the material.
    """
    if depth <= 0 or height <= depth:
        return 1.0
    heights = level_heights(height, 0.0, depth)
    grounds = np.array(shares or (height / 2,))
    return float(1 + sum((grounds < level).mean() for level in heights[:-1]))


def _of_layer(item: Pass, above: float, level: float | None, block: LinkBlock, task: Task) -> list[Pass]:
    """The stretches of a pass that belong to a layer: under the depth `above` of the layer before, and, where they are
    level at the depth `level` of this one, with material over them. None for the last layer, where all of the surface
    is cut."""
    path = densified(np.ascontiguousarray(item.points), EVERY)
    z = path[:, 2]
    kept = z < above - _SAME
    if level is not None:
        kept &= (z > level + _SAME) | (block.rests(path, task.cutter.profile) > z + _STANDS)
    stretches: Bool = kept[:-1] | kept[1:]
    return broken(item, path, stretches, task.cutter.diameter)


def not_under(passes: list[Pass], floor: float) -> list[Pass]:
    """The passes that are level, or begin, no lower than `floor`: those of walls, which belong to one layer each."""
    return [item for item in passes if item.start[2] >= floor - _SAME]


def in_layers(task: Task, depth: float, make: LayerPasses, *, both: bool) -> list[Pass]:
    """The passes that `make` gives, in layers no deeper than `depth` mm where that is more than 0.

    `task.block` is the block before the operation. Layers begin at the highest material in the region. A layer consists
    of many short stretches, such as those along walls: each is followed by the nearest one, backwards too if `both`.
    """
    if depth <= 0:
        return make(task)
    if task.block is None:
        raise ValueError("finishing in layers needs the block as it is")
    full = make(replace(task, report=part(task.report, 0.0, 0.4)))
    if not full:
        return full
    block = LinkBlock(task.block, keep_up=False)
    middle = np.array(task.region.centroid.coords[0])
    reach = float(np.hypot(*np.subtract(task.region.bounds[2:], task.region.bounds[:2]))) / 2 + task.cutter.radius
    top = min(block.highest(middle, middle, reach), task.ceiling)
    bottom = min(float(item.points[:, 2].min()) for item in full)
    heights = level_heights(top, bottom, depth) if top > bottom else [bottom]
    found: list[Pass] = []
    above = inf
    for k, level in enumerate(heights):
        last = k + 1 == len(heights)
        task.report(0.4 + 0.6 * k / len(heights))
        passes = full if last else make(replace(task, floor=max(task.floor, level), report=lambda _: None))
        stretches = [run for item in passes for run in _of_layer(item, above, None if last else level, block, task)]
        found += [replace(item, entry="ramp", floor=level) for item in nearest_next(stretches, both)]
        above = level
    return found
