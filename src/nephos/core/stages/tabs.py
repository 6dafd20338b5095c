"""Where the tabs of a setup's cut-outs are to stand, to be looked for in the finished block."""

from collections.abc import Mapping

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.plan.operation import Operation
from nephos.core.stages.setup_outcome import HeldTab
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.strategies.cut_out import tab_places
from nephos.core.strategies.following.tabs import loops_of, point_on, rim_heights
from nephos.core.strategies.registry import Held

_BEYOND = 1.0
"""So far (mm) past the cut the frame must stand that a tab hangs on."""


def _outward(rim: F64, share: float, outline: shapely.Geometry) -> F64:
    """Unit vector out of the outline at a share of a rim's length."""
    step = 1e-3
    along = point_on(rim, share + step) - point_on(rim, share - step)
    out = np.array([along[1], -along[0]]) / max(float(np.hypot(*along)), 1e-12)
    inside = shapely.intersects_xy(outline, *(point_on(rim, share) + 1e-3 * out))
    return -out if inside else out


def held_tabs(space: SetupSpace, outlines: Mapping[int, shapely.Geometry]) -> tuple[HeldTab, ...]:
    """The tabs of all cut-outs, in the setup's space; `outlines` of their boundaries, by the operation's number."""
    found: list[HeldTab] = []
    for operation in space.setup.worked:
        held = operation.settings.held
        if held is not None and held.skin <= 0:
            found += _tabs_of(space, operation, held, outlines[operation.number])
    return tuple(found)


def _tabs_of(space: SetupSpace, operation: Operation, held: Held, outline: shapely.Geometry) -> list[HeldTab]:
    loops = loops_of(outline)
    places = tab_places(
        loops,
        lambda k: rim_heights(space.index, loops[k].rim, space.floor),
        operation.settings,
        operation.cutter,
        space.stock_box,
        space.setup.seams,
    )
    found = []
    for loop, shares in zip(loops, places, strict=True):
        for share in shares:
            out = _outward(loop.rim, share, outline) * (-1.0 if held.side == "inside" else 1.0)
            off = 0.0 if held.side == "on" else operation.cutter.radius + held.allowance
            middle = point_on(loop.rim, share) + off * out
            frame = middle + (operation.cutter.radius + _BEYOND) * out
            found.append(
                HeldTab(
                    operation.number,
                    (float(middle[0]), float(middle[1])),
                    (float(frame[0]), float(frame[1])),
                    held.tab_height,
                )
            )
    return found
