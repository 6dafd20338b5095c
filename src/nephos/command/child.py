"""A process that computes for a worker: it is given one task after another by a pipe.

It is forked from a server that has imported everything (`preload.py`; see forkserver in :mod:`multiprocessing`), so it
starts in milliseconds and shares that memory. Nothing of it is imported here: the worker itself imports this module."""

import logging
import os
import resource
import signal
from importlib import import_module
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, NamedTuple

from nephos.processes import end_with_parent_process

LOG = logging.getLogger("nephos.tasks")
NICE = 5
"""Pages and the process that talks to the queue go before calculations."""


class Asked(NamedTuple):
    """A task by its name, with its words."""

    name: str
    words: dict[str, Any]


class Done(NamedTuple):
    """A task is done. `fault` : what it raised, in words; empty where it raised nothing. `memory` : bytes that the
    process holds by itself now."""

    fault: str
    memory: int


def own_memory() -> int:
    """Bytes that this process holds by itself: not those that it shares with the process it was forked from."""
    lines = Path("/proc/self/smaps_rollup").read_text(encoding="ascii").splitlines()
    private = [line.split()[1] for line in lines if line.startswith("Private_")]
    return 1024 * sum(int(kilobytes) for kilobytes in private)


def serve(pipe: Connection, parent: int, limit: int, work: str) -> None:
    """Do tasks until the pipe is closed. `limit` : bytes of memory; what needs more meets a MemoryError. `work` : the
    module whose `run` does a task, and whose event `CANCEL` breaks it off."""
    tasks = import_module(work)
    end_with_parent_process(parent)
    os.nice(NICE)
    # Ctrl-C goes to all processes of a terminal: the parent ends its children.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGUSR1, lambda *_: tasks.CANCEL.set())
    resource.setrlimit(resource.RLIMIT_DATA, (limit, limit))
    while True:
        try:
            asked: Asked = pipe.recv()
        except EOFError:
            return
        tasks.CANCEL.clear()
        fault = ""
        try:
            tasks.run(asked.name, asked.words)
        except Exception as error:
            LOG.exception("%s failed", asked.name)
            fault = f"{type(error).__name__}: {error}"
        pipe.send(Done(fault, own_memory()))
