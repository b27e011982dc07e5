from __future__ import annotations

from quarry.apps.accounts.models import User
from quarry.apps.logbook import mappers
from quarry.apps.logbook.models import LogFile, Source
from quarry.apps.logbook.queries.logs import to_be_read
from quarry.apps.logbook.services.read_again import read_again
from quarry.apps.logbook.views import ReadWaiting, RefusedFile


def read_waiting(*, actor: User, source: Source) -> ReadWaiting:
    """Read every log of a kind that waits for its columns, or was read by others; what cannot be read is named with the reason."""
    read = 0
    refused: list[RefusedFile] = []
    for row in to_be_read(source):
        try:
            read_again(actor=actor, row=row)
            read += row.state == "read"
            if row.state != "read":
                refused.append(RefusedFile(name=row.name, words=row.words))
        except mappers.LogError as bad:
            LogFile.objects.filter(pk=row.pk).update(words=bad.message[:300])
            refused.append(RefusedFile(name=row.name, words=bad.message))
    return ReadWaiting(read, refused)
