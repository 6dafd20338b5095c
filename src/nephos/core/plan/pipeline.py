"""The pipeline: from a plan to toolpaths, programs, the proof and the comparison.

A graph of pure functions. Each result is kept under a hash of all that it depends on, so a change
recalculates what hangs on it and nothing else, and undo finds the old results where they were.

    passes(op) -> path(op) -> moves(op) -> block(op), frames(op) -> compare(setup), program(file)

Passes hang on the model and the operation (roughing also on the block before it); the path also on
the block before, for its links; moves are the posted text read back, with times; the block is cut
from those moves.
"""

import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from math import inf

import numpy as np

from nephos.core.arrays import F64, U8
from nephos.core.bands import Report, part, silent
from nephos.core.errors import Refused
from nephos.core.machine.kinematics import Machine, machine_named, move_seconds
from nephos.core.mesh.examine import support_points
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.repair.cut_below import cut_below
from nephos.core.mesh.repair.registry import repaired
from nephos.core.paths.link import LinkTask, link
from nephos.core.paths.registry import Passes, Task, strategy
from nephos.core.paths.toolpath import Kind, Pass, Toolpath
from nephos.core.plan.boundaries import region_of, shape_of
from nephos.core.plan.keys import OperationKeys, SetupKeys, compare_limit, finest_operation, setup_keys
from nephos.core.plan.place import Placed, placed_model, to_setup, zero_in_words
from nephos.core.plan.results import MemoryStore, Result, Store, as_result, kept, key_of
from nephos.core.plan.schema import Model, Operation, Plan, Setup
from nephos.core.post.read import Reading, read_program
from nephos.core.post.schema import post_named
from nephos.core.post.write import Program, Step, write_program
from nephos.core.stock.block import Block, Grid, box_block, rounded
from nephos.core.stock.compare import Comparison, compare
from nephos.core.stock.frames import record_frames, shown_grid, shown_top
from nephos.core.stock.sweep import sweep_watching
from nephos.core.surface.index import SurfaceIndex, build_index, with_walls

STRIKE = 0.02
"""So much (mm) of shank or holder in the block is rounding of the block to its pitch on slopes."""

Meshes = Callable[[str], Mesh]
"""The mesh as it came, by the digest (or path) that a plan names it with."""


@dataclass(frozen=True)
class SetupSpace:
    """The models, the stock and the block in a setup's space."""

    plan: Plan
    setup: Setup
    matrix: F64
    index: SurfaceIndex
    mesh: Mesh
    stock_low: F64
    stock_high: F64
    parts: tuple[tuple[str, Mesh], ...]

    @property
    def clearance(self) -> float:
        """Height over everything."""
        return float(self.stock_high[2] + self.setup.clearance)

    @property
    def floor(self) -> float:
        """The foot of the model, or of the stock where the model reaches through it."""
        return float(max(self.index.low[2], self.stock_low[2]))


@dataclass
class Work:
    """One calculation: where results are kept, whom to tell, how long each stage took."""

    store: Store
    report: Report = silent
    seconds: dict[str, float] = field(default_factory=dict)
    note: Callable[[str], None] = lambda text: None

    def stage(self, key: str, stage: str, make: Callable[[], Result]) -> Result:
        """A result from the store, or made and timed."""
        def timed() -> Result:
            begin = time.perf_counter()
            result = make()
            self.seconds[stage] = self.seconds.get(stage, 0.0) + time.perf_counter() - begin
            return result

        return kept(self.store, key, stage, timed)


def shown_models(plan: Plan) -> list[Model]:
    """The models that are to be cut."""
    models = [model for model in plan.models if model.shown]
    if not models:
        raise Refused("the job has no model: add one, or show one that is hidden")
    return models


def prepared_key(model: Model) -> str:
    """Under which a model's mesh is kept after its repairs."""
    return key_of("prepared", model.mesh, [step.model_dump() for step in model.steps])


