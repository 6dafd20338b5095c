"""Cutting out: round the outline in level steps, through the stock, held by tabs or by a skin."""

from collections.abc import Callable
from dataclasses import dataclass
from math import ceil, radians, tan
from typing import Annotated, Literal

import numpy as np
import shapely
from pydantic import Field
from shapely.geometry.polygon import orient

from nephos.core.arrays import F64, I64
from nephos.core.cutters import Cutter, Profile
from nephos.core.errors import NothingToCut, Refused
from nephos.core.estimate.estimate import Estimate, EstimateInput, StockEstimate, travel_seconds
from nephos.core.estimate.height_map_levels import FRAME, apart
from nephos.core.estimate.perimeter import path_at
from nephos.core.linking.link_block import LinkBlock
from nephos.core.memo import Memo
from nephos.core.polyline import densified
from nephos.core.strategies.clearing.levels import polygons_of
from nephos.core.strategies.clearing.offset import offset
from nephos.core.strategies.following.cut_path import SKIN, back_and_forth, cut_levels, lead_arcs, standing, tops_along
from nephos.core.strategies.following.follow import follow_lines
from nephos.core.strategies.following.tabs import (
    Box,
    Frame,
    Loop,
    Tab,
    loops_from,
    loops_of,
    over_tabs,
    places_on,
    point_on,
    ramping_down,
    rim_heights,
    tabs_on,
)
from nephos.core.strategies.following.window import in_window, inside_window, near_window
from nephos.core.strategies.registry import Held, Strategy, StrategySettings, Task, choice, number
from nephos.core.toolpath import Pass, Passes
from nephos.core.units import Say

_SIDES = {"outside": "outside", "inside": "inside", "on": "on the line"}
_DIRECTIONS = {"climb": "climb", "conventional": "conventional", "both": "both ways"}
_CORNERS = {"round": "round", "mitre": "square"}
_SHOULDERS = {"straight": "straight", "sloping": "sloping"}
_NOWHERE = -1e6
"""Height of a cutter that meets nothing."""
_SLOPE = 45.0
"""Degrees of a sloping shoulder."""
_TO_STRETCH = 2.0
"""To a stretch that stands higher than the rest, and down onto it, takes so many seconds (measured)."""


