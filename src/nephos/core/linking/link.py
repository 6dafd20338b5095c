"""From passes to a toolpath: entries, links at the lowest safe height, retracts."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from math import inf, radians, tan

import numpy as np
import shapely

from nephos.core.arrays import F64, I64, Bool
from nephos.core.cutters import Profile
from nephos.core.linking.bar_link_block import BarLinkBlock
from nephos.core.linking.link_block import LinkBlock
from nephos.core.parallel import Report, silent
from nephos.core.polyline import densified, from_nearest
from nephos.core.stock.block import Block
from nephos.core.strategies.following.follow import follow_lines
from nephos.core.surface.drop import Surface, drop_points
from nephos.core.toolpath import Kind, Pass, Passes, PathBuilder, Toolpath

OVER_BLOCK = 1.5
"""How far rapids stay over the uncut top of the block, and entries begin above it, in millimetres."""
OVER_GROUND = 1.0
"""How far rapids stay over ground that is cut already, in millimetres."""
OVER_CUT = 0.5
"""How far above ground that it has cut itself an entry begins, in millimetres: of that the height is known well."""

_STEP = 0.25
"""A link over the surface goes upright first where the surface is higher by more than this share of the tolerance."""
_HELIX_CHORDS = 36
_CLEAR = 0.02
"""So far (mm) the cutter must be over the block to be in the air."""
_ON_SIDE = 1e-3
"""Ends within so much (mm) of a side of the window lie on it."""
_GRAZED = 1.5
"""Material that a cutter's rim reaches less than so many coarse cells into is beside it."""

THROUGH_AIR = 0.6
"""Keep the cutter down for links up to this many cutter diameters."""
_FAR_THROUGH_AIR = 4.0
"""Longest link that is kept down through cleared ground, in cutter diameters: it takes no longer than lifting."""
_AIR_SHARE = 0.025
"""Such links may add up to at most this share of the cut length; the shortest are kept down first."""

_LEAD_IN_DISTANCES = (0.5, 1.0, 1.5, 2.0, 2.5)
"""Distances beside a pass, in cutter radii, at which cleared ground for a lead-in is looked for."""
_LEAD_IN_DIRECTIONS = 16
"""Directions in which a lead-in is looked for."""
_LEAD_IN_STARTS = 24
"""Places of a pass from which a lead-in is looked for."""
SURFACE_RAMP = 20.0
"""Ramp angle (degrees) of finishing passes that start under stock."""
_MOST_TURNS = 30
"""How often a ramp goes over a short pass before it gets steeper than asked instead."""


AnyLinkBlock = LinkBlock | BarLinkBlock


@dataclass(frozen=True)
class LinkTask:
    """What linking needs to know: feeds in mm/min, `clearance` the height that clears all, in setup space."""

    index: Surface
    region: shapely.Geometry
    block: Block
    cutter: Profile
    leave: float
    floor: float
    feed: float
    plunge_feed: float
    clearance: float
    tolerance: float
    ramp_limit: float = 90.0
    cut_off: tuple[float, float, float, float] | None = None
    """Window (low x, low y, high x, high y) at whose sides lines of finishing are cut off that go on in another
    tile:"""
    over_surface: float = 0.0
    """links along these sides stay so much (mm) over the surface, so that they cut nothing between the lines."""

    @property
    def looked_at(self) -> float:
        """How far apart (mm) level paths are looked at: so that they cut no deeper into a round wall in between than
        rounding."""
        return min(self.cutter.radius / 6, 0.1)

    @property
    def kept_off(self) -> Profile:
        """What a level path must clear: the cutter with its stock to leave, and half the tolerance less at its side, as
        passes have it."""
        return self.cutter.grown(self.leave).slimmer(self.tolerance / 2)

    @cached_property
    def allowed(self) -> shapely.Geometry:
        """The region slightly enlarged, made ready to be asked often."""
        grown = self.region.buffer(1e-3)
        shapely.prepare(grown)
        return grown


def _clear_of_part(pairs: F64, every: float, task: LinkTask) -> Bool:
    """(n,) bool, which straight level paths (n, 2, 3) stay clear of the part, looked at in places at most `every` mm
    apart."""
    if not len(pairs):
        return np.zeros(0, np.bool_)
    paths = [densified(pair, every) for pair in pairs]
    tips = drop_points(task.index, np.concatenate(paths)[:, :2], task.kept_off, task.floor - 1e3)
    meets = tips + task.leave > np.repeat(pairs[:, 0, 2], [len(path) for path in paths]) + task.tolerance / 2
    clear: Bool = ~np.logical_or.reduceat(meets, np.cumsum([0, *(len(path) for path in paths[:-1])]))
    return clear


