"""Writing the logbook: what columns mean, which flight a log is of, notes, deletion, and what planning learns."""

from __future__ import annotations

import gzip
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, fields
from datetime import datetime
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo, available_timezones

from django.db import transaction

from quarry.apps.accounts.models import Organisation, User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, check_version, record
from quarry.apps.bounded import BoundedReader
from quarry.apps.care.models import PackRecord
from quarry.apps.care.queries import facts_of
from quarry.apps.care.services import add_record
from quarry.apps.day.models import Day
from quarry.apps.fleet.calibrating import accept_calibration
from quarry.apps.fleet.models import Aircraft, Calibration, Pack
from quarry.apps.jobs.models import Job
from quarry.apps.logbook import mappers, repository
from quarry.apps.logbook.formats.samples import log_from
from quarry.apps.logbook.models import Flight, FlightSamples, LogData, LogFile, Source
from quarry.apps.logbook.queries.learning import lessons
from quarry.apps.logbook.queries.logs import file_of, flight_of
from quarry.apps.logbook.queries.recorded import around, serials_of
from quarry.apps.logbook.repository import (
    candidates_kept,
    candidates_of,
    claims_kept,
    columns_kept,
    columns_of,
    figures_of,
)
from quarry.apps.logbook.views import BookEntry, ColumnSaid, ReadWaiting, RefusedFile

_MOST_CELLS = 28
_SAME_FACTOR = 0.0005
READ_S = 120.0  # one log is read no longer than this


def source_of(organisation: Organisation, mark: str, name: str) -> Source:
    """Return the source that logs with these columns come from."""
    return Source.objects.get_or_create(organisation=organisation, mark=mark, defaults={"name": name[:120]})[0]


def look_at_log(data: bytes, columns: Mapping[str, ColumnSaid], apart: BoundedReader | None) -> mappers.Looked:
    """Return what `mappers.look_of` does, in a process apart where one is given."""
    if apart is None:
        return mappers.look_of(data, columns)
    found: mappers.Looked = apart.call("quarry.apps.logbook.mappers:look_of", data, columns, seconds=READ_S)
    return found


def take_flights(actor: User, row: LogFile, data: bytes, apart: BoundedReader | None = None) -> int:
    """Find the flights of a log and keep them in place of those found before; returns how many. Raises `mappers.LogError`.

    A log that says something against itself is held: nothing of it is kept before a person has accepted it.
    """
    given = (data, columns_of(row.source), row.source.zone)
    found = apart.call("quarry.apps.logbook.mappers:flights_of", *given, seconds=READ_S) if apart else mappers.flights_of(*given)
    if found.holds and not row.accepted:
        row.state, row.words, row.doubts = "asks", f"it says against itself: {found.holds[0]}"[:300], found.doubts
        row.save()
        return 0
    before = {f.number: f for f in row.flights.prefetch_related("packs").select_related("aircraft", "job", "day")}
    for flight in found.flights:
        _take_flight(actor, row, flight, before.pop(flight.row.number, None))
    for gone in before.values():
        _forget(actor, gone)
        gone.delete()
    row.state, row.words = "read", ""
    row.rows, row.bad_rows, row.examples, row.doubts = found.rows, found.bad_rows, found.examples, found.doubts
    row.save()
    return len(found.flights)


def _take_flight(actor: User, row: LogFile, found: mappers.FoundFlight, old: Flight | None) -> None:
    made = old or Flight(organisation=row.organisation, file=row)
    said = made.began_at
    for x in fields(found.row):
        setattr(made, x.name, getattr(found.row, x.name))
    # What a person said of when it was stays where the log itself does not tell.
    made.began_at = said if found.row.began_at is None else found.row.began_at
    made.version += 1 if old else 0
    made.save()
    full, overview = mappers.samples_of(found.log)
    news = {"organisation": row.organisation, "rows": found.log.rows, "data": full, "overview": overview}
    FlightSamples.objects.update_or_create(flight=made, defaults=news)
    if old is None or old.match != "said":
        find_match(actor, made)
    _claim(made, found.log, found.seen, found.wind)


