"""The job as a whole, after all its setups: the block as a solid, and the compare over all surfaces of the part.

Each side is measured where its own cuts made the surface: where its field lies inside all others."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace

import numpy as np
import shapely

from nephos.core.arrays import F64, Bool
from nephos.core.errors import Refused
from nephos.core.mesh.model import Mesh
from nephos.core.parallel import Report, silent
from nephos.core.plan.joined_faces import FaceTab
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.stock import Stock
from nephos.core.setups.registry import kind_of
from nephos.core.stages.canonical import key_of
from nephos.core.stages.cut_free import Uncut, held_in_frame, tab_skin, uncut_surface, with_uncut
from nephos.core.stages.of_plan import SetupStages, stages_of
from nephos.core.stages.outcome import OutcomeStage
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.shadow import shadow_of
from nephos.core.stages.store import Result, as_result
from nephos.core.stages.uncut_solids import prism, tab_mesh
from nephos.core.stages.work import Work
from nephos.core.stock.block import Block
from nephos.core.stock.columns import CutSide
from nephos.core.stock.compare import Comparison
from nephos.core.stock.left_by import cells_under, left_by
from nephos.core.stock.passed_on import CutBar, Side, columns_left, rays_left
from nephos.core.stock.thin import ThinPlaces, thin_places
from nephos.core.stock.whole import Solid, whole_block

_VERSION = 9
"""Raised when other results come to be made of the same setups."""
_OWN = 1e-3
"""A surface counts as made by a side where the finished block is no more than so much (mm) lower than its cuts."""
_OFF = 1.05
"""Columns nearer to the outline than so many pitches may hold some of the part."""
_ROOM = 0.5
"""A cutter needs this much (mm) more than its radius to enter a gap."""
_BAR = 256
"""Sides of a round bar in the solid."""


@dataclass(frozen=True)
class Whole:
    """The compare of each setup's own surfaces in the finished block, by the setup's id, and the `ridge`: how thick (mm)
    what is left between the faces beside the part is at most, and where (stock space).

    `uncut` : surface of a part of several faces that no setup has cut. `held` : a point where a web connects the part
    with its frame; none without a web. `thin` : thin places of the part, of the side that sees most of them."""

    comparisons: dict[str, Comparison]
    ridge: float
    ridge_at: tuple[float, float, float] | None
    uncut: Uncut | None = None
    held: tuple[float, float, float] | None = None
    thin: ThinPlaces | None = None

    def numbers(self) -> dict[str, float]:
        """The figures over all surfaces of the part."""
        found = list(self.comparisons.values())
        if not found:
            return {}
        widest = max(item.limit for item in found)
        deviation = np.concatenate([item.deviation.ravel() for item in found])
        reachable = np.concatenate([item.reachable.ravel() for item in found])
        if self.uncut is not None:
            deviation, reachable = with_uncut(deviation, reachable, self.uncut)
        pooled = Comparison(
            found[0].grid,
            deviation[None],
            reachable[None],
            widest,
            np.zeros((1, len(deviation)), np.float32),
            max(item.gouge for item in found),
        )
        return pooled.numbers()


def stock_mesh(stock: Stock) -> Mesh:
    """The stock before the first cut, as a closed mesh in its own space."""
    if not stock.is_round:
        return prism(shapely.box(0, 0, stock.length, stock.width), 0.0, stock.thickness)[0]
    turn = np.arange(_BAR) * 2 * np.pi / _BAR
    circle = shapely.Polygon(np.column_stack([np.cos(turn), np.sin(turn)]) * stock.width / 2 + stock.width / 2)
    lying = prism(circle, 0.0, stock.length)[0]
    return replace(lying, vertices=np.ascontiguousarray(lying.vertices[:, [2, 0, 1]]))


def _final(space: SetupSpace, own: CutSide, others: tuple[Side, ...]) -> Block:
    """The finished block as columns along the axis of one setup."""
    block = kind_of(space.setup).first_block(space.plan)
    block = replace(block, high=np.minimum(block.high, own.field[None]), bound=own.bound)
    return columns_left(block, space.matrix, others)


def _widest(operations: Sequence[Operation]) -> float:
    """Radius (mm) of the largest cutter of operations."""
    return max((operation.cutter.radius for operation in operations), default=0.0)


def _beside(space: SetupSpace, work: Work, block: Block) -> tuple[float, F64 | None]:
    """How thick what is left beside the part, within the border and off the tabs, is at most; and where."""
    faces = space.plan.faces
    if faces is None:
        return 0.0, None
    outline = shadow_of(work, space.plan, space.setup)
    pitch = block.grid.pitch
    around = shapely.union_all([shapely.Polygon(piece.exterior) for piece in shapely.get_parts(outline)])
    # Half of the border: material at its outer wall belongs to the frame. Gaps that no cutter enters are left out.
    radius = min((operation.cutter.radius for operation in space.setup.worked), default=0.0)
    fits = radius + _ROOM
    # Roughing of any side leaves its skin on the tabs.
    skin = tab_skin(space.plan.setups)
    everything = [operation for setup in space.plan.setups for operation in setup.worked]
    tabs = shapely.union_all([_footprint(space, tab, faces.border).buffer(skin) for tab in faces.tabs])
    wide, room = around.buffer(faces.border), _widest(everything) + skin
    gaps = wide.difference(outline).buffer(-fits).buffer(fits)
    # The largest cutter clears the border: it leaves fillets in the corners between tabs and part.
    open_ = wide.difference(outline.union(tabs))
    gaps = gaps.difference(open_.difference(open_.buffer(-room).buffer(room)).intersection(tabs.buffer(2 * room)))
    area = gaps.intersection(around.buffer(faces.border / 2)).difference(outline.union(tabs).buffer(_OFF * pitch))
    if area.is_empty:
        return 0.0, None
    shapely.prepare(area)
    x, y = np.meshgrid(block.grid.xs, block.grid.ys)
    thick = np.maximum(block.high - block.low, 0.0).sum(axis=0)
    thick = np.where(shapely.intersects_xy(area, x, y), thick, 0.0)
    j, i = np.unravel_index(int(thick.argmax()), thick.shape)
    most = float(thick[j, i])
    place = np.linalg.inv(space.matrix) @ [block.grid.xs[i], block.grid.ys[j], float(block.top[j, i]), 1.0]
    return most, place[:3] if most > 0 else None


def _footprint(space: SetupSpace, tab: FaceTab, border: float) -> shapely.Geometry:
    """The outline of a tab as a setup sees it."""
    return shapely.MultiPoint(tab_mesh(tab, border).moved(space.matrix).vertices[:, :2]).convex_hull


def _compared(done: SetupOutcome, own: Side, others: tuple[Side, ...], work: Work) -> Result:
    space, c = done.space, done.comparison
    if isinstance(own, CutBar):
        return as_result(
            {"ridge": 0.0, "ridge_at": None, "thin": None}, mine=_bar_surface(own, others, c).astype(np.uint8)
        )
    block = _final(space, own, others)
    rows, columns = block.grid.window((c.grid.x0, c.grid.y0), (c.grid.xs[-1], c.grid.ys[-1]))
    top, field = block.top[rows, columns], own.field[rows, columns]
    mine = (top >= field - _OWN) & (field < float(space.stock_high[2]) - _OWN) & (block.empty[rows, columns] == 0)
    ridge, place = _beside(space, work, block)
    thin = _thin(space, work, block)
    return as_result(
        {
            "ridge": ridge,
            "ridge_at": None if place is None else place.tolist(),
            "thin": None if thin is None else asdict(thin),
        },
        mine=mine.astype(np.uint8),
    )


def _thin(space: SetupSpace, work: Work, block: Block) -> ThinPlaces | None:
    """Thin places of the finished part as a setup sees them, in stock space; frame and tabs apart."""
    outline = shadow_of(work, space.plan, space.setup).buffer(-_OFF * block.grid.pitch)
    shapely.prepare(outline)
    x, y = np.meshgrid(block.grid.xs, block.grid.ys)
    found = thin_places(block, np.asarray(shapely.intersects_xy(outline, x, y)))
    if found is None:
        return None
    x0, y0, z0 = (np.linalg.inv(space.matrix) @ [*found.place, 1.0])[:3].tolist()
    return replace(found, place=(x0, y0, z0))


def _bar_surface(own: CutBar, others: tuple[Side, ...], found: Comparison) -> Bool:
    """Where the surface that a rotary setup has cut is that of the finished block."""
    left = rays_left(own.block, own.matrix, others)
    mine = (left.top >= own.block.top - _OWN) & (own.block.touched >= 0) & (left.empty == 0)
    g = own.block.grid
    rows, columns = g.window((found.grid.x0, found.grid.y0), (found.grid.xs[-1], found.grid.ys[-1]))
    result: Bool = mine[rows, columns]
    return result


def _freed(plan: Plan, done: Sequence[SetupOutcome], sides: Sequence[Side], work: Work) -> Result:
    """Uncut surface of a part of several faces, and a web to its frame."""
    faces, first = plan.faces, done[0]
    if faces is None:
        raise ValueError("a part of several faces is asked for")
    back = np.asarray(np.linalg.inv(first.space.matrix), np.float64)
    mesh = first.space.mesh.moved(back)
    corner = max((_widest(item.space.setup.worked) for item in done), default=0.0)
    uncut = uncut_surface(mesh, sides, np.array(plan.stock.size), faces.tabs, faces.border, corner)
    own = sides[0]
    held = None
    if not isinstance(own, CutBar):
        outline = shadow_of(work, plan, first.space.setup)
        skin = tab_skin(item.space.setup for item in done)
        held = held_in_frame(first, _final(first.space, own, tuple(sides[1:])), outline, mesh, sides, skin)
    return as_result(
        {"share": uncut.share, "most": uncut.most, "place": uncut.place, "held": held}, heights=uncut.heights
    )


def _worked(plan: Plan) -> list[SetupStages]:
    """The stages of all setups that are worked out."""
    return [stages for stages in stages_of(plan).values() if stages.operations]


def whole_key(plan: Plan, setup: str) -> str:
    """Under which the compare of a setup's surfaces in the finished block is kept."""
    blocks = [stages.block.key for stages in _worked(plan)]
    return key_of("whole", _VERSION, stages_of(plan)[setup].compare.key, blocks, plan.tolerance)


