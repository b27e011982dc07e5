from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import archive
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import Pack, Thing
from quarry.apps.fleet.services._things import check_thing, locked_thing


@transaction.atomic
def set_archived(*, actor: User, model: type[Thing], thing_id: UUID, archived: bool) -> Thing:
    """Archive a thing or bring it back; nothing is ever deleted."""
    require(actor, "packs:retire" if model is Pack else "fleet:write")
    row = locked_thing(model, thing_id)
    if not archived:
        row.archived_at = None
        check_thing(row)
    archive(actor=actor, row=row, archived=archived, kind=model._meta.model_name or "", label=row.name)
    return row
