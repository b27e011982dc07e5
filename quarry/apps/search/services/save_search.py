from __future__ import annotations

from typing import Any
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import check_version, record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.search.models import Search
from quarry.apps.search.services._rows import checked, kept, kind_of, named, open_search


@transaction.atomic
def save_search(
    *, actor: User, search_id: UUID, version: int, name: str, what: Any, person: str = "", kind_id: UUID | None = None
) -> Search:
    """Save a search as it stands on the screen; raises `Stale` if somebody saved in between.

    The history keeps what was changed of it, but nothing of the person.
    """
    require(actor, "jobs:write")
    row = open_search(search_id)
    check_version(row, version, {"name": row.name, "version": row.version})
    f = checked(what)
    before = {"name": row.name, "what": row.what, "kind_id": str(row.kind_id) if row.kind_id else None}
    row.name, row.what, row.person, row.kind = named(name), kept(f), person.strip()[:300], kind_of(kind_id)
    row.version += 1
    row.save()
    after = {"name": row.name, "what": row.what, "kind_id": str(row.kind_id) if row.kind_id else None}
    record(actor=actor, action="search.changed", row=row, label=row.name, before=before, after=after)
    return row
