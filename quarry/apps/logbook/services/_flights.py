"""From the bytes of a log to flights, their match among what was recorded, and the records they leave."""

from __future__ import annotations

from dataclasses import fields
from uuid import UUID, uuid4

from django.db.models import QuerySet

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import Organisation, User
from quarry.apps.care.models import PackRecord
from quarry.apps.care.queries import measured_of
from quarry.apps.care.services.add_record import add_record
from quarry.apps.day.models import Day
from quarry.apps.fleet.models import Aircraft, AircraftModel, Pack
from quarry.apps.jobs.models import Job
from quarry.apps.logbook import mappers
from quarry.apps.logbook.formats.samples import log_from
from quarry.apps.logbook.models import Flight, FlightSamples, LogFile, Source
from quarry.apps.logbook.queries.recorded import around, serials_of
from quarry.apps.logbook.repository import candidates_json, claims_json, figures_of, holds_json
from quarry.apps.logbook.views import BookEntry

MOST_CELLS = 28
SAME_FACTOR = 0.0005
_OF_WARNINGS = ("warned_by", "warned_s", "warned_frac", "in_warning_s", "critical_at_s", "critical_s")
LONGEST_S = 4 * 3600.0


def source_of(organisation: Organisation, mark: str, name: str) -> Source:
    """Return the source that logs with these columns come from."""
    return Source.objects.get_or_create(organisation=organisation, mark=mark, defaults={"name": name[:120]})[0]


def take_flights(actor: User, row: LogFile, found: mappers.Found) -> int:
    """Keep the flights that were found in a log in place of those found before; returns how many.

    A log that says something against itself is held: nothing of it is kept before a person has accepted it.
    """
    holds = [*found.holds, *mappers.too_long(found, longest_s())]
    row.holds = holds_json(holds)
    if holds and not row.accepted:
        doubts = list(dict.fromkeys([*found.doubts, *(h.words for h in holds)]))
        row.state, row.words, row.doubts = "asks", f"it contradicts itself: {holds[0].words}"[:300], doubts
        row.save()
        return 0
    before = {f.number: f for f in row.flights.prefetch_related("packs").select_related("aircraft", "job", "day")}
    for flight in found.flights:
        _take_flight(actor, row, flight, before.pop(flight.row.number, None))
    for gone in before.values():
        forget_records(actor, gone)
        gone.delete()
    row.state, row.words = "read", ""
    row.rows, row.bad_rows, row.examples, row.doubts = found.rows, found.bad_rows, found.examples, found.doubts
    row.save()
    return len(found.flights)


def longest_s() -> float:
    """Return how long the best pack of the company lasts by the figures of its models; that of a long day where there are none."""
    lasts = [
        3600.0 * m.pack_model.rated_wh * m.packs_count / m.power_w
        for m in AircraftModel.objects.filter(archived_at=None, power_w__gt=0).select_related("pack_model")
    ]
    return max(lasts, default=LONGEST_S)


def _take_flight(actor: User, row: LogFile, found: mappers.FoundFlight, old: Flight | None) -> None:
    made = old or Flight(organisation=row.organisation, file=row)
    said = made.began_at
    for x in fields(found.row):
        setattr(made, x.name, getattr(found.row, x.name))
    # What a person said of when it was stays where the log itself does not tell.
    made.began_at = said if found.row.began_at is None else found.row.began_at
    if found.number and _goes_by(found.number).exists():
        made.serial = found.number
    made.version += 1 if old else 0
    made.save()
    full, overview = found.samples
    news = {"organisation": row.organisation, "rows": found.rows, "data": full, "overview": overview}
    FlightSamples.objects.update_or_create(flight=made, defaults=news)
    if old is None or old.match != "said":
        find_match(actor, made)
    work_out_claims(made, found.slow, found.seen, found.wind)


def find_match(actor: User, f: Flight) -> None:
    """Look for the recorded flight that a log is of: taken where it is sure, asked where it is not."""
    f.candidates, f.record, f.match = [], "", "none"
    recorded = around(f)
    if f.began_at is not None:
        flown = mappers.LogFlown(f.began_at, f.length_s, f.serial, f.zoned, figures_of(f).to_frac)
        candidates, sure = mappers.best_matches(flown, recorded, serials_of(recorded))
        f.candidates = candidates_json(candidates)
        best = next((e for e in recorded if candidates and e.id == candidates[0].id), None)
        flew = list(Pack.objects.filter(pk__in=best.pack_ids).select_related("model")) if best else []
        if best is not None and sure and can_have_flown(f, flew):
            attach(f, best)
            f.match = "sure"
        elif f.candidates:
            f.match = "asked"
    if f.match == "none" and not f.packs.exists() and f.serial:
        # A pack that calls itself by its number, or by the name people gave it.
        named = [p for p in _goes_by(f.serial).select_related("model")[:1] if can_have_flown(f, [p])]
        f.packs.set(named)
        only_aircraft(f)
    f.save()
    into_records(actor, f)


def _goes_by(name: str) -> QuerySet[Pack]:
    """Return the packs that go by a number or a name in this company."""
    return Pack.objects.filter(serial__iexact=name) | Pack.objects.filter(name__iexact=name, archived_at=None)


