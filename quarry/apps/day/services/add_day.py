from __future__ import annotations

from datetime import time

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.models import Day
from quarry.apps.day.queries import day_json, day_of
from quarry.apps.day.services._entering import entered, fill, fill_lists


@transaction.atomic
def add_day(*, actor: User, figures: Entered) -> Day:
    """Make a day."""
    require(actor, "day:write")
    day = Day(organisation=actor.organisation, opens=time(8), closes=time(17), date=timezone.now().date())
    entry = entered(figures)
    fill(day, entry)
    day.save()
    fill_lists(day, entry)
    record(
        actor=actor,
        action="day.added",
        row=day,
        label=day.name,
        after=day_json(day),
    )
    return day_of(day.pk)
