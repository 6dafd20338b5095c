"""From passes to a toolpath: entries, links at the lowest safe height, retracts."""

from dataclasses import dataclass, replace
from math import radians, sqrt, tan

import numpy as np
import shapely

from nephos.core.arrays import F32, F64, I32
from nephos.core.bands import Report, kernel, silent
from nephos.core.cutters import Profile
from nephos.core.paths.follow import follow_lines
from nephos.core.paths.registry import Passes
from nephos.core.paths.toolpath import Kind, Pass, PathBuilder, Toolpath
from nephos.core.polyline import densified, from_nearest
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.sweep import sweep
from nephos.core.surface.drop import drop_points
from nephos.core.surface.index import SurfaceIndex

OVER_BLOCK = 1.5
"""How far rapids stay over the block, and entries begin above it, in millimetres."""

_LINK_CELLS = 250_000

_HELIX_CHORDS = 36
_CLEAR = 0.02
"""So far (mm) the cutter must be over the block to be in the air."""

_MOST_TURNS = 30
"""How often a ramp goes over a short pass before it gets steeper than asked instead."""


@kernel
def _highest(top, x0, y0, pitch, ax, ay, bx, by, r):  # type: ignore[no-untyped-def]
    """Highest cell whose centre lies within r of the segment a-b; -inf where there is none."""
    ny, nx = top.shape
    i0 = max(int(np.ceil((min(ax, bx) - r - x0) / pitch)), 0)
    i1 = min(int(np.floor((max(ax, bx) + r - x0) / pitch)), nx - 1)
    j0 = max(int(np.ceil((min(ay, by) - r - y0) / pitch)), 0)
    j1 = min(int(np.floor((max(ay, by) + r - y0) / pitch)), ny - 1)
    dx = bx - ax
    dy = by - ay
    d2 = dx * dx + dy * dy
    best = -np.inf
    for j in range(j0, j1 + 1):
        y = y0 + j * pitch - ay
        for i in range(i0, i1 + 1):
            if top[j, i] <= best:
                continue
            x = x0 + i * pitch - ax
            t = min(max((x * dx + y * dy) / d2, 0.0), 1.0) if d2 > 0.0 else 0.0
            ex = x - t * dx
            ey = y - t * dy
            if ex * ex + ey * ey <= r * r:
                best = top[j, i]
    return best


@kernel
def _highest_each(top, x0, y0, pitch, ways, r, out):  # type: ignore[no-untyped-def]
    for k in range(len(ways)):
        out[k] = _highest(top, x0, y0, pitch, ways[k, 0], ways[k, 1], ways[k, 2], ways[k, 3], r)


