from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.history import check_version, locked, record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.models import Day
from quarry.apps.day.queries import day_json, day_of
from quarry.apps.day.services._entering import bring_packs, entered, fill, fill_lists


@transaction.atomic
def save_day(*, actor: User, day_id: UUID, version: int, figures: Entered) -> Day:
    """Save a day; raises `Stale` if somebody saved in between. A job that is new to it brings packs that it flies, if none are there."""
    require(actor, "day:write")
    row = locked(Day, day_id, "day")
    before = day_json(row)
    check_version(row, version, before)
    entry = entered(figures)
    had = set(row.jobs.values_list("job_id", flat=True))
    fill(row, entry)
    fill_lists(row, entry)
    bring_packs(row, [j for j in entry.jobs if j.job_id not in had])
    after = day_json(row)
    if after == before:
        return day_of(row.pk)
    row.version += 1
    row.save()
    record(
        actor=actor,
        action="day.changed",
        row=row,
        label=row.name,
        before=before,
        after=after,
    )
    return day_of(row.pk)
