"""A setup whose stock lies with one side up: cutters come down along Z."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.finding import Finding
from nephos.core.findings.context import Context
from nephos.core.findings.faces import overrun_findings, zero_findings
from nephos.core.findings.finished import holding_findings, trueness_findings
from nephos.core.findings.proof_checks import bed_cut
from nephos.core.findings.terrain import Shown, Terrain, terrain_of
from nephos.core.machine.rotary_axis import RotaryAxis
from nephos.core.mesh.model import Mesh, joined
from nephos.core.plan.bar_axis import bar_position
from nephos.core.plan.boundary import Boundary
from nephos.core.plan.operation import Operation
from nephos.core.plan.parting import ground_height
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import SideUpSetup
from nephos.core.plan.setups.setup import Frame, Setup
from nephos.core.post.read import Reading
from nephos.core.post.schema import Post
from nephos.core.post.write import BarPosition, Program, Step
from nephos.core.setups.bar import between_chuck_and_tailstock, kept_of_bar
from nephos.core.setups.bar_programs import bar_stand, check_bar_stays, face_on_bar_in_words
from nephos.core.setups.cut_whole import CutWhole
from nephos.core.setups.kind import CompareTask, SetupKind
from nephos.core.stages.programs import step_of
from nephos.core.stages.setup_outcome import HeldTab, Outcome, SetupOutcome
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.stage import Resolver
from nephos.core.stages.tabs import held_tabs
from nephos.core.stages.uncut_solids import standing
from nephos.core.stock.block import Block, box_block, rounded
from nephos.core.stock.columns import CutSide, inside_box
from nephos.core.stock.compare import Comparison, compare
from nephos.core.stock.passed_on import Side, columns_left
from nephos.core.stock.solid import block_mesh
from nephos.core.stock.whole import Solid
from nephos.core.strategies.registry import strategy
from nephos.core.surface.index import SurfaceIndex, build_index, with_walls
from nephos.core.units import Say, Units, length_in, number_in


@dataclass(frozen=True)
class FaceKind(CutWhole):
    """One side of the stock. Implements :class:`nephos.core.setups.kind.SetupKind`."""

    setup: SideUpSetup

    def check(self, plan: Plan, operation: Operation) -> None:
        """Refuse an operation that is for a bar that rotates."""
        kind = strategy(operation.strategy)
        if self.setup.works_as not in kind.setup_kinds:
            raise Refused(
                f"operation {operation.number}: {kind.title} cannot be done on a face: choose another strategy"
            )

    def axis(self, plan: Plan) -> RotaryAxis | None:
        """No axis."""
        return None

    def surface(self, plan: Plan, frame: Frame, models: Mesh, work: Resolver) -> SurfaceIndex:
        """The models with walls down to their foot, the ground and the tabs of several faces, core and spigot of a
        bar."""
        vertices, faces = with_walls(models.vertices, models.faces, float(models.low[2]))
        stays = [*standing(plan, self.setup, work), *kept_of_bar(plan, frame.matrix, models)]
        solid = joined([Mesh(vertices, faces), *stays]) if stays else Mesh(vertices, faces)
        return build_index(solid.vertices, solid.faces)

    @property
    def sees_pieces(self) -> bool:
        """Pieces are seen along Z."""
        return True

    def first_block(self, plan: Plan, sides: tuple[Side, ...] = ()) -> Block:
        """Columns of the stock, as the sides cut before have left them."""
        stock, frame = plan.stock, self.setup.frame(plan.stock)
        (x0, y0, z0), (x1, y1, z1) = frame.low.tolist(), frame.high.tolist()
        block = box_block((x0, y0, z0), (x1, y1, z1), plan.block_pitch)
        if stock.is_round:
            block = rounded(block, frame.matrix[:3, 0])
        elif not np.allclose(np.abs(frame.matrix[:3, :3]).max(axis=0), 1.0):
            block = inside_box(block, frame.matrix, stock.size)
        return columns_left(block, frame.matrix, sides)

    def side(self, plan: Plan, block: Block) -> Side:
        """The height field that this side has cut."""
        return CutSide(self.setup.id, self.setup.frame(plan.stock).matrix, block.grid, block.cut_field, block.bound)

    def view(self, plan: Plan, item: Boundary) -> tuple[float, float, float, float, float, float]:
        """From the view that the numbers of a boundary are in to the frame.

        Raises
        ------
        Refused
            Where this setup looks at that view from the side, or the setup of that view is gone.
        """
        m: F64 = self.setup.frame(plan.stock).matrix
        if item.setup is not None:
            drawn = next((setup for setup in plan.setups if item.setup in {setup.id, setup.parent_id}), None)
            if drawn is None:
                raise Refused(
                    f"the setup that the boundary '{item.name}' was drawn in is gone: draw it again in another one"
                )
            m = m @ drawn.frame(plan.stock).back
        if abs(abs(m[2, 2]) - 1) > 1e-9:
            raise Refused(
                f"the boundary '{item.name}' is drawn on another side of the stock, which this setup sees on edge: "
                "draw one in this setup's view"
            )
        a, b, c, d, x, y = (float(value) for value in (m[0, 0], m[0, 1], m[1, 0], m[1, 1], m[0, 3], m[1, 3]))
        return a, b, c, d, x, y

    def models_outline(self, space: SetupSpace, parts: Sequence[Mesh]) -> shapely.Geometry | None:
        """None: the models are seen from above."""
        return None

    def cutter_area(self, space: SetupSpace, operation: Operation) -> shapely.Geometry | None:
        """Between chuck and tailstock where the stock is a bar."""
        if space.plan.held_bar is None:
            return None
        top = float(space.stock_high[2])
        floor = max(space.floor, top - (operation.cut_to or np.inf))
        return between_chuck_and_tailstock(space.plan, operation.cutter, floor - top / 2)

    def compared(self, space: SetupSpace, task: CompareTask) -> Comparison:
        """The finished block against the surface seen from above."""
        return compare(
            task.block,
            space.surface,
            self.compared_region(space, task.region),
            space.floor,
            task.cutters,
            task.limit,
            space.plan.tolerance,
            task.deepest,
            task.report,
            None if space.plan.faces is None else ground_height(space.plan, self.setup),
        )

    def compared_region(self, space: SetupSpace, region: shapely.Geometry) -> shapely.Geometry:
        """Where the block is compared: where the finest operation may go."""
        return region

    @property
    def falls_apart(self) -> bool:
        """Pieces may come free of the frame."""
        return True

    def tabs(self, space: SetupSpace, outlines: Mapping[int, shapely.Geometry]) -> tuple[HeldTab, ...]:
        """The tabs of its cut-outs."""
        return held_tabs(space, outlines)

    @property
    def has_parting(self) -> bool:
        """Sides of a part of several faces do."""
        return True

    def extent_in_words(self, low: F64, high: F64) -> str:
        """From where to where along X, Y and Z."""
        return " - ".join(f"{name} {low[k]:.3f} to {high[k]:.3f}" for k, name in enumerate("XYZ"))

    def clamped_in_words(self, plan: Plan) -> list[str]:
        """How a bar is clamped while a face of it is cut."""
        return face_on_bar_in_words(plan, self.setup)

    def steps(self, space: SetupSpace, run: Sequence[Outcome], post: Post) -> list[Step]:
        """The operations of a file, moved to the work zero."""
        over = space.clearance - float(space.zero[2])
        return [step_of(o.operation, o.path.moved(-space.zero), space.plan.tolerance, over) for o in run]

    def bar_stand(self, space: SetupSpace) -> BarPosition | None:
        """To where programs rotate the bar before they cut a face of it."""
        return bar_stand(space)

    def resumed(self, plan: Plan, post: Post, steps: list[Step]) -> list[Step]:
        """The steps themselves."""
        return steps

    def held_to_axes(self, space: SetupSpace, program: Program, reading: Reading, post: Post) -> Reading:
        """The reading itself; refused where the bar is moved while it is cut."""
        check_bar_stays(program, reading, bar_stand(space))
        return reading

    @property
    def goes_home(self) -> bool:
        """Files end at the place that is typed as home."""
        return True

    @property
    def checked_axes(self) -> str:
        """All three."""
        return "XYZ"

    def check_external(self) -> None:
        """Programs from elsewhere can be proved."""

    def check_close_look(self) -> None:
        """A window can be cut again."""

    def terrain(self, plan: Plan, shown: Sequence[Shown]) -> Terrain | None:
        """The models from above."""
        return terrain_of(plan, self.setup, shown)

    def depth_findings(self, context: Context, lowest: float, move: int) -> list[Finding]:
        """Whether it goes under the stock."""
        return bed_cut(context, lowest, move)

    def findings(
        self, done: SetupOutcome, of_operations: list[Finding], starts: dict[int, float], units: Units
    ) -> list[Finding]:
        """Those of the operations, and on what holds the part, how true it is, and the parting."""
        return of_operations + self.block_findings(done, starts, units) + self.parting_findings(done, units)

    def block_findings(self, done: SetupOutcome, starts: dict[int, float], units: Units) -> list[Finding]:
        """On what holds the part and how true it is."""
        mm = length_in(units)
        return holding_findings(done, starts, mm, number_in(units)) + trueness_findings(done, mm)

    def parting_findings(self, done: SetupOutcome, units: Units) -> list[Finding]:
        """On the overrun past the parting, and the zero after the stock was turned over."""
        return overrun_findings(done, units) + zero_findings(done)

    def place_in_words(self, space: SetupSpace, x: float, y: float, number: Say) -> str:
        """X and Y from the work zero."""
        return f"X{number(round(x - float(space.zero[0]), 1))} Y{number(round(y - float(space.zero[1]), 1))}"

    def report(self, done: SetupOutcome, origin: F64) -> dict[str, Any]:
        """The side, the overrun, and to where programs rotate a bar."""
        position, setup = bar_position(done.space.plan, self.setup), self.setup
        found = {"side": setup.side, "angle": setup.angle, "overrun": setup.overrun}
        return found if position is None else found | {"a_position": position}

    def stock_box(self, plan: Plan) -> tuple[F64, F64]:
        """The box of the turned stock."""
        frame = self.setup.frame(plan.stock)
        return frame.low, frame.high

    def samples_seen(self, plan: Plan, points: F64, normals: F64) -> tuple[F64, F64, F64]:
        """The points themselves, seen along Z."""
        return points, normals[:, 2], np.ones(len(points))

    def estimate_box(self, plan: Plan, low: F64, high: F64) -> tuple[F64, F64, F64]:
        """The box of the models, and that of the stock."""
        frame = self.setup.frame(plan.stock)
        return low, high, np.array(frame.box(np.zeros(3), np.array(plan.stock.size)))

    @property
    def draws_height_map(self) -> bool:
        """Estimates go by the models from above."""
        return True

    def block_mesh(self, block: Block) -> Mesh:
        """The columns as a mesh."""
        return block_mesh(block)

    def solid_alone(self, plan: Plan, block: Block) -> Solid | None:
        """None: sides are cut from the stock."""
        return None


KINDS: Mapping[type[Setup], Callable[[Any], SetupKind]] = {SideUpSetup: FaceKind}
