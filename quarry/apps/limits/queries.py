"""Reading limits: sheets, the strictest for a job, the gate of a day, a moment tried, preflight lists."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo, available_timezones

from django.utils import timezone

from quarry.apps.accounts.models import HistoryEntry
from quarry.apps.accounts.services import DomainError
from quarry.apps.care.queries import RecordRefused, facts_of, judge_cells
from quarry.apps.fleet.bridge import PackFacts
from quarry.apps.fleet.models import AircraftModel, Pack
from quarry.apps.jobs import queries as jobs
from quarry.apps.jobs.bridge import with_defaults
from quarry.apps.jobs.models import Job
from quarry.apps.limits import bridge
from quarry.apps.limits.models import LimitSheet, Preflight
from quarry.apps.policy.bridge import cold
from quarry.apps.policy.queries import own_values
from quarry.apps.weather import bridge as weather_bridge
from quarry.apps.weather.queries import air_between, forecast_dict, forecast_of, reading_dict, readings_near

Plain = dict[str, Any]
LimitRefused = bridge.LimitError


def stored_sheets() -> list[LimitSheet]:
    """Return all sheets of the scope."""
    rows = LimitSheet.objects.filter(archived_at=None).select_related("aircraft_model", "job")
    return sorted(rows, key=lambda r: (["organisation", "aircraft", "work", "job"].index(r.level), bridge.sheet_name(r)))


def page() -> Plain:
    """Return every sheet with what can be limited; the maker's data sheets stand beside those of the house."""
    models = AircraftModel.objects.filter(archived_at=None).select_related("pack_model").order_by("name")
    own = []
    for row in stored_sheets():
        own.append(
            bridge.sheet_dict(bridge.sheet_of(row))
            | {
                "rules": row.rules,
                "version": row.version,
                "kept": True,
                "aircraft_model_id": str(row.aircraft_model_id) if row.aircraft_model_id else None,
                "work": row.work,
                "job_id": str(row.job_id) if row.job_id else None,
            }
        )
    makers = [
        bridge.sheet_dict(bridge.data_sheet(m))
        | {"version": m.version, "kept": False, "aircraft_model_id": str(m.pk), "work": "", "job_id": None}
        for m in models
    ]
    return {"quantities": bridge.quantities(), "levels": bridge.levels(), "sheets": [*own, *makers]}


def sheets_for(model: AircraftModel | None, work: str, job: Job | None) -> list[Any]:
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
            found.append(bridge.sheet_of(row))
    if model is not None:
        found.append(bridge.data_sheet(model))
    return found


def limits_for(job: Job) -> dict[str, Any]:
    """Return the strictest limits that hold for a job with its aircraft."""
    return bridge.limits_of(sheets_for(job.aircraft_model, job.kind, job))


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


def _where(job: Job) -> tuple[float, float]:
    if job.home:
        return float(job.home[0]), float(job.home[1])
    if job.area:
        return float(job.area[0][0]), float(job.area[0][1])
    raise DomainError("missing", "This job has no place yet. Draw its outline or set home.", "job_id")


def hours_of(job: Job, begins: datetime, count: int) -> list[tuple[datetime, Any, list[Any]]]:
    """Return (time, verdict, what is known) of each hour for a job."""
    with_defaults(job)
    lon, lat = _where(job)
    limits, place, own = limits_for(job), bridge.place_of(job), own_values()
    found = []
    for at, airs in air_between(lon, lat, begins, count):
        sun = weather_bridge.lowest_sun_deg(at, lon, lat)
        found.append((at, bridge.judge_hour(limits, airs, place, sun, own), airs))
    return found


def gate(job: Job, on: date, zone: str) -> Plain:
    """Return the gate of a date for a job: each hour with its verdict, wind at flying height, limits, sun, readings."""
    tz = ZoneInfo(zone)
    begins = datetime.combine(on, time(0), tz)
    told = hours_of(job, begins, 24)
    lon, lat = _where(job)
    place = bridge.place_of(job)
    hours = [(at, v) for at, v, _ in told]
    limits = limits_for(job)
    readings = readings_near(lon, lat, begins, begins + timedelta(days=1))
    return {
        "job_id": str(job.pk),
        "job": job.name,
        "date": on.isoformat(),
        "time_zone": zone,
        "begins": begins.isoformat(),
        "height_m": place.height_m,
        "cover": place.cover.words,
        "desk": forecast_dict(forecast_of(lon, lat), configured=True),
        "hours": [
            {"at": at.isoformat(), "verdict": bridge.verdict_dict(v), **weather_bridge.drawn(airs, place)} for at, v, airs in told
        ],
        "spans": bridge.spans_of(hours, begins),
        "next": bridge.next_go(hours, timezone.now()),
        "limits": bridge.limits_dict(limits),
        "sun": weather_bridge.sun_of(on, lon, lat),
        "sun_offset_min": -(begins.utcoffset() or timedelta()).total_seconds() / 60,
        "readings": [reading_dict(r) for r in readings],
    }


