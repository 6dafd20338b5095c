"""Work of workers that were killed: taken up again by those that live, whatever stands in the way of a single job."""

import asyncio
import logging

from procrastinate.exceptions import UniqueViolation
from procrastinate.jobs import Status
from procrastinate.manager import JobManager

LOG = logging.getLogger("nephos.tasks")


async def take_up_lost(manager: JobManager, silent: float) -> int:
    """Put the work of workers that were silent for so many seconds back in the queue; returns how much of it.

    Where the same work waits already, as it was asked for again meanwhile, the lost one is ended: the other does it.
    """
    taken = 0
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=silent):
        try:
            await manager.retry_job(job)
            taken += 1
        except UniqueViolation:
            await manager.finish_job(job, status=Status.FAILED, delete_job=False)
    return taken


async def take_up_lost_for_ever(manager: JobManager, silent: float) -> None:
    """Do so again and again. A fault, such as a database that is restarted, is logged and does not end it."""
    while True:
        try:
            await take_up_lost(manager, silent)
        except Exception:
            LOG.exception("lost work could not be taken up; it is tried again")
        await asyncio.sleep(silent / 3)
