from __future__ import annotations

from dataclasses import replace

from django.db import transaction

from quarry.apps.day import mappers
from quarry.apps.day.models import DayRun
from quarry.apps.day.repository import frame_of, rehearsal_from, rehearsal_json
from quarry.apps.day.services.tell_screens import tell_screens


def look_back(*, run: DayRun) -> None:
    """Play a rehearsal that is over again with every call answered at once, keep how that went, and tell the screens."""
    better = mappers.better_answers(rehearsal_from(run), frame_of(run))
    with transaction.atomic():
        mine = DayRun.objects.select_for_update(of=("self",)).get(pk=run.pk)
        mine.rehearsal = rehearsal_json(replace(rehearsal_from(mine), better=better))
        mine.save(update_fields=["rehearsal"])
        tell_screens(run=mine, look=True)
