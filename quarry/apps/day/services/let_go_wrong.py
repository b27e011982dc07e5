from __future__ import annotations

from dataclasses import replace
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day import mappers
from quarry.apps.day.queries import clock_of
from quarry.apps.day.repository import frame_of, rehearsal_from, rehearsal_json
from quarry.apps.day.services._rehearsals import MOST_FAULTS, rehearsal_of
from quarry.apps.day.services.tell_screens import tell_screens


@transaction.atomic
def let_go_wrong(*, actor: User, day_id: UUID, kind: str, about: str = "", length_s: float = 1200.0) -> None:
    """Let something go wrong in a rehearsal, now or as soon as there is something for it to strike."""
    require(actor, "day:run")
    run = rehearsal_of(day_id)
    kept = rehearsal_from(run)
    try:
        fault = mappers.fault_of(kind, clock_of(run), about, length_s, frame_of(run), "")
    except mappers.EventRefused as bad:
        raise DomainError("invalid", bad.message, bad.field) from bad
    if len(kept.faults) >= MOST_FAULTS:
        raise DomainError("too_large", f"{MOST_FAULTS} faults in one rehearsal are the most.", "kind")
    run.rehearsal = rehearsal_json(replace(kept, faults=[*kept.faults, fault]))
    run.revision += 1
    run.save(update_fields=["rehearsal", "revision"])
    tell_screens(run=run)
