from __future__ import annotations

from dataclasses import replace
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.queries import clock_of
from quarry.apps.day.repository import rehearsal_from, rehearsal_json
from quarry.apps.day.services._rehearsals import checked_speed, rehearsal_of
from quarry.apps.day.services.tell_screens import tell_screens


@transaction.atomic
def steer_rehearsal(*, actor: User, day_id: UUID, speed: float | None = None, by_hand: bool | None = None) -> None:
    """Set how fast the clock of a rehearsal runs (0: it stands) and who answers its calls."""
    require(actor, "day:run")
    run = rehearsal_of(day_id)
    if speed is not None:
        if speed and run.closed_at:
            raise DomainError("closed", "This rehearsal is over: begin_rehearsal another.", "speed")
        run.clock_s, run.clock_at, run.speed = clock_of(run), timezone.now(), checked_speed(speed)
    if by_hand is not None:
        run.rehearsal = rehearsal_json(replace(rehearsal_from(run), by_hand=by_hand))
    run.revision += 1
    run.save(update_fields=["clock_s", "clock_at", "speed", "rehearsal", "revision"])
    tell_screens(run=run)
