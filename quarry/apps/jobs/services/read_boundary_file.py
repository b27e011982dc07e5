from __future__ import annotations

from dataclasses import dataclass

from django.conf import settings

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.bounded import ReadingStopped, read_bounded
from quarry.apps.jobs import mappers
from quarry.apps.jobs.formats.boundary.found import Found
from quarry.apps.jobs.formats.boundary.shapes import FormatError
from quarry.apps.links import give_back_link

_SECONDS, _MEMORY_MB = 12.0, 1_200


@dataclass(frozen=True, slots=True)
class BoundaryRead:
    """What a file holds, and where home would stand for it: where it was, or at a corner."""

    found: Found
    home: tuple[float, float]
    home_stays: bool


def read_boundary_file(*, actor: User, data: bytes, filename: str, home: tuple[float, float] | None = None) -> BoundaryRead:
    """Return what an uploaded boundary file holds; nothing is stored."""
    require(actor, "jobs:write")
    if len(data) > settings.UPLOAD_MOST_BYTES:
        raise DomainError(
            "too_large", f"The file is larger than {settings.UPLOAD_MOST_BYTES // 1_000_000} MB. Export the outline only.", "file"
        )
    try:
        give_back_link()
        reader = "quarry.apps.jobs.formats.boundary.reading:read_boundary"
        found: Found = read_bounded(reader, data, filename, seconds=_SECONDS, memory_mb=_MEMORY_MB)
    except (FormatError, ReadingStopped) as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    corners = [(p[0], p[1]) for a in found.areas if not a.problem for p in a.ring]
    corners += [(p[0], p[1]) for line in found.lines for p in line.places]
    place, stays = mappers.home_for(corners, home)
    return BoundaryRead(found, place, stays)
