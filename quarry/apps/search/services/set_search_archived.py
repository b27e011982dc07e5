from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import archive, locked
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.search.models import Search


@transaction.atomic
def set_search_archived(*, actor: User, search_id: UUID, archived: bool) -> Search:
    """Archive a search or bring it back."""
    require(actor, "jobs:write")
    row = locked(Search, search_id, "search")
    archive(actor=actor, row=row, archived=archived, kind="search", label=row.name)
    return row
