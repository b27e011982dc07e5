from __future__ import annotations

from django.conf import settings

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.bounded import ReadingStopped, read_bounded
from quarry.apps.jobs import mappers
from quarry.apps.jobs.formats.reading import FormatError, Found, FoundArea
from quarry.apps.links import give_back_link


def outline_from_file(*, actor: User, data: bytes, filename: str, home: tuple[float, float] | None = None) -> Found:
    """Return the outline in an uploaded file, with where home would stand for each of its areas; nothing is stored."""
    require(actor, "jobs:write")
    if len(data) > settings.UPLOAD_MOST_BYTES:
        raise DomainError(
            "too_large", f"The file is larger than {settings.UPLOAD_MOST_BYTES // 1_000_000} MB. Export the outline only.", "file"
        )
    try:
        give_back_link()
        found: Found = read_bounded("quarry.apps.jobs.formats.reading:read_outline", data, filename, seconds=10.0)
    except (FormatError, ReadingStopped) as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    areas: list[Found | FoundArea] = [found, *found.others]
    for area in areas:
        area.home, area.home_kept = mappers.home_for_area(area.area, home)
    return found
