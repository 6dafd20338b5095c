"""What the proof tells of a setup: how true it is, where it is worst, what each operation brought, and which pieces it
fell into."""

from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from functools import cached_property
from math import ceil
from typing import Any, Literal

import numpy as np
import shapely

from nephos.core.arrays import F32, F64, I32, U8, Bool
from nephos.core.cutters.profile import Profile
from nephos.core.errors import Refused
from nephos.core.parallel import Report
from nephos.core.pipeline.bar_space import box_on_bar
from nephos.core.pipeline.boundaries import region_of
from nephos.core.pipeline.keys import SetupKeys, compare_limit, finest_operation
from nephos.core.pipeline.space import SetupSpace
from nephos.core.pipeline.standing import ground_height
from nephos.core.pipeline.store import Result, as_result
from nephos.core.pipeline.tile_work import SeamStep, lowering, swept_past, tiles_before
from nephos.core.pipeline.work import Work
from nephos.core.plan.schema import Operation
from nephos.core.plan.tiles import FAR, Blend
from nephos.core.stock.block import Block, Grid
from nephos.core.stock.compare import Comparison, compare, laid_over
from nephos.core.stock.compare_bar import compare_bar
from nephos.core.stock.frames import MOMENTS, Frames, shown_grid, shown_top
from nephos.core.stock.gain import Gain, gains
from nephos.core.stock.pieces import find_pieces, freed_at, part_of
from nephos.core.stock.worst import Worst, most_left, worst_gouges
from nephos.core.surface.drop import drop_grid
from nephos.core.surface.gouge import Gouge
from nephos.core.surface.index import build_index
from nephos.core.surface.reach import touched_by_ball
from nephos.core.surface.rotary import RotaryIndex

BALLS = (6.0, 4.0, 3.0, 2.0, 1.5, 1.0, 0.5)
"""Diameters (mm) of balls that are tried in corners that no cutter of the job reaches."""
_SAMPLES = 2000
_FAR_OFF = 20.0
"""With an assumed error the cuts may go so deep (mm) into the model."""
_STEEP = 0.5
"""Cosine of the slope from which on ground counts as a wall: 60 degrees."""
_SPARE = 0.05
"""More (mm) than the height of the tabs or the skin, so that what they hold falls apart in the picture."""
_COARSE = 4
"""The models' shadow is looked at in every fourth column each way."""


_OVER_GROUND = 0.02
"""Surface higher than this (mm) over the ground beside the part belongs to the part."""
_CHIP = 20.0
"""Pieces of less volume (mm^3) are not listed,"""
_MOST = 24
"""and no more than so many."""
Kind = Literal["part", "frame", "free"]


@dataclass(frozen=True)
class Sorted:
    """A piece of the finished block: the part, the frame that is held by the machine, or one that has come free of it.

    `freed_by` is the operation that cut it free, `freed` the share of its time by then; lengths in mm, `volume` in
    mm^3."""

    kind: Kind
    volume: float
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    place: tuple[float, float, float]
    freed_by: int | None = None
    freed: float | None = None


@dataclass(frozen=True)
class Proof:
    """All of it. `balls` : pairs of a ball's diameter and the share of what no cutter reaches that it would reach.
    `walls` : the share of the area that is steep and has more left than the limit though it could be reached. `sorting`
    : (ny, nx) uint8 over the block: 0 waste or nothing, 1 the part, 2 pieces that came free. `steps` : at the seams of
    tiles, once all are cut."""

    comparison: Comparison
    worst: tuple[Worst, ...]
    gains: tuple[Gain, ...]
    balls: tuple[tuple[float, float], ...]
    walls: float
    pieces: tuple[Sorted, ...]
    sorting: U8
    steps: tuple[SeamStep, ...] = ()


def _normals(under: F32, pitch: float) -> F64:
    """(ny, nx, 3) unit vectors out of a height field."""
    gy, gx = np.gradient(under.astype(np.float64), pitch)
    vectors = np.stack([-gx, -gy, np.ones_like(gx)], axis=-1)
    return np.asarray(vectors / np.linalg.norm(vectors, axis=-1, keepdims=True), np.float64)


