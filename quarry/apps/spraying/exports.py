"""Mix sheets and records as files."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.files import stem_of
from quarry.apps.flown.formats.proof import sprayed_map
from quarry.apps.flown.queries import known_of, shown
from quarry.apps.jobs.queries import entered, job_of
from quarry.apps.spraying.formats.mix_pdf import mix_pdf
from quarry.apps.spraying.formats.records import records_csv, records_pdf
from quarry.apps.spraying.queries import closed_records, columns_asked, mix_sheet_of, record_of, today_of
from quarry.apps.spraying.views import SprayRecordOut

_MOST_PAGES = 60


def export_mix(*, actor: User, job_id: UUID, on: date | None = None) -> tuple[bytes, str]:
    """Return (PDF, file name) of a mix sheet; raises `DomainError` where there is none."""
    sheet = mix_sheet_of(job_id, on)
    if sheet.problem:
        raise DomainError("missing", sheet.problem, sheet.field)
    made = mix_pdf(sheet, actor.organisation.name, (on or today_of(actor.organisation)).isoformat())
    return made, f"{stem_of(sheet.job, 'job')}-mix.pdf"


def _drawn(r: SprayRecordOut) -> str:
    """Return the map of what a record says was sprayed; empty where nothing can be drawn."""
    try:
        known = known_of(r.job_id, r.day_id)
        found = shown(known)
    except DomainError:
        return ""
    outlines = [a.ring for a in entered(job_of(r.job_id)).taken]
    return sprayed_map(outlines, [line for of in known.lines().values() for line in of], found)


def export_record(*, actor: User, day_id: UUID, job_id: UUID, form: str) -> tuple[bytes, str]:
    """Return (content, file name) of one record as PDF or CSV."""
    r = record_of(day_id, job_id)
    name = f"spray-record-{r.number:04d}.{form}" if r.number else f"{stem_of(r.job, 'job')}-spray-record.{form}"
    if form == "csv":
        return records_csv([r], columns_asked([])), name
    return records_pdf([r], actor.organisation.name, [_drawn(r)]), name


def export_records(
    *, actor: User, form: str, search: str = "", product: str = "", season: str = "", columns: Sequence[str] = ()
) -> tuple[bytes, str]:
    """Return (content, file name) of closed records as CSV in the columns asked for, or as PDF.

    Raises
    ------
    DomainError
        No record fits, or more than are printed at once.
    """
    found = closed_records(search=search, product=product, season=season)
    if form == "csv":
        return records_csv(found, columns_asked(columns)), "spray-records.csv"
    if len(found) > _MOST_PAGES:
        raise DomainError("too_large", f"{len(found)} records are too many to print. Choose a season or a product.", "season")
    return records_pdf(found, actor.organisation.name, [_drawn(r) for r in found]), "spray-records.pdf"
