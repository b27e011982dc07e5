from __future__ import annotations

from django.conf import settings
from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.care.formats.small_photo import small_photos
from quarry.apps.search import mappers
from quarry.apps.search.fields import ReportFields, as_kept
from quarry.apps.search.formats import ReadHandover, read_handover
from quarry.apps.search.models import PersonKind, Search, SearchPhoto, SearchReport
from quarry.apps.search.services._rows import checked, kept


@transaction.atomic
def take_over(*, actor: User, data: bytes) -> tuple[Search, list[str]]:
    """Make a search of what another crew handed over; returns it, and what was not taken.

    Its reports come with the times and people of that crew. Aircraft are none of it: they are chosen here.

    Raises
    ------
    DomainError
        The file holds no search that can be read.
    """
    require(actor, "jobs:write")
    if len(data) > settings.HANDOVER_MOST_BYTES:
        most = settings.HANDOVER_MOST_BYTES // 1_000_000
        raise DomainError("too_large", f"A handover has at most {most} MB. Choose the GeoJSON alone.", "file")
    try:
        read = read_handover(data)
    except mappers.SearchError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    notes = [*read.notes, "Choose who flies it: aircraft of the other crew are not taken over."]
    there = SearchReport.objects.filter(key__in=[r.key for r in read.reports]).select_related("search").first()
    if there is not None:
        notes.append(f"Its reports are here already, in “{there.search.name}”: this one stands beside it. Archive one of them.")
    row = Search.objects.create(
        organisation=actor.organisation,
        name=read.name,
        what=kept(checked(as_kept(read.what))),
        person=read.look_for,
        kind=_kind(actor, read, notes),
    )
    _photos(row, read, notes)
    _reports(row, read)
    record(actor=actor, action="search.taken_over", row=row, label=f"{row.name}, from {read.company}")
    return row, notes


def _kind(actor: User, read: ReadHandover, notes: list[str]) -> PersonKind | None:
    """Return the kind of person with the same table, else one that is made of it."""
    if not read.kind or not read.within:
        return None
    try:
        mappers.kind_table(read.within)
    except mappers.SearchError as bad:
        notes.append(f"The kind of person was not taken: {bad.message}")
        return None
    within = [list(x) for x in read.within]
    there = PersonKind.objects.filter(archived_at=None, within=within).first()
    if there is not None:
        return there
    notes.append(f"The kind of person “{read.kind}” came with its table of distances.")
    words = f"came with a search of {read.company}"[:200]
    return PersonKind.objects.create(organisation=actor.organisation, name=read.kind, within=within, note=words)


def _photos(row: Search, read: ReadHandover, notes: list[str]) -> None:
    small = small_photos(list(read.photos.values()))
    rows = [
        SearchPhoto(organisation=row.organisation, search=row, key=key, jpeg=jpeg)
        for key, jpeg in zip(read.photos, small, strict=True)
        if jpeg is not None
    ]
    SearchPhoto.objects.bulk_create(rows)
    if len(rows) < len(small):
        notes.append(f"{len(small) - len(rows)} of {len(small)} photos cannot be read and were left out.")


def _reports(row: Search, read: ReadHandover) -> None:
    for r in read.reports:
        by = f"{r.by}, {read.company}"[:120]
        place = {"organisation": row.organisation, "search": row, "by": None}
        made, fresh = SearchReport.objects.get_or_create(
            **place, key=r.key, defaults={"kind": r.kind, "figures": as_kept(r.figures), "at": r.at, "by_name": by}
        )
        if fresh and r.taken_back:
            figures = as_kept(ReportFields(takes_back=str(made.key)))
            who = f"{r.taken_back}, {read.company}"[:120]
            SearchReport.objects.create(**place, kind="taken_back", figures=figures, at=r.at, by_name=who)
