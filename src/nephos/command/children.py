"""The processes that compute for a worker: started, given tasks, cancelled, and replaced.

The worker's own process never computes, so its heartbeat does not depend on what the children do."""

import asyncio
import contextlib
import multiprocessing
import os
import signal
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext, ForkServerProcess
from pathlib import Path
from typing import Any

from nephos.command.child import Asked, Done, serve

FAT = 300 * 2**20
"""A child that holds more bytes than this by itself is replaced once it has rested."""
REST = 20.0
"""Seconds for which a fat child is kept: what it remembers makes the next change of the same job quick."""
GRACE = 0.25
"""Seconds in which a cancelled task may end by itself; then its process is killed."""
_SHARE = 0.8
"""Share of the memory that one child may take."""


class BrokenOff(Exception):
    """A task was cancelled, and its process was killed as it did not end by itself."""


class Lost(Exception):
    """A child died while it did a task. The text says why, for the user."""


def memory_limit() -> int:
    """Bytes that one child may take: a share of the machine's memory, or of what the group of processes may have."""
    total = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    with contextlib.suppress(OSError, ValueError):
        total = min(total, int(Path("/sys/fs/cgroup/memory.max").read_text(encoding="ascii")))
    return int(_SHARE * total)


def out_of_memory_kills() -> int:
    """How often the kernel has killed a process for want of memory."""
    for path in ("/sys/fs/cgroup/memory.events", "/proc/vmstat"):
        with contextlib.suppress(OSError):
            for line in Path(path).read_text(encoding="ascii").splitlines():
                name, _, value = line.partition(" ")
                if name == "oom_kill":
                    return int(value)
    return 0


@dataclass(eq=False)
class Child:
    """A child process. `memory` : bytes that it held after its last task. `rested` : since when it does nothing."""

    process: ForkServerProcess
    pipe: Connection
    memory: int = 0
    rested: float = field(default_factory=time.monotonic)

    def cancel(self) -> None:
        """Ask it to break its task off."""
        if self.process.pid is not None and self.process.is_alive():
            os.kill(self.process.pid, signal.SIGUSR1)

    def end(self) -> None:
        """End it at once."""
        self.process.kill()
        self.process.join()
        self.pipe.close()


class Children:
    """Does tasks in child processes, as many at a time as are asked for."""

    def __init__(self, limit: int | None = None, work: str = "nephos.web.tasks") -> None:
        """`limit` : bytes of memory that one may take. `work` : the module whose `run` does tasks."""
        self._context: ForkServerContext = multiprocessing.get_context("forkserver")
        self._context.set_forkserver_preload(["__main__", "nephos.command.preload"])
        self._work = work
        self._limit = memory_limit() if limit is None else limit
        self._resting: list[Child] = []
        self._busy: set[Child] = set()

    def __len__(self) -> int:
        return len(self._resting) + len(self._busy)

    @property
    def pids(self) -> list[int]:
        """Ids of all child processes."""
        return [child.process.pid for child in (*self._resting, *self._busy) if child.process.pid is not None]

    def _start(self) -> Child:
        ours, theirs = self._context.Pipe()
        process = self._context.Process(target=serve, args=(theirs, os.getpid(), self._limit, self._work), daemon=True)
        process.start()
        theirs.close()
        return Child(process, ours)

    async def _take(self) -> Child:
        while self._resting:
            child = self._resting.pop()
            if child.process.is_alive():
                return child
        return await asyncio.to_thread(self._start)

    async def warm(self) -> None:
        """Have a child ready."""
        self._resting.append(await self._take())

    async def run(
        self, name: str, words: dict[str, Any], cancelled: Callable[[], Awaitable[None]] | None = None
    ) -> str:
        """Do a task; returns the fault that it ended with, empty where there was none.

        `cancelled` : returns when the task is to be broken off.

        Raises
        ------
        Lost
            Where the process died.
        BrokenOff
            Where the task was cancelled and did not end by itself.
        """
        child = await self._take()
        self._busy.add(child)
        kills = out_of_memory_kills()
        watch = asyncio.ensure_future(cancelled()) if cancelled is not None else None
        answer = asyncio.ensure_future(asyncio.to_thread(_answer_to, child, Asked(name, words)))
        healthy = False
        try:
            if watch is not None:
                await asyncio.wait({answer, watch}, return_when=asyncio.FIRST_COMPLETED)
                if watch.done() and not answer.done():
                    child.cancel()
                    await asyncio.wait({answer}, timeout=GRACE)
                    if not answer.done():
                        raise BrokenOff
            done: Done = await asyncio.shield(answer)
            child.memory, child.rested, healthy = done.memory, time.monotonic(), True
            return done.fault
        except (EOFError, OSError):
            raise Lost(_why_lost(child, kills)) from None
        finally:
            if watch is not None:
                watch.cancel()
            self._busy.discard(child)
            if healthy:
                self._resting.append(child)
            else:
                answer.add_done_callback(lambda ended: ended.cancelled() or ended.exception())
                await asyncio.to_thread(child.end)

    async def replace_for_ever(self) -> None:
        """End fat children once they have rested, again and again; they are forked anew when they are needed."""
        while True:
            await asyncio.sleep(1)
            now = time.monotonic()
            for child in [item for item in self._resting if item.memory > FAT and now - item.rested > REST]:
                self._resting.remove(child)
                await asyncio.to_thread(child.end)

    def end(self) -> None:
        """End all children at once."""
        for child in (*self._resting, *self._busy):
            child.process.kill()


def _answer_to(child: Child, asked: object) -> Any:
    """Give a child a task and wait for its answer."""
    child.pipe.send(asked)
    return child.pipe.recv()


def _why_lost(child: Child, kills: int) -> str:
    """Why a child died, and what to do."""
    child.process.join(1)
    if out_of_memory_kills() > kills:
        return "there was not enough memory for this: use a coarser pitch, or thin the mesh out"
    return "the process that did this was ended from outside: start it again"
