"""What was flown, whoever recorded it, each flight once; totals of it; and what needs an answer."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta
from typing import cast
from uuid import UUID

from django.db.models import Case, Count, F, Func, Max, Q, QuerySet, Sum, TextField, Value, When
from django.db.models.functions import Coalesce, Greatest, NullIf

from quarry.apps.accounts.models import User
from quarry.apps.care.models import PackRecord
from quarry.apps.fleet.models import Pack
from quarry.apps.logbook.models import Flight, FlownFlight, Import, LogFile
from quarry.apps.logbook.repository import report_of
from quarry.apps.logbook.views import (
    AskingFile,
    AskingFlight,
    BookEntry,
    BookOut,
    BookRecord,
    BookRecords,
    By,
    ImportOut,
    MonthOfPack,
    Source,
    TotalRow,
    TotalsOut,
)
from quarry.apps.paging import PAGE, page_of

HEAVY = ("track", "phases", "marks", "by_phase", "candidates")  # drawn on the page of a flight alone
_AROUND = timedelta(hours=16)
_LEAST_USED = 0.15  # less of a pack tells little of what it gives
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
# Landed early: a minute, and more than its time scatters by anyway, before the planned moment.
_EARLY = Q(length_s__lt=F("planned_s") - 60.0) & Q(length_s__lt=F("planned_s") * 0.85)
_SUMS = {
    "flights": Count("id"),
    "flown_s": Sum("length_s", default=0.0),
    "used": Sum("used_frac", default=0.0),
    "cycles": Sum(F("used_frac") * Greatest(F("packs_count"), 1), default=0.0),
    "hectares": Sum("hectares", default=0.0),
    "litres": Sum("litres", default=0.0),
    "with_log": Count("log"),
    "longest_s": Max("length_s", default=0.0),
    "warned": Count("log", filter=Q(log__figures__has_key="warned_s")),
    "early": Count("id", filter=_EARLY),
}


@dataclass(frozen=True, slots=True)
class Sums:
    """Sums over flights, in the order of `_SUMS`; ``used``: charge used by one pack each, ``cycles``: by all that flew."""

    flights: int
    flown_s: float
    used: float
    cycles: float
    hectares: float
    litres: float
    with_log: int
    longest_s: float
    warned: int
    early: int


def _or(column: str, words: str) -> Coalesce:
    return Coalesce(NullIf(column, Value("")), Value(words))


_MONTH: Func = Func(F("date"), Value("YYYY-MM"), function="to_char", output_field=TextField())
_NAMES: dict[By, Case | Coalesce | Func] = {
    "month": _MONTH,
    # Three months each, from December on: the year and quarter that a month later lies in.
    "season": Func(F("date"), template="to_char(%(expressions)s + interval '1 month', 'YYYY-Q')", output_field=TextField()),
    "person": _or("who", "not written down"),
    "model": Coalesce("aircraft__model__name", Value("not known")),
    "firmware": _or("log__firmware", "not known"),
    "aircraft": _or("aircraft_name", "not known"),
    "warning": Case(
        When(log=None, then=Value("no log")),
        When(log__figures__has_key="warned_s", then=Value("warned")),
        default=Value("not warned"),
        output_field=TextField(),
    ),
    "landing": Case(
        When(planned_s=None, then=Value("no plan")),
        When(_EARLY, then=Value("landed early")),
        default=Value("as planned, or later"),
        output_field=TextField(),
    ),
    "job": Case(When(job=None, then=Value("no job")), default=_or("job_name", "not known"), output_field=TextField()),
}
_RECORD_KINDS = {"charges": ("charge",), "tests": ("load test", "resistance", "capacity", "rest volts", "alarm levels")}


def _bounds(begins: date | None, ends: date | None) -> tuple[datetime | None, datetime | None]:
    return (
        datetime.combine(begins, time(0), UTC) - timedelta(hours=14) if begins else None,
        datetime.combine(ends, time(23, 59, 59), UTC) + timedelta(hours=12) if ends else None,
    )


def flown_rows(begins: date | None = None, ends: date | None = None) -> QuerySet[FlownFlight]:
    """Return what was flown between two dates, each flight once, unordered; flights of which nobody knows the date among them."""
    rows = FlownFlight.objects.all()
    if begins is not None:
        rows = rows.filter(Q(date=None) | Q(date__gte=begins))
    return rows if ends is None else rows.filter(Q(date=None) | Q(date__lte=ends))


def flown(begins: date | None = None, ends: date | None = None) -> list[BookEntry]:
    """Return everything that was flown between two dates, newest first."""
    return _entries(flown_rows(begins, ends).order_by("-sorted_at", "id"))


def _entries(rows: Iterable[FlownFlight]) -> list[BookEntry]:
    found = list(rows)
    logs = Flight.objects.filter(pk__in=[r.log_id for r in found if r.log_id]).prefetch_related("packs").defer(*HEAVY)
    by_id = {log.pk: log for log in logs}
    return [_entry(r, by_id.get(r.log_id) if r.log_id else None) for r in found]


def _entry(row: FlownFlight, log: Flight | None) -> BookEntry:
    return BookEntry(
        id=row.id,
        source=cast(Source, row.source),
        began_at=row.began_at,
        length_s=row.length_s,
        from_frac=row.from_frac,
        to_frac=row.to_frac,
        aircraft=row.aircraft_name,
        aircraft_id=str(row.aircraft_id) if row.aircraft_id else None,
        packs=row.packs,
        pack_ids=row.pack_ids,
        job_id=str(row.job_id) if row.job_id else None,
        job=row.job_name,
        letter=row.letter,
        sortie=row.sortie,
        day_id=str(row.day_id) if row.day_id else None,
        day=row.day_name,
        date=row.date,
        who=row.who,
        planned_s=row.planned_s,
        planned_frac=row.planned_frac,
        hectares=row.hectares,
        litres=row.litres,
        air_c=row.air_c,
        flight_id=str(row.log_id) if row.log_id else None,
        ask=asks(log) if log is not None else "",
    )


def name_of(user: User | None) -> str:
    """Return what people call a person."""
    return (user.full_name or user.username) if user is not None else ""


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
    near = FlownFlight.objects.exclude(source="log").filter(began_at__range=(f.began_at - _AROUND, f.began_at + _AROUND))
    return _entries(near.filter(Q(log=None) | Q(log=f)).order_by("-sorted_at", "id"))


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
    rows = flown_rows(begins, ends)
    for word in words.split():
        rows = rows.filter(words__icontains=word)
    if pack_id is not None:
        rows = rows.filter(pack_ids__contains=[str(pack_id)])
    if aircraft_id is not None:
        rows = rows.filter(aircraft=aircraft_id)
    if job_id is not None:
        rows = rows.filter(job=job_id)
    sums = Sums(**rows.aggregate(**_SUMS))
    page = page_of(rows, ["-sorted_at"], cursor, size, sums.flights)
    asking = Flight.objects.select_related("file").prefetch_related("packs").defer(*HEAVY).order_by("began_at")
    return BookOut(
        entries=_entries(page.items),
        next=page.next,
        flights=page.total,
        flown_s=sums.flown_s,
        hectares=sums.hectares,
        litres=sums.litres,
        with_log=sums.with_log,
        asking_files=[AskingFile(f.pk, f.name, f.words) for f in LogFile.objects.filter(state="asks").order_by("name")],
        asking_flights=[AskingFlight(f.pk, f.file.name, asks(f), f.began_at, f.length_s) for f in asking if asks(f)],
        imports=[import_view(i) for i in Import.objects.defer("data").order_by("-made_at")[:6]],
    )


def book_records(
    what: str, begins: date | None, ends: date | None, words: str = "", cursor: str = "", size: int = PAGE
) -> BookRecords:
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
        BookRecord(r.key, r.at, r.kind, r.pack.name, r.pack_id, r.by_name or name_of(r.by), r.note, r.figures) for r in page.items
    ]
    return BookRecords(records, page.next, page.total)


def totals(begins: date | None, ends: date | None, by: By) -> TotalsOut:
    """Return what was flown in all, by month, season, person, aircraft, its model or firmware, pack, job, warning or landing: hours, flights, cycles, hectares, litres.

    Packs that fly together each have the flight; the sum counts it once. A cycle is a full charge used up: shares of the charge
    taken out, added up.
    """
    known = flown_rows(begins, ends).exclude(began_at=None).order_by()
    if by == "pack":
        packs = known.values_list("packs").annotate(**_SUMS).values_list("packs", *_SUMS)
        rows = _by_pack([(names, Sums(*sums)) for names, *sums in packs])
    else:
        groups = known.annotate(name=_NAMES[by]).values_list("name").annotate(**_SUMS).values_list("name", *_SUMS)
        rows = [_total(name, Sums(*sums)) for name, *sums in groups]
    rows.sort(key=lambda r: r.name, reverse=by in ("month", "season"))
    if by == "season":
        rows = [replace(r, name=_season(r.name)) for r in rows]
    return TotalsOut(by, begins, ends, rows, _total("all", Sums(**known.aggregate(**_SUMS))), _months(known))


def _months(known: QuerySet[FlownFlight]) -> list[MonthOfPack]:
    """Return what packs of each model gave from full to empty month by month: time in the air over the charge it used."""
    sums = {
        "flown_s": Sum("length_s"),
        "used": Sum("used_frac"),
        "flights": Count("id"),
        "with_air": Count("air_c"),
        "air": Sum("air_c", default=0.0),
    }
    rows = known.filter(used_frac__gte=_LEAST_USED).annotate(month=_MONTH).values_list("pack_ids", "month")
    models = {str(pk): name for pk, name in Pack.objects.values_list("pk", "model__name")}
    found: dict[tuple[str, str], list[float]] = {}
    for pack_ids, month, *more in rows.annotate(**sums).values_list("pack_ids", "month", *sums):
        kinds = {models[p] for p in pack_ids if p in models}
        if len(kinds) == 1:
            key = (kinds.pop(), month)
            found[key] = [a + b for a, b in zip(found.get(key, [0.0] * len(sums)), more, strict=True)]
    return [
        MonthOfPack(model, month, flown_s / used / 60.0, round(flights), air / with_air if with_air else None)
        for (model, month), (flown_s, used, flights, with_air, air) in sorted(found.items())
    ]


def _season(name: str) -> str:
    """Return three months in words, such as Dec 2026 to Feb 2027."""
    year, quarter = (int(x) for x in name.split("-"))
    first, last = ("Dec", "Feb") if quarter == 1 else (("Mar", "May"), ("Jun", "Aug"), ("Sep", "Nov"))[quarter - 2]
    return f"{first} {year - 1 if quarter == 1 else year} to {last} {year}"


def _by_pack(groups: list[tuple[list[str], Sums]]) -> list[TotalRow]:
    """Return the sums of each pack from those of all that flew together; each of them has the flight."""
    found: dict[str, TotalRow] = {}
    for names, sums in groups:
        for name in names or ["not known"]:
            more = replace(_total(name, sums), cycles=sums.used)
            before = found.get(name)
            found[name] = more if before is None else _both(before, more)
    return list(found.values())


def _both(a: TotalRow, b: TotalRow) -> TotalRow:
    return TotalRow(
        a.name,
        a.flights + b.flights,
        a.flown_s + b.flown_s,
        a.cycles + b.cycles,
        a.hectares + b.hectares,
        a.litres + b.litres,
        a.with_log + b.with_log,
        max(a.longest_s, b.longest_s),
        a.warned + b.warned,
        a.early + b.early,
    )


def _total(name: str, s: Sums) -> TotalRow:
    return TotalRow(name, s.flights, s.flown_s, s.cycles, s.hectares, s.litres, s.with_log, s.longest_s, s.warned, s.early)
