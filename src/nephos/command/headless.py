"""`./nephos cut`, `inspect` and `bench`: the core without web or database."""

import argparse
import json
import sys
import time
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import ValidationError

from nephos.command.bench_jobs import bench_jobs
from nephos.command.compose import compose
from nephos.command.headless_input import Parser, load, load_meshes, load_plan
from nephos.core.bench import bench_drop, bench_proof, bench_removal, bench_rotary_drop, bench_rotary_removal
from nephos.core.cutters import standard_cutter, usual_cutters
from nephos.core.errors import Refused
from nephos.core.findings.faces import whole_findings, whole_row
from nephos.core.findings.placement import placement_findings
from nephos.core.findings.plan_checks import operation_findings
from nephos.core.findings.proof_checks import outcome_findings
from nephos.core.findings.reach import reach_findings
from nephos.core.mesh.examine import examine
from nephos.core.mesh.formats import read_mesh
from nephos.core.mesh.formats.stl import write_stl
from nephos.core.mesh.model import Mesh, joined
from nephos.core.mesh.summary import quick_look, unit_guess
from nephos.core.plan.edits import apply_edit
from nephos.core.plan.model import Model, Placement
from nephos.core.plan.operation import Operation
from nephos.core.plan.place import placed_model
from nephos.core.plan.schema import Plan, reasons
from nephos.core.plan.setups.face import FaceSetup
from nephos.core.plan.stock import Stock
from nephos.core.plan.versions import RENAMED_STRATEGIES
from nephos.core.post.schema import post_of
from nephos.core.proposals.way import NewMesh, Wish
from nephos.core.proposals.ways import WAYS_FOR_MESH
from nephos.core.report.setup_report import setup_report
from nephos.core.setups.registry import kind_of
from nephos.core.stages.of_plan import job_stages
from nephos.core.stages.prepared import prepared_mesh
from nephos.core.stages.run import run_plan
from nephos.core.stages.store import MemoryStore
from nephos.core.stages.work import Work
from nephos.core.strategies.registry import strategy

_POST = "rs274-metric"
BELOW = 3.0
"""Millimetres left below the model by `--fit`."""


def _numbers(text: str, count: int, what: str) -> list[float]:
    try:
        values = [float(item) for item in text.split(",")]
    except ValueError:
        values = []
    if len(values) != count:
        raise argparse.ArgumentTypeError(f"{what} takes {count} numbers with commas between, not '{text}'")
    return values


def _spec(text: str) -> dict[str, Any]:
    """Read `shape:diameter[,name=value...]`."""
    head, _, rest = text.partition(",")
    shape, _, diameter = head.partition(":")
    try:
        found: dict[str, Any] = {"shape": shape, "diameter": float(diameter)}
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text}' is not of the form shape:diameter[,name=value...]") from None
    for item in filter(None, rest.split(",")):
        name, equals, value = item.partition("=")
        if not equals:
            raise argparse.ArgumentTypeError(f"'{item}' in '{text}' is not of the form name=value")
        try:
            found[name] = float(value)
        except ValueError:
            found[name] = value
    return found


_CUTTER_WORDS = (
    "feed",
    "plunge_feed",
    "spindle",
    "flute_length",
    "overall_length",
    "flutes",
    "shank_diameter",
    "corner_radius",
    "angle",
    "tip_diameter",
    "stickout",
)


