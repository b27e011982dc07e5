from __future__ import annotations

from django.conf import settings
from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.bounded import ReadingStopped, read_bounded
from quarry.apps.imagery.formats import ImageryError
from quarry.apps.imagery.models import Imagery, ImageryTile
from quarry.apps.links import give_back_link

_READ_S, _MEMORY_MB, _AT_ONCE = 120.0, 3000, 500


def add_imagery(*, actor: User, name: str, data: bytes) -> Imagery:
    """Keep a picture of the ground as tiles; every map of the company shows it where it lies."""
    require(actor, "jobs:write")
    if len(data) > settings.IMAGERY_MOST_BYTES:
        most = settings.IMAGERY_MOST_BYTES // 1_000_000
        raise DomainError("too_large", f"The file is larger than {most} MB. Cut it to the site.", "file")
    try:
        give_back_link()
        held = read_bounded("quarry.apps.imagery.formats:read_imagery", data, seconds=_READ_S, memory_mb=_MEMORY_MB)
    except (ImageryError, ReadingStopped) as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    least, most = held.zooms
    with transaction.atomic():
        row = Imagery.objects.create(
            organisation=actor.organisation,
            name=name.strip()[:80] or "imagery",
            bounds=list(held.bounds),
            least_zoom=least,
            most_zoom=most,
            credit=held.credit,
            notes=[note[:300] for note in held.notes],
        )
        ImageryTile.objects.bulk_create(
            (
                ImageryTile(
                    organisation=actor.organisation,
                    imagery=row,
                    zoom=t.zoom,
                    column=t.column,
                    row=t.row,
                    kind=t.kind,
                    picture=t.picture,
                )
                for t in held.tiles
            ),
            batch_size=_AT_ONCE,
        )
        record(actor=actor, action="imagery.added", row=row, label=row.name)
    return row
