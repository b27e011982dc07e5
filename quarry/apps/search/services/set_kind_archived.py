from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import archive, locked
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.search.models import PersonKind


@transaction.atomic
def set_kind_archived(*, actor: User, kind_id: UUID, archived: bool) -> PersonKind:
    """Archive a kind of person or bring it back."""
    require(actor, "policy:write")
    row = locked(PersonKind, kind_id, "kind of person")
    archive(actor=actor, row=row, archived=archived, kind="person_kind", label=row.name)
    return row
