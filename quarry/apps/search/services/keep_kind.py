from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import locked, record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.search import mappers
from quarry.apps.search.models import PersonKind


@transaction.atomic
def keep_kind(
    *, actor: User, name: str, within: Sequence[tuple[float, float]], note: str = "", kind_id: UUID | None = None
) -> PersonKind:
    """Make a kind of person with its table of distances, or change one; raises `DomainError` where the table does not rise."""
    require(actor, "policy:write")
    if not name.strip():
        raise DomainError("missing", "Give the kind of person a name.", "name")
    try:
        mappers.kind_table(within)
    except mappers.SearchError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    row = locked(PersonKind, kind_id, "kind of person") if kind_id else PersonKind(organisation=actor.organisation)
    row.name, row.within, row.note, row.example = name.strip()[:60], [list(x) for x in within], note.strip()[:200], False
    row.version += bool(kind_id)
    row.save()
    record(actor=actor, action="person_kind.changed" if kind_id else "person_kind.added", row=row, label=row.name)
    return row
