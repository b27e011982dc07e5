from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import archive, locked
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.jobs.models import Terrain


@transaction.atomic
def set_terrain_archived(*, actor: User, terrain_id: UUID, archived: bool) -> Terrain:
    """Archive a terrain or bring it back."""
    require(actor, "jobs:write")
    row = locked(Terrain, terrain_id, "terrain")
    archive(actor=actor, row=row, archived=archived, kind="terrain", label=row.name)
    return row
