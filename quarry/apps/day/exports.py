"""A day's plan in open formats."""

from __future__ import annotations

from django.utils.text import slugify

from quarry.apps.accounts.errors import DomainError
from quarry.apps.day.fields import moments_of
from quarry.apps.day.formats.calendar import calendar
from quarry.apps.day.formats.sheet import sheet_pdf
from quarry.apps.day.formats.tables import as_csv, as_json
from quarry.apps.day.models import Day
from quarry.apps.day.queries import day_json, day_view, plan_of, version_of
from quarry.apps.day.repository import plan_from

FORMS = ("pdf", "ics", "csv", "json")


def export_day(day: Day, form: str, number: int | None = None) -> tuple[bytes, str, str]:
    """Return (content, file name, media type) of a day's plan, the newest or one that is kept."""
    kept = plan_of(day)[0] if number is None else version_of(day, number)
    shown, opens, plan = day_view(day), moments_of(day)[0], plan_from(kept.plan)
    name = f"{slugify(day.name) or 'day'}-{day.date.isoformat()}.{form}"
    if form == "pdf":
        return sheet_pdf(shown, kept.number, opens, plan), name, "application/pdf"
    if form == "ics":
        content = calendar(str(day.pk), day.name, opens, kept.made_at, plan, kept.number)
        return content, name, "text/calendar; charset=utf-8"
    if form == "csv":
        return as_csv(opens, plan), name, "text/csv; charset=utf-8"
    if form == "json":
        return as_json(day_json(day), kept.number, opens, plan), name, "application/json"
    raise DomainError("not_found", f"A day goes out as one of {', '.join(FORMS)}.")
