"""A setup whose part rotates about X: cutters come towards the axis, on the unrolled surface of the bar."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.finding import Finding
from nephos.core.findings.context import Context
from nephos.core.findings.finished import trueness_findings
from nephos.core.findings.proof_checks import core_cut
from nephos.core.findings.terrain import Shown, Terrain
from nephos.core.machine.machine import machine_of
from nephos.core.machine.rotary_axis import RotaryAxis, has_axis
from nephos.core.mesh.model import Mesh
from nephos.core.plan.bar_axis import axis_of
from nephos.core.plan.boundary import Boundary
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.rotary import RotarySetup
from nephos.core.plan.setups.setup import Frame, Setup
from nephos.core.post.read import Reading
from nephos.core.post.schema import Post
from nephos.core.post.split import from_the_nearest_turn
from nephos.core.post.write import BarPosition, Program, Step
from nephos.core.setups.bar import (
    bar_index,
    bar_region,
    box_on_bar,
    check_fits,
    check_settings,
    first_bar,
    within_thick_ends,
)
from nephos.core.setups.bar_findings import rotary_findings
from nephos.core.setups.bar_programs import as_turned, bar_in_words, rotary_steps
from nephos.core.setups.cut_whole import CutWhole
from nephos.core.setups.kind import CompareTask, SetupKind
from nephos.core.stages.setup_outcome import HeldTab, Outcome, SetupOutcome
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.stage import Resolver
from nephos.core.stock.bar import bar_mesh
from nephos.core.stock.block import Block
from nephos.core.stock.compare import Comparison
from nephos.core.stock.compare_bar import compare_bar
from nephos.core.stock.passed_on import CutBar, Side, rays_left
from nephos.core.stock.whole import Solid
from nephos.core.strategies.registry import strategy
from nephos.core.surface.index import build_index
from nephos.core.surface.rotary import RotaryIndex
from nephos.core.units import Say, Units, length_in


@dataclass(frozen=True)
class RotaryKind(CutWhole):
    """A bar that rotates. Implements :class:`nephos.core.setups.kind.SetupKind`."""

    setup: RotarySetup

    def check(self, plan: Plan, operation: Operation) -> None:
        """Refuse an operation that is for a face, settings that mean nothing on a bar, and a machine without the
        axis."""
        axis, machine, kind = axis_of(plan), machine_of(plan.machine), strategy(operation.strategy)
        if not has_axis(machine, axis):
            raise Refused(
                f"the {machine.name} has no A axis, but the post writes A words: choose another machine, or a post "
                "that drives the bar as Y"
            )
        if self.setup.works_as not in kind.setup_kinds:
            raise Refused(
                f"operation {operation.number}: {kind.title} cannot be done on a bar that rotates: choose another "
                "strategy"
            )
        check_settings(operation)

    def axis(self, plan: Plan) -> RotaryAxis:
        """The axis as the post writes it."""
        return axis_of(plan)

    def surface(self, plan: Plan, frame: Frame, models: Mesh, work: Resolver) -> RotaryIndex:
        """The models, and the spigot beside them."""
        check_fits(plan, models)
        return bar_index(plan, self.setup.rotary, models)

    def first_block(self, plan: Plan, sides: tuple[Side, ...] = ()) -> Block:
        """Rays of the bar, as the sides cut before have left them."""
        return rays_left(first_bar(plan), self.setup.frame(plan.stock).matrix, sides)

    def side(self, plan: Plan, block: Block) -> Side:
        """The rays that are left."""
        return CutBar(self.setup.id, self.setup.frame(plan.stock).matrix, block)

    @property
    def sees_pieces(self) -> bool:
        """No: a composition is not seen from above."""
        return False

    def view(self, plan: Plan, item: Boundary) -> None:
        """None: shapes are drawn on the unrolled surface."""
        return

    def models_outline(self, space: SetupSpace, parts: Sequence[Mesh]) -> shapely.Geometry:
        """The box of models on the unrolled surface: a bar is cut all round."""
        return shapely.union_all([box_on_bar(mesh, space.frame.radius) for mesh in parts])

    def cutter_area(self, space: SetupSpace, operation: Operation) -> shapely.Geometry:
        """Between chuck and tailstock, and no farther than ends that stay thick; grooves part the model there."""
        rotary = self.setup.rotary
        area = bar_region(space.plan.stock, rotary, operation.cutter, space.floor)
        return area if operation.role == "mark" else area.intersection(within_thick_ends(rotary, space.mesh))

    def compared(self, space: SetupSpace, task: CompareTask) -> Comparison:
        """The rays of the finished bar against the model."""
        index = space.index
        if not isinstance(index, RotaryIndex):
            raise TypeError("the surface of a rotary setup is indexed about its axis")
        return compare_bar(
            task.block,
            index,
            build_index(space.mesh.vertices, space.mesh.faces),
            task.region.intersection(box_on_bar(space.mesh, index.radius)),
            space.floor,
            task.cutters,
            task.limit,
            space.plan.tolerance,
            task.deepest,
            task.report,
        )

    @property
    def falls_apart(self) -> bool:
        """No: its core is never cut."""
        return False

    def tabs(self, space: SetupSpace, outlines: Mapping[int, shapely.Geometry]) -> tuple[HeldTab, ...]:
        """None: the core holds the part."""
        return ()

    @property
    def has_parting(self) -> bool:
        """No: a bar is cut all round."""
        return False

    def extent_in_words(self, low: F64, high: F64) -> str:
        """From where to where along X and Z: Y is the way round."""
        return f"X {low[0]:.3f} to {high[0]:.3f} - Z {low[2]:.3f} to {high[2]:.3f}"

    def clamped_in_words(self, plan: Plan) -> list[str]:
        """How the bar is clamped and its axis set."""
        return bar_in_words(plan, self.setup.rotary)

    def steps(self, space: SetupSpace, run: Sequence[Outcome], post: Post) -> list[Step]:
        """The operations of a file, with the way round in the place of Y."""
        return rotary_steps(space, run, post)

    def bar_stand(self, space: SetupSpace) -> BarPosition | None:
        """None: the bar rotates while it is cut."""
        return None

    def resumed(self, plan: Plan, post: Post, steps: list[Step]) -> list[Step]:
        """The steps from the nearest turn of the axis on."""
        axis = axis_of(plan)
        return from_the_nearest_turn(post, steps, axis.per_turn * (post.millimetres if axis.word == "A" else 1.0))

    def held_to_axes(self, space: SetupSpace, program: Program, reading: Reading, post: Post) -> Reading:
        """The reading with the way round in the place of Y; refused where the cutter leaves the plane of the axis."""
        return as_turned(reading, post, program.name)

    @property
    def goes_home(self) -> bool:
        """No: home is a place on a plan."""
        return False

    @property
    def checked_axes(self) -> str:
        """X and Z: the axis turns without an end."""
        return "XZ"

    def check_external(self) -> None:
        """Programs from elsewhere cannot be proved on a bar."""
        raise Refused("a program for a bar that rotates cannot be proved here yet")

    def check_close_look(self) -> None:
        """A bar has no windows."""
        raise Refused("a bar has no close look yet: set a finer pitch in the accuracy of the stock")

    def terrain(self, plan: Plan, shown: Sequence[Shown]) -> Terrain | None:
        """None: reach on a bar is judged by the proposal, and by the proof."""
        return None

    def depth_findings(self, context: Context, lowest: float, move: int) -> list[Finding]:
        """Whether it goes into the core."""
        return core_cut(context, lowest, move)

    def findings(
        self, done: SetupOutcome, of_operations: list[Finding], starts: dict[int, float], units: Units
    ) -> list[Finding]:
        """Those of the operations, and on how true the part is, what holds it and what chuck and tailstock leave of
        it."""
        return (
            of_operations + trueness_findings(done, length_in(units)) + rotary_findings(done, self.setup.rotary, units)
        )

    def place_in_words(self, space: SetupSpace, x: float, y: float, number: Say) -> str:
        """X from the work zero, and A."""
        degrees = np.degrees(y / space.frame.radius) % 360
        return f"X{number(round(x - float(space.zero[0]), 1))} A{degrees:.1f}"

    def report(self, done: SetupOutcome, origin: F64) -> dict[str, Any]:
        """Bar, core and axis; the side is that which lies up where A is 0."""
        plan, axis = done.space.plan, axis_of(done.space.plan)
        square = None if plan.stock.is_round else [plan.stock.width, plan.stock.thickness]
        return {
            "side": "top",
            "angle": 0.0,
            "overrun": 0.0,
            "bar": {"diameter": 2 * plan.stock.bar_radius, "length": plan.stock.length, "square": square},
            "core": self.setup.rotary.core,
            "rotary": self.setup.rotary.model_dump(),
            "axis": {"along": "X", "y": 0.0, "z": float(-origin[2])},
            "a_sign": axis.sense,
            "a_word": axis.word,
            "a_per_turn": axis.per_turn,
            "a_feed": "inverse" if axis.inverse else "minute",
        }

    def stock_box(self, plan: Plan) -> tuple[F64, F64]:
        """The box of the bar about the axis."""
        half = np.array([0.0, plan.stock.width / 2, plan.stock.thickness / 2])
        return -half, half + np.array([plan.stock.length, 0.0, 0.0])

    def samples_seen(self, plan: Plan, points: F64, normals: F64) -> tuple[F64, F64, F64]:
        """Places on the unrolled surface, seen towards the axis."""
        radius = plan.stock.bar_radius
        r = np.maximum(np.hypot(points[:, 1], points[:, 2]), 1e-6)
        around = np.arctan2(points[:, 1], points[:, 2]) % (2 * np.pi) * radius
        out = (normals[:, 1] * points[:, 1] + normals[:, 2] * points[:, 2]) / r
        return np.column_stack([points[:, 0], around, r]), out, radius / np.maximum(r, 0.05 * radius)

    def estimate_box(self, plan: Plan, low: F64, high: F64) -> tuple[F64, F64, F64]:
        """All round, from the core to the farthest corner of the models' box at most; and the unrolled surface."""
        stock, core = plan.stock, self.setup.rotary.core / 2
        radius, around = stock.bar_radius, 2 * np.pi * stock.bar_radius
        farthest = min(float(np.abs([low[1:], high[1:]]).max()), radius)
        bar = np.array([[0.0, 0.0, 0.0], [stock.length, around, radius]])
        return np.array([low[0], 0.0, core]), np.array([high[0], around, max(farthest, core)]), bar

    @property
    def draws_height_map(self) -> bool:
        """No: the models are not seen from above."""
        return False

    def block_mesh(self, block: Block) -> Mesh:
        """The rays as a mesh."""
        return bar_mesh(block)

    def solid_alone(self, plan: Plan, block: Block) -> Solid | None:
        """The rays as a solid: finer at the axis than what is found on columns."""
        mesh = bar_mesh(block).moved(self.setup.frame(plan.stock).back)
        a, b, c = (mesh.vertices[mesh.faces[:, k]] for k in range(3))
        volume = float(np.einsum("ij,ij->", a, np.cross(b, c))) / 6
        (x0, y0, z0), (x1, y1, z1) = mesh.low.tolist(), mesh.high.tolist()
        return Solid(mesh, volume, (x0, y0, z0), (x1, y1, z1))


KINDS: Mapping[type[Setup], Callable[[Any], SetupKind]] = {RotarySetup: RotaryKind}