class CutOutSettings(StrategySettings):
    """Settings of cutting out."""

    side: Literal["outside", "inside", "on"] = choice(
        "Side", "outside", _SIDES, help="of the boundary; holes are cut first"
    )
    stepdown: float = number(
        "Stepdown", 3.0, unit="mm", over=0, high=200, step=0.5, help="at most; made smaller so that all are equal"
    )
    through: float = number(
        "Into the bed", 0.3, unit="mm", low=0, high=20, step=0.1, help="how far below the stock's underside"
    )
    skin: float = number(
        "Onion skin", 0.0, unit="mm", low=0, high=20, step=0.1, help="left at the underside instead of cutting through"
    )
    tabs: int = number("Tabs", 4, low=0, high=200, step=1, help="to each outline, where it is straightest")
    tab_spacing: float = number(
        "Tab every", 0.0, unit="mm", low=0, high=10000, step=10, fold="Tabs", help="instead of a count; 0 for the count"
    )
    tab_length: float = number("Tab length", 8.0, unit="mm", over=0, high=200, step=1, fold="Tabs")
    tab_height: float = number(
        "Tab height", 3.0, unit="mm", over=0, high=200, step=0.5, fold="Tabs", help="over the stock's underside"
    )
    hole_tabs: int = number(
        "Tabs in holes",
        0,
        low=0,
        high=50,
        step=1,
        fold="Tabs",
        help="to each hole and inside cut, to hold what would fall out",
    )
    shoulders: Literal["straight", "sloping"] = choice("Shoulders", "sloping", _SHOULDERS, fold="Tabs")
    tab_shift: float = number(
        "Shift tabs", 0.0, unit="mm", low=-10000, high=10000, step=1, fold="Tabs", help="along the outline"
    )
    tab_places: tuple[tuple[Annotated[int, Field(ge=0)], Annotated[float, Field(ge=0, le=1)]], ...] = Field(
        default=(),
        max_length=200,
        title="Tabs one by one",
        json_schema_extra={"own": "tabs"},
        description="outline (holes after outsides) and share of its length, from its rightmost point with the part on "
        "the left; none means they are placed",
    )
    corners: Literal["round", "mitre"] = choice(
        "Corners", "round", _CORNERS, fold="Finish", help="of the way round outer corners"
    )
    allowance: float = number(
        "Allowance",
        0.0,
        unit="mm",
        low=-20,
        high=20,
        step=0.05,
        fold="Finish",
        help="left on the side of the part; negative cuts into it",
    )
    turn: float = number(
        "Finishing turn",
        0.0,
        unit="mm",
        low=0,
        high=5,
        step=0.1,
        fold="Finish",
        help="so much is left by the steps and taken off in one last turn",
    )
    ramp_angle: float = number("Ramp", 3.0, unit="°", over=0, high=90, step=0.5, fold="Links and entries")
    lead: float = number(
        "Lead arcs",
        0.0,
        unit="mm",
        low=0,
        high=100,
        step=1,
        fold="Links and entries",
        help="radius of the arcs onto and off the finishing turn",
    )
    direction: Literal["climb", "conventional", "both"] = choice(
        "Direction",
        "climb",
        _DIRECTIONS,
        help="both ways: climb, and in a tile, where the path is open, back and forth from level to level without "
        "rapids",
    )

    @property
    def tab_count(self) -> int:
        """How many tabs hold the part at least. Set one by one they all count; whether they do hold is for the proof to
        see."""
        return len(self.tab_places) or (2 if self.tab_spacing > 0 else self.tabs)

    @property
    def held(self) -> Held:
        """The skin, or the tabs, that hold the part."""
        return Held(
            self.skin, self.tab_count, self.hole_tabs, self.tab_length, self.tab_height, self.side, self.allowance
        )

    def level_over(self, underside: float) -> float:
        """The skin over the underside, or through it."""
        return underside + self.skin - (self.through if self.skin == 0 else 0.0)

    @property
    def wants_block(self) -> bool:
        """It starts at the block as it is."""
        return True

    def tabs_on_loop(self, loop: Loop) -> int:
        """How many tabs a loop gets where they are not set one by one."""
        if loop.hole or self.side == "inside":
            return self.hole_tabs
        if self.tab_spacing <= 0:
            return self.tabs
        return max(round(float(np.hypot(*np.diff(loop.rim, axis=0).T).sum()) / self.tab_spacing), 2)


Seams = tuple[tuple[str, float], ...]
"""Where tiles meet: the axis that a seam crosses, and its place (mm)."""
_BEYOND = 1.0
"""So far (mm) past the cut the frame must stand that a tab holds to."""


def tab_places(
    loops: list[Loop],
    heights: Callable[[int], F64],
    settings: StrategySettings,
    cutter: Cutter,
    stock: Box | None,
    seams: Seams = (),
) -> list[list[float]]:
    """Where the tabs of each loop stand, as shares of its length: as set one by one, or where they are placed best;
    none where the settings are not those of cutting out.

    `heights` says how thick the part is at the points of a loop, `stock` where there is any on the plan, `seams` where
    tiles meet.
    """
    if not isinstance(settings, CutOutSettings) or settings.skin > 0:
        return [[] for _ in loops]
    if settings.tab_places:
        return [sorted(share for number, share in settings.tab_places if number == k) for k in range(len(loops))]
    length = settings.tab_length + cutter.diameter
    counts = [settings.tabs_on_loop(loop) for loop in loops]
    away = cutter.radius * (1 if settings.side == "on" else 2) + settings.allowance + _BEYOND
    # With the cutter inside, what holds lies inside as well: such an outline is gone round the other way.
    frame = Frame(stock, tuple(loop.rim for loop in loops), away if settings.side != "inside" else -away, seams)
    return [
        places_on(loop.rim, heights(k), count, length, settings.tab_shift, frame) if count else []
        for k, (loop, count) in enumerate(zip(loops, counts, strict=True))
    ]


def shown_tabs(
    rims: F64,
    ends: I64,
    thick: F64,
    settings: StrategySettings,
    cutter: Cutter,
    stock: Box | None = None,
    seams: Seams = (),
) -> list[tuple[int, float, tuple[float, float]]]:
    """Tabs as they will be cut, from a drawn outline: number of the outline, share of its length, place on the plan."""
    loops, first = loops_from(rims, ends), [0, *ends[:-1]]
    places = tab_places(loops, lambda k: thick[first[k] : ends[k]], settings, cutter, stock, seams)
    return [
        (k, share, (float(x), float(y)))
        for k, shares in enumerate(places)
        for share in shares
        for x, y in [point_on(loops[k].rim, share)]
    ]


