from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import archive, locked
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.spraying.models import SwathTest


@transaction.atomic
def set_swath_test_archived(*, actor: User, test_id: UUID, archived: bool) -> SwathTest:
    """Archive a swath test, or restore it."""
    require(actor, "fleet:write")
    row = locked(SwathTest, test_id, "swath test")
    archive(actor=actor, row=row, archived=archived, kind="swath_test", label=f"{row.aircraft.name}: {row.spacing_m:.1f} m")
    return row
