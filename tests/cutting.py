"""Small jobs cut in tests, and how deep a cutter goes into the true mesh."""

from dataclasses import replace

import numpy as np

from meshes import grid_mesh
from nephos.core.cutters import Cutter, standard_cutter
from nephos.core.mesh.model import Mesh
from nephos.core.plan.boundary import Boundary
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.schema import Plan
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.polyline import densified
from nephos.core.post.schema import post_of
from nephos.core.post.write import Program
from nephos.core.stages.programs import Posted, by_file, certify, files_of
from nephos.core.stages.run import run_setup
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.surface.drop import drop_points
from nephos.core.surface.nearest import distance_at
from nephos.core.toolpath import Kind

TOLERANCE = 0.01


def run(
    mesh: Mesh,
    *operations: Operation,
    size: tuple[float, float, float] = (30, 30, 10),
    pitch: float = 0.25,
    boundaries: tuple[Boundary, ...] = (),
) -> SetupOutcome:
    """Work out a job with one model, in the middle of the stock and flush with its top but for a millimetre."""
    setup = FaceSetup(id="a", name="a", operations=operations)
    plan = Plan(
        stock=Stock(length=size[0], width=size[1], thickness=size[2]),
        setups=(setup,),
        pitch=pitch,
        boundaries=boundaries,
        models=(Model(id="m", name="m", mesh="m", placement=Placement()),),
    )
    return run_setup(plan, setup, lambda _: mesh, Work(MemoryStore()))


def from_zero(done: SetupOutcome) -> SetupOutcome:
    """The same with moves and block counted from the work zero, as programs count them. The model stays in the
    frame."""
    x, y, z = map(float, done.space.zero)
    outcomes = tuple(
        replace(o, points=o.points - done.space.zero, path=o.path.moved(-done.space.zero)) for o in done.outcomes
    )
    block = done.block
    grid = replace(block.grid, x0=block.grid.x0 - x, y0=block.grid.y0 - y)
    lower = {name: getattr(block, name) - np.float32(z) for name in ("low", "high", "bound")}
    moved = replace(block, grid=grid, foot=block.foot - z, **lower)
    return replace(done, outcomes=outcomes, block=moved)


def recertified(done: SetupOutcome, *programs: Program, number: int = 0, home: object = None) -> list[Program]:
    """Programs held against what a job planned, in the place of its own; of one operation where cutters have files."""
    post = post_of(done.space.plan.post)
    run = list(by_file(done.outcomes, post)[number])
    space = replace(done.space, setup=done.space.setup.model_copy(update={"home": home}))
    files = files_of(space, run, "t", post)
    steps = {file.program.name: file.steps for file in files}
    return certify([Posted(program, steps[program.name]) for program in programs], run, space, post)


def op(strategy: str, cutter: Cutter, number: int = 10, change: dict | None = None, **settings: object) -> Operation:
    """An operation; `change` gives its own fields, the rest are the strategy's settings."""
    return Operation(number=number, strategy=strategy, cutter=cutter, settings=settings, **(change or {}))


FLAT, BALL = standard_cutter("flat", 4, 1), standard_cutter("ball", 3, 2)


def worst_gouge(done: SetupOutcome, number: int = 0) -> float:
    """How deep the cutter of an operation goes into the true mesh, square to it, along its posted moves."""
    outcome = done.outcomes[number]
    points = outcome.points[2:]
    dense = densified(np.ascontiguousarray(points), 0.05)
    profile = outcome.operation.cutter.profile
    tips = drop_points(done.space.index, dense[:, :2], profile, done.space.floor)
    low = dense[:, 2] < tips - 1e-4
    if not low.any():
        return 0.0
    if profile.flat == 0 and profile.slope == np.inf:
        grid = done.space.index.arrays
        reach = profile.corner
        return max(reach - distance_at(grid, x, y, z + reach, 2 * reach) for x, y, z in dense[low])
    # For a flat cutter: how far it must step aside to be clear, or rise, whichever is less.
    side = np.column_stack([np.cos(np.arange(16) * np.pi / 8), np.sin(np.arange(16) * np.pi / 8)]) * TOLERANCE
    worst = 0.0
    for x, y, z in dense[low]:
        near = drop_points(done.space.index, np.array([x, y]) + side, profile, done.space.floor).min()
        worst = max(worst, near - z)
    return worst


def bumpy(seed: int) -> Mesh:
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(np.linspace(0, 22, 23), np.linspace(0, 22, 23))
    z = np.where(rng.random(x.shape) < 0.06, rng.uniform(1, 6, x.shape), rng.normal(2, 0.25, x.shape))
    return grid_mesh(x, y, np.maximum(z, 0.2))


def cut_tips(done: SetupOutcome, number: int = 0) -> np.ndarray:
    """Ends of all cutting moves of an operation, (n, 3), from the work zero."""
    outcome = done.outcomes[number]
    return outcome.points[1:][outcome.kinds == Kind.CUT] - done.space.zero


def cut_length(done: SetupOutcome, number: int = 0) -> float:
    """Millimetres of cutting moves of an operation."""
    return done.outcomes[number].path.length(rapid=False)


def along_cut(done: SetupOutcome, number: int = 0, every: float = 0.2) -> np.ndarray:
    """Places at most `every` mm apart along all moves of an operation that are no rapids, (n, 3)."""
    outcome = done.outcomes[number]
    points = outcome.points
    paths = [
        densified(np.ascontiguousarray(points[k : k + 2]), every)[1:]
        for k in np.flatnonzero(outcome.kinds != Kind.RAPID)
    ]
    return np.concatenate(paths)
