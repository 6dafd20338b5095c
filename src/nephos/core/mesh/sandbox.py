"""The sandbox of readers that are not ours: a child process with limits on memory and time.

Whatever a file does to a library (eat memory, never end, crash it), the worker lives on and says so.
"""

import json
import os
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path
from threading import BoundedSemaphore

import numpy as np

from nephos.core.arrays import F64, I32
from nephos.core.errors import NotYet, Refused

SECONDS = 8
"""Seconds of processor time that a reader may take for a small file."""
_SECONDS_A_MB = 0.4
"""Seconds of processor time that a reader may take besides for each megabyte of the file."""
_WALL = 10
"""A reader may take this many times its processor time by the clock: on a busy machine it waits its turn."""
_LEAST_MEMORY, _MEMORY_A_BYTE, _MOST_MEMORY = 2**30 + 2**29, 30, 6 * 2**30
"""Bytes of address space that a reader may take, by the size of the file."""
LARGEST = 2**30
"""Bytes of what it hands over at most."""
_AT_ONCE = BoundedSemaphore(2)
"""So many readers run at one time in a process."""


@dataclass(frozen=True)
class Held:
    """What a file held: `vertices` (n, 3) float64, `faces` (m, 3) int32, notes, and its unit in mm where it names
    one."""

    vertices: F64
    faces: I32
    notes: tuple[str, ...]
    unit: float | None


def _environment() -> dict[str, str]:
    kept = {key: os.environ[key] for key in ("PATH", "PYTHONPATH", "LANG", "SYSTEMROOT") if key in os.environ}
    # Threads of number libraries reserve address space that the file should have.
    return kept | {"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1", "PYTHONDONTWRITEBYTECODE": "1"}


def limits_for(size: int) -> tuple[int, int]:
    """Memory (bytes) and seconds of processor time that a reader may take for a file of `size` bytes."""
    return min(_LEAST_MEMORY + _MEMORY_A_BYTE * size, _MOST_MEMORY), SECONDS + int(_SECONDS_A_MB * size / 2**20)


def sandboxed(key: str, data: bytes, title: str, memory: int | None = None, seconds: int | None = None) -> Held:
    """Read `data` with the reader `key` in a child process, a few at a time. Limits follow from the size of the file
    where none are given.

    Raises
    ------
    Refused
        With the reader's own sentence, or with one that says which limit was passed.
    NotYet
        Where the machine was too busy to read it in time: it can be tried again.
    """
    usual = limits_for(len(data))
    memory, seconds = memory or usual[0], seconds or usual[1]
    too_long = (
        f"reading this {title} file took more than {seconds} s of processor time and was stopped: thin it out, or "
        "export it as STL"
    )
    with _AT_ONCE, tempfile.TemporaryDirectory(prefix="nephos-") as folder:
        source, target = Path(folder, "in"), Path(folder, "out.npz")
        source.write_bytes(data)
        words = [
            sys.executable,
            "-m",
            "nephos.core.mesh.reader_process",
            key,
            str(source),
            str(target),
            str(memory),
            str(seconds),
            str(LARGEST),
        ]
        try:
            done = subprocess.run(
                words,
                check=False,
                capture_output=True,
                timeout=_WALL * seconds,
                env=_environment(),
                stdin=subprocess.DEVNULL,
            )
        except subprocess.TimeoutExpired:
            raise NotYet(f"this machine was too busy to read this {title} file in time: import it again") from None
        if done.returncode == 3:
            raise Refused(json.loads(done.stdout)["refused"])
        if done.returncode == 4:
            raise Refused(
                f"this {title} file needs more than {memory / 2**30:.1f} GB of memory to be read: "
                "thin it out, or export it as STL"
            )
        if done.returncode == -24 or done.returncode == -9:
            raise Refused(too_long)
        if done.returncode or not target.exists():
            raise Refused(f"this {title} file is damaged: it cannot be read; export it again from where it came from")
        with np.load(target, allow_pickle=False) as held:
            facts = json.loads(str(held["facts"]))
            return Held(
                np.ascontiguousarray(held["vertices"], np.float64),
                np.ascontiguousarray(held["faces"], np.int32),
                tuple(facts["notes"]),
                facts["unit"],
            )
