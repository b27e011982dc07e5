"""Writing days: make, save, copy, archive; start and stop the search for a better plan."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, time
from typing import TypeVar
from uuid import UUID
from zoneinfo import available_timezones

from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import Model, QuerySet
from django.utils import timezone
from django.utils.text import slugify

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, Entered, Stale, record
from quarry.apps.day import mappers
from quarry.apps.day.fields import DayEntry, check_methods, entered_kept, pins_of, read_entry
from quarry.apps.day.formats.calendar import calendar
from quarry.apps.day.formats.sheet import sheet_pdf
from quarry.apps.day.formats.tables import as_csv, as_json
from quarry.apps.day.models import Day, DayJob, DayPack, DayPlan
from quarry.apps.day.queries import day_json, day_of, day_view, hours_of, known_packs, plan_of, version_of
from quarry.apps.day.repository import plan_from
from quarry.apps.fleet.models import Aircraft, Charger, Pack, Supply
from quarry.apps.jobs.models import Job

Row = TypeVar("Row", bound=Model)
_COLUMNS = (
    "name",
    "time_zone",
    "swap_s",
    "rest_after_flight_s",
    "rest_after_charge_s",
    "elevation_m",
    "bench_c",
    "methods",
    "pins",
)


def _entered(figures: Entered) -> DayEntry:
    try:
        return read_entry(figures)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def _time(value: str, field: str) -> time:
    try:
        return time.fromisoformat(value)
    except (ValueError, TypeError) as bad:
        raise DomainError("invalid", f"{value!r} is not a time of day. Write it as 08:00.", field) from bad


def _fill(day: Day, e: DayEntry) -> None:
    for name in _COLUMNS:
        if name in e.said:
            setattr(day, name, getattr(e, name))
    _fill_hours(day, e)
    _check_limits(day)
    try:
        check_methods(day.methods)
        pins_of(day.pins)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    if "supply_id" in e.said:
        day.supply = Supply.objects.filter(pk=e.supply_id).first() if e.supply_id else None
        if e.supply_id and day.supply is None:
            raise DomainError("not_found", "Choose a supply that exists.", "supply_id")
    try:
        day.full_clean(exclude=["organisation", "pauses", "methods", "pins"])
    except ValidationError as bad:
        field, messages = next(iter(bad.message_dict.items()))
        raise DomainError("invalid", " ".join(messages), field) from bad


def _fill_hours(day: Day, e: DayEntry) -> None:
    for name in ("opens", "closes"):
        if name in e.said:
            setattr(day, name, _time(getattr(e, name), name))
    if "date" in e.said:
        try:
            day.date = date.fromisoformat(e.date)
        except ValueError as bad:
            raise DomainError("invalid", "Write the date as year-month-day.", "date") from bad
    if "pauses" in e.said:
        for k, p in enumerate(e.pauses):
            if _time(p.to, f"pauses.{k}") <= _time(p.from_, f"pauses.{k}"):
                raise DomainError("invalid", "A break must end after it begins.", f"pauses.{k}")
        day.pauses = [entered_kept(p) for p in e.pauses]


def _check_limits(day: Day) -> None:
    if day.closes <= day.opens:
        raise DomainError("invalid", "The day must close after it opens. Move one of the two.", "closes")
    if day.time_zone not in available_timezones():
        raise DomainError(
            "invalid", f"{day.time_zone} is not a time zone. Choose one from the list, such as Europe/London.", "time_zone"
        )
    for d in mappers.DAY_DEFAULTS:
        name = d.key.removeprefix("day.")
        if not d.low <= getattr(day, name) <= d.high:
            scale, unit = (1 / 60, "minutes") if d.unit == "s" else (1.0, d.unit)
            raise DomainError(
                "out_of_range", f"{d.words} must lie between {d.low * scale:g} and {d.high * scale:g} {unit}.", name
            )


def _fill_lists(day: Day, e: DayEntry) -> None:
    if "charger_ids" in e.said:
        day.chargers.set(_all_of(Charger.objects.all(), e.charger_ids, "charger_ids", "a charger"))
    if "more_supply_ids" in e.said:
        day.more_supplies.set(_all_of(Supply.objects.all(), e.more_supply_ids, "more_supply_ids", "a supply"))
    if "crew_ids" in e.said:
        crew = User.objects.filter(organisation=day.organisation)
        day.crew.set(_all_of(crew, e.crew_ids, "crew_ids", "a person"))
    if "jobs" in e.said:
        _fill_jobs(day, e)
    if "packs" in e.said:
        _fill_packs(day, e)


def _fill_jobs(day: Day, e: DayEntry) -> None:
    day.jobs.all().delete()
    known = {j.pk: j for j in Job.objects.filter(pk__in=[j.job_id for j in e.jobs]).select_related("aircraft_model")}
    for place, j in enumerate(e.jobs):
        job = known.get(j.job_id)
        if job is None:
            raise DomainError("not_found", "Choose a job that exists.", f"jobs.{place}")
        aircraft = Aircraft.objects.filter(pk=j.aircraft_id).first() if j.aircraft_id else _fitting(job)
        DayJob.objects.create(organisation=day.organisation, day=day, job=job, aircraft=aircraft, place=place)


def _fill_packs(day: Day, e: DayEntry) -> None:
    known = known_packs([p.pack_id for p in e.packs])
    day.packs.all().delete()
    for k, p in enumerate(e.packs):
        if p.pack_id not in known:
            raise DomainError("not_found", "Choose a pack that exists.", f"packs.{k}")
        if not 0 <= p.start_frac <= 1:
            raise DomainError("out_of_range", "Charge must lie between 0 and 100 %.", f"packs.{k}")
        DayPack.objects.create(organisation=day.organisation, day=day, pack_id=p.pack_id, start_frac=p.start_frac)


def _all_of(rows: QuerySet[Row], wanted: Sequence[UUID | int], field: str, what: str) -> list[Row]:
    """Return the rows of all keys; raises at the first that is none: nothing is left out in silence."""
    found = {str(row.pk): row for row in rows.filter(pk__in=wanted)}
    for k, key in enumerate(wanted):
        if str(key) not in found:
            raise DomainError("not_found", f"Choose {what} that exists.", f"{field}.{k}")
    return list(found.values())


def _fitting(job: Job) -> Aircraft | None:
    if job.aircraft_id:
        return job.aircraft
    return Aircraft.objects.filter(model=job.aircraft_model, archived_at__isnull=True).order_by("name").first()


@transaction.atomic
def add_day(*, actor: User, figures: Entered) -> Day:
    """Make a day."""
    require(actor, "day:write")
    day = Day(organisation=actor.organisation, opens=time(8), closes=time(17), date=timezone.now().date())
    entry = _entered(figures)
    _fill(day, entry)
    day.save()
    _fill_lists(day, entry)
    record(
        actor=actor,
        action="day.added",
        row=day,
        label=day.name,
        after=day_json(day),
    )
    return day_of(day.pk)


@transaction.atomic
def start_day(*, actor: User, figures: Entered) -> Day:
    """Make a day of what was said; what was not begins with the usual figures and the whole serviceable fleet.

    What stays at home is left out afterwards. A supply that was said to be none is none.
    """
    said = {k: v for k, v in figures.items() if v is not None or k == "supply_id"}
    begun = {d.key.removeprefix("day."): d.value for d in mappers.DAY_DEFAULTS}
    able = Pack.objects.filter(archived_at=None, grounded=False).values_list("pk", "charge_frac")
    usual: Entered = {
        "pauses": [],
        "methods": {},
        "pins": [],
        "supply_id": Supply.objects.filter(archived_at=None).order_by("name").values_list("pk", flat=True).first(),
        "charger_ids": list(Charger.objects.filter(archived_at=None).values_list("pk", flat=True)),
        "crew_ids": [actor.pk],
        "packs": [{"pack_id": pk, "start_frac": frac} for pk, frac in able],
    }
    return add_day(actor=actor, figures={**begun, **usual, **said})


@transaction.atomic
def save_day(*, actor: User, day_id: UUID, version: int, figures: Entered) -> Day:
    """Save a day; raises `Stale` if somebody saved in between."""
    require(actor, "day:write")
    row = Day.objects.select_for_update().filter(pk=day_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such day.")
    before = day_json(row)
    if row.version != version:
        raise Stale(before)
    entry = _entered(figures)
    _fill(row, entry)
    _fill_lists(row, entry)
    after = day_json(row)
    if after == before:
        return day_of(row.pk)
    row.version += 1
    row.save()
    record(
        actor=actor,
        action="day.changed",
        row=row,
        label=row.name,
        before=before,
        after=after,
    )
    return day_of(row.pk)


@transaction.atomic
def copy_day(*, actor: User, day_id: UUID, to_date: str) -> Day:
    """Make a copy of a day on another date."""
    return add_day(actor=actor, figures={**day_json(day_of(day_id)), "date": to_date})


@transaction.atomic
def set_archived(*, actor: User, day_id: UUID, archived: bool) -> Day:
    """Put a day away or bring it back."""
    require(actor, "day:write")
    row = Day.objects.select_for_update().filter(pk=day_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such day.")
    row.archived_at = timezone.now() if archived else None
    row.version += 1
    row.save()
    action = "day.archived" if archived else "day.restored"
    record(actor=actor, action=action, row=row, label=row.name)
    return row


FORMS = ("pdf", "ics", "csv", "json")


def export_day(day: Day, form: str, number: int | None = None) -> tuple[bytes, str, str]:
    """Return (content, file name, media type) of a day's plan, the newest or one that is kept."""
    kept = plan_of(day)[0] if number is None else version_of(day, number)
    shown, opens, plan = day_view(day), hours_of(day)[0], plan_from(kept.plan)
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


def stopped_plan(*, actor: User, day_id: UUID) -> DayPlan:
    """Return the newest plan of a day whose search was stopped."""
    require(actor, "day:write")
    row = DayPlan.objects.filter(day=day_of(day_id)).order_by("-number").first()
    if row is None or row.state != "stopped":
        raise DomainError("not_ready", "There is no search that was stopped. Load the day again.", "day")
    return row


def stop_search(*, actor: User, day_id: UUID) -> None:
    """Ask the running search for a better plan to stop; what it has found stays."""
    require(actor, "day:write")
    DayPlan.objects.filter(day=day_of(day_id), state__in=["queued", "searching"]).update(state="stopped")
