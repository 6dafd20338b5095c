"""`./nephos compose`, and `cut` of a plan whose model is a relief."""

import json
from pathlib import Path

import numpy as np
import pytest

from nephos.command.headless import run
from nephos.core.cutters import standard_cutter
from nephos.core.mesh.formats import read_mesh
from nephos.core.mesh.formats.stl import write_stl
from relief_tools import BODY, is_closed, piece, small_mesh, top_of


def plan_file(folder: Path, **more: object) -> Path:
    (folder / "bump.stl").write_bytes(write_stl(small_mesh()))
    pieces = [
        BODY,
        piece("field", {"kind": "offset", "piece": "body", "distance": -6.0}, height=4.0, combine="subtract"),
        piece(
            "bump",
            {"kind": "mesh", "mesh": "bump.stl", "width": 30.0, "foot": 0.4},
            height=3.0,
            combine="higher",
            base={"kind": "ground"},
        ),
    ]
    document = {
        "stock": {"length": 90, "width": 70, "thickness": 12},
        "models": [{"id": "m1", "name": "tray", "composition": {"pieces": pieces}, "placement": {"offset": [0, 0, 0]}}],
        "pitch": 0.5,
    }
    path = folder / "plan.json"
    path.write_text(json.dumps(document | more))
    return path


def test_the_surface_is_written_with_its_time(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    out = tmp_path / "tray.stl"
    assert run("compose", [str(plan_file(tmp_path)), "--model", "m1", "--out", str(out)]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["tolerance"] == 0.01 and said["pieces"] == 3 and said["seconds"] >= 0
    mesh = read_mesh("tray.stl", out.read_bytes())
    assert is_closed(mesh) and len(mesh.faces) == said["triangles"]
    assert top_of(mesh, np.array([[-38.0, 0.0], [-30.0, -20.0]])) == pytest.approx([10, 6], abs=1e-4)


@pytest.mark.parametrize("suffix", [".3mf", ".png", ".ply"])
def test_other_formats(tmp_path: Path, suffix: str) -> None:
    out = tmp_path / f"tray{suffix}"
    assert run("compose", [str(plan_file(tmp_path)), "--out", str(out)]) == 0
    mesh = read_mesh(out.name, out.read_bytes())
    ratio = mesh.size / [80, 60, 10]
    # A picture has no size of its own.
    assert ratio[:2].std() < 0.01 * ratio[0] if suffix == ".png" else np.allclose(ratio, 1, atol=1e-6)


def test_refusals_are_one_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = plan_file(tmp_path)
    out = str(tmp_path / "x.stl")
    assert run("compose", [str(path), "--model", "m9", "--out", out]) == 1
    assert "no built-up relief with the id 'm9'" in capsys.readouterr().err
    (tmp_path / "bump.stl").unlink()
    assert run("compose", [str(path), "--out", out]) == 1
    error = capsys.readouterr().err
    assert error.startswith("nephos compose: bump.stl") and error.count("\n") == 1
    assert run("compose", [str(tmp_path / "none.json"), "--out", out]) == 1


def test_a_relief_is_cut_without_the_page(tmp_path: Path) -> None:
    flat, ball = (standard_cutter(shape, 3, k).model_dump(mode="json") for k, shape in enumerate(("flat", "ball"), 1))
    boundary = {"id": "b1", "name": "field", "source": "piece", "models": ["m1"], "piece": "field"}
    operations = [
        {
            "number": 10,
            "strategy": "rough_offset",
            "cutter": flat,
            "boundary": {"boundary": "silhouette"},
            "settings": {"stepdown": 1.5, "stepover": 1.2, "leave": 0.0},
        },
        {
            "number": 20,
            "strategy": "finish_raster",
            "cutter": ball,
            "boundary": {"boundary": "b1", "contain": "inside"},
            "settings": {"stepover": 0.6},
        },
    ]
    setups = [{"id": "a", "name": "A", "operations": operations}]
    path = plan_file(tmp_path, setups=setups, boundaries=[boundary])
    assert run("cut", [str(path), "--out", str(tmp_path / "out")]) == 0
    report = json.loads((tmp_path / "out" / "report.json").read_text())
    found = report["setups"][0]
    assert found["compare"]["gouge_max"] <= 0.01
    assert not [item for item in found["findings"] if item["level"] == "stop"]