def _balls_that_would(
    space: SetupSpace, c: Comparison, normals: F64, cutters: list[Profile], tolerance: float
) -> list[tuple[float, float]]:
    if isinstance(space.index, RotaryIndex):
        return []
    corners = np.flatnonzero((np.isfinite(c.deviation) & ~c.reachable & (c.deviation > c.limit)).ravel())
    if not len(corners):
        return []
    chosen = corners[:: ceil(len(corners) / _SAMPLES)]
    j, i = np.divmod(chosen, c.grid.nx)
    points = np.column_stack([c.grid.xs[i], c.grid.ys[j], c.under[j, i].astype(np.float64)])
    finest = min(2 * (cutter.corner or cutter.radius) for cutter in cutters)
    found = [
        (d, touched_by_ball(space.index, points, normals[j, i], d / 2, space.floor, max(c.limit, tolerance)))
        for d in BALLS
        if d < finest
    ]
    return [(d, round(share, 3)) for d, share in found]


def _compared(
    space: SetupSpace,
    work: Work,
    todo: list[Operation],
    blocks: list[Block],
    block: Block,
    gouges: list[Gouge],
    before: Comparison | None,
    steps: Callable[[Comparison], tuple[SeamStep, ...]],
    with_errors: bool,
    report: Report,
) -> Result:
    plan, setup = space.plan, space.setup
    finest, limit = finest_operation(todo), compare_limit(plan, setup)
    cutters = [operation.cutter.profile for operation in todo if operation.cutter.shape != "drill"] or [
        finest.cutter.profile
    ]
    deepest = gouges[0].depth if gouges else plan.tolerance / 4
    if with_errors or (setup.tile is not None and setup.tile.blend is not None):
        deepest = _FAR_OFF
    if isinstance(space.index, RotaryIndex):
        surface = build_index(space.mesh.vertices, space.mesh.faces)
        region = region_of(space, work, finest).intersection(box_on_bar(space.mesh, space.index.radius))
        c = compare_bar(
            block, space.index, surface, region, space.floor, cutters, limit, plan.tolerance, deepest, report
        )
    else:
        c = compare(
            block,
            space.index,
            _compared_region(space, work, finest),
            space.floor,
            cutters,
            limit,
            plan.tolerance,
            deepest,
            report,
            None if plan.faces is None else ground_height(plan, setup),
        )
    if 0 < min(c.deviation.shape) < 2:
        raise Refused(
            f"the block's pitch of {block.grid.pitch:g} mm is as coarse as the part: set a finer pitch in the accuracy of the "
            "stock"
        )
    if not c.deviation.size:
        raise Refused(
            f"nothing of the model lies where operation {finest.number} goes: move the model, or give the operation another "
            "boundary"
        )
    blend = setup.tile.blend if setup.tile is not None else None
    if blend is not None:
        c = _against_strip(c, blend)
    if with_errors or blend is not None:
        # Measured on the columns: the block is another than the moves make, or than the model.
        deep = float(-np.nanmin(c.deviation, initial=0.0))
        c = replace(c, gouge=deep if with_errors or deep > limit else gouges[0].depth if gouges else 0.0)
    elif not gouges:
        c = replace(c, gouge=0.0)
    rows, columns = block.grid.window((c.grid.x0, c.grid.y0), (c.grid.xs[-1], c.grid.ys[-1]))
    inside = np.isfinite(c.deviation)
    normals = _normals(c.under, c.grid.pitch)
    steep = inside & (normals[..., 2] < _STEEP) & c.reachable & (c.deviation > limit)
    told: dict[str, Any] = {
        "limit": limit,
        "gouge": c.gouge,
        "worst": [
            asdict(item) for item in (*worst_gouges(gouges, plan.tolerance), *most_left(c, block.top[rows, columns]))
        ],
        "gains": [
            asdict(item)
            for item in gains(
                # Kept by place in the order: a new number changes nothing here.
                list(range(len(todo))),
                [block.volume for block in blocks],
                [block.top for block in blocks[1:]],
                c.grid.pitch,
                (rows, columns),
                c.under,
                inside,
                limit,
            )
        ],
        "balls": _balls_that_would(space, c, normals, cutters, plan.tolerance),
        "walls": float(steep.sum() / max(inside.sum(), 1)),
    }
    c = c if before is None else laid_over(before, c)
    told["steps"] = [asdict(item) for item in steps(c)]
    told["gouge"] = c.gouge
    return as_result(
        grid_facts(c.grid) | told, deviation=c.deviation, reachable=c.reachable.astype(np.uint8), under=c.under
    )


