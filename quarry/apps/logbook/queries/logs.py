"""Logs, the flights found in them, imports, and groups of flights laid over one another."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import cast
from uuid import UUID

from django.db.models import QuerySet

from quarry.apps.accounts.errors import DomainError
from quarry.apps.day.models import Day
from quarry.apps.day.repository import frame_of
from quarry.apps.logbook import mappers
from quarry.apps.logbook.models import Flight, Import, LogFile, Source
from quarry.apps.logbook.queries.recorded import around, asks
from quarry.apps.logbook.repository import (
    by_phase_of,
    candidates_of,
    claims_of,
    columns_of,
    figures_of,
    look_of,
    marks_of,
    phases_of,
    wind_of,
)
from quarry.apps.logbook.views import (
    Axis,
    BookEntry,
    CompareOut,
    CurveOf,
    FileOfFlight,
    FlightPage,
    FlightPlanned,
    GroupFlight,
    GroupingsOut,
    JobNamed,
    LogFileOut,
    LogFilePage,
    MatchCandidate,
    MatchWord,
    NamedThing,
)

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


def to_be_read(source: Source) -> list[LogFile]:
    """Return the logs of a kind that wait for its columns, or were read by other columns than are said now."""
    said = columns_of(source)
    found = []
    for row in LogFile.objects.filter(source=source):
        taken = {c.header: (c.quantity, c.unit if c.quantity else "", c.cell) for c in look_of(row).columns} if row.look else {}
        other = any(taken.get(h, ("", "", 0))[:2] != (c.quantity, c.unit if c.quantity else "") for h, c in said.items())
        if row.state == "asks" or other:
            found.append(row)
    return found


def file_view(row: LogFile) -> LogFileOut:
    """Return a log with its head and what its columns are taken for."""
    return LogFileOut(
        id=row.pk,
        name=row.name,
        size=row.size,
        state="asks" if row.state == "asks" else "read",
        words=row.words,
        rows=row.rows,
        bad_rows=row.bad_rows,
        examples=row.examples,
        doubts=row.doubts,
        held=row.state == "asks" and row.doubts != [],
        look=look_of(row),
        zone=row.source.zone,
        same_kind=LogFile.objects.filter(source=row.source, state="asks").exclude(pk=row.pk).count(),
        columns_said=row.source.columns != {},
        flights=list(row.flights.order_by("number").values_list("pk", flat=True)),
    )


def zone_guess() -> str:
    """Return the time zone of the newest day, for clocks that do not name theirs."""
    newest = Day.objects.filter(archived_at=None).order_by("-date").first()
    return newest.time_zone if newest is not None else "UTC"


def file_page(file_id: UUID) -> LogFilePage:
    """Return a log with its head, and what its columns may hold."""
    return LogFilePage(file=file_view(file_of(file_id)), choices=mappers.choices(), zone_guess=zone_guess())


def flight_page(flight_id: UUID) -> FlightPage:
    """Return everything that the page of a flight draws."""
    f = flight_of(flight_id)
    near = around(f) if f.record or f.candidates else []
    entry = next((e for e in near if e.id == f.record), None) if f.record else None
    file = f.file
    return FlightPage(
        id=f.pk,
        version=f.version,
        file=FileOfFlight(
            f.file_id,
            file.name,
            file.doubts,
            file.bad_rows,
            file.rows,
            file.examples,
            file.flights.count(),
            mappers.columns_used(look_of(file)) if file.look else [],
        ),
        number=f.number,
        began_at=f.began_at,
        zoned=f.zoned,
        zone=file.source.zone,
        length_s=f.length_s,
        serial=f.serial,
        firmware=f.firmware,
        packs=[NamedThing(p.pk, p.name) for p in f.packs.all()],
        aircraft=NamedThing(f.aircraft.pk, f.aircraft.name) if f.aircraft else None,
        job=JobNamed(f.job.pk, f.job.name, f.job.letter) if f.job else None,
        day=NamedThing(f.day.pk, f.day.name) if f.day else None,
        sortie=f.sortie,
        cells=_cells(f),
        ask=asks(f),
        match=cast(MatchWord, f.match),
        candidates=_candidates(f, {e.id: e for e in near}),
        payload_kg=f.payload_kg,
        air_c=f.air_c,
        note=f.note,
        figures=figures_of(f),
        by_phase=by_phase_of(f),
        phases=phases_of(f),
        phase_words=mappers.phase_words(),
        marks=marks_of(f),
        wind=wind_of(f),
        track=f.track,
        claims=claims_of(f),
        planned=None
        if entry is None
        else FlightPlanned(entry.planned_s, entry.planned_frac, entry.length_s, entry.to_frac, entry.who, entry.source),
        route=_route(f),
    )


def track_of(flight_id: UUID) -> tuple[tuple[float, float], ...]:
    """Return the places of a flight in order, in degrees of longitude and latitude; raises `DomainError` where it has none."""
    found = tuple((p[0], p[1]) for p in flight_of(flight_id).track)
    if not found:
        raise DomainError(
            "missing", "The log of this flight holds no places. Choose another, or say where its work stopped.", "flight_id"
        )
    return found


def _cells(f: Flight) -> int | None:
    """Return how many cells stand in series: as the log tells, else by the model of its pack."""
    packs = list(f.packs.all())
    return figures_of(f).cells_count or (packs[0].model.cells if packs else None)


def _candidates(f: Flight, known: dict[str, BookEntry]) -> list[MatchCandidate]:
    found = []
    for c in candidates_of(f):
        e = known.get(c.id)
        if e is not None:
            words = " · ".join(x for x in (e.day, e.sortie, e.aircraft, ", ".join(e.packs)) if x)
            found.append(MatchCandidate(c.id, c.score, c.off_s, c.why, e.began_at, e.length_s, words))
    return found


def _route(f: Flight) -> list[list[list[float]]]:
    """Return the lines that were planned for the sortie of a flight, as degrees."""
    run = getattr(f.day, "run", None) if f.day_id else None
    route = frame_of(run).routes.get(f.sortie.rstrip("+")) if run is not None else None
    return [[list(p) for p in line] for line in route.lines] if route else []


@dataclass(frozen=True, slots=True, kw_only=True)
class Group:
    """A group of flights with a log; what is None does not matter."""

    flight_ids: list[UUID] | None = None
    pack_id: UUID | None = None
    pack_model_id: UUID | None = None
    aircraft_id: UUID | None = None
    aircraft_model_id: UUID | None = None
    job_id: UUID | None = None
    firmware: str | None = None
    begins: date | None = None
    ends: date | None = None
    least_air_c: float | None = None
    most_air_c: float | None = None
    least_pack_c: float | None = None
    most_pack_c: float | None = None
    least_wind_m_s: float | None = None
    most_wind_m_s: float | None = None
    least_payload_kg: float | None = None
    most_payload_kg: float | None = None


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


def flights_like(group: Group) -> list[Flight]:
    """Return the flights of a group: by pack, model of pack, aircraft, payload, firmware, temperature and wind."""
    rows: QuerySet[Flight] = Flight.objects.prefetch_related("packs__model").select_related("aircraft", "job", "samples")
    asked = {path: value for key, path in _PATHS.items() if (value := getattr(group, key))}
    return [f for f in rows.filter(**asked).order_by("-began_at").distinct() if _fits(f, group)][:MOST_COMPARED]


def _fits(f: Flight, g: Group) -> bool:
    wind = wind_of(f)
    return (
        _within(f.air_c, g.least_air_c, g.most_air_c)
        and _within(wind.wind_m_s if wind else None, g.least_wind_m_s, g.most_wind_m_s)
        and _within(f.payload_kg, g.least_payload_kg, g.most_payload_kg)
        and _within(figures_of(f).from_c, g.least_pack_c, g.most_pack_c)
    )


def _within(value: float | None, least: float | None, most: float | None) -> bool:
    if least is None and most is None:
        return True
    return value is not None and (least is None or value >= least) and (most is None or value <= most)


def compare(ours: Group, theirs: Group, quantity: CurveOf, axis: Axis) -> CompareOut:
    """Return two groups of flights laid over one another."""
    groups = []
    for name, group in (("ours", ours), ("theirs", theirs)):
        flights = flights_like(group)
        if not flights:
            raise DomainError("missing", "No flight with a log is in this group. Choose less narrowly.", name)
        groups.append([_compared(f) for f in flights])
    return mappers.compared(groups[0], groups[1], quantity, axis)


def _compared(f: Flight) -> mappers.Compared:
    line = GroupFlight(f.pk, f.began_at, f.length_s, _words(f))
    return mappers.Compared(line, f.figures, bytes(f.samples.overview), _cells(f))


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