def _operation(number: int, part: str, spec: dict[str, Any]) -> Operation:
    spec = dict(spec)
    cutter = standard_cutter(spec.pop("shape"), spec.pop("diameter"), number // 10)
    cutter = cutter.model_validate(cutter.model_dump() | {k: spec.pop(k) for k in _CUTTER_WORDS if k in spec})
    named = str(spec.pop("boundary", "silhouette" if part == "cut_out" else "box"))
    boundary = {"boundary": "box" if named == "model" else named, "contain": "outside"}
    if "margin" in spec:
        boundary |= {"contain": "centre", "offset": spec.pop("margin")}
    asked = f"{part}_{spec.pop('way', spec.pop('path', 'offset' if part == 'rough' else 'raster'))}"
    key = "cut_out" if part == "cut_out" else RENAMED_STRATEGIES.get(asked, asked)
    if "worth" in spec:
        spec["minimum"] = spec.pop("worth")
    settings = strategy(key).settings
    if "stepover" not in spec and "stepover" in settings.model_fields:
        spec["stepover"] = round(cutter.diameter * (0.4 if part == "rough" else 0.1), 4)
    if "stepdown" in settings.model_fields and "stepdown" not in spec:
        spec["stepdown"] = round(cutter.diameter / 2, 4)
    return Operation(
        number=number,
        strategy=key,
        cutter=cutter,
        boundary=boundary,
        settings=settings.model_validate(spec),
    )


def _plan_from(arguments: argparse.Namespace, mesh: Mesh) -> Plan:
    length, width, thickness = arguments.stock
    stock = Stock(length=length, width=width, thickness=thickness)
    placement = Placement(
        turn=tuple(arguments.turn),
        size=(arguments.size_x or None, None, arguments.height or None),
        linked=bool(arguments.size_x),
        offset=(0.0, 0.0, -arguments.gap_above),
    )
    plan = Plan(
        stock=stock,
        models=(Model(id="m1", name="model", mesh="model", placement=placement),),
        pitch=arguments.pitch,
        tolerance=arguments.tolerance,
        post=arguments.post or _POST,
    )
    if arguments.fit:
        look = quick_look(mesh)
        plan = apply_edit(
            plan,
            lambda _: look,
            {"do": "fit_model", "model": "m1", "margin": 0.0, "above": arguments.gap_above, "below": BELOW},
        )
    specs = [("rough", spec) for spec in arguments.rough or []] + [("finish", spec) for spec in arguments.finish or []]
    specs += [("cut_out", spec) for spec in [arguments.cutout] if spec]
    operations = tuple(_operation(10 * (k + 1), kind, spec) for k, (kind, spec) in enumerate(specs))
    return plan.model_copy(
        update={
            "setups": (
                FaceSetup(
                    id=arguments.setup,
                    name=f"Setup A, {arguments.setup} face",
                    side=arguments.setup,
                    operations=operations,
                ),
            )
        }
    )


def _cut_parser() -> argparse.ArgumentParser:
    parser = Parser(prog="nephos cut", description="Plan, prove and post without the page.")
    parser.add_argument("input", help="a mesh, or a plan as JSON")
    parser.add_argument("--kind", choices=tuple(WAYS_FOR_MESH), help="propose the operations of this kind of job")
    parser.add_argument("--stock", type=lambda t: _numbers(t, 3, "--stock"))
    parser.add_argument("--bar", type=lambda t: _numbers(t, 2, "--bar"), help="diameter and length of a round bar")
    parser.add_argument("--bed", type=lambda t: _numbers(t, 2, "--bed"), help="travel of the machine along X and Y")
    parser.add_argument("--core", type=float, help="diameter of the core of a rotary job")
    parser.add_argument("--fit", action="store_true", help="scale the model to the stock")
    parser.add_argument("--size-x", type=float)
    parser.add_argument("--height", type=float)
    parser.add_argument("--gap-above", type=float, default=0.5)
    parser.add_argument("--turn", type=lambda t: _numbers(t, 3, "--turn"), default=[0, 0, 0])
    parser.add_argument("--rough", type=_spec, action="append")
    parser.add_argument("--finish", type=_spec, action="append")
    parser.add_argument("--cutout", type=_spec)
    parser.add_argument("--setup", default="top", choices=("top", "bottom", "front", "back", "left", "right"))
    parser.add_argument("--post")
    parser.add_argument("--pitch", type=float)
    parser.add_argument("--tolerance", type=float, default=0.01)
    parser.add_argument("--out", required=True)
    return parser


def _say_scale(plan: Plan, mesh: Mesh, asked: bool) -> None:
    """Say on stderr where the model is cut in another size than its file has and none was asked for."""
    look = quick_look(mesh)
    own = plan.models[0].model_copy(
        update={
            "placement": plan.models[0].placement.model_copy(update={"size": (None, None, None), "unit": look.unit})
        }
    )
    now, before = (float(placed_model(look.support, model, plan.stock).size.max()) for model in (plan.models[0], own))
    if asked or abs(now - before) <= 1e-6 * before:
        return
    print(
        f"nephos cut: note: the model is {before:.6g} mm long in its file and is cut {now:.6g} mm long; give --size-x "
        "to choose, or larger --stock to keep it",
        file=sys.stderr,
    )


def _proposed(arguments: argparse.Namespace, mesh: Mesh) -> Plan:
    """The plan that is proposed for a mesh; what is to be said of it goes to the terminal."""
    wish = Wish(
        pitch=arguments.pitch,
        tolerance=arguments.tolerance,
        post=arguments.post,
        size_x=arguments.size_x,
        stock=arguments.stock and tuple(arguments.stock),
        bed=arguments.bed and tuple(arguments.bed),
        bar=arguments.bar and tuple(arguments.bar),
        core=arguments.core,
        turn=tuple(arguments.turn),
        gap_above=arguments.gap_above,
    )
    proposed = WAYS_FOR_MESH[arguments.kind].for_mesh(NewMesh(mesh, quick_look(mesh), wish, usual_cutters()))
    for note in proposed.notes:
        print(f"nephos cut: note: {note}", file=sys.stderr)
    return proposed.plan


def cut(words: list[str]) -> int:
    """Run `./nephos cut`; returns the exit status."""
    parser = _cut_parser()
    arguments = parser.parse_args(words)
    source = Path(arguments.input)
    begin = time.perf_counter()
    if source.suffix.lower() == ".json":
        plan = load_plan(source)
        meshes = load_meshes(source, {name for model in plan.models for name in model.sources})
    else:
        if arguments.stock is None and not arguments.kind:
            parser.error("a mesh needs --stock X,Y,Z")
        if not arguments.kind and not (arguments.rough or arguments.finish or arguments.cutout):
            parser.error("give at least one --rough, --finish or --cutout")
        meshes = {"model": read_mesh(source.name, load(source))}
        plan = _proposed(arguments, meshes["model"]) if arguments.kind else _plan_from(arguments, meshes["model"])
    post_of(plan.post)
    work = Work(MemoryStore(), meshes.__getitem__)
    if source.suffix.lower() != ".json":
        _say_scale(plan, meshes["model"], bool(arguments.size_x or arguments.height))
    looks = {model.id: quick_look(prepared_mesh(model, work)) for model in plan.models}
    sure = {model.id: True for model in plan.models}
    placed = {model.id: placed_model(looks[model.id].support, model, plan.stock) for model in plan.models}
    shown = [(model, placed[model.id], looks[model.id]) for model in plan.models if model.shown]
    early = placement_findings(plan, placed, looks, sure)
    stops = [finding for finding in early if finding.level == "stop"]
    if stops:
        for finding in stops:
            print(f"nephos cut: {finding.text}: {finding.advice}", file=sys.stderr)
        return 1
    work.seconds["read"] = time.perf_counter() - begin
    out = Path(arguments.out)
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise Refused(f"{out}: {error.strerror}: give a folder that can be written") from None
    reports = []
    cut_as = plan.as_cut()
    for done in run_plan(cut_as, meshes.__getitem__, work, title=source.stem):
        setup, to_zero = done.space.setup, np.eye(4)
        to_zero[:3, 3] = -done.space.zero
        findings = (
            early + operation_findings(cut_as, setup) + reach_findings(cut_as, setup, shown) + outcome_findings(done)
        )
        for program in done.programs:
            (out / program.name).write_bytes(program.text)
        (out / f"model-{setup.id}.stl").write_bytes(write_stl(done.space.mesh.moved(to_zero), f"model, {setup.name}"))
        proof = kind_of(done.space.setup).block_mesh(done.shown)
        (out / f"proof-{setup.id}.stl").write_bytes(write_stl(proof.moved(to_zero), f"proof, {setup.name}"))
        reports.append(setup_report(done, findings, done.space.zero))
    job = job_stages(cut_as)
    whole = work.of(job.whole)
    begin = time.perf_counter()
    pieces = work.of(job.solids)
    (out / "proof.stl").write_bytes(write_stl(joined([piece.mesh for piece in pieces]), f"proof of {source.stem}"))
    work.seconds["solid"] = time.perf_counter() - begin
    document = {
        "plan": plan.model_dump(mode="json"),
        "setups": reports,
        "proof": "proof.stl",
        "compare": whole.numbers(),
        "pieces": [{"volume": round(p.volume, 1), "low": p.low, "high": p.high} for p in pieces],
        "findings": [finding.as_dict() for finding in whole_findings(cut_as, whole, whole_row(cut_as))],
        "seconds": {key: round(value, 3) for key, value in work.seconds.items()},
    }
    (out / "report.json").write_text(json.dumps(document, indent=1))
    return 0


def _unit_name(mesh: Mesh) -> str | None:
    """The unit that the file names, or none."""
    guess = unit_guess(mesh)
    return str(guess["name"]) if guess["sure"] else None


def inspect(words: list[str]) -> int:
    """Run `./nephos inspect`; returns the exit status."""
    parser = Parser(prog="nephos inspect", description="Say what is in a mesh file.")
    parser.add_argument("models", nargs="+")
    status = 0
    for name in parser.parse_args(words).models:
        try:
            mesh = read_mesh(name, load(Path(name)))
            found = examine(mesh)
        except Refused as reason:
            print(f"nephos inspect: {Path(name).name}: {reason}", file=sys.stderr)
            status = 1
            continue
        print(
            json.dumps(
                {
                    "file": Path(name).name,
                    "format": found.format,
                    "unit": _unit_name(mesh),
                    "triangles": found.triangles,
                    "vertices": found.vertices,
                    "size": [round(v, 6) for v in found.size],
                    "watertight": found.watertight,
                    "shells": found.shells,
                    "holes": found.holes,
                    "flipped": found.flipped,
                    "inside_out": found.inside_out,
                    "without_area": found.without_area,
                    "duplicates": found.duplicates,
                    "nonmanifold": found.nonmanifold,
                    "repaired": list(found.repairs),
                }
            )
        )
    return status


def bench(words: list[str]) -> int:
    """Run `./nephos bench`; returns the exit status."""
    parser = Parser(prog="nephos bench", description="Measure kernels and whole jobs.")
    kinds = parser.add_subparsers(dest="what", required=True, parser_class=Parser)
    drop = kinds.add_parser("drop")
    drop.add_argument("model")
    drop.add_argument("--ball", type=float, required=True)
    drop.add_argument("--step", type=float, required=True)
    drop.add_argument("--size", type=float, required=True)
    removal = kinds.add_parser("removal")
    for name in ("width", "height", "pitch", "diameter", "stepover"):
        removal.add_argument(name, type=float)
    removal.add_argument("shape", choices=("ball", "flat"))
    turned = kinds.add_parser("rotary-drop")
    turned.add_argument("model")
    for name in ("ball", "step-x", "step-a", "length", "floor"):
        turned.add_argument(f"--{name}", type=float, required=True)
    bar = kinds.add_parser("rotary-removal")
    for name in ("length", "bar", "pitch", "pitch_deg", "ball", "step"):
        bar.add_argument(name, type=float)
    proof = kinds.add_parser("proof")
    proof.add_argument("moves", type=int)
    proof.add_argument("pitch", type=float)
    jobs = kinds.add_parser("jobs", help="the sample jobs: seconds by stage and peak memory")
    jobs.add_argument("names", nargs="*", metavar="JOB")
    a = parser.parse_args(words)
    if a.what == "jobs":
        print(json.dumps(bench_jobs(a.names)))
        return 0
    lengths = [value for value in vars(a).values() if isinstance(value, float)]
    if min(lengths) <= 0:
        parser.error("all lengths must be more than 0")
    if a.what == "drop":
        mesh = read_mesh(a.model, load(Path(a.model)))
        print(json.dumps(bench_drop(mesh, a.ball, a.step, a.size)))
    elif a.what == "rotary-drop":
        mesh = read_mesh(a.model, load(Path(a.model)))
        print(json.dumps(bench_rotary_drop(mesh, a.ball, a.step_x, a.step_a, a.length, a.floor)))
    elif a.what == "rotary-removal":
        print(json.dumps(bench_rotary_removal(a.length, a.bar, a.pitch, a.pitch_deg, a.ball, a.step)))
    elif a.what == "proof":
        if not 1000 <= a.moves <= 5_000_000:
            parser.error("give 1000 to 5000000 moves")
        print(json.dumps(bench_proof(a.moves, a.pitch)))
    else:
        print(json.dumps(bench_removal(a.width, a.height, a.pitch, a.diameter, a.stepover, a.shape)))
    return 0


COMMANDS = {"cut": cut, "compose": compose, "inspect": inspect, "bench": bench}


def run(name: str, words: list[str]) -> int:
    """Run a headless command; bad input gives one line a reason and status 1, never a traceback."""
    try:
        return COMMANDS[name](words)
    except ValidationError as error:
        lines = reasons(error)
    except Refused as reason:
        lines = [str(reason)]
    except MemoryError:
        lines = ["there is not enough memory for this: use a coarser pitch or a smaller mesh"]
    for line in lines:
        print(f"nephos {name}: {line}", file=sys.stderr)
    return 1