def _against_strip(c: Comparison, blend: Blend) -> Comparison:
    """The compare of a strip, against the surface that it is meant to make: the model, lowered towards the seam."""
    x, y = np.meshgrid(c.grid.xs, c.grid.ys)
    low = lowering(np.column_stack([x.ravel(), y.ravel()]), blend).reshape(x.shape)
    upright = _normals(c.under, c.grid.pitch)[..., 2]
    inside = ((x if blend.axis == "x" else y) - blend.at) * blend.towards >= 0
    return replace(c, deviation=(c.deviation + np.where(inside, low * upright, 0.0)).astype(np.float32))


def _compared_region(space: SetupSpace, work: Work, finest: Operation) -> shapely.Geometry:
    """Where the block is compared: within the boundary; of a tile there what it has cut, past its seams too where a
    tile before it was."""
    region, setup = region_of(space, work, finest), space.setup
    tile = setup.tile
    if tile is None:
        return region
    if region.is_empty:
        # A tile that makes no marks, where nothing else is cut.
        return shapely.box(*space.stock_box)
    x0, y0, x1, y1 = tile.core
    ends = [FAR if past >= FAR else 0.0 for past in tile.past]
    own = shapely.box(x0 - ends[0], y0 - ends[1], x1 + ends[2], y1 + ends[3])
    band = swept_past(setup)
    wide = shapely.box(x0 - band, y0 - band, x1 + band, y1 + band)
    before = [shapely.box(*item.tile.core) for item in tiles_before(space.plan, setup) if item.tile]
    mine = region.intersection(shapely.union_all([own, *(core.intersection(wide) for core in before)]))
    return region if mine.is_empty else mine


def grid_facts(grid: Grid) -> dict[str, float]:
    """A grid as it is kept among the facts of a result."""
    facts = {"x0": grid.x0, "y0": grid.y0, "pitch": grid.pitch, "nx": grid.nx, "ny": grid.ny}
    return facts if grid.radius is None else facts | {"radius": grid.radius}


def grid_from(facts: dict[str, float]) -> Grid:
    """The grid that :func:`grid_facts` kept."""
    return Grid(facts["x0"], facts["y0"], facts["pitch"], int(facts["nx"]), int(facts["ny"]), facts.get("radius"))


def _held_by(todo: list[Operation]) -> float:
    """How high tabs and skins stand at most."""
    heights = [0.0]
    for operation in todo:
        held = operation.settings.held
        if held is not None:
            heights += [held.skin, held.tab_height if held.tab_count or held.hole_tabs else 0.0]
    return max(heights)


def _shadow(space: SetupSpace, block: Block) -> Bool:
    """Where models stand, (ny, nx): looked at in every fourth column each way, False in all others."""
    g = block.grid
    nx, ny = len(range(0, g.nx, _COARSE)), len(range(0, g.ny, _COARSE))
    nowhere = float(space.index.low[2]) - 1e4
    surface = drop_grid(space.index, g.x0, g.y0, g.pitch * _COARSE, nx, ny, Profile.of(0.0, 1e-6), nowhere)
    found: Bool = np.zeros(block.touched.shape, np.bool_)
    # The ground beside a part of several faces is none of it.
    beside = nowhere + 1.0 if space.plan.faces is None else ground_height(space.plan, space.setup) + _OVER_GROUND
    found[::_COARSE, ::_COARSE] = surface > beside
    return found


@dataclass(frozen=True)
class _History:
    """The blocks of a setup after each operation, with what tells when something in them came free."""

    space: SetupSpace
    work: Work
    keys: SetupKeys
    todo: list[Operation]
    blocks: list[Block]

    @cached_property
    def pieces(self) -> list[tuple[I32, frozenset[int]]]:
        """After each operation the labels of the block's columns, and those of pieces that do not reach its sides."""
        found = []
        for block in self.blocks[1:]:
            labels, pieces = find_pieces(block)
            found.append((labels, frozenset(piece.label for piece in pieces if not piece.side)))
        return found

    def freed(self, column: tuple[int, int], place: tuple[float, float]) -> tuple[int | None, float | None]:
        """Which operation, by its place in the order, cut the piece at `column` free, and at which share of its
        time."""
        for k, operation in enumerate(self.todo):
            labels, free = self.pieces[k]
            if int(labels[:, column[0], column[1]].max()) not in free:
                continue
            kept = self.work.store.get(self.keys.operations[operation.number].frames)
            if kept is None:
                return k, None
            frames = Frames(
                grid_from(kept.facts), kept.arrays["start"], kept.arrays["moment"], kept.arrays["height"], MOMENTS
            )
            top = shown_top(self.blocks[k], shown_grid(self.blocks[k].grid))
            return k, freed_at(top, float(self.space.stock_low[2]), frames, place)
        return None, None


