"""`./nephos cut`, `inspect`, `bench`: what scripts rely on."""

import json
from pathlib import Path

import numpy as np
import pytest

from nephos.command.headless import run
from nephos.command.warm import small_hill
from nephos.core.mesh.formats.stl import read_stl, write_stl
from nephos.core.post.read import read_program

pytestmark = pytest.mark.long


@pytest.fixture
def hill_file(tmp_path: Path) -> Path:
    path = tmp_path / "hill.stl"
    path.write_bytes(write_stl(small_hill()))
    return path


def test_cut_writes_all_that_is_promised(hill_file: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    status = run(
        "cut",
        [
            str(hill_file),
            "--stock",
            "40,40,12",
            "--size-x",
            "30",
            "--rough",
            "flat:4,stepdown=2,leave=0.3",
            "--finish",
            "ball:3,stepover=0.5,angle=45",
            "--pitch",
            "0.2",
            "--tolerance",
            "0.01",
            "--out",
            str(out),
        ],
    )
    assert status == 0
    report = json.loads((out / "report.json").read_text())
    setup = report["setups"][0]
    assert setup["id"] == "top" and setup["zero"]["words"].startswith("front left")
    assert setup["stock"] == {"x0": 0, "y0": 0, "z0": -12, "x1": 40, "y1": 40, "z1": 0}
    assert [op["number"] for op in setup["operations"]] == [10, 20]
    for op in setup["operations"]:
        first, last = op["lines"]
        text = (out / op["file"]).read_bytes()
        reading = read_program(text)
        mine = (reading.lines >= first) & (reading.lines <= last)
        assert mine.sum() == op["moves"] and op["seconds"] > 0 and op["cutter"]["diameter"] in (3, 4)
    assert setup["compare"]["gouge_max"] <= 0.01 and setup["compare"]["leftover_p95"] > 0
    assert not [f for f in setup["findings"] if f["level"] == "stop"]
    model = read_stl((out / "model-top.stl").read_bytes())
    assert model.size[0] == pytest.approx(30, abs=1e-3) and model.high[2] == pytest.approx(-0.5, abs=1e-4)
    proof = read_stl((out / "proof-top.stl").read_bytes())
    assert np.allclose(proof.size[:2], 40, atol=0.01)
    assert {"passes", "block", "compare"} <= set(report["seconds"])


def test_the_plan_in_the_report_gives_the_same_programs_to_the_byte(hill_file: Path, tmp_path: Path) -> None:
    one, two = tmp_path / "one", tmp_path / "two"
    assert run("cut", [str(hill_file), "--stock", "30,30,10", "--finish", "ball:3,stepover=1", "--out", str(one)]) == 0
    plan = json.loads((one / "report.json").read_text())["plan"]
    plan["models"][0]["mesh"] = hill_file.name
    (tmp_path / "plan.json").write_text(json.dumps(plan))
    (tmp_path / "hill").mkdir(exist_ok=True)
    assert run("cut", [str(tmp_path / "plan.json"), "--out", str(two)]) == 0
    name = "TOP-010_3-mm-ball.nc"
    first, second = ((folder / name).read_bytes().splitlines() for folder in (one, two))
    # The title is the name of the file that was given, and the check word covers it.
    assert [line for line in first[1:] if b"(check" not in line] == [
        line for line in second[1:] if b"(check" not in line
    ]


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--stock", "30,30,-1", "--finish", "ball:3"], "thickness"),
        (["--stock", "30,30,10", "--finish", "ball:3,stepover=9"], "larger than the cutter"),
        (["--stock", "30,30,10", "--finish", "blob:3"], "no cutter shape"),
        (["--stock", "10,30,10", "--finish", "ball:3"], "outside the stock along X"),
        (["--stock", "30,30,3", "--finish", "ball:3"], "under the stock"),
        (["--stock", "30,30,10", "--finish", "ball:3,angel=3"], "angel"),
        (["--stock", "30,30,10", "--finish", "ball:3", "--post", "none"], "no post"),
        (["--stock", "30,30,10", "--finish", "ball:3", "--pitch", "0.001"], "pitch"),
    ],
)
def test_refusals_are_one_line_each(hill_file: Path, tmp_path: Path, capsys, words: list[str], said: str) -> None:
    assert run("cut", [str(hill_file), *words, "--out", str(tmp_path / "o")]) == 1
    err = capsys.readouterr().err
    assert (
        said in err
        and "Traceback" not in err
        and all(line.startswith("nephos cut:") for line in err.strip().splitlines())
    )