class LinkBlock:
    """The top of the block on a coarser grid, kept up to date while passes are put in order."""

    def __init__(self, block: Block, keep_up: bool) -> None:
        grid = block.grid
        factor = max(1, int(sqrt(grid.nx * grid.ny / _LINK_CELLS)))
        rows, columns = -(-grid.ny // factor), -(-grid.nx // factor)
        top = np.pad(block.top, ((0, rows * factor - grid.ny), (0, columns * factor - grid.nx)), mode="edge")
        self.top: F32 = np.ascontiguousarray(top.reshape(rows, factor, columns, factor).max(axis=(1, 3)))
        shift = grid.pitch * (factor - 1) / 2
        self.grid = Grid(grid.x0 + shift, grid.y0 + shift, grid.pitch * factor, columns, rows)
        self._touched: I32 = np.zeros(self.top.shape, np.int32)
        self._keep_up = keep_up

    def highest(self, a: F64, b: F64, radius: float) -> float:
        """Height of the block within `radius` of the way a-b on the plan; -inf beside the block."""
        g = self.grid
        return float(_highest(self.top, g.x0, g.y0, g.pitch, a[0], a[1], b[0], b[1], radius))

    def highest_along(self, ways: F64, radius: float) -> F64:
        """As :meth:`highest` for many ways (n, 4) x0, y0, x1, y1: (n,)."""
        g = self.grid
        out = np.empty(len(ways))
        _highest_each(self.top, g.x0, g.y0, g.pitch, np.ascontiguousarray(ways), radius, out)
        return out

    def cut(self, points: F64, cutter: Profile) -> None:
        """Take away what a pass cuts."""
        if self._keep_up:
            sweep(self.top, self._touched, self.grid, points, np.ones(len(points) - 1, np.uint8), 0, cutter)


@dataclass(frozen=True)
class LinkTask:
    """What linking needs to know: feeds in mm/min, `clearance` the height that clears all, in setup space."""

    index: SurfaceIndex
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


def _level_links(passes: tuple[Pass, ...], stay: float, task: LinkTask) -> list[F64 | None]:
    """For roughing: the straight way to the next pass where it stays clear of the part."""
    ends = np.array([item.end for item in passes[:-1]])
    starts = np.array([item.start for item in passes[1:]])
    near = np.hypot(*(starts - ends)[:, :2].T) <= stay
    near &= np.abs(starts[:, 2] - ends[:, 2]) < 1e-6
    links: list[F64 | None] = [None] * len(ends)
    chosen = np.flatnonzero(near)
    if len(chosen) == 0:
        return links
    ways = [densified(np.stack([ends[k], starts[k]]), task.cutter.radius / 6) for k in chosen]
    tips = drop_points(task.index, np.concatenate(ways)[:, :2], task.cutter.grown(task.leave), task.floor - 1e3)
    at = 0
    for k, way in zip(chosen, ways, strict=True):
        free = (tips[at : at + len(way)] + task.leave <= ends[k, 2] + task.tolerance / 2).all()
        links[k] = starts[k][None] if free else None
        at += len(way)
    return links


def _surface_links(passes: tuple[Pass, ...], stay: float, task: LinkTask) -> list[F64 | None]:
    """For finishing: the way over the surface to the next pass, inside the boundary."""
    ends = np.array([item.end for item in passes[:-1]])
    starts = np.array([item.start for item in passes[1:]])
    lines = np.concatenate([ends[:, :2], starts[:, :2]], axis=1)
    near = np.hypot(*(starts - ends)[:, :2].T) <= stay
    grown = task.region.buffer(1e-3)
    shapely.prepare(grown)
    near &= shapely.covers(grown, shapely.linestrings(lines.reshape(-1, 2, 2)))
    links: list[F64 | None] = [None] * len(ends)
    chosen = np.flatnonzero(near)
    points, last = follow_lines(task.index, lines[chosen], task.cutter, task.leave, task.floor, task.tolerance)
    begin = 0
    for k, end in zip(chosen, last, strict=True):
        links[k] = points[begin + 1 : end + 1]
        begin = end + 1
    return links


def _ramp(item: Pass, height: float, angle: float) -> F64:
    """A way down to the start of a level pass, back along it, as steep as `angle` at most.

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
        marks = np.concatenate([within + 2 * k * reach for k in range(legs // 2)]
                               + [2 * reach * (k + 1) - within for k in range(legs // 2)])
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
    """A way down to the start of a pass, round a circle through it about `middle`, as steep as `angle` at most."""
    arm = item.start[:2] - middle
    radius = float(np.hypot(*arm))
    needed = height / tan(radians(min(angle, 80.0)))
    turns = max(int(np.ceil(needed / (2 * np.pi * radius))), 1)
    # Round the same way as the pass goes on from there, so that it leaves the circle smoothly.
    ahead = item.points[min(1, len(item.points) - 1), :2] - item.start[:2]
    side = 1.0 if arm[0] * ahead[1] - arm[1] * ahead[0] >= 0 else -1.0
    t = np.linspace(0, 1, turns * _HELIX_CHORDS + 1)[:-1]
    angles = np.arctan2(arm[1], arm[0]) + side * 2 * np.pi * turns * t
    return np.column_stack([middle[0] + radius * np.cos(angles), middle[1] + radius * np.sin(angles), item.start[2] + height * (1 - t)])


def _in_air(item: Pass, block: LinkBlock, radius: float) -> Pass:
    """A closed pass turned so that it begins where nothing stands in the way, if there is such a place."""
    step = max(1, (len(item.points) - 1) // 24)
    for at in item.points[:-1:step]:
        if block.highest(at, at, radius) <= at[2] - _CLEAR:
            return replace(item, points=from_nearest(item.points, at[:2]), entry="plunge")
    return item


def _begun_in_air(items: tuple[Pass, ...], links: list[F64 | None], block: LinkBlock, radius: float) -> tuple[Pass, ...]:
    """Rings that the cutter would have to go down to begin where it comes in from outside; those linked to them follow.

    `items` itself where there is nothing to change.
    """
    out, changed = list(items), False
    for k, item in enumerate(items):
        before = links[k - 1] if k else None
        if before is None and item.closed and item.entry == "ramp" and item.helix is None:
            out[k] = _in_air(item, block, radius)
            changed |= out[k] is not item
        elif before is not None and item.closed and out[k - 1] is not items[k - 1]:
            out[k] = replace(item, points=from_nearest(item.points, out[k - 1].end[:2]))
    return tuple(out) if changed else items


def _approach(path: PathBuilder, start: F64, block: LinkBlock, task: LinkTask) -> float:
    """Rapids to above `start` at the lowest height that clears the block; returns where they end."""
    # A cell beyond the radius: at a wall the coarser grid may not know of the last hair that stands there.
    reach = task.cutter.radius + block.grid.pitch
    ready = min(max(block.highest(start, start, reach), start[2]) + OVER_BLOCK, task.clearance)
    way = block.highest(path.at, start, reach) + OVER_BLOCK
    height = min(max(way, path.at[2], ready, start[2] + OVER_BLOCK), task.clearance)
    path.go(
        np.array([[path.at[0], path.at[1], height], [start[0], start[1], height], [start[0], start[1], ready]]),
        Kind.RAPID, 0,
    )
    return ready


def _enter(path: PathBuilder, item: Pass, block: LinkBlock, task: LinkTask, angle: float) -> None:
    """Get down to the start of a pass: through air where it is free, else by its kind of entry."""
    if item.entry == "ramp" and block.highest(item.start, item.start, task.cutter.radius) > item.start[2] + _CLEAR:
        few = _few(item.points)[:, :2]
        under = float(block.highest_along(np.concatenate([few, few], axis=1), task.cutter.radius).max())
        height = max(min(under, task.clearance) - item.start[2], 0.0)
        if height > 1e-3:
            ramp = _ramp(item, height, angle) if item.helix is None else _helix(item, height, angle, item.helix)
            _approach(path, ramp[0], block, task)
            path.go(ramp, Kind.ENTRY, task.plunge_feed)
            path.go(item.start[None], Kind.ENTRY, task.plunge_feed)
            return
    _approach(path, item.start, block, task)
    path.go(item.start[None], Kind.ENTRY, task.plunge_feed)


def _clear(at: F64, way: F64, block: LinkBlock, task: LinkTask) -> bool:
    """Whether nothing stands on a level way; what its cells only graze does not count."""
    reach = task.cutter.radius - 1.5 * block.grid.pitch
    return block.highest(at, way[-1], reach) <= at[2] + _CLEAR


def _few(points: F64) -> F64:
    return points[:: max(1, len(points) // 24)]


def link(passes: Passes, task: LinkTask, report: Report = silent) -> Toolpath:
    """Join passes in the order given.

    From pass to pass the cutter stays down where that is near and clear; otherwise it lifts just
    over what stands on its way, goes across, and enters as the pass asks. It begins and ends at
    the clearance height.
    """
    items = passes.passes
    find = _surface_links if passes.on_surface else _level_links
    linking = len(items) > 1 and passes.stay_down > 0
    links: list[F64 | None] = find(items, passes.stay_down, task) if linking else [None] * len(items)
    block = LinkBlock(task.block, keep_up=not passes.on_surface)
    if not passes.on_surface:
        turned = _begun_in_air(items, links, block, task.cutter.radius)
        if turned is not items:
            items = turned
            links = find(items, passes.stay_down, task) if linking else links
    path: PathBuilder | None = None
    angle = min(passes.ramp_angle, task.ramp_limit)
    for k, item in enumerate(items):
        if k % 64 == 0:
            report(k / len(items))
        before = links[k - 1] if k else None
        if before is not None and path is not None and not passes.through and not _clear(path.at, before, block, task):
            before = None
        if path is None:
            ahead = PathBuilder(np.array([*item.start[:2], task.clearance]))
            _enter(ahead, item, block, task, angle)
            path = ahead
        elif before is not None:
            path.go(before, Kind.LINK, task.feed)
        else:
            _enter(path, item, block, task, angle)
        path.go(item.points[1:], Kind.CUT, task.plunge_feed if item.plunging else task.feed)
        block.cut(item.points, task.cutter)
    if path is None:
        path = PathBuilder(np.array([0.0, 0.0, task.clearance]))
    else:
        path.go(np.array([[path.at[0], path.at[1], task.clearance]]), Kind.RAPID, 0)
    report(1.0)
    return path.result()