def _level_links(passes: tuple[Pass, ...], stay: float, task: LinkTask) -> list[F64 | None]:
    """For roughing: the straight path to the next pass where it stays clear of the part and, unless it is short, inside
    the boundary."""
    ends = np.array([item.end for item in passes[:-1]])
    starts = np.array([item.start for item in passes[1:]])
    away = np.hypot(*(starts - ends)[:, :2].T)
    near = (away <= stay) & (np.abs(starts[:, 2] - ends[:, 2]) < 1e-6)
    far = np.flatnonzero(near & (away > 2 * THROUGH_AIR * task.cutter.radius))
    near[far] = shapely.covers(task.allowed, shapely.linestrings(np.stack([ends[far, :2], starts[far, :2]], axis=1)))
    links: list[F64 | None] = [None] * len(ends)
    chosen = np.flatnonzero(near)
    if len(chosen) == 0:
        return links
    pairs = np.stack([ends[chosen], starts[chosen]], axis=1)
    # Most paths are out of the question at once: coarsely first, then finely.
    for every in (task.cutter.radius / 2, task.looked_at):
        clear = _clear_of_part(pairs, every, task)
        chosen, pairs = chosen[clear], pairs[clear]
    for k in chosen:
        links[k] = starts[k][None]
    return links


def _surface_links(passes: tuple[Pass, ...], stay: float, task: LinkTask) -> list[F64 | None]:
    """For finishing: the path over the surface to the next pass, inside the boundary."""
    ends = np.array([item.end for item in passes[:-1]])
    starts = np.array([item.start for item in passes[1:]])
    lines = np.concatenate([ends[:, :2], starts[:, :2]], axis=1)
    near = np.hypot(*(starts - ends)[:, :2].T) <= stay
    # Contours of outer walls lie slightly outside of it.
    allowed = task.region.buffer(2.5 * task.tolerance)
    shapely.prepare(allowed)
    near &= shapely.covers(allowed, shapely.linestrings(lines.reshape(-1, 2, 2)))
    links: list[F64 | None] = [None] * len(ends)
    # From layer to layer the cutter lifts.
    floors = np.array([item.floor for item in passes])
    near &= floors[:-1] == floors[1:]
    chosen = np.flatnonzero(near)
    lowest = np.maximum(task.floor, floors)
    seam = _along_window(lines[chosen], task.cut_off)
    for k, points in _followed(lines, chosen[~seam], 0.0, lowest, task):
        # Against an upright wall the surface may begin higher than the pass ends, slightly inside of the wall: straight
        # to
        # the next point would go through it. So too at the start of the next pass.
        first = 0 if points[0, 2] > ends[k, 2] + _STEP * task.tolerance else 1
        last = [starts[k]] if starts[k, 2] > points[-1, 2] + _STEP * task.tolerance else []
        links[k] = np.array([*points[first:], *last])
    for k, points in _followed(lines, chosen[seam], task.over_surface, lowest, task):
        links[k] = np.concatenate([points, starts[k : k + 1]])
    return links


def _followed(lines: F64, chosen: I64, over: float, lowest: F64, task: LinkTask) -> Iterator[tuple[int, F64]]:
    """The chosen links (n, 4) over the surface, with `over` mm of room, by their numbers."""
    points, last = follow_lines(
        task.index, lines[chosen], task.cutter, task.leave + over, lowest[:-1][chosen] + over, task.tolerance
    )
    begin = 0
    for k, end in zip(chosen.tolist(), last.tolist(), strict=True):
        yield k, points[begin : end + 1]
        begin = end + 1


def _along_window(lines: F64, window: tuple[float, float, float, float] | None) -> Bool:
    """(n,) bool, which links (n, 4) run along a side of a window."""
    along = np.zeros(len(lines), np.bool_)
    if window is not None:
        for side, at in enumerate(window):
            axis = side % 2
            along |= (np.abs(lines[:, [axis, axis + 2]] - at) < _ON_SIDE).all(axis=1)
    return along


