"""`./nephos compose`: the surface of a built-up relief, without the page."""

import argparse
import json
import sys
import time
from pathlib import Path
from typing import Any

import numpy as np

from nephos.core.errors import Refused
from nephos.core.mesh.formats import read_mesh, write_mesh
from nephos.core.plan.schema import Model, Plan, parse_plan
from nephos.core.relief.surface import composed


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> Any:
        print(f"nephos compose: {message}", file=sys.stderr)
        raise SystemExit(2)


def _loaded(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise Refused(f"{path.name}: {error.strerror or error}: give the path of a file that can be read") from None


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
    parser = _Parser(prog="nephos compose", description="Write the surface of a built-up relief to a file.")
    parser.add_argument("plan", help="a plan as JSON; its meshes lie beside it")
    parser.add_argument("--model", help="id of the model; needed where there are several")
    parser.add_argument("--tolerance", type=float, help="millimetres; that of the composition where none is given")
    parser.add_argument("--out", required=True, help="the file to write: .stl, .3mf, .png (16 bit) and others")
    arguments = parser.parse_args(words)
    source = Path(arguments.plan)
    try:
        document = json.loads(_loaded(source))
    except ValueError as error:
        raise Refused(f"{source.name} is not JSON: {error}") from None
    model = _relief(parse_plan(document), arguments.model)
    composition = model.composition
    assert composition is not None
    if arguments.tolerance is not None and not 0.001 <= arguments.tolerance <= 1:
        parser.error("the tolerance is between 0.001 and 1 mm")
    tolerance = arguments.tolerance or composition.tolerance
    meshes = {name: read_mesh(name, _loaded(source.parent / name)) for name in model.sources}
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
