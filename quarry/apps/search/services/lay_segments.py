from __future__ import annotations

from dataclasses import replace
from typing import Literal
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.search import mappers
from quarry.apps.search.models import Search
from quarry.apps.search.queries import entered, reports_of
from quarry.apps.search.services._rows import kept, open_search


@transaction.atomic
def lay_segments(
    *, actor: User, search_id: UUID, how: Literal["net", "paths"], side_m: float = 300.0, bearing_deg: float = 0.0
) -> Search:
    """Lay segments over the ground round the last known point, by a net or along paths and banks; those that nobody has searched go.

    Raises
    ------
    DomainError
        The ground is not known, or there would be too many.
    """
    require(actor, "jobs:write")
    row = open_search(search_id)
    f = entered(row)
    every, _ = reports_of(row)
    searched = {r.segment for _, r in every}
    stay = [s for s in f.segments if s.id in searched]
    try:
        f = replace(f, segments=stay)
        laid = mappers.net_fields(f, side_m, bearing_deg) if how == "net" else mappers.parted_fields(f)
    except mappers.SearchError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    row.what = kept(replace(f, segments=[*stay, *laid]))
    row.version += 1
    row.save(update_fields=["what", "version"])
    record(actor=actor, action="search.segments", row=row, label=f"{row.name}: {len(laid)} segments")
    return row
