"""The queues of work, the tasks in them, and how many of each a worker does at one time."""

from typing import NamedTuple

QUEUES: tuple[tuple[str, int], ...] = (("calculate", 1), ("mesh", 2), ("sample", 1))
"""One calculation at a time takes both cores; reading and drawing go on beside it. The sample shop has a queue of its
own, so that it never takes the place of a mesh that somebody drops."""


class TaskKind(NamedTuple):
    """A task: its queue, its `priority` (higher ones go first), and how often it is tried again after a fault. `once` :
    it waits in the queue once at most, and is done by one worker at a time. `module` : where its function is."""

    queue: str
    priority: int
    retry: int = 0
    once: bool = False
    module: str = "nephos.web.tasks"


ASKED, WAITED_FOR, SHOWN, SAMPLE, TIDYING = 20, 10, 5, -5, -10
"""Priorities: of what a person has just asked for and waits for; of longer work that a person waits for; of what shows
once it is there; of the sample shop; of dropping what nobody needs."""

TASKS: dict[str, TaskKind] = {
    "read_uploaded": TaskKind("mesh", ASKED, retry=2),
    "prepare": TaskKind("mesh", ASKED, retry=2),
    "draw_outlines": TaskKind("mesh", SHOWN, retry=2),
    "read_drawing": TaskKind("mesh", ASKED),
    "export_model": TaskKind("mesh", WAITED_FOR),
    "prove_program": TaskKind("mesh", WAITED_FOR),
    "propose": TaskKind("mesh", WAITED_FOR),
    "cut_window_of": TaskKind("mesh", ASKED),
    "export_block": TaskKind("mesh", WAITED_FOR),
    "export_whole": TaskKind("mesh", WAITED_FOR),
    "collect_results": TaskKind("mesh", TIDYING, once=True),
    "forget_results": TaskKind("mesh", TIDYING),
    "calculate": TaskKind("calculate", WAITED_FOR, retry=2),
    "make_sample_shop": TaskKind("sample", SAMPLE, retry=2, once=True, module="nephos.command.sample"),
}
"""All tasks, by the name of their function."""
COLLECT_AT = "*/10 * * * *"
"""When results that nobody needs are dropped, as cron writes it."""


def task_name(function: str) -> str:
    """The name of a task in the queue."""
    return f"nephos.web.tasks.{function}"


def options_of(function: str) -> dict[str, object]:
    """How a task is made known to the queue."""
    kind = TASKS[function]
    once = {"queueing_lock": function, "lock": function} if kind.once else {}
    return {
        "name": task_name(function),
        "queue": kind.queue,
        "priority": kind.priority,
        "retry": kind.retry or False,
        **once,
    }
