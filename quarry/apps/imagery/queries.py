"""Reading pictures of the ground."""

from __future__ import annotations

from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.imagery.models import Imagery, ImageryTile
from quarry.apps.imagery.views import ImageryLine


def imageries() -> list[ImageryLine]:
    """Return the pictures of the scope."""
    return [imagery_line(row) for row in Imagery.objects.filter(archived_at__isnull=True)]


def imagery_line(row: Imagery) -> ImageryLine:
    """Return what a list shows of a picture."""
    west, south, east, north = row.bounds
    return ImageryLine(
        id=row.id,
        name=row.name,
        bounds=(west, south, east, north),
        least_zoom=row.least_zoom,
        most_zoom=row.most_zoom,
        credit=row.credit,
        notes=row.notes,
    )


def tile_of(imagery_id: UUID, zoom: int, column: int, row: int) -> tuple[bytes, str] | None:
    """Return a tile and what kind of picture it is; None where the picture shows nothing there."""
    if not Imagery.objects.filter(pk=imagery_id).exists():
        raise DomainError("not_found", "There is no such picture of the ground.")
    found = ImageryTile.objects.filter(imagery_id=imagery_id, zoom=zoom, column=column, row=row).first()
    return (bytes(found.picture), found.kind) if found else None
