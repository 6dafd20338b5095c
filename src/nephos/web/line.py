"""The line of waiting work: getting into it, how many tasks come before one, and whether anybody waits."""

from typing import Any

from django.db import connection, transaction
from django.db.models import Exists, OuterRef, Q
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.exceptions import AlreadyEnqueued

from nephos.web.queues import TASKS, task_name

_AHEAD = """
WITH mine AS (
  SELECT id, priority FROM procrastinate_jobs
  WHERE task_name = %s AND status = 'todo' AND args @> %s::jsonb ORDER BY id LIMIT 1
)
SELECT count(*) FROM procrastinate_jobs other, mine
WHERE other.queue_name = %s AND (other.status = 'doing' OR (other.status = 'todo'
  AND (other.priority > mine.priority OR (other.priority = mine.priority AND other.id < mine.id))))
"""


def ahead_of(task: str, words: str) -> int:
    """How many tasks of its queue are done before a waiting one, those that are being done among them; 0 where it does
    not wait. `words` : part of its words, as JSON."""
    with connection.cursor() as cursor:
        cursor.execute(_AHEAD, [task_name(task), words, TASKS[task].queue])
        found: tuple[Any, ...] = cursor.fetchone()
    return int(found[0])


def ask_once(task: str, name: str, **words: Any) -> None:
    """Have a worker do something unless it is waiting to be done; where it is being done already, not before that is
    done. `name` : of what is asked for."""
    try:
        # On its own, so that finding it queued already does not spoil what else is being written.
        with transaction.atomic():
            kind = TASKS[task]
            waiting = app.configure_task(
                task_name(task), queue=kind.queue, priority=kind.priority, queueing_lock=name, lock=name
            )
            waiting.defer(**words)
    except AlreadyEnqueued:
        return


def somebody_waits(task: str, than: int) -> bool:
    """Whether a task of the queue of `task` waits that goes before those of priority `than`, and could begin now: none
    whose time has not come, or whose lock another one holds."""
    now = timezone.now()
    holder = ProcrastinateJob.objects.filter(status="doing", lock=OuterRef("lock"))
    waiting = ProcrastinateJob.objects.filter(queue_name=TASKS[task].queue, status="todo", priority__gt=than)
    ready = waiting.filter(Q(scheduled_at=None) | Q(scheduled_at__lte=now))
    return ready.exclude(Exists(holder)).exists()
