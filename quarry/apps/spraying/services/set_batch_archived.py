from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import archive, locked
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.spraying.models import Batch


@transaction.atomic
def set_batch_archived(*, actor: User, batch_id: UUID, archived: bool) -> Batch:
    """Archive a batch that is gone, or bring it back."""
    require(actor, "records:write")
    row = locked(Batch, batch_id, "batch")
    archive(actor=actor, row=row, archived=archived, kind="batch", label=f"{row.product.name}: {row.name}")
    return row