def find_match(actor: User, f: Flight) -> None:
    """Look for the recorded flight that a log is of: taken where it is sure, asked where it is not."""
    f.candidates, f.record, f.match = [], "", "none"
    recorded = around(f)
    if f.began_at is not None:
        flown = mappers.LogFlown(f.began_at, f.length_s, f.serial, f.zoned, figures_of(f).to_frac)
        candidates, sure = mappers.best_matches(flown, recorded, serials_of(recorded))
        f.candidates = candidates_kept(candidates)
        best = next((e for e in recorded if candidates and e.id == candidates[0].id), None)
        flew = list(Pack.objects.filter(pk__in=best.pack_ids).select_related("model")) if best else []
        if best is not None and sure and _can_have_flown(f, flew):
            _attach(f, best)
            f.match = "sure"
        elif f.candidates:
            f.match = "asked"
    if f.match == "none" and not f.packs.exists() and f.serial:
        # A pack that calls itself by its number, or by the name people gave it.
        mine = Pack.objects.filter(serial__iexact=f.serial) | Pack.objects.filter(name__iexact=f.serial, archived_at=None)
        named = [p for p in mine.select_related("model")[:1] if _can_have_flown(f, [p])]
        f.packs.set(named)
        _only_aircraft(f)
    f.save()
    _into_records(actor, f)


def _attach(f: Flight, entry: BookEntry) -> None:
    f.record, f.sortie = entry.id, entry.sortie
    f.aircraft = Aircraft.objects.filter(pk=entry.aircraft_id).first() if entry.aircraft_id else f.aircraft
    f.job = Job.objects.filter(pk=entry.job_id).first() if entry.job_id else None
    f.day = Day.objects.filter(pk=entry.day_id).first() if entry.day_id else None
    f.air_c = entry.air_c if f.air_c is None else f.air_c
    f.packs.set(Pack.objects.filter(pk__in=entry.pack_ids))


def _only_aircraft(f: Flight) -> None:
    """Take the aircraft that alone flies packs of this kind."""
    models = {p.model_id for p in f.packs.all()}
    fit = list(Aircraft.objects.filter(model__pack_model_id__in=models, archived_at=None)[:2])
    if f.aircraft is None and len(fit) == 1:
        f.aircraft = fit[0]


def _into_records(actor: User, f: Flight) -> None:
    """Write a flight of which nobody told into the records of its packs; take it out again where it turns out otherwise."""
    if f.record or f.began_at is None or not 20.0 <= f.length_s <= 4 * 3600.0:
        _forget(actor, f)
        return
    seen, aircraft = figures_of(f), f.aircraft.name if f.aircraft else ""
    from_frac = seen.from_frac
    if from_frac is not None and from_frac <= (seen.to_frac or 0.0):
        from_frac = None
    read = {"from_frac": from_frac, "to_frac": seen.to_frac, "most_c": seen.most_c, "air_c": f.air_c}
    figures = {"flown_s": round(f.length_s, 1), "aircraft": aircraft} | {k: v for k, v in read.items() if v is not None}
    wanted = {str(p.pk) for p in f.packs.all()}
    rows = PackRecord.objects.filter(key__in=f.own_records)
    have = {str(r.pack_id): r for r in rows}
    same = all(r.at == f.began_at and r.figures.get("aircraft", "") == aircraft for r in rows)
    if set(have) == wanted and same:
        return
    _forget(actor, f)
    keys = []
    for pack_id in sorted(wanted):
        key = uuid4()
        add_record(
            actor=actor,
            pack_id=UUID(pack_id),
            kind="flight",
            figures=figures,
            at=f.began_at,
            note=f"log {f.file.name}"[:300],
            key=key,
        )
        keys.append(str(key))
    f.own_records = keys
    f.save(update_fields=["own_records"])


