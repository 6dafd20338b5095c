"""Processes that `./nephos start` runs: they end with their parent, and those of a dead parent are found and ended."""

import ctypes
import os
import signal
import time
from pathlib import Path

from nephos.home import HOME

_MARK = "NEPHOS_STARTED_FROM"
_PR_SET_PDEATHSIG = 1
"""From Linux' `prctl.h`: the signal that a process gets when the thread that started it ends."""


def child_environment(role: str) -> dict[str, str]:
    """The environment of a child with a role (web, worker). It names the data folder, by which :func:`strays` finds
    it."""
    return dict(os.environ) | {"NEPHOS_ROLE": role, _MARK: str(HOME)}


def end_with_parent() -> None:
    """Ask the kernel to send this process SIGTERM when its parent ends, even if that is killed. Does nothing in a
    process that was not started with :func:`child_environment`."""
    if _MARK not in os.environ:
        return
    ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    # The parent may have ended before that call; orphans belong to process 1 or to a subreaper.
    if os.getppid() == 1:
        os.kill(os.getpid(), signal.SIGTERM)


def end_with_parent_process(parent: int) -> None:
    """Ask the kernel to kill this process when the process `parent` ends that it was forked for.

    A child of a fork server has the server as its parent: that ends with the process that started it."""
    ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    if not Path(f"/proc/{parent}").exists():
        os.kill(os.getpid(), signal.SIGKILL)


def _of_this_folder(pid: int) -> bool:
    try:
        words = Path(f"/proc/{pid}/environ").read_bytes().split(b"\0")
        dead = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except OSError:
        # It has ended, or belongs to another user.
        return False
    return f"{_MARK}={HOME}".encode() in words and not dead


def strays() -> list[int]:
    """Ids of processes that a supervisor of this data folder started. To be asked where no supervisor runs."""
    pids = (int(path.name) for path in Path("/proc").iterdir() if path.name.isdecimal())
    return [pid for pid in pids if pid != os.getpid() and _of_this_folder(pid)]


def end_strays(patience: float = 10.0) -> int:
    """End the processes of a dead supervisor: SIGTERM, then SIGKILL after `patience` seconds. Returns their number."""
    found = left = strays()
    for pid in found:
        _send(pid, signal.SIGTERM)
    end = time.monotonic() + patience
    while left and time.monotonic() < end:
        time.sleep(0.05)
        left = [pid for pid in left if _of_this_folder(pid)]
    for pid in left:
        _send(pid, signal.SIGKILL)
    return len(found)


def _send(pid: int, number: signal.Signals) -> None:
    try:
        os.kill(pid, number)
    except ProcessLookupError:
        return
