"""Logs, the flights found in them, imports, and groups of flights laid over one another."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any, cast
from uuid import UUID

from django.db.models import Count, QuerySet

from quarry.apps.accounts.errors import DomainError
from quarry.apps.day.models import Day
from quarry.apps.day.repository import frame_of
from quarry.apps.logbook import mappers
from quarry.apps.logbook.models import Flight, FlownFlight, Import, LogFile, Source
from quarry.apps.logbook.queries.recorded import around, asks
from quarry.apps.logbook.repository import (
    by_phase_of,
    candidates_of,
    claims_of,
    columns_of,
    figures_of,
    holds_of,
    look_of,
    marks_of,
    phases_of,
    wind_of,
)
from quarry.apps.logbook.views import (
    Axis,
    BookEntry,
    CompareOut,
    Condition,
    CurveOf,
    FileOfFlight,
    FlightPage,
    FlightPlanned,
    GroupFlight,
    Grouping,
    GroupingsOut,
    JobNamed,
    LogFileOut,
    LogFilePage,
    MatchCandidate,
    MatchWord,
    NamedThing,
    Season,
)

MOST_COMPARED = 40
SEASONS: Mapping[Season, tuple[str, tuple[int, ...]]] = {
    "1": ("Dec to Feb", (12, 1, 2)),
    "2": ("Mar to May", (3, 4, 5)),
    "3": ("Jun to Aug", (6, 7, 8)),
    "4": ("Sep to Nov", (9, 10, 11)),
}


def season_words(month: int) -> str:
    """Return the season of a month: three months from December on."""
    return next(words for words, of in SEASONS.values() if month in of)


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
        holds=holds_of(row),
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
    person: str | None = None
    season: Season | None = None
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
}
_CONDITIONS: dict[str, Condition] = {
    "pack_id": "pack",
    "pack_model_id": "pack_model",
    "aircraft_id": "aircraft",
    "aircraft_model_id": "aircraft_model",
    "job_id": "job",
    "firmware": "firmware",
    "person": "person",
    "least_air_c": "air_c",
    "most_air_c": "air_c",
    "least_wind_m_s": "wind_m_s",
    "most_wind_m_s": "wind_m_s",
    "least_pack_c": "from_c",
    "most_pack_c": "from_c",
    "least_payload_kg": "payload_kg",
    "most_payload_kg": "payload_kg",
}


def flights_like(group: Group) -> list[Flight]:
    """Return the newest flights of a group: by pack, aircraft, job, person, payload, firmware, season, temperature and wind."""
    rows: QuerySet[Flight] = (
        Flight.objects.prefetch_related("packs__model")
        .select_related("aircraft__model", "job", "samples")
        .defer("samples__data", "track", "phases", "marks", "candidates")
    )
    asked = {path: value for key, path in _PATHS.items() if (value := getattr(group, key))}
    if group.person is not None:
        asked["pk__in"] = FlownFlight.objects.filter(who=group.person).exclude(log=None).values("log")
    if group.flight_ids:
        rows = rows.filter(pk__in=group.flight_ids)
    if group.season:
        asked["began_at__month__in"] = SEASONS[group.season][1]
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


def compare(groups: Sequence[Group], quantity: CurveOf, axis: Axis, at_frac: float | None = None) -> CompareOut:
    """Return groups of flights laid over one another, each held against the first.

    Raises
    ------
    DomainError
        A group has no flight, or a percent is missing from which the curves are to count.
    """
    if axis == "at_percent" and at_frac is None:
        raise DomainError("missing", "Say from which percent the curves are to count.", "at_frac")
    found = []
    for k, group in enumerate(groups):
        flights = flights_like(group)
        if not flights:
            raise DomainError("missing", "No flight with a log is in this group. Choose less narrowly.", f"groups.{k}")
        found.append(flights)
    people = _people([f.pk for flights in found for f in flights])
    by = frozenset(c for key, c in _CONDITIONS.items() if len({getattr(g, key) for g in groups}) > 1)
    return mappers.compared([[_compared(f, people) for f in g] for g in found], quantity, axis, at_frac, by)


def _people(flight_ids: list[UUID]) -> dict[UUID, str]:
    """Return who flew flights, as far as somebody wrote it down."""
    rows = FlownFlight.objects.filter(log__in=flight_ids).exclude(who="").values_list("log", "who")
    return dict(rows)


def _compared(f: Flight, people: dict[UUID, str]) -> mappers.Compared:
    figures, wind, packs = figures_of(f), wind_of(f), list(f.packs.all())
    conditions = mappers.conditions_of(
        {
            "air_c": f.air_c,
            "wind_m_s": wind.wind_m_s if wind else None,
            "payload_kg": f.payload_kg,
            "from_c": figures.from_c,
            "from_frac": figures.from_frac,
        },
        {
            "aircraft_model": f.aircraft.model.name if f.aircraft else "",
            "pack_model": packs[0].model.name if packs else "",
            "firmware": f.firmware,
            "job": f.job.name if f.job else "",
            "person": people.get(f.pk, ""),
            "aircraft": f.aircraft.name if f.aircraft else "",
            "pack": ", ".join(sorted(p.name for p in packs)),
        },
    )
    line = GroupFlight(f.pk, f.began_at, f.length_s, _words(f))
    return mappers.Compared(line, figures, by_phase_of(f), conditions, bytes(f.samples.overview), _cells(f))


def _words(f: Flight) -> str:
    return " · ".join(x for x in (f.aircraft.name if f.aircraft else "", ", ".join(p.name for p in f.packs.all())) if x)


def groupings() -> GroupingsOut:
    """Return what flights with a log can be grouped by, each with the most flights first."""
    logged = FlownFlight.objects.exclude(log=None).exclude(who="")
    months = Counter(dict(_counted(Flight.objects.exclude(began_at=None), "began_at__month")))
    seasons = [Grouping(key, words, sum(months[m] for m in of)) for key, (words, of) in SEASONS.items()]
    return GroupingsOut(
        packs=_named(Flight.objects.all(), "packs__pk", "packs__name"),
        pack_models=_named(Flight.objects.all(), "packs__model__pk", "packs__model__name"),
        aircraft=_named(Flight.objects.all(), "aircraft__pk", "aircraft__name"),
        aircraft_models=_named(Flight.objects.all(), "aircraft__model__pk", "aircraft__model__name"),
        jobs=_named(Flight.objects.all(), "job__pk", "job__name"),
        firmware=_named(Flight.objects.exclude(firmware=""), "firmware", "firmware"),
        people=_named(logged, "who", "who"),
        seasons=[s for s in seasons if s.flights],
        flights=Flight.objects.count(),
    )


def _counted(rows: QuerySet[Any], *paths: str) -> list[tuple[Any, ...]]:
    return list(rows.order_by().values_list(*paths).annotate(n=Count("pk", distinct=True)))


def _named(rows: QuerySet[Any], key: str, name: str) -> list[Grouping]:
    counted = _counted(rows.exclude(**{key: None}), *dict.fromkeys((key, name)))
    found = [Grouping(str(row[0]), str(row[-2]), int(row[-1])) for row in counted]
    return sorted(found, key=lambda g: (-g.flights, g.name))
