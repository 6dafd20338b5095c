"""The bench of whole jobs: what it measures, and what it says of a job that cannot be cut."""

import json
from pathlib import Path

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
    monkeypatch.setattr(bench_jobs, "JOBS", {"box": ("--kind", "three-axis", "--pitch", "1")})
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
    monkeypatch.setattr(bench_jobs, "JOBS", {"box": ("--kind", "three-axis", "--stock", "10,10,5", "--size-x", "300")})
    assert run("bench", ["jobs", "box"]) == 1
    assert "box: nephos cut:" in capsys.readouterr().err


def test_an_unknown_job_is_refused_with_those_there_are(sample: Path, capsys) -> None:
    assert run("bench", ["jobs", "ship"]) == 1
    assert "no sample job ship: choose from box" in capsys.readouterr().err
