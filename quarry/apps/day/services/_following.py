"""A running day is read once and planned anew from the middle."""

from __future__ import annotations

import logging

from django.db import transaction

from quarry.apps.day import mappers
from quarry.apps.day.models import DayRun
from quarry.apps.day.queries import read_run, run_of
from quarry.apps.day.repository import changes_json, changes_of
from quarry.apps.day.services._landed import keep_landed
from quarry.apps.day.services.tell_screens import tell_screens
from quarry.apps.day.views.live import Change

logger = logging.getLogger(__name__)


def follow(run: DayRun, *, turning: bool) -> tuple[mappers.Reading, mappers.Replanned] | None:
    """Plan anew after something has happened; a plan that cannot be made is logged and takes nothing back."""
    try:
        with transaction.atomic():
            return plan_anew(run_of(run.day_id, lock=True), turning=turning)
    except Exception:
        logger.exception("Day %s cannot be planned anew", run.day_id)
        tell_screens(run=run, look=True)
        return None


def plan_anew(run: DayRun, *, turning: bool) -> tuple[mappers.Reading, mappers.Replanned]:
    """Plan from now on, keep it with what was flown so far, and tell every screen; returns the day as it was read for it."""
    reading = read_run(run)
    now_s = reading.now_s
    replanned = mappers.planned(reading, anew=turning)
    keep_landed(run, reading)
    run.current = mappers.current_json(replanned, run.current)
    changes = changes_of(run)
    was = changes[-1].problem if changes else ""
    news = replanned.problem if replanned.problem != was else ""
    news = news or ("all that is left fits again" if was and not replanned.problem else "")
    words = "; ".join(w for w in (news, replanned.words) if w)
    if words:
        run.changes = changes_json([*changes, Change(now_s, words, replanned.kept, replanned.problem)])
    run.planned_at_s = now_s
    run.revision += 1
    run.save(update_fields=["current", "changes", "planned_at_s", "revision", "flown"])
    tell_screens(run=run)
    return reading, replanned
