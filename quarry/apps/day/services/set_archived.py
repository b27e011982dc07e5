"""Put a day away or bring it back."""

from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.models import Day


@transaction.atomic
def set_archived(*, actor: User, day_id: UUID, archived: bool) -> Day:
    """Put a day away or bring it back."""
    require(actor, "day:write")
    row = Day.objects.select_for_update().filter(pk=day_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such day.")
    row.archived_at = timezone.now() if archived else None
    row.version += 1
    row.save()
    action = "day.archived" if archived else "day.restored"
    record(actor=actor, action=action, row=row, label=row.name)
    return row
