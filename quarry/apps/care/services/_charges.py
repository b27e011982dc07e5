"""A charge that runs."""

from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.care.models import Charging


def open_charge(charging_id: UUID) -> Charging:
    """Return a charge that runs, locked."""
    row = Charging.objects.select_for_update(of=("self",)).select_related("charger").filter(pk=charging_id, ended_at=None).first()
    if row is None:
        raise DomainError("not_found", "This charge has ended already.")
    return row