@dataclass(frozen=True)
class _Way:
    """A closed path (n, 2) of the cutter's centre, whether it runs in a hole, and the loop of the outline that it
    belongs to."""

    points: F64
    hole: bool
    loop: int


def _paths(task: Task, loops: list[Loop], off: float) -> list[_Way]:
    """Paths `off` from the part, holes before outlines."""
    settings: CutOutSettings = task.settings
    paths: list[_Way] = []
    lines = [shapely.LineString(loop.rim) for loop in loops]

    def path(ring: shapely.Geometry, hole: bool) -> _Way:
        near = [k for k, loop in enumerate(loops) if loop.hole == hole]
        return _Way(
            np.asarray(ring.coords), hole, min(near, key=lambda k: float(shapely.hausdorff_distance(lines[k], ring)))
        )

    for piece in polygons_of(task.outline):
        outside = settings.side == "outside"
        # Farther off by what thinning may bring it nearer.
        thinned = task.tolerance / 2
        by = {"outside": off + thinned, "inside": -off - thinned, "on": 0.0}[settings.side]
        grown = polygons_of(offset(piece, by, settings.corners) if by else piece.simplify(thinned))
        if not grown:
            raise Refused(f"a {task.cutter.diameter:g} mm cutter does not fit inside the outline: use a smaller one")
        for polygon in grown:
            # Climb with a spindle that runs clockwise: the part lies on the right of the cutter's path.
            climb = settings.direction != "conventional"
            turned = orient(polygon, -1.0 if climb == outside else 1.0)
            paths += [path(ring, True) for ring in turned.interiors]
            paths.append(path(turned.exterior, False))
    return sorted(paths, key=lambda path: not path.hole)


def _clear_of_part(task: Task, points: F64) -> F64:
    """The path raised where the part itself stands in it: a cut-out never gouges.

    The path lies as near to the part as the cutter's radius, so it is tried with one thinner by a quarter of the
    tolerance."""
    slim = Profile.of(max(task.cutter.radius - task.tolerance / 4, 1e-3), 0.0)
    lines = np.concatenate([points[:-1, :2], points[1:, :2]], axis=1)
    over, ends = follow_lines(task.index, lines, slim, 0.0, _NOWHERE, task.tolerance / 2)
    if (over[:, 2] <= points[:, 2].min()).all():
        return points
    first = np.concatenate([[0], ends[:-1] + 1])
    segment = np.repeat(np.arange(len(lines)), ends - first + 1)
    steps = np.hypot(*(over[:, :2] - lines[segment, :2]).T)
    length = np.maximum(np.hypot(*(lines[:, 2:] - lines[:, :2]).T), 1e-12)
    share = np.clip(steps / length[segment], 0.0, 1.0)
    level = points[segment, 2] + share * (points[segment + 1, 2] - points[segment, 2])
    over[:, 2] = np.maximum(over[:, 2], level)
    return over


def _rounds(task: Task, path: F64, tops: F64, bottom: float, tabs: list[Tab]) -> list[Pass]:
    """Cut one closed path level by level, only where material is left; ramp between levels; lift over tabs."""
    settings: CutOutSettings = task.settings
    over = task.underside + settings.tab_height
    if task.window is not None and not inside_window(path, task.window):
        return _runs(task, path, tops, bottom, tabs, task.window)
    lengths = np.hypot(*np.diff(path, axis=0).T)
    above, levels = cut_levels(tops, lengths, bottom, settings.stepdown, over if tabs else bottom)
    passes = [
        Pass(_clear_of_part(task, np.column_stack([run, np.full(len(run), level)])), entry="ramp")
        for level in above
        for run in standing(path, tops, level, task.cutter.radius)
    ]
    rise = 1 / tan(radians(settings.ramp_angle)) if settings.ramp_angle < 89.9 else 0.0
    points = ramping_down(path, levels, tabs, over, _slope(settings), rise)
    return [*passes, Pass(_clear_of_part(task, points), entry="ramp")]


