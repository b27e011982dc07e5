"""Put a terrain away or bring it back."""

from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.jobs.models import Terrain


@transaction.atomic
def set_terrain_archived(*, actor: User, terrain_id: UUID, archived: bool) -> Terrain:
    """Put a terrain away or bring it back."""
    require(actor, "jobs:write")
    row = Terrain.objects.select_for_update().filter(pk=terrain_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such terrain.")
    row.archived_at = timezone.now() if archived else None
    row.version += 1
    row.save(update_fields=["archived_at", "version"])
    record(actor=actor, action="terrain.archived" if archived else "terrain.restored", row=row, label=row.name)
    return row
