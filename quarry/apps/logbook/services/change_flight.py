from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import check_version
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import Aircraft, Pack
from quarry.apps.logbook.models import Flight
from quarry.apps.logbook.queries.logs import flight_of
from quarry.apps.logbook.queries.recorded import around
from quarry.apps.logbook.repository import candidates_of
from quarry.apps.logbook.services._flights import attach, check_packs, find_match, into_records, only_aircraft, work_out_claims


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
        work_out_claims(f)
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
        attach(f, entry)
        f.match = "said"
        f.save()
    into_records(actor, f)


def _say_things(actor: User, f: Flight, changes: FlightSaid) -> None:
    if changes.pack_ids is not None:
        packs = list(Pack.objects.filter(pk__in=changes.pack_ids).select_related("model"))
        if len(packs) != len(set(changes.pack_ids)):
            raise DomainError("not_found", "Choose packs of your own.", "pack_ids")
        check_packs(f, packs)
        f.packs.set(packs)
    if changes.aircraft_id is not None:
        f.aircraft = Aircraft.objects.select_related("model").filter(pk=changes.aircraft_id).first()
        if f.aircraft is None:
            raise DomainError("not_found", "Choose an aircraft of your fleet.", "aircraft_id")
    elif changes.pack_ids is not None:
        only_aircraft(f)
    f.match = "said" if f.match == "asked" else f.match
    f.save()
    into_records(actor, f)
