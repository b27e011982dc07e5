from __future__ import annotations

from typing import Any
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.search.models import Search
from quarry.apps.search.services._rows import checked, kept, kind_of, named


@transaction.atomic
def add_search(*, actor: User, name: str, what: Any, person: str = "", kind_id: UUID | None = None) -> Search:
    """Make a search; raises `DomainError` at the field that cannot be."""
    require(actor, "jobs:write")
    f = checked(what)
    row = Search.objects.create(
        organisation=actor.organisation, name=named(name), what=kept(f), person=person.strip()[:300], kind=kind_of(kind_id)
    )
    record(actor=actor, action="search.added", row=row, label=row.name)
    return row
