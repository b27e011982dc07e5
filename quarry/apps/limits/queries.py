"""Reading limits: sheets, the strictest for a job, the weather window of a day, a moment tried, preflight lists."""

from __future__ import annotations

import math
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, fields
from datetime import UTC, date, datetime, time, timedelta
from typing import cast
from uuid import UUID
from zoneinfo import ZoneInfo, available_timezones

from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import HistoryEntry
from quarry.apps.care.queries import RecordRefused, judge_cells, measured_of, watched_of
from quarry.apps.fleet.mappers import MeasuredPack
from quarry.apps.fleet.models import AircraftModel, Pack, Product
from quarry.apps.jobs import queries as jobs
from quarry.apps.jobs.fields import JobFields
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.views import JobPlan, KindName, SortieOut
from quarry.apps.limits import mappers
from quarry.apps.limits.mappers import Check, ColdMethod, HourAir, JudgedList, Limit, Place, Sheet, Verdict, Word
from quarry.apps.limits.models import LimitSheet, Preflight
from quarry.apps.limits.repository import entries_of, override_of
from quarry.apps.limits.views import (
    EntryOut,
    EntryValue,
    GateHour,
    GateOut,
    HourOfDay,
    LimitsPage,
    PreflightLine,
    PreflightOut,
    PreflightPack,
    SheetChange,
    State,
    WindowsOfDay,
    WordName,
)
from quarry.apps.policy.mappers import OwnValues, cold
from quarry.apps.policy.queries import own_values
from quarry.apps.weather import mappers as weather_mappers
from quarry.apps.weather.queries import air_between, forecast_of, forecast_view, reading_view, readings_near
from quarry.apps.workings import WorkingOut

LimitRefused = mappers.LimitError

_MOST_HOURS = 26  # of a day that is drawn, from the hour in which it opens


def stored_sheets() -> list[LimitSheet]:
    """Return all sheets of the scope."""
    rows = LimitSheet.objects.filter(archived_at=None).select_related("aircraft_model", "job")
    return sorted(rows, key=lambda r: (["organisation", "aircraft", "work", "job"].index(r.level), mappers.sheet_name(r)))


def page() -> LimitsPage:
    """Return every sheet with what can be limited; the maker's data sheets stand beside those of the company."""
    models = AircraftModel.objects.filter(archived_at=None).select_related("pack_model").order_by("name")
    sheets = [mappers.stored_sheet(row) for row in stored_sheets()] + [mappers.makers_sheet(m) for m in models]
    return LimitsPage(quantities=mappers.quantities(), levels=mappers.levels(), sheets=sheets)


def sheets_for(model: AircraftModel | None, work: str, job: Job | None) -> list[Sheet]:
    """Return the core's sheets that hold for an aircraft, a kind of work and a job."""
    found = []
    for row in stored_sheets():
        fits = {
            "organisation": True,
            "aircraft": model is not None and row.aircraft_model_id == model.pk,
            "work": row.work == work,
            "job": job is not None and row.job_id == job.pk,
        }
        if fits[row.level]:
            found.append(mappers.sheet_of(row))
    if model is not None:
        found.append(mappers.data_sheet(model))
    return found


def limits_for(job: Job) -> dict[str, Limit]:
    """Return the strictest limits that hold for a job with its aircraft; a height above the crop holds for spraying alone."""
    found = mappers.limits_of(sheets_for(job.aircraft_model, job.kind, job))
    return found if job.kind == "spraying" else {k: v for k, v in found.items() if k != "above_crop_m"}


def zone_of(name: str) -> str:
    """Return a time zone's name if it is one."""
    if name not in available_timezones():
        raise DomainError("invalid", f"{name[:40]} is not a time zone, such as Europe/London.", "zone")
    return name


def with_aircraft(job: Job, model_id: UUID | None) -> Job:
    """Return a job as if another model of aircraft flew it; nothing is stored."""
    if model_id is not None:
        model = AircraftModel.objects.filter(pk=model_id).select_related("pack_model").first()
        if model is None:
            raise DomainError("not_found", "Choose a model of aircraft that exists.", "aircraft_model_id")
        job.aircraft_model = model
    return job


@dataclass(frozen=True, slots=True)
class JudgedHour:
    """An hour of a job: its verdict, and all that is known of its air."""

    at: datetime
    verdict: Verdict
    airs: list[HourAir]


def _where(f: JobFields) -> tuple[float, float]:
    if f.place is None:
        raise DomainError("missing", "This job has no place yet. Draw its outline or set home.", "job_id")
    return f.place


