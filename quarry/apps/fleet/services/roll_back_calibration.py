from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import Calibration
from quarry.apps.fleet.queries import in_force
from quarry.apps.fleet.services._enforce import enforce


@transaction.atomic
def roll_back_calibration(*, actor: User, number: int) -> Calibration:
    """Take a calibration back; the one before it is in force again, or the claim."""
    require(actor, "calibrations:accept")
    row = Calibration.objects.select_for_update(of=("self",)).filter(number=number).first()
    if row is None:
        raise DomainError("not_found", "There is no calibration of this number.")
    if row.rolled_back_at is not None:
        return row
    row.rolled_back_at, row.rolled_back_by = timezone.now(), actor
    row.save(update_fields=["rolled_back_at", "rolled_back_by"])
    enforce(row.thing, row.thing_id, row.subject)
    now = in_force(row.subject, row.thing_id)
    record(
        actor=actor,
        action="calibration.rolled_back",
        row=row,
        label=f"{row.subject} of {row.label}"[:160],
        before={"factor": row.factor, "number": row.number},
        after={"factor": now.factor if now else 1.0},
    )
    return row