def prepared_mesh(model: Model, meshes: Meshes, work: Work) -> Mesh:
    """The mesh of a model after its repairs, worked out once."""
    if not model.steps:
        return meshes(model.mesh)

    def made() -> Result:
        mesh, said = repaired(meshes(model.mesh), model.steps)
        return as_result({"said": list(said)}, vertices=mesh.vertices, faces=mesh.faces)

    result = work.stage(prepared_key(model), "prepared", made)
    came = meshes(model.mesh)
    return replace(came, vertices=result.arrays["vertices"], faces=result.arrays["faces"])


def placed_parts(plan: Plan, model: Model, mesh: Mesh) -> list[Mesh]:
    """All copies of a model in the stock's space; what is sunk is cut away."""
    placed = placed_model(support_points(mesh), model, plan.stock)
    parts = [mesh.moved(matrix) for matrix in placed.matrices]
    if model.placement.sink > 0:
        parts = [cut_below(part, np.array([0.0, 0.0, 1.0]), float(placed.low[2])) for part in parts]
    return parts


def joined(parts: list[Mesh]) -> Mesh:
    """Several meshes as one."""
    starts = np.cumsum([0, *(len(part.vertices) for part in parts[:-1])])
    faces = [part.faces + start for part, start in zip(parts, starts, strict=True)]
    return Mesh(np.concatenate([part.vertices for part in parts]), np.concatenate(faces).astype(np.int32))


def setup_space(plan: Plan, setup: Setup, meshes: Meshes, work: Work | None = None) -> SetupSpace:
    """Place the models for a setup and index their surface."""
    matrix = to_setup(plan.stock, setup)
    work = work or Work(MemoryStore())
    parts = tuple((model.id, joined(placed_parts(plan, model, prepared_mesh(model, meshes, work))).moved(matrix))
                  for model in shown_models(plan))
    whole = joined([part for _, part in parts])
    corners = np.array([[0.0, 0.0, 0.0], plan.stock.size]) @ matrix[:3, :3].T + matrix[:3, 3]
    walled = with_walls(whole.vertices, whole.faces, float(whole.low[2]))
    return SetupSpace(plan, setup, matrix, build_index(*walled), whole,
                      corners.min(axis=0), corners.max(axis=0), parts)


def first_block(space: SetupSpace) -> Block:
    """The stock before the first cut."""
    low, high = tuple(map(float, space.stock_low)), tuple(map(float, space.stock_high))
    block = box_block((low[0], low[1], low[2]), (high[0], high[1], high[2]), space.plan.block_pitch)
    return rounded(block, space.matrix[:3, 0]) if space.plan.stock.kind == "round" else block


def _passes_result(passes: Passes) -> Result:
    items = passes.passes
    return as_result(
        {"stay_down": passes.stay_down, "on_surface": passes.on_surface, "ramp_angle": passes.ramp_angle},
        points=np.concatenate([item.points for item in items]) if items else np.empty((0, 3)),
        ends=np.cumsum([len(item.points) for item in items], dtype=np.int64),
        closed=np.array([item.closed for item in items], np.uint8),
        ramp=np.array([item.entry == "ramp" for item in items], np.uint8),
        plunging=np.array([item.plunging for item in items], np.uint8),
        helix=np.array([item.helix or (np.nan, np.nan) for item in items]).reshape(-1, 2),
    )


def _passes_from(result: Result) -> Passes:
    a = result.arrays
    pieces = np.split(a["points"], a["ends"][:-1]) if len(a["ends"]) else []
    items = tuple(
        Pass(points, bool(closed), "ramp" if ramp else "plunge", bool(plunging),
             None if np.isnan(helix[0]) else (float(helix[0]), float(helix[1])))
        for points, closed, ramp, plunging, helix in zip(pieces, a["closed"], a["ramp"], a["plunging"], a["helix"], strict=True)
    )
    return Passes(items, **result.facts)