def _runs(task: Task, path: F64, tops: F64, bottom: float, tabs: list[Tab], window: Box) -> list[Pass]:
    """The stretches of a path in the window of a tile, each cut level by level over its tabs."""
    settings: CutOutSettings = task.settings
    over = task.underside + settings.tab_height
    mine = near_window(path, window)
    if float(tops[mine].max(initial=-np.inf)) <= bottom + 1e-6:
        return []
    lengths = np.hypot(*np.diff(path, axis=0).T)[mine]
    above, levels = cut_levels(tops[mine], lengths, bottom, settings.stepdown, over if tabs else bottom)
    here = np.where(mine, tops, -np.inf)
    upper = [
        [
            part
            for run in standing(path, here, level, task.cutter.radius)
            for part in in_window(_level(run, level), window)
        ]
        for level in above
    ]
    lower = [in_window(over_tabs(path, level, tabs, over, _slope(settings)), window) for level in levels]
    whole = in_window(_level(path, bottom), window)
    runs = (
        back_and_forth([*upper, *lower], whole)
        if settings.direction == "both"
        else [run for runs in (*upper, *lower) for run in runs]
    )
    return [Pass(_clear_of_part(task, run), entry="ramp") for run in runs]


def _level(points: F64, level: float) -> F64:
    return np.column_stack([points, np.full(len(points), level)])


def _slope(settings: CutOutSettings) -> float:
    return 1 / tan(radians(_SLOPE)) if settings.shoulders == "sloping" else 0.0


def _finishing(task: Task, path: F64, hole: bool, bottom: float, tabs: list[Tab]) -> Pass:
    settings: CutOutSettings = task.settings
    points = over_tabs(path, bottom, tabs, task.underside + settings.tab_height, _slope(settings))
    if settings.lead > 0:
        inward = hole or settings.side == "inside"
        on, off = lead_arcs(path, settings.lead, inward)
        points = np.concatenate(
            [
                np.column_stack([on[:-1], np.full(len(on) - 1, points[0, 2])]),
                points,
                np.column_stack([off[1:], np.full(len(off) - 1, points[-1, 2])]),
            ]
        )
    return Pass(_clear_of_part(task, points))


def _finishing_runs(task: Task, path: F64, hole: bool, bottom: float, tabs: list[Tab]) -> list[Pass]:
    """The finishing turn; of a tile what lies in its window, without lead arcs."""
    settings: CutOutSettings = task.settings
    if task.window is None or inside_window(path, task.window):
        return [_finishing(task, path, hole, bottom, tabs)]
    points = over_tabs(path, bottom, tabs, task.underside + settings.tab_height, _slope(settings))
    return [Pass(_clear_of_part(task, run)) for run in in_window(points, task.window)]


def _make(task: Task) -> Passes:
    settings: CutOutSettings = task.settings
    if task.block is None:
        raise ValueError("cutting out needs the block as it is")
    radius, block = task.cutter.radius, LinkBlock(task.block, keep_up=False)
    off = 0.0 if settings.side == "on" else radius + settings.allowance
    bottom = task.underside + (settings.skin if settings.skin > 0 else -settings.through)
    loops = loops_of(task.outline)
    places = tab_places(
        loops,
        lambda k: rim_heights(task.index, loops[k].rim, task.floor),
        settings,
        task.cutter,
        task.stock,
        task.seams,
    )
    up = settings.tab_length + task.cutter.diameter
    passes: list[Pass] = []
    for path, last in zip(_paths(task, loops, off + settings.turn), _paths(task, loops, off), strict=False):
        fine = densified(np.column_stack([path.points, np.zeros(len(path.points))]), radius / 2)[:, :2]
        tops = tops_along(block, fine, radius)
        if float(tops.max(initial=-np.inf)) <= bottom + 1e-6:
            continue
        rim, held = loops[path.loop].rim, places[path.loop]
        tabs = tabs_on(fine, rim, held, up)
        passes += _rounds(task, fine, tops, bottom, tabs)
        if settings.turn > 0:
            held_tabs = tabs_on(last.points, rim, held, up)
            passes += _finishing_runs(task, last.points, last.hole, bottom, held_tabs)
    if not passes:
        raise NothingToCut("there is nothing left to cut out: the block is gone along the whole outline")
    return Passes(tuple(passes), stay_down=2.0 * task.cutter.diameter, on_surface=False, ramp_angle=settings.ramp_angle)


def _held_in_words(settings: CutOutSettings, say: Say) -> str:
    if settings.tab_places or not settings.tab_spacing:
        return f"{settings.tab_count} tabs" if settings.tab_count else "no tabs"
    return f"a tab every {say(settings.tab_spacing)}"


