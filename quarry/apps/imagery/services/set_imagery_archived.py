from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import archive, locked
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.imagery.models import Imagery


@transaction.atomic
def set_imagery_archived(*, actor: User, imagery_id: UUID, archived: bool) -> Imagery:
    """Put a picture of the ground away or bring it back."""
    require(actor, "jobs:write")
    row = locked(Imagery, imagery_id, "imagery")
    archive(actor=actor, row=row, archived=archived, kind="imagery", label=row.name)
    return row
