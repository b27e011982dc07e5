from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.services import call_home
from quarry.apps.search.fields import ReportFields, as_kept
from quarry.apps.search.models import Search, SearchReport
from quarry.apps.search.queries import reports_of
from quarry.apps.search.services._rows import open_search


@transaction.atomic
def take_back_report(*, actor: User, search_id: UUID, key: UUID) -> Search:
    """Take a report back: shares stand as if it had never come; it stays to be read. Taking back twice changes nothing."""
    require(actor, "day:run")
    row = open_search(search_id)
    every, back = reports_of(row)
    if key not in {r.key for r, _ in every}:
        raise DomainError("not_found", "There is no such report.", "key")
    if str(key) not in back:
        SearchReport.objects.create(
            organisation=row.organisation,
            search=row,
            kind="taken_back",
            figures=as_kept(ReportFields(takes_back=str(key))),
            at=timezone.now(),
            by=actor,
            by_name=actor.full_name or actor.username,
        )
        if row.day_id is not None and any(r.key == key and r.kind == "find" for r, _ in every):
            call_home(actor=actor, day_id=row.day_id, key=key.hex, undo=True)
        record(actor=actor, action="search.taken_back", row=row, label=row.name)
    return row