def attach(f: Flight, entry: BookEntry) -> None:
    """Say which recorded flight a log is of, with its aircraft, packs and job."""
    f.record, f.sortie = entry.id, entry.sortie
    f.aircraft = Aircraft.objects.filter(pk=entry.aircraft_id).first() if entry.aircraft_id else f.aircraft
    f.job = Job.objects.filter(pk=entry.job_id).first() if entry.job_id else None
    f.day = Day.objects.filter(pk=entry.day_id).first() if entry.day_id else None
    f.air_c = entry.air_c if f.air_c is None else f.air_c
    f.packs.set(Pack.objects.filter(pk__in=entry.pack_ids))


def only_aircraft(f: Flight) -> None:
    """Take the aircraft that alone flies packs of this kind."""
    models = {p.model_id for p in f.packs.all()}
    fit = list(Aircraft.objects.filter(model__pack_model_id__in=models, archived_at=None)[:2])
    if f.aircraft is None and len(fit) == 1:
        f.aircraft = fit[0]


def into_records(actor: User, f: Flight) -> None:
    """Write a flight of which nobody told into the records of its packs; take it out again where it turns out otherwise."""
    if f.record or f.began_at is None or not 20.0 <= f.length_s <= LONGEST_S:
        forget_records(actor, f)
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
    forget_records(actor, f)
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


def forget_records(actor: User, f: Flight) -> None:
    """Take back the records that a log left on packs."""
    for r in PackRecord.objects.filter(key__in=f.own_records).select_related("pack"):
        add_record(
            actor=actor,
            pack_id=r.pack_id,
            kind="withdrawal",
            figures={"words": "recorded by a log that is not of it"},
            at=r.at,
            corrects=r.key,
        )
    if f.own_records:
        f.own_records = []
        f.save(update_fields=["own_records"])


def work_out_claims(
    f: Flight, flight: mappers.Log | None = None, seen: mappers.Discharge | None = None, wind: mappers.WindMet | None = None
) -> None:
    """Work out what was claimed of a flight, from what is known of its aircraft and packs."""
    packs = list(f.packs.select_related("model"))
    if flight is None or seen is None:
        there = FlightSamples.objects.filter(flight=f).first()
        if there is None:
            return  # its samples were let go: what was worked out of them stands
        whole = log_from(bytes(there.data))
        seen, wind = mappers.seen_of(whole)
        flight = mappers.slowed(whole)
    measured = measured_of(packs)
    claims = mappers.claims_of(
        flight,
        seen,
        wind,
        aircraft=f.aircraft,
        packs=packs,
        measured=measured.get(str(packs[0].pk)) if len(packs) == 1 else None,
        job=f.job,
        payload_kg=f.payload_kg,
        air_c=f.air_c,
    )
    f.claims = claims_json(claims)
    _work_out_warnings(f, flight)
    f.save(update_fields=["claims", "figures"])


def _work_out_warnings(f: Flight, flight: mappers.Log) -> None:
    """Work out warnings by the percents at which the model of aircraft warns, where the log logs none itself."""
    by = f.figures.get("warned_by", "")
    if by == "log" or (not by and "warned_s" in f.figures):
        return
    plain = {k: v for k, v in f.figures.items() if k not in _OF_WARNINGS}
    model = f.aircraft.model if f.aircraft is not None else None
    known = model is not None and (model.low_frac is not None or model.critical_frac is not None)
    by_percent = mappers.warnings_by_percent(flight, model.low_frac, model.critical_frac) if model is not None else {}
    f.figures = plain | ({"warned_by": "percent"} | by_percent if known else {})


def can_have_flown(f: Flight, packs: list[Pack]) -> bool:
    """Return whether packs may be booked without a person's word: their cells and their charge fit the log."""
    try:
        check_packs(f, packs)
    except DomainError:
        return False
    return True


def check_packs(f: Flight, packs: list[Pack]) -> None:
    """Refuse packs that cannot have flown it: other cells, other volts, or more charge drawn than they hold."""
    seen = figures_of(f)
    cells, used = seen.cells_count, seen.used_ah
    for p in packs:
        if len(packs) == 1 and cells and cells != p.model.cells:
            raise DomainError("wrong_pack", f"The log tells of {cells} cells and pack {p.name} has {p.model.cells}.", "pack_ids")
        volts = seen.mean_w / seen.mean_a if len(packs) == 1 and seen.mean_w and seen.mean_a else None
        if volts is not None and not mappers.volts_fit(p.model, volts):
            raise DomainError(
                "wrong_pack",
                f"The log's volts would be {volts / p.model.cells:.1f} V for each of the {p.model.cells} cells of pack {p.name}: "
                "it is another pack.",
                "pack_ids",
            )
        if used and used > 1.15 * p.model.capacity_ah * len(packs):
            raise DomainError(
                "wrong_pack",
                f"The log drew {used:.1f} Ah and pack {p.name} holds {p.model.capacity_ah:g}: it is another pack, or more than one.",
                "pack_ids",
            )
