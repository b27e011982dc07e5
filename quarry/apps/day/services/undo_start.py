from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.models import DayEvent, DayTelemetry
from quarry.apps.day.queries import run_of
from quarry.apps.day.services.tell_screens import tell_screens


@transaction.atomic
def undo_start(*, actor: User, day_id: UUID) -> None:
    """Take a beginning back while nothing has happened: the day is planned again, as if it had not begun."""
    require(actor, "day:run")
    run = run_of(day_id, lock=True)
    if run.closed_at is not None or DayEvent.objects.filter(day=run.day).exists():
        raise DomainError("not_ready", "Something has happened on this day: end it instead, then its records are kept.", "day")
    DayTelemetry.objects.filter(day=run.day).delete()
    record(actor=actor, action="day.start_undone", row=run.day, label=run.day.name)
    tell_screens(run=run)
    run.delete()
