"""Proposals for the tabs of a part that is cut from several faces: the fewest and smallest that hold it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.cutters.profile import Profile
from nephos.core.findings.faces import most_push, tabs_hold
from nephos.core.plan.joined_faces import Faces, FaceTab
from nephos.core.plan.place import Placed
from nephos.core.plan.schema import Plan
from nephos.core.proposals.end_tabs import PartEnds
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.shadow import shadow_of
from nephos.core.stages.uncut_solids import BEYOND
from nephos.core.stages.work import Work
from nephos.core.strategies.following.tabs import Frame, Loop, loops_of, places_on, point_on
from nephos.core.surface.drop import drop_points
from nephos.core.surface.index import SurfaceIndex

__all__ = ["HOLD", "proposed_tabs"]

HOLD = 2.0
"""Proposed tabs hold this many times the push of the cutters, at the worst place and in the worst direction."""
_END_DIAMETERS = (5.0, 6.0, 8.0, 10.0, 12.0, 14.0, 16.0)
"""Diameters (mm) that are tried for tabs at the ends."""
_MORE = ((0, 1.0), (1, 1.0), (2, 1.0), (2, 1.5), (4, 1.5), (6, 2.0), (8, 3.0))
"""What is tried for tabs along an outline: how many more than usual, and how many times wider."""
_PER_TAB = 90.0
"""Length of outline (mm) for one tab."""
_INSET = 1.5
"""The thickness of the part at a tab is measured this far (mm) inside its outline."""
_ROOM = 0.1
_POINT = Profile.of(0.0, 1e-6)


@dataclass(frozen=True)
class _Outline:
    """The outline of the part from above, in stock space, and how high the part lies inside of it."""

    space: SetupSpace
    below: SetupSpace

    def heights(self, places: F64) -> tuple[F64, F64]:
        """Underside and top (n,) of the part at places (n, 2); not a number beside it."""
        nowhere = -1e4
        top = _heights(self.space.surface, places, nowhere)
        size = self.below.stock_high
        mirrored = np.column_stack([places[:, 0], size[1] - places[:, 1]])
        under = size[2] - _heights(self.below.surface, mirrored, nowhere)
        return under, top


def _heights(index: SurfaceIndex, places: F64, nowhere: float) -> F64:
    found = drop_points(index, np.ascontiguousarray(places), _POINT, nowhere)
    return np.where(found > nowhere, found, np.nan)


def proposed_tabs(
    plan: Plan,
    work: Work,
    spaces: tuple[SetupSpace, SetupSpace],
    at_ends: bool,
    border: float,
    boxes: Sequence[Placed],
) -> tuple[FaceTab, ...]:
    """Tabs along straight outline with enough material; for four faces at both ends along X.

    Parameters
    ----------
    spaces : of the setups from the top and from below. border : width of the border, mm. boxes : of the models. at_ends
    : at both ends along X, as for four faces.

    Returns
    -------
    The fewest and smallest tabs that hold :data:`HOLD` times the push, else the strongest found.
    """
    top, below = spaces
    shape = shadow_of(work, plan, top.setup)
    loops = loops_of(shape)
    outer = [loop for loop in loops if not loop.hole]
    if at_ends:
        tried = _at_ends(top, outer)
    else:
        width, depth = top.stock_high[:2].tolist()
        frame = Frame((0.0, 0.0, width, depth), tuple(loop.rim for loop in loops), border + BEYOND)
        tried = _along(_Outline(top, below), outer, frame)
    push, best, most = most_push(plan), tuple[FaceTab, ...](), -1.0
    for tabs in tried:
        hold = tabs_hold(plan, Faces(parting=1.0, border=border, tabs=tabs), boxes)
        if hold > most:
            best, most = tabs, hold
        if hold >= HOLD * push:
            break
    return best


def _at_ends(space: SetupSpace, loops: Sequence[Loop]) -> Iterator[tuple[FaceTab, ...]]:
    """Tabs at the ends in increasing diameter: first near the surface of the ends, then at any depth."""
    seen = [PartEnds.of(space.mesh, shapely.Polygon(loop.rim).buffer(_ROOM)) for loop in loops]
    for most, least in [(d, 0.0) for d in _END_DIAMETERS] + [(d, d) for d in _END_DIAMETERS]:
        found: list[FaceTab] = []
        for ends in seen:
            found += ends.tabs(len(found) + 1, most, least) if ends is not None else []
        yield tuple(found)


def _along(outline: "_Outline", loops: Sequence[Loop], frame: Frame) -> Iterator[tuple[FaceTab, ...]]:
    """Tabs along the outline, in increasing number and width."""
    thick = []
    for loop in loops:
        under, top = outline.heights(_inset(loop.rim))
        thick.append(np.maximum(np.nan_to_num(top - under, nan=0.0), 0.01))
    for more, wider in _MORE:
        found: list[FaceTab] = []
        for loop, here in zip(loops, thick, strict=True):
            length = float(np.hypot(*np.diff(loop.rim, axis=0).T).sum())
            count = min(max(round(length / _PER_TAB), 3) + more, 12)
            for share in places_on(loop.rim, here, count, 12.0, frame=frame):
                tab = _tab_at(outline, point_on(loop.rim, share), _outward(loop.rim, share), f"tab-{len(found) + 1}")
                if tab is not None:
                    found.append(tab.model_copy(update={"width": round(wider * tab.width, 1)}))
        yield tuple(found)


def _inset(rim: F64) -> F64:
    """(n, 2) places a little inside of an outline that runs counterclockwise."""
    ahead = np.roll(rim, -1, axis=0) - np.roll(rim, 1, axis=0)
    out = np.column_stack([ahead[:, 1], -ahead[:, 0]]) / np.maximum(np.hypot(*ahead.T), 1e-12)[:, None]
    result: F64 = rim - _INSET * out
    return result


def _outward(rim: F64, share: float) -> F64:
    ahead = point_on(rim, share + 2e-3) - point_on(rim, share - 2e-3)
    out: F64 = np.array([ahead[1], -ahead[0]]) / max(float(np.hypot(*ahead)), 1e-12)
    return out


def _tab_at(outline: _Outline, spot: F64, out: F64, name: str) -> FaceTab | None:
    """A tab at a place of the outline: as thick as the part allows, where it goes far enough into the part to hold."""
    for inward in (1.0, 2.0, 3.0, 5.0, 8.0):
        along = spot - np.linspace(0.2, 1.0, 5)[:, None] * inward * out
        under, top = outline.heights(along)
        here = float(np.nanmax(top - under)) if np.isfinite(top - under).any() else 0.0
        if here > 1.5:
            break
    if here < 0.5:
        return None
    k = int(np.nanargmax(top - under))
    middle = float(under[k] + top[k]) / 2
    thickness = float(np.clip(round(0.7 * here, 1), 1.5, 8.0))
    width = float(np.clip(round(2 * thickness, 1), 4.0, 12.0))
    angle = round(float(np.degrees(np.arctan2(out[1], out[0]))), 2)
    return FaceTab(
        id=name,
        shape="bar",
        at=(round(float(spot[0]), 2), round(float(spot[1]), 2), round(middle, 2)),
        angle=angle,
        width=width,
        thickness=thickness,
        inward=inward,
    )
