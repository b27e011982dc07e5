from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.day.services import call_home
from quarry.apps.search import mappers
from quarry.apps.search.fields import as_kept, read_report
from quarry.apps.search.models import SearchPhoto, SearchReport
from quarry.apps.search.queries import entered, photo_keys
from quarry.apps.search.services._rows import one_line, open_search


@transaction.atomic
def add_report(*, actor: User, search_id: UUID, key: UUID, kind: str, figures: Any, at: datetime | None = None) -> SearchReport:
    """Write down that a segment was searched, a clue, a find or a note. The same key writes once.

    Raises
    ------
    DomainError
        It lacks what its kind needs, or would make all ground impossible.
    """
    require(actor, "day:run")
    row = open_search(search_id)
    there = SearchReport.objects.filter(search=row, key=key).first()
    if there is not None:
        return there
    f = entered(row)
    try:
        report = mappers.checked_report(kind, read_report(figures), f)
    except mappers.SearchError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    made = SearchReport.objects.create(
        organisation=row.organisation,
        search=row,
        key=key,
        kind=kind,
        figures=as_kept(report),
        at=at or timezone.now(),
        by=actor,
        by_name=actor.full_name or actor.username,
    )
    if len(set(report.photos)) != SearchPhoto.objects.filter(search=row, key__in=photo_keys(report)).count():
        raise DomainError("not_found", "A photo of this report is no longer there. Take it again.", "photos")
    if report.likelier:
        mappers.check_clue(f, report)
    if kind == "find" and row.day_id is not None:
        call_home(actor=actor, day_id=row.day_id, key=key.hex, words=one_line(report.words), place=report.place)
    record(actor=actor, action=f"search.{kind}", row=row, label=row.name)
    return made
