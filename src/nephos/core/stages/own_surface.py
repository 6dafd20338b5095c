"""The surface of a setup in the finished block: where its own cuts made it, what is left beside the part, and thin
places.

Each side is measured where its field lies inside all others."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from typing import ClassVar

import numpy as np
import shapely

from nephos.core.arrays import F64, Bool
from nephos.core.parallel import Report
from nephos.core.plan.joined_faces import FaceTab
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.setups.registry import kind_of
from nephos.core.stages.block import SideStage
from nephos.core.stages.compare import CompareStage
from nephos.core.stages.cut_free import tab_skin
from nephos.core.stages.seen import part_seen, whole_seen
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.shadow import shadow_of
from nephos.core.stages.space import SpaceStage, space_of
from nephos.core.stages.stage import KeptResult, Resolver
from nephos.core.stages.store import Result, as_result
from nephos.core.stages.uncut_solids import tab_mesh
from nephos.core.stock.block import Block
from nephos.core.stock.columns import CutSide
from nephos.core.stock.compare import Comparison
from nephos.core.stock.passed_on import CutBar, Side, columns_left, rays_left
from nephos.core.stock.thin import ThinPlaces, thin_places

_OWN = 1e-3
"""A surface counts as made by a side where the finished block is no more than so much (mm) lower than its cuts."""
_OFF = 1.05
"""Columns nearer to the outline than so many pitches may hold some of the part."""
_ROOM = 0.5
"""A cutter needs this much (mm) more than its radius to enter a gap."""


def final_block(space: SetupSpace, own: CutSide, others: tuple[Side, ...]) -> Block:
    """The finished block as columns along the axis of one setup."""
    block = kind_of(space.setup).first_block(space.plan)
    block = replace(block, high=np.minimum(block.high, own.field[None]), bound=own.bound)
    return columns_left(block, space.matrix, others)


def widest_radius(operations: Sequence[Operation]) -> float:
    """Radius (mm) of the largest cutter of operations; 0 without any."""
    return max((operation.cutter.radius for operation in operations), default=0.0)


@dataclass(frozen=True, eq=False)
class OwnSurfaceStage(KeptResult):
    """Finds what one of several setups made of the finished block.

    Facts: `ridge`, the largest thickness (mm) of what is left beside the part; `ridge_at`, where (stock space); `thin`.
    Array: `mine` (uint8) over the grid of the compare, 1 where the surface of the finished block is its own.

    `plan` : nothing but what it depends on. `setup` : one of its setups. `own` and `others` : what this setup and all
    others have cut."""

    name: ClassVar[str] = "whole"
    version: ClassVar[int] = 10

    plan: Plan
    setup: Setup
    space: SpaceStage
    compare: CompareStage
    own: SideStage
    others: tuple[SideStage, ...]

    @classmethod
    def of(
        cls, plan: Plan, setup: Setup, compare: CompareStage, own: SideStage, others: tuple[SideStage, ...]
    ) -> "OwnSurfaceStage":
        """The stage for a setup of a plan."""
        seen = part_seen(setup, plan.faces is not None)
        return cls(whole_seen(plan), seen, compare.space, compare, own, others)

    def compute(self, work: Resolver, report: Report) -> Result:
        """Where the surface is the setup's own, the ridge, and thin places."""
        space = space_of(work.of(self.space), self.plan, self.setup)
        own, others, c = work.of(self.own), tuple(work.of(side) for side in self.others), work.of(self.compare)
        if isinstance(own, CutBar):
            return as_result(
                {"ridge": 0.0, "ridge_at": None, "thin": None}, mine=_bar_surface(own, others, c).astype(np.uint8)
            )
        block = final_block(space, own, others)
        rows, columns = block.grid.window((c.grid.x0, c.grid.y0), (c.grid.xs[-1], c.grid.ys[-1]))
        top, field = block.top[rows, columns], own.field[rows, columns]
        mine = (top >= field - _OWN) & (field < float(space.stock_high[2]) - _OWN) & (block.empty[rows, columns] == 0)
        ridge, place = _beside(space, work, block)
        thin = _thin(space, work, block)
        facts = {
            "ridge": ridge,
            "ridge_at": None if place is None else place.tolist(),
            "thin": None if thin is None else asdict(thin),
        }
        return as_result(facts, mine=mine.astype(np.uint8))


def _beside(space: SetupSpace, work: Resolver, block: Block) -> tuple[float, F64 | None]:
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
    wide, room = around.buffer(faces.border), widest_radius(everything) + skin
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


def _thin(space: SetupSpace, work: Resolver, block: Block) -> ThinPlaces | None:
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
