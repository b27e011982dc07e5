"""Put a thing away or bring it back; nothing is ever deleted."""

from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import Pack, Thing
from quarry.apps.fleet.services._things import check_thing, locked_thing


@transaction.atomic
def set_archived(*, actor: User, model: type[Thing], thing_id: UUID, archived: bool) -> Thing:
    """Put a thing away or bring it back; nothing is ever deleted."""
    require(actor, "packs:retire" if model is Pack else "fleet:write")
    row = locked_thing(model, thing_id)
    row.archived_at = timezone.now() if archived else None
    if not archived:
        check_thing(row)
    row.version += 1
    row.save()
    kind = model._meta.model_name or ""
    action = f"{kind}.archived" if archived else f"{kind}.restored"
    record(actor=actor, action=action, row=row, label=row.name)
    return row
