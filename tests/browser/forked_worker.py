"""A worker in a process that is forked from one with everything imported: that takes seconds each time."""

import multiprocessing
from multiprocessing.process import BaseProcess

_FORKS = multiprocessing.get_context("forkserver")
_FORKS.set_forkserver_preload(["nephos.command.worker", "nephos.web.tasks"])


def _work(database: str) -> None:
    """Be a worker of a database."""
    import asyncio

    from django.conf import settings

    settings.DATABASES["default"]["NAME"] = database
    from nephos.command.worker import main

    asyncio.run(main(None))


def start_worker() -> BaseProcess:
    """Start a worker of the database of the tests."""
    from django.db import connection

    process = _FORKS.Process(target=_work, args=(str(connection.settings_dict["NAME"]),), daemon=True)
    process.start()
    return process
