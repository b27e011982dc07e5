from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.models import User
from quarry.apps.day.models import Day
from quarry.apps.day.queries import day_json, day_of
from quarry.apps.day.services.add_day import add_day


@transaction.atomic
def copy_day(*, actor: User, day_id: UUID, to_date: str) -> Day:
    """Make a copy of a day on another date."""
    return add_day(actor=actor, figures={**day_json(day_of(day_id)), "date": to_date})