def _sorted(history: _History) -> Result:
    block, todo = history.blocks[-1], history.todo
    wanted = _shadow(history.space, block)
    labels, pieces = find_pieces(block)
    part = part_of(labels, pieces, wanted)
    found = []
    for piece in [item for item in pieces if item is part or item.volume >= _CHIP][:_MOST]:
        j, i = piece.column
        place = (block.grid.x0 + i * block.grid.pitch, block.grid.y0 + j * block.grid.pitch)
        by, share = (None, None) if piece.side else history.freed(piece.column, place)
        kind: Kind = "part" if piece is part else "frame" if piece.side else "free"
        found.append(
            asdict(Sorted(kind, piece.volume, piece.low, piece.high, (*place, float(block.top[j, i])), by, share))
        )
    loose, groups = find_pieces(block, _held_by(todo) + _SPARE)
    mine = part_of(loose, groups, wanted)
    sorting = np.zeros(block.touched.shape, np.uint8)
    free_labels = [piece.label for piece in pieces if not piece.side and piece is not part]
    sorting[np.isin(labels, free_labels).any(axis=0)] = 2
    if mine is not None and not mine.side:
        sorting[(loose == mine.label).any(axis=0)] = 1
    return as_result({"pieces": found}, sorting=sorting)


def _of_bar(block: Block) -> Result:
    """A bar is one piece: its core is never cut."""
    return as_result({"pieces": []}, sorting=np.zeros(block.touched.shape, np.uint8))


def _sorted_from(facts: dict[str, Any], todo: list[Operation]) -> Sorted:
    by = facts["freed_by"]
    numbered = {"freed_by": None if by is None else todo[by].number}
    return Sorted(**(facts | numbered | {name: tuple(facts[name]) for name in ("low", "high", "place")}))


def proof_of(
    space: SetupSpace,
    work: Work,
    keys: SetupKeys,
    todo: list[Operation],
    blocks: list[Block],
    shown: Block,
    before: Comparison | None,
    steps: Callable[[Comparison], tuple[SeamStep, ...]],
    gouges: list[Gouge],
    report: Report,
) -> Proof:
    """Compare and sort a finished block.

    `blocks` are the stock and the block after each operation, `shown` the finished one with the errors that are assumed
    for slides, `before` the compare of the tiles before this one, `steps` finds those at the seams, `gouges` those of all operations, the deepest first.
    """
    kept = work.stage(
        keys.compare,
        "compare",
        lambda: _compared(space, work, todo, blocks, shown, gouges, before, steps, shown is not blocks[-1], report),
    )
    on_bar = space.setup.kind == "rotary"
    pieces = work.stage(
        keys.pieces,
        "pieces",
        lambda: _of_bar(blocks[-1]) if on_bar else _sorted(_History(space, work, keys, todo, blocks)),
    )
    f, a = kept.facts, kept.arrays
    comparison = Comparison(
        grid_from(f), a["deviation"], a["reachable"].astype(bool), f["limit"], a["under"], f["gouge"]
    )
    return Proof(
        comparison,
        tuple(Worst(tuple(w["place"]), w["deviation"], w["reachable"]) for w in f["worst"]),
        tuple(Gain(**(g | {"number": todo[g["number"]].number})) for g in f["gains"]),
        tuple((d, share) for d, share in f["balls"]),
        f["walls"],
        tuple(_sorted_from(facts, todo) for facts in pieces.facts["pieces"]),
        pieces.arrays["sorting"],
        tuple(SeamStep(**(step | {"place": tuple(step["place"])})) for step in f["steps"]),
    )
