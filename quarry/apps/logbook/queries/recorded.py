"""What was flown, whoever recorded it, each flight once; totals of it; and what needs an answer."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from uuid import UUID

from django.db.models import Q

from quarry.apps.accounts.models import User
from quarry.apps.care.models import PackRecord
from quarry.apps.day.queries import FlownRun, flown_days
from quarry.apps.day.repository import FlownSortie
from quarry.apps.fleet.models import Aircraft, Pack
from quarry.apps.jobs.models import Job
from quarry.apps.logbook.models import Flight, Import, LogFile
from quarry.apps.logbook.repository import report_of
from quarry.apps.logbook.views import (
    AskingFile,
    AskingFlight,
    BookEntry,
    BookOut,
    By,
    ImportOut,
    KeptRecord,
    KeptRecords,
    TotalRow,
    TotalsOut,
)
from quarry.apps.paging import PAGE, page_in, page_of

HEAVY = ("track", "phases", "marks", "by_phase", "candidates")  # drawn on the page of a flight alone
_AROUND = timedelta(hours=16)
_UNDATED = datetime(1970, 1, 1, tzinfo=UTC)
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
_RECORD_KINDS = {"charges": ("charge",), "tests": ("load test", "resistance", "capacity", "rest volts", "alarm levels")}


def _bounds(begins: date | None, ends: date | None) -> tuple[datetime | None, datetime | None]:
    return (
        datetime.combine(begins, time(0), UTC) - timedelta(hours=14) if begins else None,
        datetime.combine(ends, time(23, 59, 59), UTC) + timedelta(hours=12) if ends else None,
    )


def flown(begins: date | None = None, ends: date | None = None) -> list[BookEntry]:
    """Return everything that was flown, newest first: each flight once.

    A running day, a record of a pack or a log may have recorded it. A log stands with the flight it is of. The number of
    queries does not grow with what was flown.
    """
    early, late = _bounds(begins, ends)
    flights = Flight.objects.select_related("aircraft", "job", "day", "file").prefetch_related("packs").defer(*HEAVY)
    if early:
        flights = flights.filter(Q(began_at=None) | Q(began_at__gte=early))
    if late:
        flights = flights.filter(Q(began_at=None) | Q(began_at__lte=late))
    logs = list(flights)
    by_record = {f.record: f for f in logs if f.record}
    names = dict(Job.objects.values_list("pk", "name"))
    entries: list[BookEntry] = []
    written: set[UUID] = {UUID(k) for f in logs for k in f.own_records}
    for run in flown_days(begins, ends):
        for s in run.flown.sorties:
            written |= set(run.record_keys(s))
            entries.append(_of_day(run, s, by_record, names))
    entries += _of_records(early, late, written, by_record)
    recorded = {e.id for e in entries}
    # A log of which it is asked which recorded flight it is would be counted twice.
    entries += [_of_log(f) for f in logs if f.record not in recorded and f.match != "asked"]
    entries = [
        e for e in entries if e.date is None or ((begins is None or e.date >= begins) and (ends is None or e.date <= ends))
    ]
    return sorted(entries, key=lambda e: (e.began_at or _UNDATED, e.id), reverse=True)


def _of_day(run: FlownRun, sortie: FlownSortie, by_record: dict[str, Flight], names: dict[UUID, str]) -> BookEntry:
    key = f"day:{run.day_id}:{sortie.sortie}"
    log = by_record.get(key)
    return BookEntry(
        id=key,
        source="day",
        began_at=run.began_at(sortie),
        length_s=sortie.landing_s - sortie.takeoff_s,
        from_frac=None,
        to_frac=sortie.to_frac,
        aircraft=sortie.aircraft,
        aircraft_id=sortie.aircraft_id,
        packs=list(sortie.packs),
        pack_ids=list(sortie.pack_ids),
        job_id=sortie.job_id or None,
        job=names.get(UUID(sortie.job_id), "") if sortie.job_id else "",
        letter=sortie.letter,
        sortie=sortie.sortie,
        day_id=run.day_id,
        day=run.name,
        date=run.date,
        who=sortie.who,
        planned_s=sortie.planned_s,
        planned_frac=sortie.planned_frac,
        hectares=sortie.hectares,
        litres=sortie.work if sortie.what == "litres" else None,
        air_c=run.air_c,
        flight_id=str(log.pk) if log else None,
        ask=asks(log) if log else "",
    )


def name_of(user: User | None) -> str:
    """Return what people call a person."""
    return (user.full_name or user.username) if user is not None else ""


def _of_records(
    early: datetime | None, late: datetime | None, written: set[UUID], by_record: dict[str, Flight]
) -> list[BookEntry]:
    rows = PackRecord.objects.filter(kind="flight").select_related("pack", "by")
    taken_back = set(PackRecord.objects.exclude(corrects=None).values_list("corrects", flat=True))
    if early:
        rows = rows.filter(at__gte=early)
    if late:
        rows = rows.filter(at__lte=late)
    craft = {a.name: a for a in Aircraft.objects.all()}
    groups: dict[tuple[object, ...], list[PackRecord]] = {}
    for r in rows:
        if r.key not in written and r.key not in taken_back:
            # Packs that fly as one set are written each for itself.
            mates = (str(r.pack.model_id), r.pack.mates) if r.pack.mates else str(r.pk)
            groups.setdefault((r.at.replace(second=0, microsecond=0), r.figures.get("aircraft", ""), mates), []).append(r)
    return [_of_record(group, craft, by_record) for group in groups.values()]


def _of_record(group: list[PackRecord], craft: dict[str, Aircraft], by_record: dict[str, Flight]) -> BookEntry:
    r = group[0]
    figures: Mapping[str, Any] = r.figures
    aircraft = str(figures.get("aircraft", ""))
    item, key = craft.get(aircraft), f"record:{r.key}"
    log = by_record.get(key)
    return BookEntry(
        id=key,
        source="record",
        began_at=r.at,
        length_s=figures.get("flown_s", 0.0),
        from_frac=figures.get("from_frac"),
        to_frac=figures.get("to_frac"),
        aircraft=aircraft,
        aircraft_id=str(item.pk) if item else None,
        packs=[x.pack.name for x in group],
        pack_ids=[str(x.pack_id) for x in group],
        job_id=None,
        job="",
        letter="",
        sortie="",
        day_id=None,
        day="",
        date=r.at.date(),
        who=r.by_name or name_of(r.by),
        planned_s=None,
        planned_frac=None,
        hectares=0.0,
        litres=None,
        air_c=figures.get("air_c"),
        flight_id=str(log.pk) if log else None,
        ask=asks(log) if log else "",
    )


def _of_log(f: Flight) -> BookEntry:
    packs = list(f.packs.all())
    return BookEntry(
        id=f"log:{f.pk}",
        source="log",
        began_at=f.began_at,
        length_s=f.length_s,
        from_frac=f.figures.get("from_frac"),
        to_frac=f.figures.get("to_frac"),
        aircraft=f.aircraft.name if f.aircraft else "",
        aircraft_id=str(f.aircraft_id) if f.aircraft_id else None,
        packs=[p.name for p in packs],
        pack_ids=[str(p.pk) for p in packs],
        job_id=str(f.job_id) if f.job_id else None,
        job=f.job.name if f.job else "",
        letter=f.job.letter if f.job else "",
        sortie=f.sortie,
        day_id=str(f.day_id) if f.day_id else None,
        day=f.day.name if f.day else "",
        date=f.began_at.date() if f.began_at else None,
        who="",
        planned_s=None,
        planned_frac=None,
        hectares=0.0,
        litres=None,
        air_c=f.air_c,
        flight_id=str(f.pk),
        ask=asks(f),
    )


def asks(f: Flight) -> str:
    """Return what a person should say of a flight of a log, in words; nothing where all is known."""
    if f.began_at is None:
        return "when it was flown"
    if f.match == "asked":
        return "which flight it is"
    if not f.packs.all():
        return "which pack it flew"
    return "" if f.aircraft_id else "which aircraft it was"


def around(f: Flight) -> list[BookEntry]:
    """Return what was recorded within hours of a log and has no other log, for matching."""
    if f.began_at is None:
        return []
    day = f.began_at.date()
    near = [
        e
        for e in flown(day - timedelta(days=1), day + timedelta(days=1))
        if e.source != "log" and e.began_at is not None and abs(e.began_at - f.began_at) <= _AROUND
    ]
    return [e for e in near if e.flight_id in (None, str(f.pk))]


def serials_of(entries: list[BookEntry]) -> dict[str, list[str]]:
    """Return by entry the serial numbers of the packs that it flew."""
    serials = {str(pk): serial for pk, serial in Pack.objects.exclude(serial="").values_list("pk", "serial")}
    return {e.id: [serials[p] for p in e.pack_ids if p in serials] for e in entries}


def flight_rows(begins: date | None, ends: date | None) -> list[dict[str, object]]:
    """Return one plain row for each flight of the logbook, with the figures of its log where there is one."""
    entries = flown(begins, ends)
    logs = {str(f.pk): f for f in Flight.objects.defer(*HEAVY)}
    return [_row(e, logs.get(e.flight_id or "")) for e in entries]


def _row(e: BookEntry, f: Flight | None) -> dict[str, object]:
    figures: dict[str, object] = f.figures if f else {}
    row: dict[str, object] = {
        "began_at": e.began_at.isoformat() if e.began_at else None,
        "flown_s": round(e.length_s, 1),
        "aircraft": e.aircraft,
        "packs": ", ".join(e.packs),
        "day": e.day,
        "sortie": e.sortie,
        "person": e.who,
        "from_frac": e.from_frac,
        "to_frac": e.to_frac,
        "hectares": round(e.hectares, 3),
        "litres": e.litres,
        "planned_s": e.planned_s,
        "told_by": e.source,
        "firmware": f.firmware if f else "",
    }
    return row | {k: figures.get(k) for k in _EXPORTED}


def import_view(row: Import) -> ImportOut:
    """Return how far an import has come and what came of each file."""
    return ImportOut(
        id=row.pk,
        name=row.name,
        state=row.state,  # type: ignore[arg-type] # one of the words of the model
        total=row.total,
        done=row.done,
        words=row.words,
        report=report_of(row),
        made_at=row.made_at,
        broken_off=row.state == "refused" and row.tries > 0,
    )


def book_page(
    begins: date | None,
    ends: date | None,
    *,
    words: str = "",
    pack_id: UUID | None = None,
    aircraft_id: UUID | None = None,
    job_id: UUID | None = None,
    cursor: str = "",
    size: int = PAGE,
) -> BookOut:
    """Return a page of the logbook between two dates with the sums of all of it, what needs an answer, and the imports of late.

    Raises
    ------
    BadCursor
        The cursor is not one of this list.
    """
    wanted = words.strip().lower()
    entries = [
        e
        for e in flown(begins, ends)
        if (pack_id is None or str(pack_id) in e.pack_ids)
        and (aircraft_id is None or e.aircraft_id == str(aircraft_id))
        and (job_id is None or e.job_id == str(job_id))
        and wanted in e.words
    ]
    page = page_in(entries, lambda e: e.id, cursor, size)
    asking = Flight.objects.select_related("file").prefetch_related("packs").defer(*HEAVY).order_by("began_at")
    return BookOut(
        entries=page.items,
        next=page.next,
        flights=len(entries),
        flown_s=sum(e.length_s for e in entries),
        hectares=sum(e.hectares for e in entries),
        litres=sum(e.litres or 0.0 for e in entries),
        with_log=sum(e.flight_id is not None for e in entries),
        asking_files=[AskingFile(f.pk, f.name, f.words) for f in LogFile.objects.filter(state="asks").order_by("name")],
        asking_flights=[AskingFlight(f.pk, f.file.name, asks(f), f.began_at, f.length_s) for f in asking if asks(f)],
        imports=[import_view(i) for i in Import.objects.defer("data").order_by("-made_at")[:6]],
    )


def kept_records(
    what: str, begins: date | None, ends: date | None, words: str = "", cursor: str = "", size: int = PAGE
) -> KeptRecords:
    """Return a page of the charges or tests written down at packs, newest first.

    Records that were taken back are left out. Raises `BadCursor`.
    """
    early, late = _bounds(begins, ends)
    corrected = PackRecord.objects.exclude(corrects=None).values("corrects")
    rows = PackRecord.objects.filter(kind__in=_RECORD_KINDS[what]).exclude(key__in=corrected).select_related("pack", "by")
    rows = rows.filter(at__gte=early) if early else rows
    rows = rows.filter(at__lte=late) if late else rows
    for word in words.split():
        rows = rows.filter(
            Q(pack__name__icontains=word)
            | Q(kind__icontains=word)
            | Q(note__icontains=word)
            | Q(by_name__icontains=word)
            | Q(by__full_name__icontains=word)
            | Q(by__username__icontains=word)
        )
    page = page_of(rows, ["-at"], cursor, size)
    records = [
        KeptRecord(r.key, r.at, r.kind, r.pack.name, r.pack_id, r.by_name or name_of(r.by), r.note, r.figures) for r in page.items
    ]
    return KeptRecords(records, page.next, page.total)


def totals(begins: date | None, ends: date | None, by: By) -> TotalsOut:
    """Return what was flown in all, by month, person, aircraft, pack or job: hours, flights, cycles, hectares, litres.

    Packs that fly together each have the flight; the sum counts it once. A cycle is a full charge used up: shares of the charge
    taken out, added up.
    """
    entries = [e for e in flown(begins, ends) if e.began_at is not None]
    groups: dict[str, list[BookEntry]] = {}
    for e in entries:
        for key in _keys_of(e, by):
            groups.setdefault(key, []).append(e)
    rows = [_sums(name, group, one_pack=by == "pack") for name, group in groups.items()]
    rows.sort(key=lambda r: r.name, reverse=by == "month")
    return TotalsOut(by, begins, ends, rows, _sums("all", entries, one_pack=False))


def _keys_of(e: BookEntry, by: By) -> list[str]:
    if by == "month":
        return [f"{e.date:%Y-%m}"]
    if by == "person":
        return [e.who or "not written down"]
    if by == "aircraft":
        return [e.aircraft or "not known"]
    if by == "pack":
        return e.packs or ["not known"]
    return [(e.job or "not known") if e.job_id else "no job"]


def _sums(name: str, group: list[BookEntry], *, one_pack: bool) -> TotalRow:
    return TotalRow(
        name=name,
        flights=len(group),
        flown_s=sum(e.length_s for e in group),
        cycles=sum(e.used_frac * (1 if one_pack else max(1, len(e.packs))) for e in group),
        hectares=sum(e.hectares for e in group),
        litres=sum(e.litres or 0.0 for e in group),
        with_log=sum(e.flight_id is not None for e in group),
        longest_s=max((e.length_s for e in group), default=0.0),
    )