def _forget(actor: User, f: Flight) -> None:
    for r in PackRecord.objects.filter(key__in=f.own_records).select_related("pack"):
        add_record(
            actor=actor,
            pack_id=r.pack_id,
            kind="withdrawal",
            figures={"words": "told by a log that is not of it"},
            at=r.at,
            corrects=r.key,
        )
    if f.own_records:
        f.own_records = []
        f.save(update_fields=["own_records"])


def _claim(
    f: Flight, flight: mappers.Log | None = None, seen: mappers.Discharge | None = None, wind: mappers.WindMet | None = None
) -> None:
    """Work out what was claimed of a flight, from what is known of its aircraft and packs."""
    packs = list(f.packs.select_related("model"))
    if flight is None or seen is None:
        flight = log_from(bytes(FlightSamples.objects.get(flight=f).data))
        seen, wind = mappers.seen_of(flight)
    facts = facts_of(packs)
    claims = mappers.claims_of(
        flight,
        seen,
        wind,
        aircraft=f.aircraft,
        packs=packs,
        facts=facts.get(str(packs[0].pk)) if len(packs) == 1 else None,
        job=f.job,
        payload_kg=f.payload_kg,
        air_c=f.air_c,
    )
    f.claims = claims_kept(claims)
    f.save(update_fields=["claims"])


def say_columns(*, actor: User, file_id: UUID, columns: Sequence[tuple[str, ColumnSaid]], zone: str) -> LogFile:
    """Say what the columns of a log are by their headers, remember it for its kind, and read this log; `read_waiting` reads the others."""
    require(actor, "logs:read")
    if zone and zone not in available_timezones():
        raise DomainError("invalid", "Choose a time zone from the list, such as Europe/London, or UTC.", "zone")
    asked = file_of(file_id)
    _check_columns(asked, columns)
    with transaction.atomic():
        source = Source.objects.select_for_update().get(pk=asked.source_id)
        before = {"columns": source.columns, "zone": source.zone}
        source.columns = columns_kept(dict(columns))
        source.zone = zone
        source.version += 1
        source.save()
        record(
            actor=actor,
            action="logs.columns_told",
            row=source,
            label=source.name,
            before=before,
            after={"columns": source.columns, "zone": zone},
        )
    try:
        read_again(actor, asked)
    except mappers.LogError as bad:
        raise DomainError(bad.code, bad.message, _field_of(asked, bad.field)) from bad
    return asked


def read_waiting(actor: User, source: Source) -> ReadWaiting:
    """Read every log of a kind that waits for its columns; those that still cannot be read are named with the reason."""
    read = 0
    refused: list[RefusedFile] = []
    for row in LogFile.objects.filter(source=source, state="asks"):
        try:
            read_again(actor, row)
            read += row.state == "read"
            if row.state != "read":
                refused.append(RefusedFile(name=row.name, words=row.words))
        except mappers.LogError as bad:
            LogFile.objects.filter(pk=row.pk).update(words=bad.message[:300])
            refused.append(RefusedFile(name=row.name, words=bad.message))
    return ReadWaiting(read, refused)


def _field_of(row: LogFile, quantity: str) -> str:
    """Return the column that caused a refusal as the field of the form."""
    columns = repository.look_of(row).columns if row.look else []
    return next((f"columns.{k}" for k, c in enumerate(columns) if c.quantity == quantity), "columns")