@dataclass(frozen=True)
class Outcome:
    """What is known of one operation after it was worked out.

    `points` (n + 1, 3), `kinds` (n,), `seconds` (n,) are the moves read back from the posted text;
    the first ones may begin at coordinates that are not yet known (not a number). `struck` names what above the flutes
    met material, how deep (mm) and in which move.
    """

    operation: Operation
    points: F64
    kinds: np.ndarray  # type: ignore[type-arg]
    feeds: np.ndarray  # type: ignore[type-arg]
    seconds: F64
    path: Toolpath
    rapid_depth: np.ndarray  # type: ignore[type-arg]
    struck: tuple[tuple[str, float, int], ...]
    keys: OperationKeys

    @property
    def total_seconds(self) -> float:
        """Machining time of the operation."""
        return float(self.seconds.sum())


def _step(operation: Operation, path: Toolpath, plan: Plan) -> Step:
    return Step(operation.number, strategy(operation.strategy).title, operation.cutter,
                operation.spindle_speed, path, plan.tolerance)


def _kinds_of(reading: Reading, program: Program) -> U8:
    """What each move of a reading is for, from the line that it stands on."""
    lines, written = program.move_lines[0], program.kinds[0]
    by_line = np.full(int(max(reading.lines.max(initial=0), lines.max(initial=0))) + 1, Kind.CUT, np.uint8)
    feeding = written != Kind.RAPID
    by_line[lines[feeding]] = written[feeding]
    kinds: U8 = np.where(reading.rapid == 1, np.uint8(Kind.RAPID), by_line[reading.lines])
    return kinds


def _moves(operation: Operation, path: Toolpath, plan: Plan, machine: Machine) -> Result:
    post = post_named(plan.post)
    program = write_program(post, "part", [], [_step(operation, path, plan)], machine.spindle_wait_seconds)
    reading = read_program(program.text)
    kinds = _kinds_of(reading, program)
    seconds = move_seconds(reading.points, kinds, reading.feeds, machine)
    return as_result({"moves": len(kinds), "seconds": float(seconds.sum())}, points=reading.points,
                     kinds=kinds, feeds=reading.feeds, seconds=seconds)


def _cut_block(block: Block, points: F64, kinds: np.ndarray, first: int, operation: Operation,  # type: ignore[type-arg]
               report: Report) -> Result:
    top = np.ascontiguousarray(block.top)
    touched = np.full(top.shape, -1, np.int32)
    bodies = operation.cutter.bodies
    hits, strikes = sweep_watching(top, touched, block.grid, points, kinds, first, operation.cutter.profile,
                                   np.array([[radius, height] for _, radius, height in bodies]), report)
    cut = block.cut_above(top, touched)
    struck = [[name, float(depth), int(move)] for (name, _, _), (depth, move) in zip(bodies, strikes, strict=True) if depth > STRIKE]
    return as_result({"struck": struck}, low=cut.low, high=cut.high, touched=cut.touched, hits=hits)


def run_operation(space: SetupSpace, operation: Operation, block: Block, keys: OperationKeys,
                  first_move: int, work: Work, report: Report) -> tuple[Outcome, Block]:
    """Work out one operation on the block as it is by then, and cut the block with it."""
    plan = space.plan
    machine = machine_named(plan.machine)
    kind = strategy(operation.strategy)
    if operation.cutter.shape not in kind.shapes:
        raise Refused(f"operation {operation.number}: {kind.title} cannot be done with a "
                      f"{operation.cutter.shape} cutter: use one of {', '.join(kind.shapes)}")
    region = region_of(space, work, operation)
    outline = shape_of(space, work, operation.boundary.boundary)
    floor = space.floor if operation.cut_to is None else max(space.floor, float(space.stock_high[2]) - operation.cut_to)
    task = Task(space.index, region, floor, block if operation.settings.wants_block else None, operation.cutter,
                operation.settings, plan.tolerance, part(report, 0.0, 0.5), outline, float(space.stock_low[2]),
                inf if operation.cut_from is None else float(space.stock_high[2]) - operation.cut_from)
    passes = work.stage(keys.passes, "passes", lambda: _passes_result(kind.make(task)))

    def linked() -> Result:
        leave = getattr(operation.settings, "leave", 0.0)
        path = link(_passes_from(passes), LinkTask(
            space.index, region, block, operation.cutter.profile, leave, floor, operation.cutting_feed,
            operation.entering_feed, space.clearance, plan.tolerance, max(operation.cutter.ramp_limit, 0.5)), part(report, 0.5, 0.75))
        return as_result({}, points=path.points, kinds=path.kinds, feeds=path.feeds)

    linked_path = work.stage(keys.path, "path", linked)
    path = Toolpath(**linked_path.arrays)
    moves = work.stage(keys.moves, "moves", lambda: _moves(operation, path, plan, machine))
    points, kinds = moves.arrays["points"], moves.arrays["kinds"]

    cut = work.stage(keys.block, "block", lambda: _cut_block(
        block, points, kinds, first_move, operation, part(report, 0.75, 0.9)))
    after = replace(block, low=cut.arrays["low"], high=cut.arrays["high"], touched=cut.arrays["touched"])

    def recorded() -> Result:
        grid = shown_grid(block.grid)
        frames = record_frames(shown_top(block, grid), grid, points, kinds, moves.arrays["seconds"],
                               operation.cutter.profile)
        return as_result(_grid_facts(grid) | {"moments": frames.moments}, start=frames.start,
                         moment=frames.moment, height=frames.height)

    work.stage(keys.frames, "frames", recorded)
    report(1.0)
    outcome = Outcome(operation, points, kinds, moves.arrays["feeds"], moves.arrays["seconds"], path,
                      cut.arrays["hits"], tuple((name, depth, move) for name, depth, move in cut.facts["struck"]), keys)
    return outcome, after


