from __future__ import annotations

from django.db import transaction

from quarry.apps.day import mappers
from quarry.apps.day.models import DayRun
from quarry.apps.day.queries import read_run, run_of
from quarry.apps.day.repository import changes_json, changes_of
from quarry.apps.day.services.tell_screens import tell_screens
from quarry.apps.day.views.live import Change


def take_better(*, run: DayRun) -> bool:
    """Look longer for a better plan for the rest of a day; returns whether one was taken.

    What happens meanwhile comes first: a plan for a moment that has passed is thrown away.
    """
    reading = read_run(run)
    now_s = reading.now_s
    replanned = mappers.planned(reading, anew=True, plays=mappers.LONG_PLAYS, search_s=mappers.SEARCH_S)
    if replanned.kept or replanned.plan is None:
        return False
    with transaction.atomic():
        own_run = run_of(run.day_id, lock=True)
        if own_run.revision != run.revision:
            return False
        words = f"looked longer: {replanned.words}" if replanned.words else "looked longer"
        own_run.current = mappers.current_json(replanned, own_run.current)
        own_run.changes = changes_json([*changes_of(own_run), Change(now_s, words, kept=False, problem=replanned.problem)])
        own_run.planned_at_s = now_s
        own_run.revision += 1
        own_run.save(update_fields=["current", "changes", "planned_at_s", "revision"])
        tell_screens(run=own_run)
    return True
