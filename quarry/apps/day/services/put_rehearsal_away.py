from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.queries import clock_of
from quarry.apps.day.services._rehearsals import rehearsal_of


@transaction.atomic
def put_rehearsal_away(*, actor: User, day_id: UUID, away: bool = True) -> None:
    """Archive a rehearsal, or restore it; its clock stands meanwhile."""
    require(actor, "day:run")
    run = rehearsal_of(day_id)
    run.clock_s, run.clock_at, run.speed = clock_of(run), timezone.now(), 0.0
    run.save(update_fields=["clock_s", "clock_at", "speed"])
    run.day.archived_at = timezone.now() if away else None
    run.day.save(update_fields=["archived_at"])
