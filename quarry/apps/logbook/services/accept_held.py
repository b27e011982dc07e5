from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.logbook import mappers
from quarry.apps.logbook.models import LogFile
from quarry.apps.logbook.queries.logs import file_of
from quarry.apps.logbook.services.read_again import read_again


def accept_held(*, actor: User, file_id: UUID) -> LogFile:
    """Read a log all the same that says something against itself; who accepted it stands in the history."""
    require(actor, "logs:read")
    row = file_of(file_id)
    try:
        with transaction.atomic():
            row.accepted = True
            row.save(update_fields=["accepted"])
            record(actor=actor, action="log.accepted", row=row, label=row.name, after={"doubts": row.doubts})
            read_again(actor=actor, row=row)
    except mappers.LogError as bad:
        raise DomainError(bad.code, bad.message, "columns") from bad
    return row
