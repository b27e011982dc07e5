from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.history import locked, record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.search.models import Search, SearchPhoto


@transaction.atomic
def end_search(*, actor: User, search_id: UUID, ended: bool = True, forget: bool = False) -> Search:
    """End a search, or resume it. ``forget``: what is known of the person and all photos are deleted for good; ground and reports stay."""
    require(actor, "jobs:write")
    row = locked(Search, search_id, "search")
    row.ended_at = (row.ended_at or timezone.now()) if ended else None
    if forget:
        row.person = ""
        row.kind = None
        SearchPhoto.objects.filter(search=row).delete()
    row.version += 1
    row.save()
    record(actor=actor, action="search.ended" if ended else "search.resumed", row=row, label=row.name)
    if forget:
        record(actor=actor, action="search.forgotten", row=row, label=row.name)
    return row
