"""The line of waiting work: how many tasks come before one."""

from typing import Any

from django.db import connection

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
