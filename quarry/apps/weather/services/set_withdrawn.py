from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.history import locked, record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.weather.models import Reading
from quarry.apps.weather.services._readings import label_of


@transaction.atomic
def set_withdrawn(*, actor: User, reading_id: UUID, withdrawn: bool) -> Reading:
    """Take a reading back, or let it count again."""
    require(actor, "weather:write")
    row = locked(Reading, reading_id, "reading")
    row.withdrawn_at = timezone.now() if withdrawn else None
    row.save(update_fields=["withdrawn_at"])
    record(actor=actor, action="weather.withdrawn" if withdrawn else "weather.restored", row=row, label=label_of(row))
    return row