def freed_key(plan: Plan) -> str:
    """Key of the uncut surface of a part of several faces and of its web."""
    return key_of("whole", _VERSION, "freed", [[stages.space.key, stages.block.key] for stages in _worked(plan)])


def job_key(plan: Plan) -> str:
    """Under which what is known of the whole job, after all its setups, is kept."""
    # The assumed error of the registration changes nothing of the part.
    faces = plan.faces and plan.faces.model_dump(exclude={"registration"})
    return key_of("whole", _VERSION, "job", [OutcomeStage.of(stages).key for stages in _worked(plan)], faces)


def job_findings_key(plan: Plan) -> str:
    """Under which the findings on the whole job are kept."""
    clamps = [list(stages.setup.keep_outs) for stages in _worked(plan)]
    return key_of("findings", _VERSION, "job", job_key(plan), clamps)


def sides_of(done: Sequence[SetupOutcome]) -> tuple[Side, ...]:
    """What each setup of a job has cut."""
    return tuple(kind_of(item.space.setup).side(item.space.plan, item.shown) for item in last_of_each(done))


def last_of_each(done: Sequence[SetupOutcome]) -> list[SetupOutcome]:
    """The setups that were worked out; of the tiles of one the last, whose block and compare are those of all."""
    wholes = [item.space.setup.parent_id for item in done]
    return [item for k, item in enumerate(done) if wholes[k] not in wholes[k + 1 :]]


