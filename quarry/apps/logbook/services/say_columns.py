from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID
from zoneinfo import available_timezones

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.logbook import mappers, repository
from quarry.apps.logbook.models import LogFile, Source
from quarry.apps.logbook.queries.logs import file_of
from quarry.apps.logbook.repository import columns_json
from quarry.apps.logbook.services._flights import MOST_CELLS
from quarry.apps.logbook.services.read_again import read_again
from quarry.apps.logbook.views import ColumnSaid


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
        source.columns = columns_json(dict(columns))
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
        # An answer by which the log cannot be read is not remembered.
        try:
            read_again(actor=actor, row=asked)
        except mappers.LogError as bad:
            raise DomainError(bad.code, bad.message, _field_of(asked, bad.field)) from bad
    return asked


def _field_of(row: LogFile, quantity: str) -> str:
    """Return the column that caused a refusal as the field of the form."""
    columns = repository.look_of(row).columns if row.look else []
    return next((f"columns.{k}" for k, c in enumerate(columns) if c.quantity == quantity), "columns")


def _check_columns(row: LogFile, columns: Sequence[tuple[str, ColumnSaid]]) -> None:
    known = {c.name: c.units for c in mappers.choices()}
    looked = repository.look_of(row).columns
    headers = {c.header for c in looked}
    in_lists = {c.header for c in looked if c.quantity == "cell_v" and c.cell == 0}
    seen: dict[tuple[str, int], str] = {}
    for place, (header, c) in enumerate(columns):
        if header not in headers:
            raise DomainError("invalid", f"There is no column {header} in this log.", f"columns.{place}")
        if not c.quantity:
            continue
        units = known.get(c.quantity)
        if units is None:
            raise DomainError("invalid", "Choose what this column holds from the list.", f"columns.{place}")
        if c.unit not in units and not mappers.is_unit_of(c.quantity, c.unit):
            raise DomainError("invalid", f"Choose one of its units: {', '.join(units)}.", f"columns.{place}")
        if c.quantity == "cell_v" and header not in in_lists and not 1 <= c.cell <= MOST_CELLS:
            raise DomainError("invalid", "Say which cell of the pack it is: 1, 2, 3 …", f"columns.{place}")
        key = (c.quantity, c.cell if c.quantity == "cell_v" else 0)
        if key in seen:
            raise DomainError("invalid", f"“{seen[key]}” is taken for the same. Leave one of the two out.", f"columns.{place}")
        seen[key] = header
    if not any(c.quantity == "time_s" for _, c in columns):
        raise DomainError("missing", "Say which column holds the time.", "columns")
