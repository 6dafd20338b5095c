"""`./nephos compose`: the surface of a built-up relief, without the page."""

import json
import time
from pathlib import Path

import numpy as np

from nephos.command.headless_input import Parser, load_meshes, load_plan
from nephos.core.errors import Refused
from nephos.core.mesh.formats import write_mesh
from nephos.core.plan.model import Model
from nephos.core.plan.schema import Plan
from nephos.core.relief.surface import composed


def _relief(plan: Plan, key: str | None) -> Model:
    found = [model for model in plan.models if model.composition is not None and key in {None, model.id}]
    if not found:
        raise Refused(
            "the plan has no built-up relief"
            if key is None
            else f"the plan has no built-up relief with the id '{key}': name one with --model"
        )
    if len(found) > 1:
        raise Refused(
            f"the plan has several built-up reliefs: name one of {', '.join(m.id for m in found)} with --model"
        )
    return found[0]


def compose(words: list[str]) -> int:
    """Run `./nephos compose`; returns the exit status."""
    parser = Parser(prog="nephos compose", description="Write the surface of a built-up relief to a file.")
    parser.add_argument("plan", help="a plan as JSON; its meshes lie beside it")
    parser.add_argument("--model", help="id of the model; needed where there are several")
    parser.add_argument("--tolerance", type=float, help="millimetres; that of the composition where none is given")
    parser.add_argument("--out", required=True, help="the file to write: .stl, .3mf, .png (16 bit) and others")
    arguments = parser.parse_args(words)
    source = Path(arguments.plan)
    model = _relief(load_plan(source), arguments.model)
    composition = model.composition
    assert composition is not None
    if arguments.tolerance is not None and not 0.001 <= arguments.tolerance <= 1:
        parser.error("the tolerance is between 0.001 and 1 mm")
    tolerance = arguments.tolerance or composition.tolerance
    meshes = load_meshes(source, set(model.sources))
    begin = time.perf_counter()
    mesh = composed(composition, meshes.__getitem__, tolerance)
    seconds = time.perf_counter() - begin
    Path(arguments.out).write_bytes(write_mesh(Path(arguments.out).name, mesh))
    print(
        json.dumps(
            {
                "model": model.id,
                "pieces": sum(piece.on for piece in composition.pieces),
                "triangles": len(mesh.faces),
                "size": np.round(mesh.size, 6).tolist(),
                "tolerance": tolerance,
                "seconds": round(seconds, 3),
            }
        )
    )
    return 0