def surface_makers(done: Sequence[SetupOutcome], whole: Whole, points: F64) -> tuple[np.ndarray, Bool]:
    """Which setup left each place (n, 3) of the finished block's surface (stock space), as an index into the setups
    that were worked out (int8, -1 for the stock's own surface), and where (n,) no cutter of that setup reaches."""
    done = last_of_each(done)
    sides = sides_of(done)
    owner = left_by(points, sides, [float(item.space.stock_high[2]) for item in done])
    missed = np.zeros(len(points), np.bool_)
    for k, (item, side) in enumerate(zip(done, sides, strict=True)):
        c, mine = whole.comparisons.get(item.space.setup.id), np.flatnonzero(owner == k)
        if c is None or not len(mine):
            continue
        j, i, _ = cells_under(points[mine], side.matrix, c.grid)
        missed[mine] = ~c.reachable[j, i] & (np.nan_to_num(c.deviation[j, i]) > c.limit)
    return owner, missed


def whole_of(plan: Plan, done: Sequence[SetupOutcome], work: Work, report: Report = silent) -> Whole:
    """The compare over all surfaces of the part, after all setups."""
    done = last_of_each(done)
    if len(done) == 1:
        return Whole({done[0].space.setup.id: done[0].comparison}, 0.0, None)
    sides = sides_of(done)
    found, ridge, at = {}, 0.0, None
    thin: ThinPlaces | None = None
    for k, item in enumerate(done):
        others = sides[:k] + sides[k + 1 :]
        key = whole_key(plan, item.space.setup.id)
        kept = work.stage(key, "whole", lambda: _compared(item, sides[k], others, work))  # noqa: B023
        report((k + 1) / len(done))
        f, c = kept.facts, item.comparison
        found[item.space.setup.id] = replace(c, deviation=np.where(kept.arrays["mine"] == 1, c.deviation, np.nan))
        if f["ridge"] > ridge:
            ridge, at = f["ridge"], tuple(f["ridge_at"])
        if f["thin"] and (thin is None or f["thin"]["area"] > thin.area):
            thin = ThinPlaces(**(f["thin"] | {"place": tuple(f["thin"]["place"])}))
    if plan.faces is None:
        return Whole(found, ridge, at, thin=thin)
    kept = work.stage(freed_key(plan), "whole", lambda: _freed(plan, done, sides, work))
    f = kept.facts
    uncut = Uncut(f["share"], f["most"], f["place"] and tuple(f["place"]), kept.arrays["heights"])
    return Whole(found, ridge, at, uncut, f["held"] and tuple(f["held"]), thin)


def solids_after(plan: Plan, done: Sequence[SetupOutcome]) -> tuple[Solid, ...]:
    """The block after setups that were just worked out, as connected solids in stock space."""
    alone = kind_of(done[0].space.setup).solid_alone(plan, done[0].block) if len(done) == 1 else None
    return (alone,) if alone is not None else solid_of(plan, sides_of(done))


def solid_of(plan: Plan, sides: tuple[Side, ...]) -> tuple[Solid, ...]:
    """The block after all setups, as connected solids in stock space.

    Raises
    ------
    Refused
        Where nothing is left of it.
    """
    if not sides:
        raise Refused("nothing is cut yet: calculate the job first")
    return whole_block(stock_mesh(plan.stock), sides)