def _ramp(item: Pass, height: float, angle: float) -> F64:
    """A path down to the start of a level pass, back along it, as steep as `angle` at most.

    On a closed pass it comes round from behind; on an open one it goes to and fro over its beginning.
    """
    needed = height / tan(radians(angle)) if angle < 89.9 else 0.0
    points = item.points
    steps = np.hypot(*np.diff(points[:, :2], axis=0).T)
    total = float(steps.sum())
    if total < 1e-6 or needed < 1e-6:
        return np.array([[*item.start[:2], item.start[2] + height]])
    needed = min(needed, _MOST_TURNS * total)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    if item.closed:
        turns = int(np.ceil(needed / total))
        marks = np.unique(np.concatenate([[needed], *(total - along[:-1] + k * total for k in range(turns))]))
        marks = marks[(marks > 0) & (marks <= needed)]
        place = total - np.mod(marks, total)
    else:
        reach = min(total, max(needed / 2, 1e-6))
        legs = 2 * int(np.ceil(needed / 2 / reach))
        reach = needed / legs
        corners = along[(along > 0) & (along < reach)]
        within = np.concatenate([[0.0], corners, [reach]])
        marks = np.concatenate(
            [within + 2 * k * reach for k in range(legs // 2)]
            + [2 * reach * (k + 1) - within for k in range(legs // 2)]
        )
        marks = np.unique(marks)
        marks = marks[marks > 0]
        folded = np.mod(marks, 2 * reach)
        place = np.where(folded > reach, 2 * reach - folded, folded)
    x = np.interp(place, along, points[:, 0])
    y = np.interp(place, along, points[:, 1])
    # Never lower than the pass itself, which may go up over tabs.
    z = np.maximum(item.start[2] + height * marks / needed, np.interp(place, along, points[:, 2]))
    return np.column_stack([x, y, z])[::-1]


def _helix(item: Pass, height: float, angle: float, middle: tuple[float, float]) -> F64:
    """A path down to the start of a pass, round a circle through it about `middle`, as steep as `angle` at most."""
    arm = item.start[:2] - middle
    radius = float(np.hypot(*arm))
    needed = height / tan(radians(min(angle, 80.0)))
    turns = max(int(np.ceil(needed / (2 * np.pi * radius))), 1)
    # Round the same way as the pass goes on from there, so that it leaves the circle smoothly.
    ahead = item.points[min(1, len(item.points) - 1), :2] - item.start[:2]
    side = 1.0 if arm[0] * ahead[1] - arm[1] * ahead[0] >= 0 else -1.0
    t = np.linspace(0, 1, turns * _HELIX_CHORDS + 1)[:-1]
    angles = np.arctan2(arm[1], arm[0]) + side * 2 * np.pi * turns * t
    return np.column_stack(
        [middle[0] + radius * np.cos(angles), middle[1] + radius * np.sin(angles), item.start[2] + height * (1 - t)]
    )


def _in_air(item: Pass, block: AnyLinkBlock, cutter: Profile) -> Pass:
    """A closed pass turned so that it begins where next to nothing stands in the path, if there is such a place."""
    some = item.points[: -1 : max(1, (len(item.points) - 1) // 24)]
    over = block.rests(some, cutter, _GRAZED * block.grid.pitch) - some[:, 2]
    best = int(over.argmin())
    return (
        replace(item, points=from_nearest(item.points, some[best, :2]), entry="plunge")
        if over[best] <= _CLEAR
        else item
    )


def _begun_in_air(
    items: tuple[Pass, ...], links: list[F64 | None], block: AnyLinkBlock, cutter: Profile
) -> tuple[Pass, ...]:
    """Rings that the cutter would have to go down to begin where it comes in from outside; those linked to them follow.

    `items` itself where there is nothing to change.
    """
    out, changed = list(items), False
    for k, item in enumerate(items):
        before = links[k - 1] if k else None
        if before is None and item.closed and item.entry == "ramp" and item.helix is None:
            out[k] = _in_air(item, block, cutter)
            changed |= out[k] is not item
        elif before is not None and item.closed and out[k - 1] is not items[k - 1]:
            out[k] = replace(item, points=from_nearest(item.points, out[k - 1].end[:2]))
    return tuple(out) if changed else items


def _from_outside(item: Pass, block: AnyLinkBlock, task: LinkTask) -> Pass:
    """A pass that would begin in the full, led in on a straight level path from cleared ground beside it, if there is
    such ground near.

    A closed one may be entered anywhere; an open one at its beginning.
    """
    inset, level = _GRAZED * block.grid.pitch, float(item.start[2])
    if (
        item.entry != "ramp"
        or item.helix is not None
        or block.rests(item.start[None], task.cutter, inset)[0] <= level + _CLEAR
    ):
        return item
    on = item.points[: -1 : max(1, (len(item.points) - 1) // _LEAD_IN_STARTS)] if item.closed else item.points[:1]
    angles = np.arange(_LEAD_IN_DIRECTIONS) * 2 * np.pi / _LEAD_IN_DIRECTIONS
    around = np.column_stack([np.cos(angles), np.sin(angles)])
    for away in _LEAD_IN_DISTANCES:
        beside = (on[:, None, :2] + away * task.cutter.radius * around).reshape(-1, 2)
        lines = shapely.linestrings(np.stack([beside, np.repeat(on[:, :2], _LEAD_IN_DIRECTIONS, axis=0)], axis=1))
        may = (block.rests(beside, task.cutter, inset) <= level + _CLEAR) & shapely.covers(task.allowed, lines)
        for k in np.flatnonzero(may)[:_LEAD_IN_STARTS]:
            path = densified(np.array([[*beside[k], level], on[k // _LEAD_IN_DIRECTIONS]]), task.looked_at)
            tips = drop_points(task.index, path[:, :2], task.kept_off, task.floor - 1e3)
            if (tips + task.leave <= level + task.tolerance / 2).all():
                points = from_nearest(item.points, on[k // _LEAD_IN_DIRECTIONS, :2]) if item.closed else item.points
                return replace(item, points=np.concatenate([path[:1], points]), closed=False, entry="plunge")
    return item


def _approach(path: PathBuilder, start: F64, block: AnyLinkBlock, task: LinkTask) -> float:
    """Rapids to above `start` at the lowest height that clears the block; returns where they end."""
    rest = max(block.rests_anywhere(start, task.cutter), start[2])
    ready = min(rest + (OVER_BLOCK if rest > block.uncut - _CLEAR else OVER_CUT), task.clearance)
    highest = block.highest_anywhere(path.at, start, task.cutter.radius)
    over = highest + (OVER_BLOCK if highest > block.uncut - _CLEAR else OVER_GROUND)
    height = min(max(over, path.at[2], ready, start[2] + OVER_GROUND), task.clearance)
    path.go(
        np.array([[path.at[0], path.at[1], height], [start[0], start[1], height], [start[0], start[1], ready]]),
        Kind.RAPID,
        0,
    )
    return ready


def _enter(path: PathBuilder, item: Pass, block: AnyLinkBlock, task: LinkTask, angle: float) -> None:
    """Move down to the start of a pass: straight through air, in material on a ramp along the pass at `angle` degrees;
    90 plunges."""
    down = _way_down(item, block, task, angle) if angle < 90.0 else item.start[None]
    _approach(path, down[0], block, task)
    path.go(down, Kind.ENTRY, task.plunge_feed)


def _way_down(item: Pass, block: AnyLinkBlock, task: LinkTask, angle: float) -> F64:
    """The ramp or helix down to the start of a pass, from as high as material stands under it and no higher; the start
    alone in the air."""
    # What the coarser cells only graze at its start does not count: the cutter stands beside it.
    ramp, rest = np.empty((0, 3)), float(block.rests(item.start[None], task.cutter, _GRAZED * block.grid.pitch)[0])
    height = 0.0
    while rest > item.start[2] + height + _CLEAR and height < task.clearance - item.start[2]:
        height = min(rest, task.clearance) - float(item.start[2])
        ramp = _ramp(item, height, angle) if item.helix is None else _helix(item, height, angle, item.helix)
        # A higher ramp is a longer one, and what stands under its beginning may be higher still.
        rest = float(block.rests(ramp[:: max(1, len(ramp) // 24)], task.cutter, _GRAZED * block.grid.pitch).max())
    return np.concatenate([ramp, item.start[None]])


def _clear(at: F64, path: F64, block: AnyLinkBlock, task: LinkTask) -> bool:
    """Whether nothing stands on a level path; what its cells only graze does not count."""
    reach = task.cutter.radius - _GRAZED * block.grid.pitch
    return block.highest(at, path[-1], reach) <= at[2] + _CLEAR


def _farthest(items: tuple[Pass, ...], links: list[F64 | None], task: LinkTask) -> float:
    """How far the cutter goes through cleared ground rather than lift off, mm."""
    paths = np.array(
        [np.hypot(*(path[-1] - item.end)[:2]) for item, path in zip(items, links, strict=False) if path is not None]
    )
    near = 2 * THROUGH_AIR * task.cutter.radius
    paths = np.sort(paths[paths > near]) if len(paths) else paths
    cut = sum(float(np.sqrt((np.diff(item.points, axis=0) ** 2).sum(axis=1)).sum()) for item in items)
    return max(near, paths[np.cumsum(paths) <= _AIR_SHARE * cut].max(initial=0.0))


def _lifts_rather(at: F64, path: F64, block: AnyLinkBlock, task: LinkTask, through: float, farthest: float) -> bool:
    """Whether a level path to the next pass is better not gone: farther than `farthest` through the air, or than
    `through` in what stands."""
    return float(np.hypot(*(path[-1] - at)[:2])) > (farthest if _clear(at, path, block, task) else through)


def _cuts_deeper(at: F64, path: F64, depth: float, block: AnyLinkBlock, task: LinkTask) -> bool:
    """Whether a path over the surface, from `at`, cuts deeper than `depth` (mm), the height of a layer.

    Between two lines of a layer a thin wall may be left at its full height."""
    if depth == inf:
        return False
    places = densified(np.vstack([at, path]), block.grid.pitch)
    return bool((block.rests(places, task.cutter) > places[:, 2] + depth).any())


def _follows(
    item: Pass, before: F64 | None, planned: Pass, last: Pass, passes: Passes, task: LinkTask
) -> tuple[Pass, F64 | None]:
    """A pass and the path to it, where the one before it ended elsewhere than `planned`: begun anew as near as it can
    be."""
    if before is None or (last.end == planned.end).all():
        return item, before
    turned = replace(item, points=from_nearest(item.points, last.end[:2])) if item.closed else item
    return turned, _level_links((last, turned), _reach(passes, task), task)[0]


def _reach(passes: Passes, task: LinkTask) -> float:
    """Paths from pass to pass are looked for so far, mm."""
    return passes.stay_down if passes.on_surface else max(passes.stay_down, 2 * _FAR_THROUGH_AIR * task.cutter.radius)


def link(passes: Passes, task: LinkTask, report: Report = silent) -> Toolpath:
    """Join passes in the order given.

    From pass to pass the cutter stays down where that is near and clear; otherwise it lifts just over what stands on
    its path, goes across, and enters as the pass asks. It begins and ends at the clearance height."""
    items = passes.passes
    find = _surface_links if passes.on_surface else _level_links
    linking = len(items) > 1 and passes.stay_down > 0
    links: list[F64 | None] = find(items, _reach(passes, task), task) if linking else [None] * len(items)
    seen = BarLinkBlock if task.block.grid.unrolled else LinkBlock
    block = seen(task.block, keep_up=True)
    if not passes.on_surface:
        turned = _begun_in_air(items, links, block, task.cutter)
        if turned is not items:
            items = turned
            links = find(items, _reach(passes, task), task) if linking else links
    start = [*items[0].start[:2], task.clearance] if items else [0.0, 0.0, task.clearance]
    path, last = PathBuilder(np.array(start)), None
    angle = min(SURFACE_RAMP if passes.on_surface else passes.ramp_angle, task.ramp_limit, 89.0)
    # Posted, the path may lie a tolerance beside it: a sliver beside the cutter counts with the height of what it
    # belongs to.
    sure = task.cutter.slimmer(task.tolerance)
    farthest = 0.0 if passes.on_surface else _farthest(items, links, task)
    through = passes.stay_down if passes.through else 0.0
    deepest = passes.layer_depth
    for k, planned in enumerate(items):
        if k % 64 == 0:
            report(k / len(items))
        item, before = planned, links[k - 1] if k else None
        if last is not None and not passes.on_surface:
            item, before = _follows(item, before, items[k - 1], last, passes, task)
            if before is not None and _lifts_rather(path.at, before, block, task, through, farthest):
                before = None
        elif before is not None and _cuts_deeper(path.at, before, deepest, block, task):
            before = None
        if before is not None:
            path.go(before, Kind.LINK, task.feed)
        else:
            item = item if passes.on_surface or not passes.through else _from_outside(item, block, task)
            straight = item.plunging or (item.entry == "plunge" and not passes.on_surface)
            _enter(path, item, block, task, 90.0 if straight else angle)
        path.go(item.points[1:], Kind.CUT, task.plunge_feed if item.plunging else task.feed)
        block.cut(item.points, sure)
        last = item
    if items:
        path.go(np.array([[path.at[0], path.at[1], task.clearance]]), Kind.RAPID, 0)
    report(1.0)
    return path.result()
