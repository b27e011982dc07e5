from __future__ import annotations

from django.conf import settings
from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.bounded import ReadingStopped, read_bounded
from quarry.apps.jobs import mappers
from quarry.apps.jobs.formats.terrain import FormatError as TerrainError
from quarry.apps.jobs.models import Terrain
from quarry.apps.links import give_back_link


def add_terrain(*, actor: User, name: str, data: bytes) -> Terrain:
    """Keep an elevation grid; plans of jobs under it follow the ground from then on."""
    require(actor, "jobs:write")
    if len(data) > settings.TABLE_MOST_BYTES:
        raise DomainError(
            "too_large", f"The file is larger than {settings.TABLE_MOST_BYTES // 1_000_000} MB. Cut it to the site.", "file"
        )
    try:
        give_back_link()
        grid = read_bounded("quarry.apps.jobs.formats.terrain:read_terrain", data, seconds=30.0, memory_mb=3000)
        figures = mappers.terrain_row(grid)
    except (TerrainError, ReadingStopped) as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    with transaction.atomic():
        row = Terrain.objects.create(organisation=actor.organisation, name=name.strip()[:80] or "terrain", **figures)
        record(actor=actor, action="terrain.added", row=row, label=row.name)
    return row
