"""Reading the logbook: what was flown, whoever told it; a flight; what flights teach; totals."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from uuid import UUID

from django.db.models import Q

from quarry.apps.accounts.services import DomainError
from quarry.apps.care.models import PackRecord
from quarry.apps.care.selectors import charge_lessons
from quarry.apps.day.models import Day, DayRun
from quarry.apps.day.selectors import flown_days
from quarry.apps.fleet.models import Aircraft, AircraftModel, Pack
from quarry.apps.fleet.selectors import calibrations, in_force
from quarry.apps.jobs.models import Job
from quarry.apps.logbook import bridge
from quarry.apps.logbook.models import Flight, Import, LogFile

Plain = dict[str, Any]
_HEAVY = ("track", "phases", "marks", "by_phase", "candidates")  # drawn on the page of a flight alone
LEARN_FROM = 60  # the newest flights of a thing that teach
_AROUND = timedelta(hours=16)
_EXPORTED = (
    "min_per_percent",
    "mean_a",
    "hard_a",
    "mean_w",
    "used_ah",
    "used_wh",
    "wh_per_km",
    "distance_m",
    "knee_frac",
    "lowest_v",
    "lowest_cell",
    "spread_v",
    "resistance_ohm",
    "resistance_c",
    "from_c",
    "most_c",
    "settled_c",
    "warned_s",
    "in_warning_s",
    "critical_s",
)


def _bounds(begins: date | None, ends: date | None) -> tuple[datetime | None, datetime | None]:
    return (
        datetime.combine(begins, time(0), UTC) - timedelta(hours=14) if begins else None,
        datetime.combine(ends, time(23, 59, 59), UTC) + timedelta(hours=12) if ends else None,
    )


def flown(begins: date | None = None, ends: date | None = None) -> list[Plain]:
    """Return everything that was flown, newest first: each flight once.

    A running day, a record of a pack or a log may have told of it. A log stands with the flight it is of.
    """
    early, late = _bounds(begins, ends)
    flights = Flight.objects.select_related("aircraft", "job", "day", "file").prefetch_related("packs").defer(*_HEAVY)
    if early:
        flights = flights.filter(Q(began_at=None) | Q(began_at__gte=early))
    if late:
        flights = flights.filter(Q(began_at=None) | Q(began_at__lte=late))
    logs = list(flights)
    by_record = {f.record: f for f in logs if f.record}
    entries: list[Plain] = []
    written: set[UUID] = {UUID(k) for f in logs for k in f.own_records}
    for day in flown_days(begins, ends):
        for s in day["sorties_flown"]:
            written |= set(s["record_keys"])
            entries.append(_of_day(day, s, by_record))
    entries += _of_records(early, late, written, by_record)
    told = {e["id"] for e in entries}
    # A log of which it is asked which recorded flight it is would be counted twice.
    entries += [_of_log(f) for f in logs if f.record not in told and f.match != "asked"]
    undated = datetime(1970, 1, 1, tzinfo=UTC)
    entries = [
        e
        for e in entries
        if e["date"] is None or ((begins is None or e["date"] >= begins) and (ends is None or e["date"] <= ends))
    ]
    return sorted(entries, key=lambda e: e["began_at"] or undated, reverse=True)


def _of_day(day: Plain, s: Plain, by_record: dict[str, Flight]) -> Plain:
    key = f"day:{day['day_id']}:{s['sortie']}"
    return {
        "id": key,
        "source": "day",
        "began_at": s["began_at"],
        "length_s": s["length_s"],
        "from_frac": None,
        "to_frac": s["to_frac"],
        "aircraft": s["aircraft"],
        "aircraft_id": s["aircraft_id"],
        "packs": s["packs"],
        "pack_ids": s["pack_ids"],
        "job_id": s["job_id"] or None,
        "letter": s["letter"],
        "sortie": s["sortie"],
        "day_id": day["day_id"],
        "day": day["name"],
        "date": day["date"],
        "who": s["who"],
        "planned_s": s["planned_s"],
        "planned_frac": s["planned_frac"],
        "hectares": s["hectares"],
        "litres": s["work"] if s["what"] == "litres" else None,
        "air_c": day["air_c"],
        **_log_part(by_record.get(key)),
    }


def _of_records(early: datetime | None, late: datetime | None, written: set[UUID], by_record: dict[str, Flight]) -> list[Plain]:
    rows = PackRecord.objects.filter(kind="flight").select_related("pack", "by")
    taken_back = set(PackRecord.objects.exclude(corrects=None).values_list("corrects", flat=True))
    if early:
        rows = rows.filter(at__gte=early)
    if late:
        rows = rows.filter(at__lte=late)
    craft = {a.name: a for a in Aircraft.objects.all()}
    groups: dict[tuple[Any, ...], list[PackRecord]] = {}
    for r in rows:
        if r.key not in written and r.key not in taken_back:
            # Packs that fly as one set are written each for itself.
            mates = (str(r.pack.model_id), r.pack.mates) if r.pack.mates else str(r.pk)
            groups.setdefault((r.at.replace(second=0, microsecond=0), r.figures.get("aircraft", ""), mates), []).append(r)
    found = []
    for group in groups.values():
        r = group[0]
        key = f"record:{r.key}"
        item = craft.get(r.figures.get("aircraft", ""))
        found.append(
            {
                "id": key,
                "source": "record",
                "began_at": r.at,
                "length_s": r.figures["flown_s"],
                "from_frac": r.figures.get("from_frac"),
                "to_frac": r.figures.get("to_frac"),
                "aircraft": r.figures.get("aircraft", ""),
                "aircraft_id": str(item.pk) if item else None,
                "packs": [x.pack.name for x in group],
                "pack_ids": [str(x.pack_id) for x in group],
                "job_id": None,
                "letter": "",
                "sortie": "",
                "day_id": None,
                "day": "",
                "date": r.at.date(),
                "who": r.by_name or (r.by.full_name or r.by.username if r.by else ""),
                "planned_s": None,
                "planned_frac": None,
                "hectares": 0.0,
                "litres": None,
                "air_c": r.figures.get("air_c"),
                **_log_part(by_record.get(key)),
            }
        )
    return found


def _of_log(f: Flight) -> Plain:
    packs = list(f.packs.all())
    return {
        "id": f"log:{f.pk}",
        "source": "log",
        "began_at": f.began_at,
        "length_s": f.length_s,
        "from_frac": f.figures.get("from_frac"),
        "to_frac": f.figures.get("to_frac"),
        "aircraft": f.aircraft.name if f.aircraft else "",
        "aircraft_id": str(f.aircraft_id) if f.aircraft_id else None,
        "packs": [p.name for p in packs],
        "pack_ids": [str(p.pk) for p in packs],
        "job_id": str(f.job_id) if f.job_id else None,
        "letter": f.job.letter if f.job else "",
        "sortie": f.sortie,
        "day_id": str(f.day_id) if f.day_id else None,
        "day": f.day.name if f.day else "",
        "date": f.began_at.date() if f.began_at else None,
        "who": "",
        "planned_s": None,
        "planned_frac": None,
        "hectares": 0.0,
        "litres": None,
        "air_c": f.air_c,
        **_log_part(f),
    }


def _log_part(f: Flight | None) -> Plain:
    if f is None:
        return {"flight_id": None, "ask": ""}
    return {"flight_id": str(f.pk), "ask": _asks(f)}


def _asks(f: Flight) -> str:
    """Return what a person should say of a flight of a log, in words; nothing where all is known."""
    if f.began_at is None:
        return "when it was flown"
    if f.match == "asked":
        return "which flight it is"
    if not f.packs.all():
        return "which pack it flew"
    return "" if f.aircraft_id else "which aircraft it was"


def around(f: Flight) -> list[Plain]:
    """Return what was recorded within hours of a log, for matching, with the serials of its packs."""
    if f.began_at is None:
        return []
    day = f.began_at.date()
    near = [
        e
        for e in flown(day - timedelta(days=1), day + timedelta(days=1))
        if e["source"] != "log" and e["began_at"] is not None and abs(e["began_at"] - f.began_at) <= _AROUND
    ]
    free = [e for e in near if e["flight_id"] in (None, str(f.pk))]
    serials = dict(Pack.objects.exclude(serial="").values_list("pk", "serial"))
    for e in free:
        e["serials"] = [serials.get(UUID(p), "") for p in e["pack_ids"]]
    return free


def flight_of(flight_id: UUID, *, lock: bool = False) -> Flight:
    """Return a flight of a log."""
    rows = Flight.objects.select_for_update(of=("self",)) if lock else Flight.objects.all()
    row = (
        rows.select_related("file__source", "aircraft__model__pack_model", "job", "day")
        .prefetch_related("packs__model")
        .filter(pk=flight_id)
        .first()
    )
    if row is None:
        raise DomainError("not_found", "There is no such flight in your logbook.")
    return row


def file_of(file_id: UUID) -> LogFile:
    """Return a log."""
    row = LogFile.objects.select_related("source").filter(pk=file_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such log.")
    return row


def import_of(import_id: UUID) -> Import:
    """Return an import."""
    row = Import.objects.defer("data").filter(pk=import_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such import.")
    return row


def file_dict(row: LogFile) -> Plain:
    """Return a log with its head and what its columns are taken for."""
    return {
        "id": str(row.pk),
        "name": row.name,
        "size": row.size,
        "state": row.state,
        "words": row.words,
        "rows": row.rows,
        "bad_rows": row.bad_rows,
        "examples": row.examples,
        "doubts": row.doubts,
        "look": row.look,
        "zone": row.source.zone,
        "same_kind": LogFile.objects.filter(source=row.source, state="asks").exclude(pk=row.pk).count(),
        "told": row.source.columns != {},
        "flights": [str(pk) for pk in row.flights.order_by("number").values_list("pk", flat=True)],
    }


def zone_guess() -> str:
    """Return the time zone of the newest day, for clocks that do not name theirs."""
    newest = Day.objects.filter(archived_at=None).order_by("-date").first()
    return newest.time_zone if newest is not None else "UTC"


def file_page(file_id: UUID) -> Plain:
    """Return a log with its head, and what its columns may hold."""
    return {"file": file_dict(file_of(file_id)), "choices": bridge.choices(), "zone_guess": zone_guess()}


def flight_rows(begins: date | None, ends: date | None) -> list[Plain]:
    """Return one plain row for each flight of the logbook, with the figures of its log where there is one."""
    entries = flown(begins, ends)
    logs = {str(f.pk): f for f in Flight.objects.defer(*_HEAVY)}
    found = []
    for e in entries:
        f = logs.get(e["flight_id"] or "")
        figures = f.figures if f else {}
        found.append(
            {
                "began_at": e["began_at"].isoformat() if e["began_at"] else None,
                "flown_s": round(e["length_s"], 1),
                "aircraft": e["aircraft"],
                "packs": ", ".join(e["packs"]),
                "day": e["day"],
                "sortie": e["sortie"],
                "person": e["who"],
                "from_frac": e["from_frac"],
                "to_frac": e["to_frac"],
                "hectares": round(e["hectares"], 3),
                "litres": e["litres"],
                "planned_s": e["planned_s"],
                "told_by": e["source"],
                "firmware": f.firmware if f else "",
            }
            | {k: figures.get(k) for k in _EXPORTED}
        )
    return found


def import_dict(row: Import) -> Plain:
    """Return how far an import has come and what came of each file."""
    return {
        "id": str(row.pk),
        "name": row.name,
        "state": row.state,
        "total": row.total,
        "done": row.done,
        "words": row.words,
        "report": row.report,
        "made_at": row.made_at,
    }


def book(
    begins: date | None,
    ends: date | None,
    *,
    words: str = "",
    pack_id: UUID | None = None,
    aircraft_id: UUID | None = None,
    job_id: UUID | None = None,
) -> Plain:
    """Return the logbook between two dates, what needs an answer, and the imports of late."""
    entries = flown(begins, ends)
    if pack_id is not None:
        entries = [e for e in entries if str(pack_id) in e["pack_ids"]]
    if aircraft_id is not None:
        entries = [e for e in entries if e["aircraft_id"] == str(aircraft_id)]
    if job_id is not None:
        entries = [e for e in entries if e["job_id"] == str(job_id)]
    if words.strip():
        wanted = words.strip().lower()
        entries = [e for e in entries if wanted in _all_words(e)]
    names = dict(Job.objects.values_list("pk", "name"))
    for e in entries:
        e["job"] = names.get(UUID(e["job_id"]), "") if e["job_id"] else ""
    return {
        "entries": entries,
        "flights": len(entries),
        "flown_s": sum(e["length_s"] for e in entries),
        "hectares": sum(e["hectares"] for e in entries),
        "litres": sum(e["litres"] or 0.0 for e in entries),
        "with_log": sum(e["flight_id"] is not None for e in entries),
        "asking_files": [
            {"id": str(f.pk), "name": f.name, "words": f.words} for f in LogFile.objects.filter(state="asks").order_by("name")
        ],
        "asking_flights": [
            {"id": str(f.pk), "name": f.file.name, "ask": _asks(f), "began_at": f.began_at, "length_s": f.length_s}
            for f in Flight.objects.select_related("file").prefetch_related("packs").defer(*_HEAVY).order_by("began_at")
            if _asks(f)
        ],
        "imports": [import_dict(i) for i in Import.objects.defer("data").order_by("-made_at")[:6]],
    }


def _all_words(e: Plain) -> str:
    told = [e["aircraft"], *e["packs"], e["letter"], e["sortie"], e["day"], e["who"], f"{e['date']}"]
    return " ".join(str(x) for x in told).lower()


def flight_page(flight_id: UUID) -> Plain:
    """Return everything that the page of a flight draws."""
    f = flight_of(flight_id)
    entry = next((e for e in (around(f) if f.record else []) if e["id"] == f.record), None)
    packs = list(f.packs.all())
    return {
        "id": str(f.pk),
        "version": f.version,
        "file": {"id": str(f.file_id), "name": f.file.name, "doubts": f.file.doubts, "bad_rows": f.file.bad_rows}
        | {"rows": f.file.rows, "examples": f.file.examples, "flights": f.file.flights.count()},
        "number": f.number,
        "began_at": f.began_at,
        "zoned": f.zoned,
        "zone": f.file.source.zone,
        "length_s": f.length_s,
        "serial": f.serial,
        "firmware": f.firmware,
        "packs": [{"id": str(p.pk), "name": p.name} for p in packs],
        "aircraft": {"id": str(f.aircraft_id), "name": f.aircraft.name} if f.aircraft else None,
        "job": {"id": str(f.job_id), "name": f.job.name, "letter": f.job.letter} if f.job else None,
        "day": {"id": str(f.day_id), "name": f.day.name} if f.day else None,
        "sortie": f.sortie,
        "cells": _cells(f),
        "ask": _asks(f),
        "match": f.match,
        "candidates": _candidates(f),
        "payload_kg": f.payload_kg,
        "air_c": f.air_c,
        "note": f.note,
        "figures": f.figures,
        "by_phase": f.by_phase,
        "phases": f.phases,
        "phase_words": bridge.phase_words(),
        "marks": f.marks,
        "wind": f.wind,
        "track": f.track,
        "claims": f.claims,
        "planned": None
        if entry is None
        else {
            "planned_s": entry["planned_s"],
            "planned_frac": entry["planned_frac"],
            "told_s": entry["length_s"],
            "to_frac": entry["to_frac"],
            "who": entry["who"],
            "source": entry["source"],
        },
        "route": _route(f),
    }


def _cells(f: Flight) -> int | None:
    """Return how many cells stand in series: as the log tells, else by the model of its pack."""
    packs = list(f.packs.all())
    return f.figures.get("cells_count") or (packs[0].model.cells if packs else None)


def _candidates(f: Flight) -> list[Plain]:
    if not f.candidates:
        return []
    known = {e["id"]: e for e in around(f)}
    found = []
    for c in f.candidates:
        e = known.get(c["id"])
        if e is not None:
            found.append(
                c
                | {
                    "began_at": e["began_at"],
                    "length_s": e["length_s"],
                    "words": " · ".join(x for x in (e["day"], e["sortie"], e["aircraft"], ", ".join(e["packs"])) if x),
                }
            )
    return found


def _route(f: Flight) -> list[list[list[float]]]:
    """Return the lines that were planned for the sortie of a flight, as degrees."""
    run = getattr(f.day, "run", None) if f.day_id else None
    if run is None:
        return []
    route = run.frame.get("routes", {}).get(f.sortie.rstrip("+"))
    return [[list(p) for p in line] for line in route["lines"]] if route else []


def flights_like(group: Plain) -> list[Flight]:
    """Return the flights of a group: by pack, model of pack, aircraft, payload, firmware, temperature and wind."""
    rows = Flight.objects.prefetch_related("packs__model").select_related("aircraft", "job", "samples").order_by("-began_at")
    if group.get("flight_ids"):
        rows = rows.filter(pk__in=group["flight_ids"])
    for key, path in (
        ("pack_id", "packs__pk"),
        ("pack_model_id", "packs__model_id"),
        ("aircraft_id", "aircraft_id"),
        ("aircraft_model_id", "aircraft__model_id"),
        ("job_id", "job_id"),
        ("firmware", "firmware"),
    ):
        if group.get(key):
            rows = rows.filter(**{path: group[key]})
    if group.get("begins"):
        rows = rows.filter(began_at__date__gte=group["begins"])
    if group.get("ends"):
        rows = rows.filter(began_at__date__lte=group["ends"])
    found = []
    for f in rows.distinct():
        wind = f.wind["wind_m_s"] if f.wind else None
        told = {"air_c": f.air_c, "wind_m_s": wind, "payload_kg": f.payload_kg, "pack_c": f.figures.get("from_c")}
        if all(_within(told[k], group.get(f"least_{k}"), group.get(f"most_{k}")) for k in told):
            found.append(f)
    return found[:40]


def _within(value: float | None, least: float | None, most: float | None) -> bool:
    if least is None and most is None:
        return True
    return value is not None and (least is None or value >= least) and (most is None or value <= most)


def compare(ours: Plain, theirs: Plain, quantity: str, axis: Any) -> Plain:
    """Return two groups of flights laid over one another."""
    groups = [flights_like(g) for g in (ours, theirs)]
    for name, group in zip(("ours", "theirs"), groups, strict=True):
        if not group:
            raise DomainError("missing", "No flight with a log is in this group. Choose less narrowly.", name)
    told = bridge.compared(
        *[[(str(f.pk), f.figures, bytes(f.samples.overview), _cells(f)) for f in g] for g in groups], quantity, axis
    )
    for name, group in zip(("ours", "theirs"), groups, strict=True):
        told[name]["flights"] = [
            {
                "id": str(f.pk),
                "began_at": f.began_at,
                "length_s": f.length_s,
                "words": " · ".join(
                    x for x in (f.aircraft.name if f.aircraft else "", ", ".join(p.name for p in f.packs.all())) if x
                ),
            }
            for f in group
        ]
    return told


def groupings() -> Plain:
    """Return what flights with a log can be grouped by."""
    rows = Flight.objects.select_related("aircraft__model", "job").prefetch_related("packs__model")
    packs: dict[str, str] = {}
    models: dict[str, str] = {}
    craft: dict[str, str] = {}
    kinds: dict[str, str] = {}
    jobs: dict[str, str] = {}
    firmware: set[str] = set()
    for f in rows:
        for p in f.packs.all():
            packs[str(p.pk)], models[str(p.model_id)] = p.name, p.model.name
        if f.aircraft:
            craft[str(f.aircraft_id)], kinds[str(f.aircraft.model_id)] = f.aircraft.name, f.aircraft.model.name
        if f.job:
            jobs[str(f.job_id)] = f.job.name
        if f.firmware:
            firmware.add(f.firmware)

    def told(found: dict[str, str]) -> list[Plain]:
        return [{"id": k, "name": v} for k, v in sorted(found.items(), key=lambda x: x[1])]

    return {
        "packs": told(packs),
        "pack_models": told(models),
        "aircraft": told(craft),
        "aircraft_models": told(kinds),
        "jobs": told(jobs),
        "firmware": sorted(firmware),
        "flights": rows.count(),
    }


_FULL_FRAC, _LEAST_FROM_FRAC = 0.98, 0.9


def _charge_ratios(packs: list[Pack]) -> dict[str, list[float]]:
    """Return by pack how long its charges to full took, in times of what the law says: at the bench and on flown days."""
    found = charge_lessons(packs)
    known = {p.pk: p for p in packs}
    watts: dict[tuple[str, str], float] = {}
    for run in DayRun.objects.filter(day__rehearsal_of=None, closed_at__isnull=False).select_related("day"):
        for charger in run.frame["task"]["chargers"]:
            for mode in charger["modes"]:
                watts[run.day.name, mode["name"]] = mode["pack_w"]
    rows = PackRecord.objects.filter(kind="charge", pack__in=packs, note__in={name for name, _ in watts}).order_by("-at")
    for r in rows:
        f, mine = r.figures, found.setdefault(str(r.pack_id), [])
        power = watts.get((r.note, f.get("mode", "")))
        whole = f.get("to_frac", 0.0) >= _FULL_FRAC and f.get("from_frac", 1.0) <= _LEAST_FROM_FRAC
        if power and whole and f.get("charged_s") and len(mine) < LEARN_FROM:
            mine.append(bridge.charge_ratio(known[r.pack_id], f["from_frac"], f["charged_s"], power))
    return found


_RECORD_KINDS = {"charges": ("charge",), "tests": ("load test", "resistance", "capacity", "rest volts", "alarm levels")}


def kept_records(what: str, begins: date | None, ends: date | None, words: str = "") -> list[Plain]:
    """Return the charges or the tests that were written down at packs, newest first; taken back ones are left out."""
    early, late = _bounds(begins, ends)
    rows = PackRecord.objects.filter(kind__in=_RECORD_KINDS[what]).select_related("pack", "by").order_by("-at")
    rows = rows.filter(at__gte=early) if early else rows
    rows = rows.filter(at__lte=late) if late else rows
    taken_back = set(PackRecord.objects.exclude(corrects=None).values_list("corrects", flat=True))
    found = []
    for r in rows[:2000]:
        who = r.by_name or (r.by.full_name or r.by.username if r.by else "")
        if r.key in taken_back or words.strip().lower() not in f"{r.pack.name} {who} {r.kind} {r.note}".lower():
            continue
        found.append(
            {
                "key": str(r.key),
                "at": r.at,
                "kind": r.kind,
                "pack": r.pack.name,
                "pack_id": str(r.pack_id),
                "who": who,
                "note": r.note,
                "figures": r.figures,
            }
        )
    return found


def _ratios(rows: Iterable[Flight], subject: str) -> list[tuple[Flight, Plain]]:
    found = [(f, f.claims[subject]) for f in rows if subject in f.claims]
    return found[:LEARN_FROM]


def lessons() -> list[Plain]:
    """Return everything that flights, charges and days teach: claimed, measured, what planning goes by and what it would."""
    rows = list(
        Flight.objects.exclude(claims={})
        .select_related("aircraft__model")
        .prefetch_related("packs__model")
        .defer(*_HEAVY)
        .order_by("-began_at")
    )
    found: list[Plain] = []
    for model in AircraftModel.objects.filter(archived_at=None).order_by("name"):
        mine = [f for f in rows if f.aircraft and f.aircraft.model_id == model.pk]
        found += _lesson("power", "aircraft model", model.pk, model.name, "", _ratios(mine, "power"), model.power_w, "W")
        for item in Aircraft.objects.filter(model=model, archived_at=None).order_by("name"):
            own = [f for f in mine if f.aircraft_id == item.pk]
            claim = item.power_w if item.power_w is not None else model.power_w
            found += _lesson("power", "aircraft", item.pk, item.name, model.name, _ratios(own, "power"), claim, "W")
    packs = list(Pack.objects.filter(archived_at=None).select_related("model").order_by("model__name", "name"))
    charges = _charge_ratios(packs)
    for pack in packs:
        own = [f for f in rows if any(p.pk == pack.pk for p in f.packs.all())]
        ah = pack.model.capacity_ah * pack.health_frac
        found += _lesson("capacity", "pack", pack.pk, pack.name, pack.model.name, _ratios(own, "capacity"), ah, "Ah")
        ohm = _ratios(own, "resistance")
        found += _lesson(
            "resistance", "pack", pack.pk, pack.name, pack.model.name, ohm, ohm[0][1]["claimed"] if ohm else 0.0, "Ω"
        )
        found += _taught("charge", "pack", pack.pk, pack.name, pack.model.name, charges.get(str(pack.pk), []), 1.0, "×")
    swaps = [g for d in flown_days() for g in d["swaps"]]
    newest = Day.objects.filter(archived_at=None, rehearsal_of=None).order_by("-date").first()
    found += _taught("swap", "", None, "all swaps", "", swaps[-LEARN_FROM:], newest.swap_s if newest else 240.0, "s")
    return found


def _lesson(
    subject: str, thing: str, pk: UUID, name: str, kind: str, told: list[tuple[Flight, Plain]], claimed: float, unit: str
) -> list[Plain]:
    points = [
        {"flight_id": str(f.pk), "at": f.began_at, "ratio": c["ratio"], "measured": c["measured"], "claimed": c["claimed"]}
        for f, c in told
    ]
    made = _taught(subject, thing, pk, name, kind, [c["ratio"] for _, c in told], claimed, unit)
    for m in made:
        m["points"] = points
    return made


def _taught(
    subject: str, thing: str, pk: UUID | None, name: str, kind: str, ratios: list[float], claimed: float, unit: str
) -> list[Plain]:
    now = in_force(subject, pk)
    lesson = bridge.lesson_of(subject, ratios) if ratios else None  # type: ignore[arg-type]
    if lesson is None and now is None:
        return []
    return [
        {
            "subject": subject,
            "thing": thing,
            "thing_id": str(pk) if pk else None,
            "name": name,
            "kind": kind,
            "claimed": claimed,
            "unit": unit,
            "now_factor": now.factor if now else 1.0,
            "now_number": now.number if now else None,
            "factor": lesson.factor if lesson else None,
            "told": lesson.told if lesson else None,
            "points": [],
            # A calibration that is the same to a thousandth would change nothing.
            "new": lesson is not None and abs(lesson.factor - (now.factor if now else 1.0)) >= 0.001,
        }
    ]


def claims() -> Plain:
    """Return claimed against real: lessons, every calibration that was accepted, and how days kept to their plans."""
    days = [d for d in flown_days() if d["sorties"]]
    kept = [d for d in days if d["promised_s"] is not None and d["closed"] and d["finish_s"] is not None]
    inside, of = bridge.covered([d["promised_s"] for d in kept], [d["finish_s"] for d in kept])
    keys = (
        "day_id",
        "name",
        "date",
        "opens_at",
        "closed",
        "plan_number",
        "planned_finish_s",
        "promised_s",
        "finish_s",
        "planned_sorties",
        "sorties",
        "planned_air_s",
        "air_s",
    )
    return {
        "lessons": lessons(),
        "calibrations": [calibration_dict(c) for c in calibrations()[:100]],
        "days": [{k: d[k] for k in keys} for d in reversed(days)][:60],
        "covered": inside,
        "covered_of": of,
        "models": _claimed_minutes(),
    }


def _claimed_minutes() -> list[Plain]:
    """Return by aircraft and model of pack the minutes that the maker's figures give from full to the reserve, and those flown."""
    groups: dict[tuple[str, str], list[Flight]] = {}
    rows = Flight.objects.select_related("aircraft__model").prefetch_related("packs__model").defer(*_HEAVY)
    for f in rows.order_by("-began_at"):
        packs = list(f.packs.all())
        if f.aircraft and packs and f.figures.get("min_per_percent"):
            groups.setdefault((f.aircraft.name, packs[0].model.name), []).append(f)
    found = []
    for (craft, model), flights in sorted(groups.items()):
        f = flights[0]
        pack = f.packs.all()[0].model
        power = f.aircraft.power_w or f.aircraft.model.power_w
        each = sorted(x.figures["min_per_percent"] for x in flights)
        found.append(
            {
                "aircraft": craft,
                "pack_model": model,
                "flights": len(flights),
                "claimed_min": pack.rated_wh * f.aircraft.model.packs_count / power * 60.0,
                "real_min": 100.0 * each[len(each) // 2],
                "least_min": 100.0 * each[0],
                "most_min": 100.0 * each[-1],
            }
        )
    return found


def calibration_dict(row: Any) -> Plain:
    """Return a calibration as plain data."""
    return {
        "number": row.number,
        "subject": row.subject,
        "name": row.label,
        "factor": row.factor,
        "words": row.figures.get("words", ""),
        "working": row.figures.get("working"),
        "accepted_at": row.accepted_at,
        "accepted_by": row.accepted_by.full_name or row.accepted_by.username,
        "rolled_back_at": row.rolled_back_at,
        "rolled_back_by": (row.rolled_back_by.full_name or row.rolled_back_by.username) if row.rolled_back_by else "",
    }


_BY = ("month", "person", "aircraft", "pack", "job")


def totals(begins: date | None, ends: date | None, by: str) -> Plain:
    """Return what was flown in all, by month, person, aircraft, pack or job: hours, flights, cycles, hectares, litres.

    Packs that fly together each have the flight; the sum counts it once. A cycle is a full charge used up: shares of the charge
    taken out, added up.
    """
    entries = [e for e in flown(begins, ends) if e["began_at"] is not None]
    names = dict(Job.objects.values_list("pk", "name"))
    groups: dict[str, list[Plain]] = {}
    for e in entries:
        for key in _keys_of(e, by, names):
            groups.setdefault(key, []).append(e)
    rows = [{"name": name, **_sums(group, one_pack=by == "pack")} for name, group in groups.items()]
    rows.sort(key=lambda r: str(r["name"]), reverse=by == "month")
    return {"by": by, "begins": begins, "ends": ends, "rows": rows, "sum": {"name": "all", **_sums(entries, one_pack=False)}}


def _keys_of(e: Plain, by: str, names: dict[UUID, str]) -> list[str]:
    if by == "month":
        return [f"{e['date']:%Y-%m}"]
    if by == "person":
        return [e["who"] or "not written down"]
    if by == "aircraft":
        return [e["aircraft"] or "not known"]
    if by == "pack":
        return e["packs"] or ["not known"]
    return [names.get(UUID(e["job_id"]), "not known") if e["job_id"] else "no job"]


def _sums(group: list[Plain], *, one_pack: bool) -> Plain:
    used = 0.0
    for e in group:
        if e["to_frac"] is not None:
            used += max(0.0, (e["from_frac"] if e["from_frac"] is not None else 1.0) - e["to_frac"]) * (
                1 if one_pack else max(1, len(e["packs"]))
            )
    return {
        "flights": len(group),
        "flown_s": sum(e["length_s"] for e in group),
        "cycles": used,
        "hectares": sum(e["hectares"] for e in group),
        "litres": sum(e["litres"] or 0.0 for e in group),
        "with_log": sum(e["flight_id"] is not None for e in group),
        "longest_s": max((e["length_s"] for e in group), default=0.0),
    }
