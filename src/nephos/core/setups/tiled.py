"""A setup that is cut in tiles: each tile is a face whose cutters stay in a window."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

import numpy as np
import shapely

from nephos.core.arrays import F64, U8
from nephos.core.cutters import Cutter
from nephos.core.finding import Finding
from nephos.core.parallel import silent
from nephos.core.plan.place import Placed
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Setup
from nephos.core.plan.setups.tile_words import found_in_words, slide_in_words, tile_in_words
from nephos.core.plan.setups.tiled import TiledSetup, TileSetup
from nephos.core.plan.setups.tiling import FAR, Blend
from nephos.core.setups.face import FaceKind
from nephos.core.setups.kind import CompareTask, SetupKind
from nephos.core.setups.seams import (
    SeamStep,
    block_with_errors,
    lowered,
    lowering,
    raised,
    seam_steps,
    swept_past,
    tiles_before,
)
from nephos.core.setups.tile_findings import seam_findings, tile_findings
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stock.block import Block
from nephos.core.stock.compare import Comparison, normals_of
from nephos.core.toolpath import Toolpath
from nephos.core.units import Units


@dataclass(frozen=True)
class TileKind(FaceKind):
    """A tile, or the strip beside a seam. Implements :class:`nephos.core.setups.kind.SetupKind`."""

    setup: TileSetup

    def posted_path(self, path: Toolpath) -> Toolpath:
        """The path of a strip is lowered towards its seam."""
        blend = self.setup.tile.blend
        return path if blend is None else lowered(path, blend)

    def on_model(self, points: F64, kinds: U8) -> F64:
        """The points of a strip where they were before it was lowered."""
        blend = self.setup.tile.blend
        return points if blend is None else raised(points, kinds, blend)

    @property
    def follows_model(self) -> bool:
        """Whether it is no strip."""
        return self.setup.tile.blend is None

    def assumed(self, plan: Plan) -> list[object]:
        """Assumed errors of the slides to this tile and to those before it."""
        tiles = [item.tile for item in (*tiles_before(plan, self.setup), self.setup)]
        return [tile.error.model_dump() for tile in tiles if tile.error]

    def proof_block(self, begun: Block, cuts: Sequence[tuple[Cutter, F64, U8]]) -> Block:
        """The block with the assumed errors, from the block that the tile `begun` with."""
        return block_with_errors(begun, cuts, self.setup.tile, self.setup.tile.error, silent)

    def compared(self, space: SetupSpace, task: CompareTask) -> Comparison:
        """The finished block against the model; a strip against the surface that it is meant to make."""
        found, blend = super().compared(space, task), self.setup.tile.blend
        return found if blend is None or min(found.deviation.shape) < 2 else _against_strip(found, blend)

    def compared_region(self, space: SetupSpace, region: shapely.Geometry) -> shapely.Geometry:
        """Within the boundary, where this tile has cut: past its seams too where a tile before it was."""
        tile = self.setup.tile
        if region.is_empty:
            # A tile that makes no marks, where nothing else is cut.
            return shapely.box(*space.stock_box)
        x0, y0, x1, y1 = tile.core
        ends = [FAR if past >= FAR else 0.0 for past in tile.past]
        own = shapely.box(x0 - ends[0], y0 - ends[1], x1 + ends[2], y1 + ends[3])
        band = swept_past(self.setup)
        wide = shapely.box(x0 - band, y0 - band, x1 + band, y1 + band)
        before = [shapely.box(*item.tile.core) for item in tiles_before(space.plan, self.setup)]
        mine = region.intersection(shapely.union_all([own, *(core.intersection(wide) for core in before)]))
        return region if mine.is_empty else mine

    def seam_steps(self, plan: Plan, block: Block, proof_block: Block, found: Comparison) -> tuple[SeamStep, ...]:
        """Steps at the seams, with the last tile."""
        return seam_steps(self.setup, tiles_before(plan, self.setup), block, proof_block, found)

    def findings(
        self, done: SetupOutcome, of_operations: list[Finding], starts: dict[int, float], units: Units
    ) -> list[Finding]:
        """Those of a face with the tile's number, and on tabs and steps at its seams."""
        own = [*of_operations, *self.block_findings(done, starts, units)]
        named = [replace(item, text=f"tile {self.setup.tile.number}: {item.text}") for item in own]
        return named + self.parting_findings(done, units) + seam_findings(done, self.setup.tile, units)

    def report(self, done: SetupOutcome, origin: F64) -> dict[str, Any]:
        """That of a face, with window, slide and steps of the tile."""
        tile = self.setup.tile
        shift = [*origin[:2], *origin[:2]]
        low, high = done.space.stock_low[:2], done.space.stock_high[:2]
        window = np.clip(tile.window(), [*low, *low], [*high, *high])
        return super().report(done, origin) | {
            "tile": {
                "of": tile.of,
                "number": tile.number,
                "count": tile.count,
                "core": (np.array(tile.core) - shift).tolist(),
                "window": (window - shift).tolist(),
                "slid": list(tile.slid),
                "zero": np.round(done.space.zero, 6).tolist(),
                "files": [program.name for program in done.programs],
                "strip": None if tile.blend is None else tile.blend.model_dump(),
                "error": None if tile.error is None else tile.error.model_dump(),
            },
            "steps": [asdict(item) for item in done.proof.steps],
        }

    def part_answer(self, plan: Plan) -> dict[str, Any] | None:
        """Where the tile lies on the board."""
        tile = self.setup.tile
        width, depth, _ = map(float, self.setup.frame(plan.stock).high)
        x0, y0, x1, y1 = tile.window()
        axis: Literal["x", "y"] = "x" if tile.core[2] - tile.core[0] < width - 1e-6 else "y"
        return {
            "of": tile.of,
            "number": tile.number,
            "count": tile.count,
            "core": tile.core,
            "window": (max(x0, 0.0), max(y0, 0.0), min(x1, width), min(y1, depth)),
            "slid": tile.slid,
            "strip": tile.blend is not None,
            "assumed": bool(self.assumed(plan)),
            "words": tile_in_words(tile, axis, plan.units),
        }

    def share_of(self, low: F64, high: F64) -> float:
        """Share of a box that lies in the window."""
        return self.setup.share(low, high)

    @property
    def is_first_part(self) -> bool:
        """Whether it is the first tile."""
        return self.setup.tile.number == 1 and self.setup.tile.blend is None

    def turn_answer(self, plan: Plan, before: Setup) -> dict[str, Any]:
        """How the board is slid since the tile before it; for the first tile how it is turned over."""
        if not isinstance(before, TileSetup) or before.tile.of != self.setup.tile.of:
            return super().turn_answer(plan, before)
        tile = self.setup.tile
        return {
            "slide": True,
            "axis": None,
            "angle": 0.0,
            "words": slide_in_words(before.tile, tile, plan.units),
            "found": found_in_words(tile, plan.units),
            "check": f"the zero: {self.setup.zero_in_words(plan.units)}",
        }


@dataclass(frozen=True)
class TiledKind(FaceKind):
    """All tiles of a setup together, before it is taken apart."""

    setup: TiledSetup

    def plan_findings(self, plan: Plan, boxes: list[Placed]) -> list[Finding]:
        """Findings on its seams and marks."""
        return tile_findings(plan, self.setup, boxes)


def _against_strip(c: Comparison, blend: Blend) -> Comparison:
    """The compare of a strip, against the model lowered towards the seam."""
    x, y = np.meshgrid(c.grid.xs, c.grid.ys)
    low = lowering(np.column_stack([x.ravel(), y.ravel()]), blend).reshape(x.shape)
    upright = normals_of(c.under, c.grid.pitch)[..., 2]
    inside = ((x if blend.axis == "x" else y) - blend.at) * blend.towards >= 0
    return replace(c, deviation=(c.deviation + np.where(inside, low * upright, 0.0)).astype(np.float32))


KINDS: Mapping[type[Setup], Callable[[Any], SetupKind]] = {TileSetup: TileKind, TiledSetup: TiledKind}
