"""What people enter of a day, into its rows."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, time
from typing import TypeVar
from uuid import UUID
from zoneinfo import available_timezones

from django.core.exceptions import ValidationError
from django.db.models import Model, QuerySet
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.fields import Entered
from quarry.apps.accounts.models import User
from quarry.apps.day import mappers
from quarry.apps.day.fields import (
    DayEntry,
    JobEntry,
    check_methods,
    entered_json,
    pauses_of,
    pins_of,
    read_entry,
    seconds_in_day,
)
from quarry.apps.day.models import Day, DayJob, DayPack
from quarry.apps.day.queries import known_packs
from quarry.apps.fleet.models import Aircraft, Charger, Pack, Supply
from quarry.apps.jobs.models import Job

Row = TypeVar("Row", bound=Model)
_FIRST_YEAR = 2000
_AHEAD_YEARS = 10
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


def entered(figures: Entered) -> DayEntry:
    """Return what was entered of a day, checked; what is wrong is told at its field."""
    try:
        return read_entry(figures)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def _time(value: str, field: str) -> time:
    try:
        return time.fromisoformat(value)
    except (ValueError, TypeError) as bad:
        raise DomainError("invalid", f"{value!r} is not a time of day. Write it as 08:00.", field) from bad


def fill(day: Day, e: DayEntry) -> None:
    """Put what was entered of a day into its row."""
    for name in _COLUMNS:
        if name in e.said:
            setattr(day, name, getattr(e, name))
    _fill_hours(day, e)
    _check_limits(day)
    try:
        check_methods(day.methods)
        pins_of(day)
    except mappers.PlanError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    if "supply_id" in e.said:
        day.supply = Supply.objects.filter(pk=e.supply_id).first() if e.supply_id else None
        if e.supply_id and day.supply is None:
            raise DomainError("not_found", "Choose a supply that exists.", "supply_id")
    try:
        day.full_clean(exclude=["organisation", "pauses", "methods", "pins", "crews"])
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
        _check_date(day.date)
    if "pauses" in e.said:
        for k, p in enumerate(e.pauses):
            _time(p.from_, f"pauses.{k}")
            _time(p.to, f"pauses.{k}")
        day.pauses = [entered_json(p) for p in e.pauses]


def _check_date(on: date) -> None:
    last = timezone.now().year + _AHEAD_YEARS
    if on.year < _FIRST_YEAR:
        raise DomainError("out_of_range", f"{on.isoformat()} lies before {_FIRST_YEAR}. Choose a later date.", "date")
    if on.year > last:
        raise DomainError("out_of_range", f"{on.isoformat()} is too far ahead. Choose a date until {last}.", "date")


def _check_limits(day: Day) -> None:
    if day.closes == day.opens:
        raise DomainError("invalid", "The day opens and closes at one time. Move one of the two.", "closes")
    if day.time_zone not in available_timezones():
        raise DomainError(
            "invalid", f"{day.time_zone} is not a time zone. Choose one from the list, such as Europe/London.", "time_zone"
        )
    for k, p in enumerate(pauses_of(day.pauses)):
        begins, ends = (seconds_in_day(day, t, f"pauses.{k}") for t in (p.from_, p.to))
        if ends <= begins:
            raise DomainError("invalid", "A break must end after it begins.", f"pauses.{k}")
    for d in mappers.DAY_DEFAULTS:
        name = d.key.removeprefix("day.")
        if not d.low <= getattr(day, name) <= d.high:
            scale, unit = (1 / 60, "minutes") if d.unit == "s" else (1.0, d.unit)
            raise DomainError(
                "out_of_range", f"{d.words} must lie between {d.low * scale:g} and {d.high * scale:g} {unit}.", name
            )


def fill_lists(day: Day, e: DayEntry) -> None:
    """Put jobs, packs, crew and what else a day lists into their rows; one that is unknown refuses all."""
    if "charger_ids" in e.said:
        day.chargers.set(_all_of(Charger.objects.all(), e.charger_ids, "charger_ids", "a charger"))
    if "more_supply_ids" in e.said:
        day.more_supplies.set(_all_of(Supply.objects.all(), e.more_supply_ids, "more_supply_ids", "a supply"))
    if "crew_ids" in e.said:
        crew = User.objects.filter(organisation=day.organisation)
        day.crew.set(_all_of(crew, e.crew_ids, "crew_ids", "a person"))
    if "crews" in e.said:
        _fill_crews(day, e)
    if "jobs" in e.said:
        _fill_jobs(day, e)
    if "packs" in e.said:
        _fill_packs(day, e)


def _fill_crews(day: Day, e: DayEntry) -> None:
    seen: set[UUID] = set()
    for k, crew in enumerate(e.crews):
        found = _all_of(Aircraft.objects.all(), crew, f"crews.{k}", "an aircraft")
        if len(found) < len(crew) or seen & set(crew):
            raise DomainError("invalid", "An aircraft has one crew. Take it out of the other.", f"crews.{k}")
        seen |= set(crew)
    day.crews = [[str(a) for a in crew] for crew in e.crews if len(crew) > 1]
    day.save(update_fields=["crews"])


def _fill_jobs(day: Day, e: DayEntry) -> None:
    day.jobs.all().delete()
    known = {j.pk: j for j in Job.objects.filter(pk__in=[j.job_id for j in e.jobs]).select_related("aircraft_model")}
    for place, j in enumerate(e.jobs):
        job = known.get(j.job_id)
        if job is None:
            raise DomainError("not_found", "Choose a job that exists.", f"jobs.{place}")
        aircraft = Aircraft.objects.filter(pk=j.aircraft_id).first() if j.aircraft_id else _fitting(job)
        DayJob.objects.create(organisation=day.organisation, day=day, job=job, aircraft=aircraft, place=place)


def serviceable() -> QuerySet[Pack]:
    """Return the packs that may fly."""
    return Pack.objects.filter(archived_at=None, grounded=False)


def kinds_flown(jobs: Sequence[JobEntry]) -> set[UUID]:
    """Return the models of pack that the aircraft of jobs fly; none for a job that has no aircraft yet."""
    chosen = [j.aircraft_id for j in jobs if j.aircraft_id]
    left = [j.job_id for j in jobs if not j.aircraft_id]
    return {
        *Aircraft.objects.filter(pk__in=chosen).values_list("model__pack_model", flat=True),
        *Job.objects.filter(pk__in=left, aircraft_model__isnull=False).values_list("aircraft_model__pack_model", flat=True),
    }


def bring_packs(day: Day, jobs: Sequence[JobEntry]) -> None:
    """Bring along the packs that jobs new to a day fly, where the day has none of their kind yet."""
    kinds = kinds_flown(jobs) - set(day.packs.values_list("pack__model", flat=True))
    for pack in serviceable().filter(model__in=kinds):
        DayPack.objects.create(organisation=day.organisation, day=day, pack=pack, start_frac=pack.charge_frac)


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
