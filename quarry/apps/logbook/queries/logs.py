"""Logs, the flights found in them, imports, and groups of flights laid over one another."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from django.db.models import QuerySet

from quarry.apps.accounts.services import DomainError
from quarry.apps.day.models import Day
from quarry.apps.logbook import mappers
from quarry.apps.logbook.models import Flight, Import, LogFile
from quarry.apps.logbook.queries.recorded import around, asks
from quarry.apps.logbook.views import (
    FileOfFlight,
    FlightPlanned,
    GroupFlight,
    GroupingsOut,
    JobNamed,
    MatchCandidate,
    NamedThing,
)

Plain = dict[str, Any]
MOST_COMPARED = 40


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
        "held": row.state == "asks" and row.doubts != [],
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
    return {"file": file_dict(file_of(file_id)), "choices": mappers.choices(), "zone_guess": zone_guess()}


def flight_page(flight_id: UUID) -> Plain:
    """Return everything that the page of a flight draws."""
    f = flight_of(flight_id)
    near = around(f) if f.record or f.candidates else []
    entry = next((e for e in near if e.id == f.record), None) if f.record else None
    file = f.file
    return {
        "id": str(f.pk),
        "version": f.version,
        "file": FileOfFlight(f.file_id, file.name, file.doubts, file.bad_rows, file.rows, file.examples, file.flights.count()),
        "number": f.number,
        "began_at": f.began_at,
        "zoned": f.zoned,
        "zone": file.source.zone,
        "length_s": f.length_s,
        "serial": f.serial,
        "firmware": f.firmware,
        "packs": [NamedThing(p.pk, p.name) for p in f.packs.all()],
        "aircraft": NamedThing(f.aircraft.pk, f.aircraft.name) if f.aircraft else None,
        "job": JobNamed(f.job.pk, f.job.name, f.job.letter) if f.job else None,
        "day": NamedThing(f.day.pk, f.day.name) if f.day else None,
        "sortie": f.sortie,
        "cells": _cells(f),
        "ask": asks(f),
        "match": f.match,
        "candidates": _candidates(f, {e.id: e for e in near}),
        "payload_kg": f.payload_kg,
        "air_c": f.air_c,
        "note": f.note,
        "figures": f.figures,
        "by_phase": f.by_phase,
        "phases": f.phases,
        "phase_words": mappers.phase_words(),
        "marks": f.marks,
        "wind": f.wind,
        "track": f.track,
        "claims": f.claims,
        "planned": None
        if entry is None
        else FlightPlanned(entry.planned_s, entry.planned_frac, entry.length_s, entry.to_frac, entry.who, entry.source),
        "route": _route(f),
    }


def _cells(f: Flight) -> int | None:
    """Return how many cells stand in series: as the log tells, else by the model of its pack."""
    packs = list(f.packs.all())
    return f.figures.get("cells_count") or (packs[0].model.cells if packs else None)


def _candidates(f: Flight, known: Plain) -> list[MatchCandidate]:
    found = []
    for c in f.candidates:
        e = known.get(c["id"])
        if e is not None:
            words = " · ".join(x for x in (e.day, e.sortie, e.aircraft, ", ".join(e.packs)) if x)
            found.append(MatchCandidate(**c, began_at=e.began_at, length_s=e.length_s, words=words))
    return found


def _route(f: Flight) -> list[list[list[float]]]:
    """Return the lines that were planned for the sortie of a flight, as degrees."""
    run = getattr(f.day, "run", None) if f.day_id else None
    if run is None:
        return []
    route = run.frame.get("routes", {}).get(f.sortie.rstrip("+"))
    return [[list(p) for p in line] for line in route.get("lines", ())] if route else []


_PATHS = {
    "pack_id": "packs__pk",
    "pack_model_id": "packs__model_id",
    "aircraft_id": "aircraft_id",
    "aircraft_model_id": "aircraft__model_id",
    "job_id": "job_id",
    "firmware": "firmware",
    "begins": "began_at__date__gte",
    "ends": "began_at__date__lte",
    "flight_ids": "pk__in",
}


def flights_like(group: Plain) -> list[Flight]:
    """Return the flights of a group: by pack, model of pack, aircraft, payload, firmware, temperature and wind."""
    rows: QuerySet[Flight] = Flight.objects.prefetch_related("packs__model").select_related("aircraft", "job", "samples")
    rows = rows.filter(**{path: group[key] for key, path in _PATHS.items() if group.get(key)}).order_by("-began_at")
    found = []
    for f in rows.distinct():
        wind = f.wind.get("wind_m_s") if f.wind else None
        told = {"air_c": f.air_c, "wind_m_s": wind, "payload_kg": f.payload_kg, "pack_c": f.figures.get("from_c")}
        if all(_within(value, group.get(f"least_{k}"), group.get(f"most_{k}")) for k, value in told.items()):
            found.append(f)
    return found[:MOST_COMPARED]


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
    first, second = ([(str(f.pk), f.figures, bytes(f.samples.overview), _cells(f)) for f in g] for g in groups)
    told = mappers.compared(first, second, quantity, axis)
    for name, group in zip(("ours", "theirs"), groups, strict=True):
        told[name]["flights"] = [GroupFlight(f.pk, f.began_at, f.length_s, _words(f)) for f in group]
    return told


def _words(f: Flight) -> str:
    return " · ".join(x for x in (f.aircraft.name if f.aircraft else "", ", ".join(p.name for p in f.packs.all())) if x)


def groupings() -> GroupingsOut:
    """Return what flights with a log can be grouped by."""
    rows = Flight.objects.select_related("aircraft__model", "job").prefetch_related("packs__model")
    packs: dict[UUID, str] = {}
    models: dict[UUID, str] = {}
    craft: dict[UUID, str] = {}
    kinds: dict[UUID, str] = {}
    jobs: dict[UUID, str] = {}
    firmware: set[str] = set()
    count = 0
    for f in rows.defer("track", "phases", "marks", "by_phase", "candidates"):
        count += 1
        for p in f.packs.all():
            packs[p.pk], models[p.model_id] = p.name, p.model.name
        if f.aircraft:
            craft[f.aircraft.pk], kinds[f.aircraft.model_id] = f.aircraft.name, f.aircraft.model.name
        if f.job:
            jobs[f.job.pk] = f.job.name
        if f.firmware:
            firmware.add(f.firmware)
    return GroupingsOut(_named(packs), _named(models), _named(craft), _named(kinds), _named(jobs), sorted(firmware), count)


def _named(found: dict[UUID, str]) -> list[NamedThing]:
    return [NamedThing(k, v) for k, v in sorted(found.items(), key=lambda x: x[1])]
