"""What the other modules ask of a kind of setup."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import shapely

from nephos.core.arrays import F64, U8
from nephos.core.cutters import Cutter
from nephos.core.cutters.profile import Profile
from nephos.core.finding import Finding
from nephos.core.findings.context import Context
from nephos.core.findings.terrain import Shown, Terrain
from nephos.core.machine.rotary_axis import RotaryAxis
from nephos.core.mesh.model import Mesh
from nephos.core.parallel import Report
from nephos.core.plan.boundary import Boundary
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import Placed
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.setup import Frame, Setup
from nephos.core.post.read import Reading
from nephos.core.post.schema import Post
from nephos.core.post.write import BarPosition, Program, Step
from nephos.core.setups.seams import SeamStep
from nephos.core.stages.setup_outcome import HeldTab, Outcome, SetupOutcome
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stages.stage import Resolver
from nephos.core.stock.block import Block
from nephos.core.stock.compare import Comparison
from nephos.core.stock.passed_on import Side
from nephos.core.stock.whole import Solid
from nephos.core.surface.drop import Surface
from nephos.core.toolpath import Toolpath
from nephos.core.units import Say, Units


@dataclass(frozen=True)
class CompareTask:
    """What a finished block is compared by: where, with the profiles of all cutters, the largest deviation (mm) that
    counts as true, and how deep (mm) to look for gouges."""

    block: Block
    region: shapely.Geometry
    cutters: list[Profile]
    limit: float
    deepest: float
    report: Report


class SetupKind(Protocol):
    """How setups of a kind are worked out. Each object belongs to one setup."""

    def check(self, plan: Plan, operation: Operation) -> None:
        """Refuse an operation that cannot be cut in this setup."""

    def axis(self, plan: Plan) -> RotaryAxis | None:
        """The rotary axis that its programs drive; none where they drive X, Y and Z alone.

        Raises
        ------
        Refused
            Where the post or the machine has no such axis.
        """

    def surface(self, plan: Plan, frame: Frame, models: Mesh, work: Resolver) -> Surface:
        """What no cutter may go into: the models (in the frame), and what stays beside them."""

    @property
    def sees_pieces(self) -> bool:
        """Whether outlines of the pieces of a composition can be seen on the plan."""

    def first_block(self, plan: Plan, sides: tuple[Side, ...] = ()) -> Block:
        """The stock before the first cut, as the `sides` cut before have left it."""

    def side(self, plan: Plan, block: Block) -> Side:
        """What the setup has cut, for the setups after it; `block` is the one after its last operation."""

    def view(self, plan: Plan, item: Boundary) -> tuple[float, float, float, float, float, float] | None:
        """From the view that the numbers of a boundary are in to the frame: an affine transform on the plan, as shapely
        takes it; none where they are in the frame.

        Raises
        ------
        Refused
            Where this setup looks at that view from the side, or the setup of that view is gone.
        """

    def models_outline(self, space: SetupSpace, parts: Sequence[Mesh]) -> shapely.Geometry | None:
        """The outline of models where this kind has one of its own; none where they are seen from above."""

    def cutter_area(self, space: SetupSpace, operation: Operation) -> shapely.Geometry | None:
        """Where the axis of a cutter may be because of what holds the stock; none where it may be everywhere."""

    def posted_path(self, path: Toolpath) -> Toolpath:
        """A path on the model, as it is cut."""

    def on_model(self, points: F64, kinds: U8) -> F64:
        """Points (n + 1, 3) of a path as it is cut, where they were on the model."""

    @property
    def follows_model(self) -> bool:
        """Whether what is cut is the model itself: its gouges are measured along the moves."""

    def assumed(self, plan: Plan) -> list[object]:
        """Errors that are assumed for slides of the board; empty where the block is as it was cut."""

    def proof_block(self, begun: Block, cuts: Sequence[tuple[Cutter, F64, U8]]) -> Block:
        """The block with the assumed errors, from the block that the setup `begun` with; of each operation the cutter,
        the points and the kinds of its moves."""

    def compared(self, space: SetupSpace, task: CompareTask) -> Comparison:
        """The finished block against the model."""

    def seam_steps(self, plan: Plan, block: Block, proof_block: Block, found: Comparison) -> tuple[SeamStep, ...]:
        """Steps at seams of the board, once all of it is cut: `proof_block` is the finished block with the assumed
        errors."""

    def tabs(self, space: SetupSpace, outlines: Mapping[int, shapely.Geometry]) -> tuple[HeldTab, ...]:
        """The tabs of its cut-outs, which the finished block must have; `outlines` of their boundaries, by number."""

    @property
    def has_parting(self) -> bool:
        """Whether it cuts past the parting of a part of several faces."""

    @property
    def falls_apart(self) -> bool:
        """Whether pieces may come free of the block."""

    def extent_in_words(self, low: F64, high: F64) -> str:
        """Corners (3,) of the moves of a file, from the work zero."""

    def clamped_in_words(self, plan: Plan) -> list[str]:
        """How a bar is clamped and its axis set, a line each; empty for a board."""

    def steps(self, space: SetupSpace, run: Sequence[Outcome], post: Post) -> list[Step]:
        """The operations of a file as they are given to the writer, counted from the work zero."""

    def bar_stand(self, space: SetupSpace) -> BarPosition | None:
        """To where programs rotate the bar before they cut a face of it, and how high the cutter is then; none for a
        board, or where the bar rotates while it is cut."""

    def resumed(self, plan: Plan, post: Post, steps: list[Step]) -> list[Step]:
        """The steps of a later one of the files that one was split in, as it begins."""

    def held_to_axes(self, space: SetupSpace, program: Program, reading: Reading, post: Post) -> Reading:
        """A reading of a file as its operations are: refused where it moves an axis that this kind does not move.

        Raises
        ------
        Refused
            With what it moves.
        """

    def check_external(self) -> None:
        """Refuse to prove programs from elsewhere where that cannot be done in this setup."""

    def check_close_look(self) -> None:
        """Refuse to cut a small window of the block again at a finer pitch where that cannot be done."""

    def terrain(self, plan: Plan, shown: Sequence[Shown]) -> Terrain | None:
        """The models on a coarse grid, by which reach is judged before anything is calculated; none where it is not."""

    def plan_findings(self, plan: Plan, boxes: list[Placed]) -> list[Finding]:
        """Findings on the fields of this kind; `boxes` are the models in the stock."""

    def depth_findings(self, context: Context, lowest: float, move: int) -> list[Finding]:
        """Findings on the lowest tip (mm in the frame) of an operation, which is in `move`."""

    def findings(
        self, done: SetupOutcome, of_operations: list[Finding], starts: dict[int, float], units: Units
    ) -> list[Finding]:
        """All findings on a calculated setup: those of its operations, and those on its finished block. `starts` are
        the seconds at which operations begin, by number."""

    def place_in_words(self, space: SetupSpace, x: float, y: float, number: Say) -> str:
        """A place of the frame as the machine shows it."""

    def report(self, done: SetupOutcome, origin: F64) -> dict[str, Any]:
        """What report.json says of this kind alone. Places count from `origin` (3,) in the frame."""

    def stock_box(self, plan: Plan) -> tuple[F64, F64]:
        """Corners (3,) of the stock in the frame, as the machine sees it."""

    def samples_seen(self, plan: Plan, points: F64, normals: F64) -> tuple[F64, F64, F64]:
        """Samples of a surface in the frame as cutters see them: places (n, 3), how much of each direction (n,) is
        towards the cutter, and how much larger (n,) its area is there."""

    def estimate_box(self, plan: Plan, low: F64, high: F64) -> tuple[F64, F64, F64]:
        """Corners (3,) each of the models as cutters see them, where their box in the frame is `low` to `high`, and
        corners (2, 3) of the stock."""

    @property
    def draws_height_map(self) -> bool:
        """Whether estimates go by a drawn height map of the models."""

    def block_mesh(self, block: Block) -> Mesh:
        """A finished block as a mesh in the frame."""

    def solid_alone(self, plan: Plan, block: Block) -> Solid | None:
        """The finished block as a solid in stock space, where this is the only setup; none where it is found by cutting
        all sides from the stock."""

    def part_answer(self, plan: Plan) -> dict[str, Any] | None:
        """Where this part of a setup lies on the board; none where the setup is cut whole."""

    def share_of(self, low: F64, high: F64) -> float:
        """Share of a box (corners (2,) on the plan) that this part of a setup cuts."""

    @property
    def is_first_part(self) -> bool:
        """Whether it is the first of the parts of a setup, which findings on the sheet's numbers are given with."""

    def turn_answer(self, plan: Plan, before: Setup) -> dict[str, Any]:
        """What hands do between the setup that is cut `before` and this one."""

    @property
    def goes_home(self) -> bool:
        """Whether files end at the place that is typed as home."""

    @property
    def checked_axes(self) -> str:
        """The axes along which programs may not go farther than the machine."""
