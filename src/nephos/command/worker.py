"""A worker: takes work off the queue in PostgreSQL. Several may run, on several machines."""

import asyncio
import os
from typing import Any, cast

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "nephos.web.settings")

import django

django.setup()

from procrastinate.contrib.django import app  # noqa: E402  Django must be set up first

import nephos.web.tasks  # noqa: E402, F401  makes the tasks known to the application
from nephos.processes import end_with_parent  # noqa: E402
from nephos.web.lost_work import take_up_lost_for_ever  # noqa: E402
from nephos.web.queues import QUEUES  # noqa: E402

HEARTBEAT = 2.0
LOST = 10.0
"""A worker that was silent for this many seconds is taken for dead, and its work is taken up again."""


async def main() -> None:
    """Take work off the queue until told to stop."""
    # The base class of connectors does not declare it.
    worker = app.with_connector(cast(Any, app.connector).get_worker_connector())
    async with worker.open_async():
        lost = asyncio.create_task(take_up_lost_for_ever(app.job_manager, LOST))
        try:
            queues = [
                asyncio.create_task(
                    worker.run_worker_async(
                        name=f"{queue} of {os.getpid()}",
                        queues=[queue],
                        concurrency=concurrency,
                        update_heartbeat_interval=HEARTBEAT,
                        stalled_worker_timeout=LOST,
                        fetch_job_polling_interval=1.0,
                        shutdown_graceful_timeout=3,
                        install_signal_handlers=queue == "calculate",
                    )
                )
                for queue, concurrency in QUEUES
            ]
            # Told to stop, the first ends; the other goes with it.
            _, others = await asyncio.wait(queues, return_when=asyncio.FIRST_COMPLETED)
            for task in others:
                task.cancel()
            await asyncio.gather(*queues, return_exceptions=True)
        finally:
            lost.cancel()


if __name__ == "__main__":
    end_with_parent()
    asyncio.run(main())