def _grid_facts(grid: Grid) -> dict[str, float]:
    return {"x0": grid.x0, "y0": grid.y0, "pitch": grid.pitch, "nx": grid.nx, "ny": grid.ny}


@dataclass(frozen=True)
class SetupOutcome:
    """What is known of a setup after all its operations."""

    space: SetupSpace
    outcomes: tuple[Outcome, ...]
    block: Block
    comparison: Comparison
    keys: SetupKeys
    programs: tuple[Program, ...]


def _file_name(setup: Setup, operations: list[Operation]) -> str:
    cutter = operations[0].cutter
    return f"{setup.id}-{operations[0].number}-{cutter.name}".lower().replace(" ", "-").replace(",", "").replace("/", "-")


def by_cutter(outcomes: tuple[Outcome, ...]) -> list[list[Outcome]]:
    """Runs of operations with one cutter: one file each, as cutters are changed by hand."""
    runs: list[list[Outcome]] = []
    for outcome in outcomes:
        if runs and runs[-1][-1].operation.cutter == outcome.operation.cutter:
            runs[-1].append(outcome)
        else:
            runs.append([outcome])
    return runs


def header_lines(space: SetupSpace, outcomes: list[Outcome], title: str) -> list[str]:
    """What the comments at the top of a file tell."""
    stock, low, high = space.plan.stock, [], []
    for outcome in outcomes:
        low.append(np.nanmin(outcome.points, axis=0))
        high.append(np.nanmax(outcome.points, axis=0))
    bottom, top = np.min(low, axis=0), np.max(high, axis=0)
    seconds = sum(outcome.total_seconds for outcome in outcomes)
    return [
        title, f"{space.setup.name}: zero at {zero_in_words(space.setup)}",
        f"stock {stock.length:g} x {stock.width:g} x {stock.thickness:g} mm, {stock.material.name}",
        f"cutter {outcomes[0].operation.cutter.number}: {outcomes[0].operation.cutter.name}",
        f"X {bottom[0]:.3f} to {top[0]:.3f}, Y {bottom[1]:.3f} to {top[1]:.3f}, Z {bottom[2]:.3f} to {top[2]:.3f} mm",
        f"about {seconds / 60:.0f} min",
    ]


def _programs(space: SetupSpace, outcomes: tuple[Outcome, ...], title: str) -> tuple[Program, ...]:
    post = post_named(space.plan.post)
    wait = machine_named(space.plan.machine).spindle_wait_seconds
    programs = []
    for run in by_cutter(outcomes):
        program = write_program(post, _file_name(space.setup, [item.operation for item in run]),
                                header_lines(space, run, title), [_step(o.operation, o.path, space.plan) for o in run], wait,
                                space.setup.home)
        certify(program, run, space.setup.home)
        programs.append(program)
    return tuple(programs)