def hours_of(job: Job, begins: datetime, count: int) -> list[JudgedHour]:
    """Return the hours of a job from ``begins``, judged."""
    f = jobs.entered(job)
    lon, lat = _where(f)
    limits, place, own = limits_for(job), mappers.place_of(f), own_values()
    blown = jobs.blown_towards(job)
    dry = _slowest_to_dry(f)
    after = math.ceil(dry[1]) + 1 if dry is not None else 0
    # What rains after the last hour counts for those before it.
    air = air_between(lon, lat, begins, count + after)
    rain = [(at.timestamp(), mappers.rain_of(airs)) for at, airs in air]
    found = []
    for k, (at, airs) in enumerate(air[:count]):
        sun = weather_mappers.lowest_sun_deg(at, lon, lat)
        verdict = mappers.judge_hour(limits, airs, place, sun, own)
        if blown is not None:
            verdict = mappers.with_places(verdict, blown, weather_mappers.drawn(airs, place))
        if f.kind == "spraying":
            verdict = mappers.with_still_air(verdict, airs, place, sun, own)
        if dry is not None:
            verdict = mappers.with_rain_ahead(verdict, *dry, rain[k:])
        found.append(JudgedHour(at, verdict, airs))
    return found


def _slowest_to_dry(f: JobFields) -> tuple[str, float] | None:
    """Return the product of a mix that needs the longest time without rain, and that time; None where no label asks for any. [h]"""
    if f.kind != "spraying" or not f.mix.items:
        return None
    rows = Product.objects.filter(pk__in=[i.product_id for i in f.mix.items], rainfast_h__gt=0).order_by("-rainfast_h")
    row = rows.first()
    return (row.name, row.rainfast_h) if row is not None and row.rainfast_h is not None else None


def _gate_hour(hour: JudgedHour, place: Place) -> GateHour:
    drawn = weather_mappers.drawn(hour.airs, place)
    verdict = mappers.to_verdict(hour.verdict)
    return GateHour(at=hour.at.isoformat(), verdict=verdict, forecast=drawn.forecast, measured=drawn.measured)


def gate(job: Job, on: date, zone: str) -> GateOut:
    """Return the weather of a date for a job: each hour with its verdict, wind at flying height, limits, sun, readings."""
    begins = datetime.combine(on, time(0), ZoneInfo(zone))
    hours = hours_of(job, begins, 24)
    f = jobs.entered(job)
    lon, lat = _where(f)
    place = mappers.place_of(f)
    judged_hours = [(h.at, h.verdict) for h in hours]
    return GateOut(
        job_id=job.pk,
        job=job.name,
        date=on.isoformat(),
        time_zone=zone,
        begins=begins.isoformat(),
        height_m=place.height_m,
        cover=place.cover.words,
        service=forecast_view(forecast_of(lon, lat), configured=True),
        hours=[_gate_hour(h, place) for h in hours],
        spans=mappers.spans_of(judged_hours, begins),
        next=mappers.next_go(judged_hours, timezone.now()),
        limits=mappers.limit_lines(limits_for(job)),
        sun=weather_mappers.sun_of(on, lon, lat),
        sun_offset_min=-(begins.utcoffset() or timedelta()).total_seconds() / 60,
        readings=[reading_view(r) for r in readings_near(lon, lat, begins, begins + timedelta(days=1))],
    )