def _check_columns(row: LogFile, columns: Sequence[tuple[str, ColumnSaid]]) -> None:
    known = {c.name: c.units for c in mappers.choices()}
    headers = {c.header for c in repository.look_of(row).columns}
    seen: dict[tuple[str, int], str] = {}
    for place, (header, c) in enumerate(columns):
        if header not in headers:
            raise DomainError("invalid", f"There is no column {header} in this log.", f"columns.{place}")
        if not c.quantity:
            continue
        units = known.get(c.quantity)
        if units is None:
            raise DomainError("invalid", "Choose what this column holds from the list.", f"columns.{place}")
        if c.unit not in units:
            raise DomainError("invalid", f"Choose one of its units: {', '.join(units)}.", f"columns.{place}")
        if c.quantity == "cell_v" and not 1 <= c.cell <= _MOST_CELLS:
            raise DomainError("invalid", "Say which cell of the pack it is: 1, 2, 3 …", f"columns.{place}")
        key = (c.quantity, c.cell if c.quantity == "cell_v" else 0)
        if key in seen:
            raise DomainError("invalid", f"“{seen[key]}” is taken for the same. Leave one of the two out.", f"columns.{place}")
        seen[key] = header
    if not any(c.quantity == "time_s" for _, c in columns):
        raise DomainError("missing", "Say which column holds the time.", "columns")


def accept_held(*, actor: User, file_id: UUID) -> LogFile:
    """Read a log all the same that says something against itself; who accepted it stands in the history."""
    require(actor, "logs:read")
    row = file_of(file_id)
    try:
        with transaction.atomic():
            row.accepted = True
            row.save(update_fields=["accepted"])
            record(actor=actor, action="log.accepted", row=row, label=row.name, after={"doubts": row.doubts})
            read_again(actor, row)
    except mappers.LogError as bad:
        raise DomainError(bad.code, bad.message, "columns") from bad
    return row


@transaction.atomic
def read_again(actor: User, row: LogFile) -> int:
    """Read a kept log again, as after its columns were told; all of it or nothing. Raises `mappers.LogError`."""
    data = gzip.decompress(bytes(LogData.objects.get(file=row).data))
    row.source.refresh_from_db()
    row.look = repository.look_kept(mappers.look_of(data, columns_of(row.source)).look)
    return take_flights(actor, row, data)


@dataclass(frozen=True, slots=True, kw_only=True)
class FlightSaid:
    """What a person says of a flight; ``said`` names what was: the rest stays.

    ``record``: id of the recorded flight it is of, or an empty string for none of them.
    """

    said: frozenset[str]
    note: str | None = None
    payload_kg: float | None = None
    air_c: float | None = None
    began_at: datetime | None = None
    record: str | None = None
    pack_ids: Sequence[UUID] | None = None
    aircraft_id: UUID | None = None


def _in_range(value: float | None, low: float, high: float, words: str, field: str) -> float | None:
    if value is not None and not low <= value <= high:
        raise DomainError("out_of_range", words, field)
    return value


@transaction.atomic
def change_flight(*, actor: User, flight_id: UUID, version: int, changes: FlightSaid) -> Flight:
    """Say what a log is of, when it was, what it carried, or write a note."""
    require(actor, "logs:read")
    f = flight_of(flight_id, lock=True)
    check_version(f, version, {})
    if changes.note is not None:
        f.note = changes.note.strip()[:1000]
    if "payload_kg" in changes.said:
        f.payload_kg = _in_range(changes.payload_kg, 0.0, 100.0, "Payload lies between 0 and 100 kg.", "payload_kg")
    if "air_c" in changes.said:
        f.air_c = _in_range(changes.air_c, -60.0, 60.0, "Air temperature lies between -60 and 60 °C.", "air_c")
    if changes.began_at is not None:
        _say_when(actor, f, changes.began_at)
    if changes.record is not None:
        _say_record(actor, f, changes.record)
    if changes.pack_ids is not None or changes.aircraft_id is not None:
        _say_things(actor, f, changes)
    f.version += 1
    f.save()
    if changes.said - {"note"}:
        _claim(f)
    return f


def _say_when(actor: User, f: Flight, at: datetime) -> None:
    if f.zoned and f.began_at is not None:
        raise DomainError("invalid", "The log itself tells when it was flown.", "began_at")
    f.began_at = at if at.tzinfo else at.replace(tzinfo=ZoneInfo("UTC"))
    f.zoned = True
    f.save()
    find_match(actor, f)


