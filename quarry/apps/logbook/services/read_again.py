from __future__ import annotations

import gzip

from django.db import transaction

from quarry.apps.accounts.models import User
from quarry.apps.logbook import mappers, repository
from quarry.apps.logbook.models import LogData, LogFile
from quarry.apps.logbook.repository import columns_of
from quarry.apps.logbook.services._flights import take_flights


@transaction.atomic
def read_again(*, actor: User, row: LogFile) -> int:
    """Read a kept log again, as after its columns were told; all of it or nothing. Raises `mappers.LogError`."""
    data = gzip.decompress(bytes(LogData.objects.get(file=row).data))
    row.source.refresh_from_db()
    row.look = repository.look_json(mappers.look_of(data, columns_of(row.source)).look)
    return take_flights(actor, row, data)
