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


def accept_held(*, actor: User, file_id: UUID, split: bool = False) -> LogFile:
    """Read a log that says something against itself; who accepted it stands in the history.

    As it is, or ``split``: in parts where its clock does not go on. In parts it is held again if it still contradicts itself.
    """
    require(actor, "logs:read")
    row = file_of(file_id)
    try:
        with transaction.atomic():
            row.accepted, row.split = not split, split
            row.save(update_fields=["accepted", "split"])
            record(actor=actor, action="log.accepted", row=row, label=row.name, after={"doubts": row.doubts, "split": split})
            read_again(actor=actor, row=row)
    except mappers.LogError as bad:
        raise DomainError(bad.code, bad.message, "columns") from bad
    return row
