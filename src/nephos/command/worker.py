"""A worker: takes work off the queue in PostgreSQL, and has child processes do it. Several may run, on several
machines.

This process never computes: it keeps its heartbeat, passes tasks on, and sees to cancelling."""

import asyncio
import logging
import os
import signal
from collections.abc import Awaitable, Callable, Coroutine
from typing import Any, Protocol, cast

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "nephos.web.settings")

import django

django.setup()

from asgiref.sync import sync_to_async  # noqa: E402  Django must be set up first
from django.db import DatabaseError, connection  # noqa: E402
from django.db.models import QuerySet  # noqa: E402
from procrastinate import App, JobContext  # noqa: E402
from procrastinate.contrib.django import app  # noqa: E402

from nephos.command.children import BrokenOff, Children, Lost  # noqa: E402
from nephos.processes import end_with_parent  # noqa: E402
from nephos.web.events import Listener  # noqa: E402
from nephos.web.lost_work import take_up_lost_for_ever  # noqa: E402
from nephos.web.models import Calculation  # noqa: E402
from nephos.web.queues import COLLECT_AT, QUEUES, TASKS, options_of  # noqa: E402

LOG = logging.getLogger("nephos.worker")
HEARTBEAT = 2.0
LOST = 10.0
"""A worker that was silent for this many seconds is taken for dead, and its work is taken up again."""
_ENDING = 3.0
"""Seconds that tasks have to end when the worker is told to stop. What is not done by then is taken up again later."""
_ASK_AGAIN = 1.0
"""Seconds after which the database is asked for a cancel, even if no event told of one."""


class Fault(Exception):
    """A task ended with a fault: the queue tries it again."""


class Runner(Protocol):
    """Does tasks."""

    async def run(
        self, name: str, words: dict[str, Any], cancelled: Callable[[], Awaitable[None]] | None = None
    ) -> str:
        """Do a task; returns the fault that it ended with, empty where there was none."""


class Cancels:
    """Tells when a calculation is to be cancelled."""

    def __init__(self) -> None:
        self._listener = Listener()

    def of(self, calculation: int) -> Callable[[], Awaitable[None]]:
        """Waits until a calculation is to be cancelled."""

        async def cancelled() -> None:
            asked = Calculation.objects.filter(pk=calculation, cancel=True)
            async with self._listener.reader() as reader:
                while not await _exists(asked):
                    events = await reader.take(within=_ASK_AGAIN)
                    if not any(event.kind in {"calculation", "all"} for event in events):
                        await asyncio.sleep(0.1)

        return cancelled


async def _exists(rows: "QuerySet[Calculation]") -> bool:
    """Whether there is such a row; none is seen while the database does not answer."""
    try:
        return await rows.aexists()
    except DatabaseError:
        await sync_to_async(connection.close)()
        return False


async def do_task(runner: Runner, cancels: Cancels, name: str, words: dict[str, Any], last: bool = False) -> None:
    """Have a task done. It is done once more where its process dies; then it is given up, with the reason. `last` : the
    queue does not try it again after a fault.

    Raises
    ------
    Fault
        Where it ends with a fault, and is tried again.
    """
    cancelled = cancels.of(words["calculation_id"]) if name == "calculate" else None
    for left in (1, 0):
        try:
            fault = await runner.run(name, words, cancelled)
        except Lost as reason:
            LOG.warning("%s: %s", name, reason)
            if not left:
                await _give_up(runner, name, words, str(reason))
                return
        except BrokenOff:
            row = Calculation.objects.filter(pk=words["calculation_id"])
            await row.aupdate(state=Calculation.State.CANCELLED)
            return
        else:
            if fault and not last:
                raise Fault(fault)
            if fault:
                await _give_up(runner, name, words, "this broke off by a fault of Nephos: please report it")
            return


async def _give_up(runner: Runner, name: str, words: dict[str, Any], reason: str) -> None:
    """Tell those who wait for a task that it is not done."""
    try:
        fault = await runner.run("give_up", {"name": name, "words": words, "reason": reason})
    except Lost as again:
        fault = str(again)
    if fault:
        LOG.error("%s could not be given up: %s", name, fault)


def make_known(own: App, runner: Runner) -> None:
    """Make all tasks known to the queue: each is passed on to the runner."""
    cancels = Cancels()

    def passed_on(name: str) -> Callable[..., Coroutine[Any, Any, None]]:
        async def do(context: JobContext, timestamp: int | None = None, **words: Any) -> None:
            await do_task(runner, cancels, name, words, last=context.job.attempts >= TASKS[name].retry)

        return do

    for name in TASKS:
        known = own.task(**cast(Any, options_of(name)), pass_context=True)(passed_on(name))
        if name == "collect_results":
            own.periodic(cron=COLLECT_AT)(cast(Any, known))


async def main(children: Children | None) -> None:
    """Take work off the queue until told to stop. Without children, tasks are done in threads of this process."""
    if children is not None:
        make_known(app, children)
    # The base class of connectors does not declare it.
    worker = app.with_connector(cast(Any, app.connector).get_worker_connector())
    async with worker.open_async():
        beside = [asyncio.create_task(take_up_lost_for_ever(app.job_manager, LOST))]
        if children is not None:
            await children.warm()
            beside.append(asyncio.create_task(children.replace_for_ever()))
        queues = [
            asyncio.create_task(
                worker.run_worker_async(
                    name=f"{queue} of {os.getpid()}",
                    queues=[queue],
                    concurrency=concurrency,
                    update_heartbeat_interval=HEARTBEAT,
                    stalled_worker_timeout=LOST,
                    fetch_job_polling_interval=1.0,
                    install_signal_handlers=False,
                )
            )
            for queue, concurrency in QUEUES
        ]
        loop, stopped = asyncio.get_running_loop(), asyncio.Event()
        for number in (signal.SIGTERM, signal.SIGINT):
            loop.add_signal_handler(number, stopped.set)
        ended = asyncio.create_task(stopped.wait())
        await asyncio.wait([*queues, ended], return_when=asyncio.FIRST_COMPLETED)
        for task in queues:
            task.cancel()
        await asyncio.wait(queues, timeout=_ENDING)
        for task in beside:
            task.cancel()
        if children is not None:
            children.end()
        # What is left of tasks stays in the queue as begun: another worker takes it up.
        os._exit(0)


if __name__ == "__main__":
    end_with_parent()
    asyncio.run(main(Children()))
