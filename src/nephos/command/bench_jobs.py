"""`./nephos bench jobs`: the sample jobs run headless, one process each: seconds by stage and peak memory."""

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from demo.make import make

from nephos.command.sample_sizes import KINDS
from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.mesh.formats import read_mesh
from nephos.home import HOME

_MB = 1024
"""Kilobytes, the unit of the peak memory of a process on Linux, in a megabyte."""

_MORE = {"fen-chart": ("--bed", "600,600", "--pitch", "0.4")}
"""More words of `./nephos cut` for some meshes."""


def words_for(name: str, size: F64) -> list[str]:
    """The words of `./nephos cut` for a sample mesh whose box has this `size` (3,) in its file."""
    kind, longest = KINDS[name]
    sized = [] if longest is None else ["--size-x", f"{longest * size[0] / size.max():.4f}"]
    return ["--kind", kind, *sized, *_MORE.get(name, ())]


def measured(model: Path, words: Sequence[str], out: Path) -> dict[str, Any]:
    """Cut a model as `words` say, into the folder `out`, in a process of its own.

    Returns
    -------
    `seconds` in all, by `stages`, and `peak_mb`, the largest memory of the process.

    Raises
    ------
    Refused
        Where the model cannot be cut, with what the process said.
    """
    begin = time.perf_counter()
    command = [sys.executable, "-m", "nephos.command", "cut", str(model), *words, "--out", str(out)]
    with (out / "said.txt").open("w+") as said:
        child = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=said)
        _, status, usage = os.wait4(child.pid, 0)
        child.returncode = os.waitstatus_to_exitcode(status)
        if child.returncode != 0:
            said.seek(0)
            raise Refused(f"{model.stem}: {said.read().strip() or f'the process ended with {child.returncode}'}")
    stages = json.loads((out / "report.json").read_text())["seconds"]
    return {
        "seconds": round(time.perf_counter() - begin, 2),
        "peak_mb": usage.ru_maxrss // _MB,
        "stages": dict(sorted(stages.items(), key=lambda item: -item[1])),
    }


def bench_jobs(names: Sequence[str]) -> dict[str, dict[str, Any]]:
    """Run sample jobs by their names, or all of them where none is given.

    Raises
    ------
    Refused
        Where a name is none of a sample job.
    """
    unknown = [name for name in names if name not in KINDS]
    if unknown:
        raise Refused(f"there is no sample job {', '.join(unknown)}: choose from {', '.join(KINDS)}")
    folder, found = HOME / "meshes", {}
    make(folder)
    for name in names or KINDS:
        model = folder / f"{name}.stl"
        mesh = read_mesh(model.name, model.read_bytes())
        with tempfile.TemporaryDirectory() as out:
            found[name] = measured(model, words_for(name, mesh.high - mesh.low), Path(out))
        print(f"{name}: {found[name]['seconds']} s, {found[name]['peak_mb']} MB", file=sys.stderr, flush=True)
    return found