def windows_for(job: Job, opens: datetime, closes: datetime) -> tuple[list[tuple[float, float]], Plain]:
    """Return the windows of a job between two moments in seconds from the first, and what a day draws of its gate."""
    whole = opens.replace(minute=0, second=0, microsecond=0)
    count = int((closes - whole).total_seconds() // 3600) + 1
    told = hours_of(job, whole, min(count, 24))
    hours = [(at, v) for at, v, _ in told]
    place = bridge.place_of(job)
    limits = limits_for(job)
    gust = limits.get("gust_m_s")
    drawn = []
    for at, v, airs in told:
        wind = weather_bridge.drawn(airs, place)
        used = (wind["measured"] or [None])[0] or wind["forecast"] or {}
        drawn.append(
            {
                "start_s": (at - opens).total_seconds(),
                "word": v.word,
                "unknown": bridge.unknown(v),
                "reasons": [r.reason for r in v.deciding][:4],
                "gust_m_s": used.get("gust_m_s"),
                "wind_m_s": used.get("wind_m_s"),
                "from_deg": used.get("from_deg"),
            }
        )
    charge = limits.get("charge_frac")
    told_gate = {
        "limit_m_s": gust.most.value if gust and gust.most else None,
        "height_m": place.height_m,
        "hours": drawn,
        "charge_least_frac": charge.least.value if charge and charge.least else None,
    }
    return bridge.known_windows(hours, opens, closes), told_gate


def moment(job: Job, at: datetime) -> tuple[Any, Plain]:
    """Return the verdict of the hour in which a moment lies, for a job, and as plain data."""
    whole = at.replace(minute=0, second=0, microsecond=0)
    _, verdict, airs = hours_of(job, whole, 1)[0]
    place = bridge.place_of(job)
    return verdict, {"at": whole.isoformat(), "verdict": bridge.verdict_dict(verdict), **weather_bridge.drawn(airs, place)}


def working_of(job: Job, at: datetime, key: str) -> Plain:
    """Return the working of one judged limit of an hour."""
    verdict, _ = moment(job, at)
    found = bridge.working_of(verdict, key)
    if found is None:
        raise DomainError("not_found", "There is no such limit for this job.")
    return found


def history_of(sheet_id: UUID) -> list[Plain]:
    """Return what was changed on a sheet, by whom and when, newest first."""
    if not LimitSheet.objects.filter(pk=sheet_id).exists():
        raise DomainError("not_found", "There is no such sheet.")
    rows = HistoryEntry.objects.filter(thing="limits", thing_id=str(sheet_id)).select_related("actor")[:50]
    return [
        {
            "at": r.at.isoformat(),
            "who": (r.actor.full_name or r.actor.username) if r.actor else "",
            "before": (r.before or {}).get("rules", []),
            "after": (r.after or {}).get("rules", []),
        }
        for r in rows
    ]


def preflight_of(preflight_id: UUID, *, lock: bool = False) -> Preflight:
    """Return one list."""
    rows = Preflight.objects.select_for_update(of=("self",)) if lock else Preflight.objects.all()
    row = rows.select_related("job__aircraft_model__pack_model", "aircraft__model__pack_model").filter(pk=preflight_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such preflight list.")
    return row


def earlier_entries(row: Preflight, checks: tuple[Any, ...]) -> Plain:
    """Return the entries of once a day and once at this site made on other lists of the same date."""
    part = {c.key: c.part for c in checks}
    found: Plain = {}
    for other in Preflight.objects.filter(on=row.on, aircraft=row.aircraft).exclude(pk=row.pk).order_by("made_at"):
        for key, entry in other.entries.items():
            if part.get(key) == "day" or (part.get(key) == "site" and other.job_id == row.job_id):
                found[key] = entry
    return found


def judged(row: Preflight) -> tuple[Any, Plain]:
    """Return a list judged as it stands, and as plain data."""
    job = row.job
    job.aircraft, job.aircraft_model = row.aircraft, row.aircraft.model
    with_defaults(job)
    own = own_values()
    rules = cold(own)
    model = row.aircraft.model
    checks = bridge.checks_of(job, model, float(rules["warm_up_s"]) if float(job.wind["air_c"]) < 10 else 30.0)
    entries = {**earlier_entries(row, checks), **row.entries}
    values = {k: e["value"] for k, e in entries.items() if e["value"] is not None}
    packs = list(row.packs.select_related("model").order_by("name"))
    plan, sortie = _sortie(job, row.sortie)
    limits = limits_for(job)
    try:
        verdict, hour = moment(job, row.closed_at or timezone.now())
    except DomainError:
        verdict, hour = None, None
    grounded = "; ".join(f"pack {p.name}, {p.grounded_why or 'grounded'}" for p in packs if p.grounded)
    computed = {"payload_kg": float(job.sorties["load_kg"])}
    if plan is not None:
        computed |= {"height_m": float(plan["highest_m"]), "farthest_m": float(plan["farthest_m"])}
    told = bridge.preflight(
        checks,
        values,
        limits,
        verdict,
        cells=model.pack_model.cells,
        computed=computed,
        grounded=grounded,
        cannot_fly=_cannot_fly(job, packs, plan, sortie, values, str(rules["school"])),
        cells_test=_cells_test(packs, values),
        own=own,
    )
    return told, {
        **bridge.preflight_dict(told, limits),
        "entries": entries,
        "cells": model.pack_model.cells,
        "packs": [{"id": str(p.pk), "name": p.name, "grounded": p.grounded} for p in packs],
        "hour": hour,
        "people": bridge.people_in_cold(verdict),
        "minutes": sortie["time_s"] if sortie else None,
        "power_up": list(model.power_up),
    }


def _sortie(job: Job, number: int) -> tuple[Plain | None, Plain | None]:
    try:
        plan = jobs.plan_of(job)
    except (jobs.PlanRefused, DomainError):
        return None, None
    return plan, next((s for s in plan["sorties"] if s["number"] == number), None)


def _cells_test(packs: list[Pack], values: Plain) -> Any:
    """Return what the load test makes of the cells entered; nothing where none were, or where two packs share the list."""
    if len(packs) != 1 or not isinstance(values.get("cells"), list):
        return None
    try:
        result = judge_cells(packs[0], values["cells"], values.get("charge_frac"), values.get("pack_c"))
    except RecordRefused as bad:
        return "care", bad.message
    return bridge.word_of_test(result) if result is not None else None


def _cannot_fly(job: Job, packs: list[Pack], plan: Plain | None, sortie: Plain | None, values: Plain, school: str) -> str:
    if plan is None or sortie is None or "pack_c" not in values or "charge_frac" not in values:
        return ""
    facts = facts_of(packs)
    for pack in packs:
        why = bridge.cannot_fly(
            pack,
            facts.get(str(pack.pk), PackFacts()),
            job,
            plan["powers"],
            float(sortie["energy_wh"]),
            float(values["pack_c"]),
            max(0.05, min(1.0, float(values["charge_frac"]))),
            school,
        )
        if why:
            return why
    return ""


def preflight_dict(row: Preflight) -> Plain:
    """Return a list as plain data with its verdict as it stands."""
    _, told = judged(row)
    return {
        "id": str(row.pk),
        "version": row.version,
        "job_id": str(row.job_id),
        "job": row.job.name,
        "letter": row.job.letter,
        "kind": row.job.kind,
        "aircraft_id": str(row.aircraft_id),
        "aircraft": row.aircraft.name,
        "sortie": row.sortie,
        "on": row.on.isoformat(),
        "state": row.state,
        "override": row.override,
        "closed_at": row.closed_at.isoformat() if row.closed_at else None,
        **told,
    }


def preflights() -> list[Plain]:
    """Return the lists of the last days, newest first."""
    rows = Preflight.objects.select_related("job", "aircraft").prefetch_related("packs")[:60]
    return [
        {
            "id": str(r.pk),
            "job": r.job.name,
            "label": f"{r.job.letter}{r.sortie}",
            "aircraft": r.aircraft.name,
            "packs": [p.name for p in r.packs.all()],
            "on": r.on.isoformat(),
            "state": r.state,
            "word": r.word,
            "made_at": r.made_at.isoformat(),
        }
        for r in rows
    ]