def _describe(settings: CutOutSettings, cutter: Cutter, say: Say) -> str:
    held = f"skin {say(settings.skin)}" if settings.skin > 0 else _held_in_words(settings, say)
    return f"{_SIDES[settings.side]} · {say(settings.stepdown)} down · {held}"


_AHEAD: "Memo[tuple[F64, Callable[[float], int]]]" = Memo(24)
"""Cache: material height along the outline. Independent of stepover and feed."""


def _tops_ahead(
    settings: CutOutSettings, cutter: Cutter, stock_estimate: StockEstimate
) -> tuple[F64, Callable[[float], int]]:
    """What stands on pieces of the path over the floor, as the coarse picture shows it, and in how many stretches it
    stands over a height."""
    return _AHEAD.get(
        (stock_estimate.key, settings.side, cutter.radius),
        lambda: _look_ahead(settings.side, cutter.radius, stock_estimate),
    )


def _look_ahead(side: str, radius: float, stock_estimate: StockEstimate) -> tuple[F64, Callable[[float], int]]:
    relief = stock_estimate.relief
    inward = {"outside": 0.0, "on": radius, "inside": 2 * radius}[side]
    inside = ~relief.reach(~stock_estimate.region, inward) if inward else stock_estimate.region
    path = inside & relief.reach(~inside, relief.step)
    met = relief.meets(stock_estimate.standing, Profile.of(max(radius - relief.step / 2, 0.1), 0.0))
    counted: Memo[int] = Memo(32)

    def stretches(level: float) -> int:
        # Closer together than the cutter is wide they are one: the picture breaks them up.
        rows, columns = np.nonzero(relief.reach(path & (met > level + SKIN), radius))
        wide = path.shape[1] + 2 * FRAME
        return apart((rows + FRAME) * wide + columns + FRAME, (path.shape[0] + 2 * FRAME, wide))

    return met[path].astype(np.float64), lambda level: counted.get(round(level, 6), lambda: stretches(level))


def _stretch_seconds(level: float, tops: F64, stretches: Callable[[float], int], round_seconds: float) -> float:
    """Time of cutting what stands over one level alone."""
    return float(np.mean(tops > level + SKIN)) * round_seconds + _TO_STRETCH * stretches(level)


def _estimate(settings: CutOutSettings, cutter: Cutter, _leave: float, ground: EstimateInput) -> Estimate:
    off = cutter.radius + settings.allowance
    path, bends = path_at(ground.around, {"outside": off, "on": 0.0, "inside": -off}[settings.side])
    foot = ground.thickness - ground.depth
    bottom = settings.skin - foot if settings.skin > 0 else -settings.through - foot
    stock_estimate = ground.stock_estimate() if ground.stock_estimate is not None else None
    tops, stretches = (
        _tops_ahead(settings, cutter, stock_estimate) if stock_estimate is not None else (np.empty(0), lambda _level: 0)
    )
    tops = np.maximum(tops, bottom) if len(tops) else np.array([ground.depth])
    tabs_top = settings.tab_height - foot if settings.tab_count and settings.skin == 0 else bottom
    above, levels = cut_levels(tops, np.ones(len(tops)), bottom, settings.stepdown, tabs_top)
    turns, down = len(levels) + (1 if settings.turn > 0 else 0), float(np.median(tops)) - levels[-1]
    ramps = down / tan(radians(settings.ramp_angle)) if settings.ramp_angle < 89.9 else 0.0
    # Where it turns the cutter slows as much as if it stopped once in a whole turn (measured).
    once = travel_seconds(path, ceil(bends), ground.feed, ground.acceleration)
    # Tabs stand in the lowest layers only: at each the cutter slows, goes up and comes down again.
    over = (
        settings.tab_count
        * max(ceil(settings.tab_height / settings.stepdown), 1)
        * (4 * settings.tab_height / ground.feed * 60 + 0.3)
    )
    seconds = turns * once + ramps / ground.feed * 60 + over + 3.0
    seconds += sum(min(_stretch_seconds(level, tops, stretches, once), once) for level in above)
    return Estimate(seconds, lines=turns + len(above), layers=len(levels) + len(above))


STRATEGY = Strategy(
    key="cut_out",
    title="Cut out",
    summary="goes round the outline, through the stock, and leaves tabs",
    role="cut_out",
    settings=CutOutSettings,
    make=_make,
    describe=_describe,
    estimate=_estimate,
    shapes=("flat",),
    stepped=True,
    goes_by_outline=True,
    goes_round=True,
)
