"""The bench of whole jobs: what it measures, and what it says of a job that cannot be cut."""

import json
from pathlib import Path

import numpy as np
import pytest

from meshes import box_mesh
from nephos.command import bench_jobs
from nephos.command.headless import run
from nephos.core.mesh.formats.stl import write_stl


@pytest.fixture
def sample(monkeypatch, tmp_path: Path) -> Path:
    """A sample shop of one box."""
    (tmp_path / "meshes").mkdir()
    (tmp_path / "meshes" / "box.stl").write_bytes(write_stl(box_mesh((0, 0, 0), (30, 20, 8))))
    monkeypatch.setattr(bench_jobs, "HOME", tmp_path)
    monkeypatch.setattr(bench_jobs, "make", lambda folder: None)
    monkeypatch.setattr(bench_jobs, "KINDS", {"box": ("three-axis", 40.0)})
    monkeypatch.setattr(bench_jobs, "_MORE", {"box": ("--pitch", "1")})
    return tmp_path


@pytest.mark.long
def test_it_says_seconds_by_stage_and_memory(sample: Path, capsys) -> None:
    assert run("bench", ["jobs"]) == 0
    box = json.loads(capsys.readouterr().out)["box"]
    assert 0 < sum(box["stages"].values()) <= box["seconds"] + 0.1
    assert {"passes", "path", "block", "compare"} <= set(box["stages"])
    assert list(box["stages"].values()) == sorted(box["stages"].values(), reverse=True)
    # Python with its libraries takes about a hundred megabytes.
    assert 50 < box["peak_mb"] < 4000


@pytest.mark.long
def test_a_job_that_is_refused_says_why(sample: Path, monkeypatch, capsys) -> None:
    monkeypatch.setattr(bench_jobs, "_MORE", {"box": ("--stock", "10,10,5")})
    assert run("bench", ["jobs", "box"]) == 1
    assert "box: nephos cut:" in capsys.readouterr().err


def test_the_longest_side_has_the_length_of_the_sample_job() -> None:
    standing = bench_jobs.words_for("dragonfly", np.array([20.0, 30.0, 40.0]))
    assert standing[:2] == ["--kind", "four-faces"] and float(standing[3]) == pytest.approx(48.0)
    assert "--size-x" not in bench_jobs.words_for("fen-chart", np.array([1600.0, 400.0, 20.0]))


def test_an_unknown_job_is_refused_with_those_there_are(sample: Path, capsys) -> None:
    assert run("bench", ["jobs", "ship"]) == 1
    assert "no sample job ship: choose from box" in capsys.readouterr().err
