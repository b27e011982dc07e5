"""Keep what the simulated world of a rehearsal remembers."""

from __future__ import annotations

from dataclasses import replace

from django.db import transaction

from quarry.apps.day.models import DayRun
from quarry.apps.day.repository import WorldMemory, rehearsal_from, rehearsal_json


def remember_world(*, run: DayRun, memory: WorldMemory) -> None:
    """Keep what the simulated world of a rehearsal remembers; what people changed meanwhile stays."""
    with transaction.atomic():
        mine = DayRun.objects.select_for_update(of=("self",)).get(pk=run.pk)
        mine.rehearsal = rehearsal_json(replace(rehearsal_from(mine), memory=memory))
        mine.save(update_fields=["rehearsal"])
    run.rehearsal = mine.rehearsal
