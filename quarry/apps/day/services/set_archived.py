from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import archive, locked
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.models import Day


@transaction.atomic
def set_archived(*, actor: User, day_id: UUID, archived: bool) -> Day:
    """Archive a day or bring it back."""
    require(actor, "day:write")
    row = locked(Day, day_id, "day")
    archive(actor=actor, row=row, archived=archived, kind="day", label=row.name)
    return row
