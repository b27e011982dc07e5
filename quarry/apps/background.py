"""Work on the queue that was broken off: found by its rows, begun again, given up after three tries with words.

A row says what it waits for (an import that is being read, a plan that is searched). Where it says so and no job that is
alive belongs to it, its worker or server died. Each app registers its kinds; `take_up` looks after all of them.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from asgiref.sync import async_to_sync
from django.contrib.sessions.models import Session
from django.db import DatabaseError, connection, transaction
from django.db.models import F, Q, QuerySet
from django.utils import timezone
from django_scopes import scopes_disabled
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateEvent, ProcrastinateJob
from procrastinate.jobs import Status

log = logging.getLogger(__name__)
MOST_TRIES = 3
ALIVE_S = 30.0  # a worker that has not been heard of for longer is dead
GRACE_S = 40.0  # a row younger than this may be worked on by the request that made it
BROKEN_OFF = "This was broken off three times, the last time because the process that worked on it ended. Try again."


@dataclass(frozen=True, slots=True)
class Kind:
    """Rows that wait for a task: which are under way, how one is begun again, and how it is given up.

    ``argument`` is the task's argument that holds the row's key. Rows count their ``tries`` and say when they were ``made_at``.
    """

    task: str
    argument: str
    under_way: Callable[[], QuerySet[Any]]
    again: Callable[[Any], None]
    give_up: Callable[[Any], None]


_KINDS: dict[str, Kind] = {}


def register(kind: Kind) -> None:
    """Add a kind of work, once."""
    _KINDS[kind.task] = kind


@dataclass(frozen=True, slots=True)
class Waiting:
    """How many jobs of a queue wait to be taken up, and for how long the oldest does."""

    queue: str
    count: int
    oldest_s: float


def waiting() -> list[Waiting]:
    """Return what waits, by queue; what is to be done later does not wait yet."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT j.queue_name, count(*), coalesce(max(extract(epoch FROM now() - e.at)), 0) "
            "FROM procrastinate_jobs j LEFT JOIN procrastinate_events e ON e.job_id = j.id AND e.type = 'deferred' "
            "WHERE j.status = 'todo' AND (j.scheduled_at IS NULL OR j.scheduled_at < now()) GROUP BY 1 ORDER BY 1"
        )
        return [Waiting(queue, count, float(oldest_s)) for queue, count, oldest_s in cursor.fetchall()]


@dataclass(frozen=True, slots=True)
class Tidying:
    """Something that is cleared away on a schedule: what in words, and what does it; it returns how much went."""

    words: str
    clear: Callable[[], int]


_TIDYINGS: list[Tidying] = []


def register_tidying(tidying: Tidying) -> None:
    """Add something that is cleared away, once."""
    _TIDYINGS.append(tidying)


def tidy() -> dict[str, int]:
    """Clear away what nobody needs any more: returns how much of each went. One that fails does not keep back the others."""
    found = {}
    with scopes_disabled():
        for tidying in (*_OWN, *_TIDYINGS):
            try:
                found[tidying.words] = tidying.clear()
            except DatabaseError:
                log.exception("%s cannot be cleared away", tidying.words)
    return found


def _finished_jobs() -> int:
    """Jobs that were done go after a day, jobs that failed after two weeks."""
    ended = ProcrastinateEvent.objects.filter(type__in=("succeeded", "failed", "cancelled", "aborted"))
    now = timezone.now()
    done = ended.filter(at__lt=now - timedelta(days=KEEP_DONE_DAYS)).values("job_id")
    failed = ended.filter(at__lt=now - timedelta(days=KEEP_FAILED_DAYS)).values("job_id")
    gone = ProcrastinateJob.objects.filter(Q(status="succeeded", pk__in=done) | Q(status__in=_FAILED, pk__in=failed))
    with connection.cursor() as cursor:
        keys = list(gone.values_list("pk", flat=True)[:_AT_ONCE])
        cursor.execute("DELETE FROM procrastinate_jobs WHERE id = ANY(%s)", [keys])
        return int(cursor.rowcount)


def _old_sessions() -> int:
    return int(Session.objects.filter(expire_date__lt=timezone.now()).delete()[0])


_FAILED = ("failed", "cancelled", "aborted")
KEEP_DONE_DAYS, KEEP_FAILED_DAYS = 1, 14
_AT_ONCE = 10_000
_OWN = (Tidying("finished jobs", _finished_jobs), Tidying("sessions that are over", _old_sessions))


def take_up() -> int:
    """Begin again what was broken off, give up what was broken off too often; returns how many rows were looked after."""
    with scopes_disabled():
        _end_dead_jobs()
        return sum(_take_up(kind) for kind in _KINDS.values())


def _take_up(kind: Kind) -> int:
    rows = kind.under_way().filter(made_at__lt=timezone.now() - timedelta(seconds=GRACE_S))
    keys = [str(k) for k in rows.values_list("pk", flat=True)]
    if not keys:
        return 0
    alive = {str(a.get(kind.argument)) for a in _alive().filter(task_name=kind.task).values_list("args", flat=True)}
    count = 0
    for key in keys:
        if key in alive:
            continue
        with transaction.atomic():
            row = kind.under_way().select_for_update(skip_locked=True).filter(pk=key).first()
            if row is None:
                continue
            if row.tries >= MOST_TRIES:
                log.warning("%s of %s was broken off %d times and is given up", kind.task, key, MOST_TRIES)
                kind.give_up(row)
            else:
                log.warning("%s of %s was broken off and is begun again", kind.task, key)
                type(row)._default_manager.filter(pk=row.pk).update(tries=F("tries") + 1)
                kind.again(row)
        count += 1
    return count


def _alive() -> QuerySet[ProcrastinateJob]:
    heard = timezone.now() - timedelta(seconds=ALIVE_S)
    return ProcrastinateJob.objects.filter(Q(status="todo") | Q(status="doing", worker__last_heartbeat__gt=heard))


def _end_dead_jobs() -> None:
    """Mark the jobs of dead workers as failed, so that they do not stand as being done for ever."""
    jobs = async_to_sync(app.job_manager.get_stalled_jobs)(seconds_since_heartbeat=ALIVE_S)
    for job in jobs:
        async_to_sync(app.job_manager.finish_job)(job, status=Status.FAILED, delete_job=False)
