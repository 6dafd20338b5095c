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

from nephos.core.errors import Refused
from nephos.home import HOME

_MB = 1024
"""Kilobytes, the unit of the peak memory of a process on Linux, in a megabyte."""

JOBS: dict[str, tuple[str, ...]] = {
    "heron-plaque": ("--kind", "three-axis", "--size-x", "236"),
    "lily-leaf-dish": ("--kind", "two-faces", "--size-x", "214"),
    "dragonfly": ("--kind", "four-faces", "--size-x", "96"),
    "bulrush-finial": ("--kind", "rotary", "--size-x", "180"),
    "fen-chart": ("--kind", "tiles", "--bed", "600,400", "--pitch", "0.4"),
}
"""The words of `./nephos cut` for the mesh of each sample job."""


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
    unknown = [name for name in names if name not in JOBS]
    if unknown:
        raise Refused(f"there is no sample job {', '.join(unknown)}: choose from {', '.join(JOBS)}")
    folder, found = HOME / "meshes", {}
    make(folder)
    for name in names or JOBS:
        with tempfile.TemporaryDirectory() as out:
            found[name] = measured(folder / f"{name}.stl", JOBS[name], Path(out))
        print(f"{name}: {found[name]['seconds']} s, {found[name]['peak_mb']} MB", file=sys.stderr, flush=True)
    return found