def certify(program: Program, run: list[Outcome], home: tuple[float, float] | None = None) -> None:
    """Read a whole file back and hold it against the moves that were shown, timed and proved.

    Raises
    ------
    Refused
        Where the file says anything else. Nothing is posted then.
    """
    reading = read_program(program.text)
    at = 0
    for outcome in run:
        count = len(outcome.kinds)
        ends = reading.points[at + 1 : at + 1 + count]
        rapid = reading.rapid[at : at + count] == 1
        same = (
            len(ends) == count
            and np.array_equal(ends[2:], outcome.points[3:])
            and np.array_equal(rapid, outcome.kinds == Kind.RAPID)
            and np.array_equal(reading.feeds[at : at + count], outcome.feeds)
            and bool((reading.tools[at : at + count] == outcome.operation.cutter.number).all())
        )
        if not same:
            raise Refused(f"{program.name} does not say what was planned for operation "
                          f"{outcome.operation.number}: it was not posted; please report this")
        at += count
    if home is not None and at < len(reading.rapid):
        before, end = reading.points[at], reading.points[at + 1]
        at += int(reading.rapid[at] == 1 and end[2] == before[2] and bool(np.abs(end[:2] - home).max() < 0.01))
    if at != len(reading.rapid):
        raise Refused(f"{program.name} holds moves that were not planned: it was not posted; please report this")


def run_setup(plan: Plan, setup: Setup, meshes: Meshes, work: Work, title: str = "Nephos") -> SetupOutcome:
    """Work out a setup from its stock to its programs and its comparison."""
    if plan.setups and setup is not plan.setups[0]:
        raise Refused("only the first setup can be worked out yet: put the operations there")
    begin = time.perf_counter()
    work.note("placing the model")
    space = setup_space(plan, setup, meshes, work)
    work.seconds["place"] = time.perf_counter() - begin
    block, keys = first_block(space), setup_keys(plan, setup)
    todo = [operation for operation in setup.operations if operation.on]
    if not todo:
        raise Refused("there is no operation to work out: add one, or switch one on")
    outcomes: list[Outcome] = []
    first_move = 0
    for k, operation in enumerate(todo):
        work.note(f"operation {operation.number}")
        report = part(work.report, 0.9 * k / len(todo), 0.9 * (k + 1) / len(todo))
        try:
            outcome, block = run_operation(space, operation, block, keys.operations[operation.number], first_move, work, report)
        except Refused as reason:
            text = str(reason)
            raise Refused(text if text.startswith("operation") else f"operation {operation.number}: {text}") from None
        first_move += len(outcome.kinds)
        outcomes.append(outcome)
    work.note("comparing")
    finest = finest_operation(todo)
    limit = compare_limit(plan, setup)

    def compared() -> Result:
        c = compare(block, space.index, region_of(space, work, finest), space.floor, finest.cutter.profile, limit,
                    plan.tolerance, part(work.report, 0.9, 0.98))
        return as_result(_grid_facts(c.grid) | {"limit": limit}, deviation=c.deviation,
                         reachable=c.reachable.astype(np.uint8))

    result = work.stage(keys.compare, "compare", compared)
    f = result.facts
    comparison = Comparison(Grid(f["x0"], f["y0"], f["pitch"], f["nx"], f["ny"]), result.arrays["deviation"],
                            result.arrays["reachable"].astype(bool), limit)
    work.note("posting")
    begin = time.perf_counter()
    programs = _programs(space, tuple(outcomes), title)
    work.seconds["post"] = time.perf_counter() - begin
    work.report(1.0)
    return SetupOutcome(space, tuple(outcomes), block, comparison, keys, programs)


def placed_models(plan: Plan, support: Callable[[Model], F64]) -> dict[str, Placed]:
    """Where each model lies in the stock, from few points of each mesh: quick enough for every keystroke."""
    return {model.id: placed_model(support(model), model, plan.stock) for model in plan.models}
