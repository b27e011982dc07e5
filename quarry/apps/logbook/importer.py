"""Reading in what was dropped: log by log, each whole or not at all, with a word on every one of them."""

from __future__ import annotations

from collections import Counter
from uuid import UUID

from django.conf import settings
from django.db import IntegrityError, transaction
from isal import igzip

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.bounded import BoundedReader, ReadingStopped
from quarry.apps.links import give_back_link
from quarry.apps.logbook import mappers
from quarry.apps.logbook.mappers import Packed
from quarry.apps.logbook.models import Import, LogData, LogFile, Source
from quarry.apps.logbook.repository import columns_of, look_json, report_json
from quarry.apps.logbook.services._flights import source_of, take_flights
from quarry.apps.logbook.services._opened import SMALL_BYTES, Opened, reader_apart
from quarry.apps.logbook.views import LookOut, ReportLine


class Stopped(Exception):
    """A person stopped the import."""


def begin_import(*, actor: User, name: str, data: bytes) -> Import:
    """Keep what was dropped for reading in. `run_import` does the work."""
    require(actor, "logs:read")
    if not data:
        raise DomainError("empty", f"{name} is empty: export it again.", "file")
    if len(data) > settings.LOG_MOST_BYTES:
        raise DomainError("too_large", f"{name} is larger than {settings.LOG_MOST_BYTES // 1_000_000} MB. Split it.", "file")
    if len(data) > SMALL_BYTES and not is_packed(data):
        data = igzip.compress(data, 1)  # a fifth of the bytes to store, and as it is kept with the log
    return Import.objects.create(organisation=actor.organisation, name=name[:160] or "log", data=data, by=actor)


def is_packed(data: bytes) -> bool:
    """Return whether it is an archive or compressed."""
    return data[:2] in (b"PK", b"\x1f\x8b")


def stop_import(*, actor: User, import_id: UUID) -> None:
    """Stop an import; logs that were read whole before stay."""
    require(actor, "logs:read")
    Import.objects.filter(pk=import_id, state__in=("waiting", "reading")).update(
        state="stopped", words="Stopped. What was read before stays."
    )


def give_another_try(*, actor: User, import_id: UUID) -> Import:
    """Return an import that was given up, with its tries counted anew."""
    require(actor, "logs:read")
    row = Import.objects.select_for_update().defer("data").filter(pk=import_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such import.")
    if row.state != "refused" or not row.tries:
        raise DomainError("not_ready", "Only what was broken off can be tried again. Drop the file once more.", "file")
    row.tries = 0
    row.save(update_fields=["tries"])
    return row


def run_import(import_id: UUID) -> None:
    """Read every log of an import; what cannot be read is named, and nothing of it is kept."""
    row = Import.objects.select_related("by", "organisation").filter(pk=import_id, state="waiting").first()
    if row is None:
        return
    own_row = Import.objects.filter(pk=import_id)
    own_row.update(state="reading")
    report: list[ReportLine] = []
    try:
        kept = bytes(row.data)
        logs = list(mappers.unpack_all(row.name, kept))
        own_row.update(total=len(logs))
        with reader_apart() as apart:
            for k, packed in enumerate(logs):
                if not own_row.filter(state="reading").update(done=k, report=report_json(report)):
                    raise Stopped
                report.append(_read_one(row, packed, apart))
        end = {"state": "done", "words": _words(report), "done": len(logs)}
    except mappers.LogError as bad:
        end = {"state": "refused", "words": bad.message[:300]}
    except Stopped:
        end = {}
    except Exception:
        own_row.update(
            state="refused",
            words="Something went wrong here. What was read before stays.",
            data=b"",
            report=report_json(report),
            tries=0,
        )
        raise
    own_row.update(**end, report=report_json(report), data=b"", tries=0)
    if report:
        record(actor=row.by, action="logs.read_in", row=row, label=f"{row.name}: {_words(report)}"[:160])


def _words(report: list[ReportLine]) -> str:
    counts: Counter[str] = Counter(r.state for r in report)
    counted = (
        ("read", f"{counts['read']} read with {sum(r.flights for r in report)} flights"),
        ("there", f"{counts['there']} were there"),
        ("asks", f"{counts['asks']} to be answered"),
        ("refused", f"{counts['refused']} refused"),
    )
    return ", ".join(words for state, words in counted if counts[state]) or "nothing was read"


def _read_one(row: Import, packed: Packed, apart: BoundedReader) -> ReportLine:
    """Read one log, without a link to the database, and keep it in a transaction of its own; returns its line of the report."""
    try:
        give_back_link()
        log = Opened(packed, apart)
        source = Source.objects.filter(organisation=row.organisation, mark=log.looked.mark).first()
        columns = columns_of(source) if source is not None and source.columns else None
        known = LogFile.objects.filter(digest=log.digest).exists()
        give_back_link()
        looked = log.looked if columns is None else log.look(columns)
        found = None if known or looked.asks else log.read(columns or {}, source.zone if source is not None else "", False)
        with transaction.atomic():
            return _keep(row, packed.name, log, looked, found)
    except (mappers.LogError, DomainError, ReadingStopped) as bad:
        return ReportLine(packed.name, "refused", bad.message)
    except IntegrityError:
        return ReportLine(packed.name, "there", "is being imported by somebody else")


def _keep(row: Import, name: str, log: Opened, looked: mappers.Looked, found: mappers.Found | None) -> ReportLine:
    there = LogFile.objects.filter(digest=log.digest).first()
    if there is not None:
        words = "was read before: nothing changed" if there.state == "read" else "waits to be answered"
        return ReportLine(name, "there", words, there.pk, flight_ids=_flights_of(there))
    source = source_of(row.organisation, log.looked.mark, name)
    kept = LogFile.objects.create(
        organisation=row.organisation,
        name=name[-200:],
        digest=log.digest,
        size=log.size,
        state="asks",
        source=source,
        look=look_json(looked.look),
        by=row.by,
    )
    LogData.objects.create(organisation=row.organisation, file=kept, data=log.kept)
    if found is None:
        kept.words = (looked.look.lacks or f"say what {_ask_words(looked.look)} holds")[:300]
        kept.save(update_fields=["words"])
        return ReportLine(name, "asks", kept.words, kept.pk)
    flights = take_flights(row.by, kept, found)
    if kept.state == "asks":
        return ReportLine(name, "asks", kept.words, kept.pk)
    counted = f"{flights} flight{'' if flights == 1 else 's'}"
    counted += f", {kept.bad_rows} rows could not be read" if kept.bad_rows else ""
    words = "; ".join([counted, *kept.doubts])
    return ReportLine(name, "read", words, kept.pk, flights, kept.rows, kept.bad_rows, _flights_of(kept))


def _flights_of(row: LogFile) -> list[UUID]:
    return list(row.flights.order_by("number").values_list("pk", flat=True))


def _ask_words(look: LookOut) -> str:
    return " and ".join(f"“{c.header}”" for c in look.columns if not c.certain)
