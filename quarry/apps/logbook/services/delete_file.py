from __future__ import annotations

from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.logbook.queries.logs import file_of
from quarry.apps.logbook.services._flights import forget_records


@transaction.atomic
def delete_file(*, actor: User, file_id: UUID) -> None:
    """Delete a log with its flights, their samples, and what it wrote into the records of packs."""
    require(actor, "logs:delete")
    row = file_of(file_id)
    for f in row.flights.all():
        forget_records(actor, f)
    record(
        actor=actor, action="log.deleted", row=row, label=row.name, before={"digest": row.digest, "flights": row.flights.count()}
    )
    row.delete()
