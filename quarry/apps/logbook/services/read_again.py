from __future__ import annotations

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.logbook import mappers, repository
from quarry.apps.logbook.models import LogData, LogFile
from quarry.apps.logbook.repository import columns_of
from quarry.apps.logbook.services._flights import take_flights
from quarry.apps.logbook.services._opened import SMALL_BYTES, Opened, reader_apart


@transaction.atomic
def read_again(*, actor: User, row: LogFile) -> int:
    """Read a kept log again, as after its columns were told; all of it or nothing. Raises `mappers.LogError`."""
    there = LogData.objects.filter(file=row).first()
    if there is None:
        raise DomainError("let_go", "The file of this log is no longer kept: your company lets log files go. Import it again.")
    kept = bytes(there.data)
    row.source.refresh_from_db()
    with reader_apart() as apart:
        log = Opened(next(iter(mappers.unpack_all(row.name, kept))), apart, large=row.size > SMALL_BYTES)
        row.look = repository.look_json(log.look(columns_of(row.source)).look)
        found = log.read(columns_of(row.source), row.source.zone, row.split)
        return take_flights(actor, row, found)
