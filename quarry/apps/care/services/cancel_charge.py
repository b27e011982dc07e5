from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.care.services._charges import open_charge


@transaction.atomic
def cancel_charge(*, actor: User, charging_id: UUID) -> None:
    """Take back a charge that was begun by mistake: nothing is recorded."""
    require(actor, "packs:record")
    row = open_charge(charging_id)
    row.delete()