def _say_record(actor: User, f: Flight, key: str) -> None:
    if not key:
        f.record, f.sortie, f.job, f.day, f.match = "", "", None, None, "said"
        f.save()
    else:
        entry = next((e for e in around(f) if e.id == key), None)
        if entry is None:
            raise DomainError("not_found", "This flight has a log already, or is not near in time. Choose another.", "record")
        chosen = next((c for c in candidates_of(f) if c.id == key), None)
        if chosen and chosen.off_s and f.began_at is not None:
            f.began_at = entry.began_at  # its clock was off by whole quarters of an hour
        _attach(f, entry)
        f.match = "said"
        f.save()
    _into_records(actor, f)


def _say_things(actor: User, f: Flight, changes: FlightSaid) -> None:
    if changes.pack_ids is not None:
        packs = list(Pack.objects.filter(pk__in=changes.pack_ids).select_related("model"))
        if len(packs) != len(set(changes.pack_ids)):
            raise DomainError("not_found", "Choose packs of your shelf.", "pack_ids")
        _check_packs(f, packs)
        f.packs.set(packs)
    if changes.aircraft_id is not None:
        f.aircraft = Aircraft.objects.select_related("model").filter(pk=changes.aircraft_id).first()
        if f.aircraft is None:
            raise DomainError("not_found", "Choose an aircraft of your fleet.", "aircraft_id")
    elif changes.pack_ids is not None:
        _only_aircraft(f)
    f.match = "said" if f.match == "asked" else f.match
    f.save()
    _into_records(actor, f)


def _can_have_flown(f: Flight, packs: list[Pack]) -> bool:
    """Return whether packs may be booked without a person's word: their cells and their charge fit the log."""
    try:
        _check_packs(f, packs)
    except DomainError:
        return False
    return True


def _check_packs(f: Flight, packs: list[Pack]) -> None:
    """Refuse packs that cannot have flown it: the wrong number of cells, or more charge drawn than they hold."""
    seen = figures_of(f)
    cells, used = seen.cells_count, seen.used_ah
    for p in packs:
        if len(packs) == 1 and cells and cells != p.model.cells:
            raise DomainError("wrong_pack", f"The log tells of {cells} cells and pack {p.name} has {p.model.cells}.", "pack_ids")
        if used and used > 1.15 * p.model.capacity_ah * len(packs):
            raise DomainError(
                "wrong_pack",
                f"The log drew {used:.1f} Ah and pack {p.name} holds {p.model.capacity_ah:g}: it is another pack, or more than one.",
                "pack_ids",
            )


@transaction.atomic
def delete_file(*, actor: User, file_id: UUID) -> None:
    """Delete a log with its flights, their samples, and what it wrote into the records of packs."""
    require(actor, "logs:delete")
    row = file_of(file_id)
    for f in row.flights.all():
        _forget(actor, f)
    record(
        actor=actor, action="log.deleted", row=row, label=row.name, before={"digest": row.digest, "flights": row.flights.count()}
    )
    row.delete()


def accept_lesson(*, actor: User, subject: str, thing: str, thing_id: UUID | None, factor: float) -> Calibration:
    """Let planning go by what flights teach; ``factor`` is the one that was seen, so that nobody accepts what they did not see."""
    require(actor, "calibrations:accept")
    lesson = next(
        (x for x in lessons() if x.subject == subject and x.thing == thing and x.thing_id == thing_id),
        None,
    )
    if lesson is None or lesson.factor is None or lesson.figures is None:
        raise DomainError("not_found", "No flight teaches this any more. Look again.", "subject")
    if abs(lesson.factor - factor) > _SAME_FACTOR:
        raise DomainError(
            "changed", f"More flights have come in: it is {lesson.factor:.3f} now. Look again and accept that.", "factor"
        )
    of = {"of": {"of": Pack.objects.get(pk=thing_id or "").health_frac}} if subject == "capacity" else {}
    return accept_calibration(
        actor=actor,
        subject=subject,
        thing=thing,
        thing_id=thing_id,
        label=lesson.name,
        factor=lesson.factor,
        figures=asdict(lesson.figures) | of,
    )
