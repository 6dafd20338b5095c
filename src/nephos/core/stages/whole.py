"""The job as a whole, after all its setups: the compare over all surfaces of the part, and the block as solids."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, ClassVar

import numpy as np
import shapely

from nephos.core.arrays import F64, Bool
from nephos.core.mesh.model import Mesh
from nephos.core.parallel import Report
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.stock import Stock
from nephos.core.setups.bar import holds_part
from nephos.core.setups.registry import kind_of
from nephos.core.stages.block import SideStage
from nephos.core.stages.compare import CompareStage
from nephos.core.stages.cut_free import Uncut, held_in_frame, tab_skin, uncut_surface, with_uncut
from nephos.core.stages.own_surface import OwnSurfaceStage, final_block, widest_radius
from nephos.core.stages.seen import block_seen, part_seen, whole_seen
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.shadow import shadow_of
from nephos.core.stages.space import SpaceStage, space_of
from nephos.core.stages.stage import KeptResult, Resolver, Stage
from nephos.core.stages.store import Result, as_result
from nephos.core.stages.uncut_solids import prism
from nephos.core.stock.block import Block
from nephos.core.stock.compare import Comparison
from nephos.core.stock.left_by import cells_under, left_by
from nephos.core.stock.passed_on import CutBar, Side
from nephos.core.stock.thin import ThinPlaces
from nephos.core.stock.whole import Solid, whole_block

_BAR = 256
"""Sides of a round bar in the solid."""


@dataclass(frozen=True)
class OwnSurface:
    """What one of the setups made of the finished block. `comparison` : over its own surface; not a number elsewhere.
    `side` : what it has cut."""

    space: SetupSpace
    side: Side
    comparison: Comparison


@dataclass(frozen=True)
class Whole:
    """The finished block, over all setups that are worked out; of a setup with tiles the last tile stands for all.

    `ridge` : largest thickness (mm) of what is left between the faces beside the part, `ridge_at` where (stock space).
    `uncut` : surface of the part that no setup has cut; none where it is not looked for. `held` : a point where a web
    connects the part with its frame; none without a web. `thin` : thin places of the part, of the side that sees most
    of them."""

    surfaces: tuple[OwnSurface, ...]
    ridge: float = 0.0
    ridge_at: tuple[float, float, float] | None = None
    uncut: Uncut | None = None
    held: tuple[float, float, float] | None = None
    thin: ThinPlaces | None = None

    def numbers(self) -> dict[str, float]:
        """The figures over all surfaces of the part."""
        found = [item.comparison for item in self.surfaces]
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

    def makers(self, points: F64) -> tuple[np.ndarray, Bool]:
        """Which setup left each place (n, 3) of the finished block's surface (stock space), as an index into `surfaces`
        (int8, -1 for the stock's own surface), and where (n,) no cutter of that setup reaches."""
        sides = tuple(item.side for item in self.surfaces)
        owner = left_by(points, sides, [float(item.space.stock_high[2]) for item in self.surfaces])
        missed = np.zeros(len(points), np.bool_)
        for k, item in enumerate(self.surfaces):
            c, mine = item.comparison, np.flatnonzero(owner == k)
            if not len(mine):
                continue
            j, i, _ = cells_under(points[mine], item.side.matrix, c.grid)
            missed[mine] = ~c.reachable[j, i] & (np.nan_to_num(c.deviation[j, i]) > c.limit)
        return owner, missed


@dataclass(frozen=True, eq=False)
class FreedStage(KeptResult):
    """Measures the surface of a part that no setup has cut: of a part of several faces, or on a bar. Of the former it
    finds webs to its frame too. `plan` : nothing but what it depends on. `setups`, `spaces` and `sides` : of all
    setups."""

    name: ClassVar[str] = "whole"
    version: ClassVar[int] = 12

    plan: Plan
    setups: tuple[Setup, ...]
    spaces: tuple[SpaceStage, ...]
    sides: tuple[SideStage, ...]

    @classmethod
    def of(
        cls, plan: Plan, setups: Sequence[Setup], spaces: tuple[SpaceStage, ...], sides: tuple[SideStage, ...]
    ) -> "FreedStage":
        """The stage for setups of a plan."""
        return cls(whole_seen(plan), tuple(part_seen(setup, parted=True) for setup in setups), spaces, sides)

    def compute(self, work: Resolver, report: Report) -> Result:
        """The uncut surface, and a point of a web."""
        plan, faces = self.plan, self.plan.faces
        first, sides = space_of(work.of(self.spaces[0]), plan, self.setups[0]), [work.of(side) for side in self.sides]
        mesh = first.mesh.moved(np.asarray(np.linalg.inv(first.matrix), np.float64))
        corner = max(widest_radius(setup.worked) for setup in self.setups)
        tabs, border = ((), 0.0) if faces is None else (faces.tabs, faces.border)
        holds = partial(holds_part, plan, mesh)
        uncut = uncut_surface(mesh, sides, np.array(plan.stock.size), tabs, border, corner, holds=holds)
        own, held = sides[0], None
        if faces is not None and not isinstance(own, CutBar):
            outline, skin = shadow_of(work, plan, first.setup), tab_skin(self.setups)
            held = held_in_frame(first, final_block(first, own, tuple(sides[1:])), outline, mesh, sides, skin)
        return as_result(
            {"share": uncut.share, "most": uncut.most, "place": uncut.place, "held": held}, heights=uncut.heights
        )


@dataclass(frozen=True, eq=False)
class WholeStage(Stage[Whole]):
    """The compare over all surfaces of the part. `plan` and `setups` have nothing but what it depends on; `compares`
    and `sides` are those of the setups. `own` : without entries where one setup alone is worked out. `freed` : of a
    part of several faces, or on a bar."""

    name: ClassVar[str] = "surfaces"
    version: ClassVar[int] = 1

    plan: Plan
    setups: tuple[Setup, ...]
    compares: tuple[CompareStage, ...]
    sides: tuple[SideStage, ...]
    own: tuple[OwnSurfaceStage, ...]
    freed: FreedStage | None

    @classmethod
    def of(
        cls, plan: Plan, setups: Sequence[Setup], compares: tuple[CompareStage, ...], sides: tuple[SideStage, ...]
    ) -> "WholeStage":
        """The stage for those setups of a plan that are worked out."""
        own: tuple[OwnSurfaceStage, ...] = ()
        freed, parted = None, plan.faces is not None
        if len(setups) > 1:
            own = tuple(
                OwnSurfaceStage.of(plan, setup, compares[k], sides[k], sides[:k] + sides[k + 1 :])
                for k, setup in enumerate(setups)
            )
            judged = parted or plan.held_bar is not None
            freed = FreedStage.of(plan, setups, tuple(item.space for item in compares), sides) if judged else None
        seen = tuple(part_seen(setup, parted) for setup in setups)
        return cls(whole_seen(plan), seen, compares, sides, own, freed)

    def value(self, work: Resolver, report: Report) -> Whole:
        """The finished block."""
        found = [
            OwnSurface(space_of(work.of(compare.space), self.plan, setup), work.of(side), work.of(compare))
            for setup, compare, side in zip(self.setups, self.compares, self.sides, strict=True)
        ]
        if not self.own:
            return Whole(tuple(found))
        ridge, at = 0.0, None
        thin: ThinPlaces | None = None
        for k, stage in enumerate(self.own):
            result = work.of(stage)
            report((k + 1) / len(self.own))
            f, c = result.facts, found[k].comparison
            own = replace(c, deviation=np.where(result.arrays["mine"] == 1, c.deviation, np.nan))
            found[k] = replace(found[k], comparison=own)
            if f["ridge"] > ridge:
                ridge, at = f["ridge"], _place(f["ridge_at"])
            if f["thin"] and (thin is None or f["thin"]["area"] > thin.area):
                thin = ThinPlaces(**(f["thin"] | {"place": _place(f["thin"]["place"])}))
        whole = Whole(tuple(found), ridge, at, thin=thin)
        if self.freed is None:
            return whole
        result = work.of(self.freed)
        f = result.facts
        uncut = Uncut(f["share"], f["most"], _place(f["place"]), result.arrays["heights"])
        return replace(whole, uncut=uncut, held=_place(f["held"]))


def _place(numbers: Any) -> tuple[float, float, float] | None:
    """A place as it was kept; none where there is none."""
    return None if numbers is None else (float(numbers[0]), float(numbers[1]), float(numbers[2]))


@dataclass(frozen=True, eq=False)
class SolidsStage(Stage[tuple[Solid, ...]]):
    """The finished block as connected solids in stock space. `plan` : stock and pitch. `setup` and `last` : the only
    setup and its block; none where there are several."""

    name: ClassVar[str] = "solids"
    version: ClassVar[int] = 1

    plan: Plan
    setup: Setup | None
    last: Stage[Block] | None
    sides: tuple[SideStage, ...]

    @classmethod
    def of(cls, plan: Plan, setups: Sequence[Setup], last: Stage[Block], sides: tuple[SideStage, ...]) -> "SolidsStage":
        """The stage for those setups of a plan that are worked out; `last` is the block of the last of them."""
        alone = len(setups) == 1
        return cls(block_seen(plan), setups[0].lying() if alone else None, last if alone else None, sides)

    def value(self, work: Resolver, report: Report) -> tuple[Solid, ...]:
        """The solids, each with its mesh.

        Raises
        ------
        Refused
            Where nothing is left of the block.
        """
        if self.setup is not None and self.last is not None:
            alone = kind_of(self.setup).solid_alone(self.plan, work.of(self.last))
            if alone is not None:
                return (alone,)
        return whole_block(stock_mesh(self.plan.stock), tuple(work.of(side) for side in self.sides))


def stock_mesh(stock: Stock) -> Mesh:
    """The stock before the first cut, as a closed mesh in its own space."""
    if not stock.is_round:
        return prism(shapely.box(0, 0, stock.length, stock.width), 0.0, stock.thickness)[0]
    turn = np.arange(_BAR) * 2 * np.pi / _BAR
    circle = shapely.Polygon(np.column_stack([np.cos(turn), np.sin(turn)]) * stock.width / 2 + stock.width / 2)
    lying = prism(circle, 0.0, stock.length)[0]
    return replace(lying, vertices=np.ascontiguousarray(lying.vertices[:, [2, 0, 1]]))