@pytest.mark.parametrize(
    "words", [[], ["x.stl"], ["x.stl", "--out", "o"], ["x.stl", "--stock", "1,2", "--out", "o"], ["--nonsense"]]
)
def test_wrong_arguments_end_with_two(words: list[str]) -> None:
    with pytest.raises(SystemExit) as end:
        run("cut", words)
    assert end.value.code == 2


def test_inspect_tells_one_object_a_file(hill_file: Path, tmp_path: Path, capsys) -> None:
    bad = tmp_path / "bad.stl"
    bad.write_bytes(b"no mesh at all")
    assert run("inspect", [str(hill_file), str(bad), str(tmp_path / "missing.stl")]) == 1
    told = capsys.readouterr()
    found = json.loads(told.out)
    assert found["triangles"] == 3200 and found["watertight"] is False and found["holes"] == 1 and found["unit"] is None
    assert len(told.err.strip().splitlines()) == 2


def test_bench_prints_the_fields_of_the_yardsticks(hill_file: Path, capsys) -> None:
    assert run("bench", ["drop", str(hill_file), "--ball", "3", "--step", "0.5", "--size", "50"]) == 0
    drop = json.loads(capsys.readouterr().out)
    assert set(drop) == {"triangles", "locations", "seconds", "mean_tip_z"} and drop["locations"] == 101 * 101
    assert run("bench", ["removal", "20", "15", "0.2", "3", "0.5", "ball"]) == 0
    removal = json.loads(capsys.readouterr().out)
    assert set(removal) == {"cells", "length_mm", "seconds", "mean_left"} and removal["length_mm"] == 20 * 31


def test_a_cut_out_from_the_command_line(tmp_path: Path) -> None:
    mesh = tmp_path / "hill.stl"
    mesh.write_bytes(write_stl(small_hill()))
    words = [str(mesh), "--stock", "60,60,10", "--pitch", "0.4"]
    assert run("cut", [*words, "--cutout", "flat:6,stepdown=4,tabs=3", "--out", str(tmp_path / "out")]) == 0
    report = json.loads((tmp_path / "out" / "report.json").read_text())
    (operation,) = report["setups"][0]["operations"]
    assert operation["name"] == "Cut out" and report["setups"][0]["compare"]["gouge_max"] <= 0.01
    assert run("cut", [*words, "--cutout", "flat:6,tabs=0", "--out", str(tmp_path / "loose")]) == 0
    found = json.loads((tmp_path / "loose" / "report.json").read_text())["setups"][0]["findings"]
    assert "nothing-holds" in {item["code"] for item in found}


def test_a_model_is_never_scaled_without_a_word(hill_file: Path, tmp_path: Path, capsys) -> None:
    """A hill that is higher than its stock is made smaller to fit, and that is said."""
    words = [str(hill_file), "--kind", "three-axis", "--pitch", "1", "--out", str(tmp_path / "out")]
    assert run("cut", [*words, "--stock", "40,40,6"]) == 0
    first = capsys.readouterr().err
    assert run("cut", [*words, "--stock", "60,60,14", "--size-x", "18"]) == 0
    assert "is cut" not in capsys.readouterr().err, "a size that was asked for needs no word"
    assert "mm long in its file and is cut" in first and "--size-x" in first