def windows_for(job: Job, opens: datetime, closes: datetime) -> WindowsOfDay:
    """Return the windows that limits leave a job between two moments, and what a day draws of them."""
    # In UTC an hour later is an hour later, also in a night whose clocks change.
    opens, closes, whole = (t.astimezone(UTC) for t in (opens, closes, opens.replace(minute=0, second=0, microsecond=0)))
    count = int((closes - whole).total_seconds() // 3600) + 1
    hours = hours_of(job, whole, min(count, _MOST_HOURS))
    place = mappers.place_of(jobs.entered(job))
    limits = limits_for(job)
    gust, charge = limits.get("gust_m_s"), limits.get("charge_frac")
    return WindowsOfDay(
        windows=mappers.known_windows([(h.at, h.verdict) for h in hours], opens, closes),
        limit_m_s=gust.most.value if gust and gust.most else None,
        height_m=place.height_m,
        hours=[_hour_of_day(h, place, opens) for h in hours],
        charge_least_frac=charge.least.value if charge and charge.least else None,
    )


def _hour_of_day(hour: JudgedHour, place: Place, opens: datetime) -> HourOfDay:
    drawn = weather_mappers.drawn(hour.airs, place)
    wind = drawn.measured[0] if drawn.measured else drawn.forecast
    return HourOfDay(
        start_s=(hour.at - opens).total_seconds(),
        word=hour.verdict.word,
        unknown=mappers.unknown(hour.verdict),
        reasons=[r.reason for r in hour.verdict.deciding][:4],
        gust_m_s=wind.gust_m_s if wind else None,
        wind_m_s=wind.wind_m_s if wind else None,
        from_deg=wind.from_deg if wind else None,
    )


def moment(job: Job, at: datetime) -> tuple[Verdict, GateHour]:
    """Return the verdict of the hour in which a moment lies, for a job, and as screens show it."""
    whole = at.replace(minute=0, second=0, microsecond=0)
    hour = hours_of(job, whole, 1)[0]
    return hour.verdict, _gate_hour(hour, mappers.place_of(jobs.entered(job)))


def working_of(job: Job, at: datetime, key: str) -> WorkingOut:
    """Return the working of one judged limit of an hour."""
    verdict, _ = moment(job, at)
    found = mappers.working_of(verdict, key)
    if found is None:
        raise DomainError("not_found", "There is no such limit for this job.")
    return found


def history_of(sheet_id: UUID) -> list[SheetChange]:
    """Return what was changed on a sheet, by whom and when, newest first."""
    if not LimitSheet.objects.filter(pk=sheet_id).exists():
        raise DomainError("not_found", "There is no such sheet.")
    rows = HistoryEntry.objects.filter(thing="limits", thing_id=str(sheet_id)).select_related("actor")[:50]
    return [
        SheetChange(
            at=r.at.isoformat(),
            who=(r.actor.full_name or r.actor.username) if r.actor else "",
            before=mappers.rules_from((r.before or {}).get("rules", [])),
            after=mappers.rules_from((r.after or {}).get("rules", [])),
        )
        for r in rows
    ]


def preflight_of(preflight_id: UUID, *, lock: bool = False) -> Preflight:
    """Return one list."""
    rows = Preflight.objects.select_for_update(of=("self",)) if lock else Preflight.objects.all()
    row = rows.select_related("job__aircraft_model__pack_model", "aircraft__model__pack_model").filter(pk=preflight_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such preflight list.")
    return row


def earlier_entries(row: Preflight, checks: tuple[Check, ...]) -> dict[str, EntryOut]:
    """Return the entries of once a day and once at this site made on other lists of the same date."""
    part = {c.key: c.part for c in checks}
    found: dict[str, EntryOut] = {}
    for other in Preflight.objects.filter(on=row.on, aircraft=row.aircraft).exclude(pk=row.pk).order_by("made_at"):
        for key, entry in entries_of(other).items():
            if part.get(key) == "day" or (part.get(key) == "site" and other.job_id == row.job_id):
                found[key] = entry
    return found


@dataclass(frozen=True, slots=True)
class Judged:
    """A list judged as it stands, with what it was judged from."""

    result: JudgedList
    limits: dict[str, Limit]
    entries: dict[str, EntryOut]
    packs: list[Pack]
    verdict: Verdict | None
    hour: GateHour | None
    sortie: SortieOut | None


def judged(row: Preflight) -> Judged:
    """Return a list judged as it stands."""
    job, model = row.job, row.aircraft.model
    job.aircraft, job.aircraft_model = row.aircraft, model
    f, own = jobs.entered(job), own_values()
    rules = cold(own)
    plan, sortie = _sortie(job, row.sortie)
    checks = _checks(row, f, sortie, own)
    entries = earlier_entries(row, checks) | entries_of(row)
    values = {k: e.value for k, e in entries.items() if e.value is not None}
    packs = list(row.packs.select_related("model").order_by("name"))
    limits = limits_for(job)
    verdict: Verdict | None = None
    hour: GateHour | None = None
    with suppress(DomainError):
        verdict, hour = moment(job, row.closed_at or timezone.now())
    computed = {"payload_kg": f.sorties.load_kg} | ({"above_crop_m": f.work.height_m} if f.kind == "spraying" else {})
    if plan is not None:
        computed |= {"height_m": plan.highest_m, "farthest_m": plan.farthest_m}
    result = mappers.preflight(
        checks,
        values,
        limits,
        verdict,
        cells=model.pack_model.cells,
        computed=computed,
        grounded="; ".join(f"pack {p.name}, {p.grounded_why or 'grounded'}" for p in packs if p.grounded),
        cannot_fly=_cannot_fly(f, model.packs_count, packs, plan, sortie, values, rules.method),
        watched=watched_of(packs),
        cells_test=_cells_test(packs, values),
        remarks=entries,
        own=own,
    )
    return Judged(result, limits, entries, packs, verdict, hour, sortie)


def checks_for(row: Preflight) -> tuple[Check, ...]:
    """Return the checks of a list as its weather has them."""
    job = row.job
    job.aircraft, job.aircraft_model = row.aircraft, row.aircraft.model
    return _checks(row, jobs.entered(job), _sortie(job, row.sortie)[1], own_values())


def _checks(row: Preflight, f: JobFields, sortie: SortieOut | None, own: OwnValues) -> tuple[Check, ...]:
    at = row.closed_at or timezone.now()
    hours: list[tuple[datetime, list[HourAir]]] = []
    sun_words = None
    with suppress(DomainError):
        lon, lat = _where(f)
        hours = air_between(lon, lat, at.replace(minute=0, second=0, microsecond=0) - timedelta(hours=23), 24)
    if sortie is not None and f.home is not None:
        zone = ZoneInfo(row.organisation.time_zone or "UTC")
        sun_words = mappers.low_sun_words(f.home, sortie, at, zone, own)
    weather = mappers.site_weather(hours, f, row.aircraft.model, sun_words, own)
    return mappers.checks_of(row.job, row.aircraft.model, cold(own).warm_up_s if f.wind.air_c < 10 else 30.0, weather)


def _sortie(job: Job, number: int) -> tuple[JobPlan | None, SortieOut | None]:
    try:
        plan = jobs.plan_of(job)
    except (jobs.PlanRefused, DomainError):
        return None, None
    return plan, next((s for s in plan.sorties if s.number == number), None)


def _cells_test(packs: list[Pack], values: Mapping[str, EntryValue]) -> tuple[Word, str] | None:
    """Return what the load test makes of the cells entered; nothing where none were, or where two packs share the list."""
    cells = values.get("cells")
    if len(packs) != 1 or cells is None or isinstance(cells, bool):
        return None
    try:
        result = judge_cells(packs[0], cells, _number(values, "charge_frac"), _number(values, "pack_c"))
    except RecordRefused as bad:
        return "care", bad.message
    return mappers.word_of_test(result)


def _number(values: Mapping[str, EntryValue], key: str) -> float | None:
    value = values.get(key)
    return None if value is None or isinstance(value, list) else float(value)


def _cannot_fly(
    f: JobFields,
    packs_count: int,
    packs: list[Pack],
    plan: JobPlan | None,
    sortie: SortieOut | None,
    values: Mapping[str, EntryValue],
    method: ColdMethod,
) -> str:
    pack_c, charge_frac = _number(values, "pack_c"), _number(values, "charge_frac")
    if plan is None or sortie is None or pack_c is None or charge_frac is None:
        return ""
    measured = measured_of(packs)
    charge_frac = max(0.05, min(1.0, charge_frac))
    for pack in packs:
        known = measured.get(str(pack.pk), MeasuredPack())
        why = mappers.cannot_fly(pack, known, f, packs_count, plan, sortie, pack_c, charge_frac, method)
        if why:
            return why
    return ""


def return_clear_of(row: Preflight) -> float | None:
    """Return what the return height of the plan leaves above ground and obstacles; None where no terrain is known. [m]"""
    plan, _ = _sortie(row.job, row.sortie)
    if plan is None or not plan.terrain:
        return None
    return plan.return_m - plan.return_needed_m + jobs.entered(row.job).sorties.clearance_m


def preflight_view(row: Preflight) -> PreflightOut:
    """Return a list as screens show it, with its verdict as it stands."""
    found = judged(row)
    body = mappers.preflight_body(found.result, found.limits)
    return PreflightOut(
        **{x.name: getattr(body, x.name) for x in fields(body)},
        id=row.pk,
        version=row.version,
        job_id=row.job_id,
        job=row.job.name,
        letter=row.job.letter,
        kind=cast(KindName, row.job.kind),
        aircraft_id=row.aircraft_id,
        aircraft=row.aircraft.name,
        sortie=row.sortie,
        on=row.on.isoformat(),
        state=cast(State, row.state),
        override=override_of(row),
        closed_at=row.closed_at.isoformat() if row.closed_at else None,
        entries=found.entries,
        cells=row.aircraft.model.pack_model.cells,
        packs=[PreflightPack(id=p.pk, name=p.name, grounded=p.grounded) for p in found.packs],
        hour=found.hour,
        people=mappers.people_in_cold(found.verdict),
        minutes=found.sortie.time_s if found.sortie else None,
        power_up=list(row.aircraft.model.power_up),
    )


def preflights() -> list[PreflightLine]:
    """Return the lists of the last days, newest first."""
    rows = Preflight.objects.select_related("job", "aircraft").prefetch_related("packs")[:60]
    return [
        PreflightLine(
            id=r.pk,
            job=r.job.name,
            label=f"{r.job.letter}{r.sortie}",
            aircraft=r.aircraft.name,
            packs=[p.name for p in r.packs.all()],
            on=r.on.isoformat(),
            state=cast(State, r.state),
            word=cast(WordName, r.word),
            made_at=r.made_at,
        )
        for r in rows
    ]
