"""Pictures of the ground under the map."""

from __future__ import annotations

import base64
from uuid import UUID

from django.conf import settings
from django.http import HttpResponse
from ninja import File, Path, Router, UploadedFile

from quarry.api.auth import SignedIn
from quarry.api.schemas.imagery import TilePlace
from quarry.apps.imagery import queries, services
from quarry.apps.imagery.views import ImageryLine

router = Router(tags=["imagery"])
_NOTHING = base64.b64decode("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNkYPhfDwAChwGA60e6kgAAAABJRU5ErkJggg==")


@router.get("", response=list[ImageryLine], operation_id="list_imagery", summary="Pictures of the ground")
def list_imagery(request: SignedIn) -> object:
    """Return the pictures of the company and where they lie."""
    return queries.imageries()


@router.post("", response={201: ImageryLine}, operation_id="add_imagery", summary="Load a picture of the ground")
def add_imagery(request: SignedIn, file: File[UploadedFile]) -> object:
    """Keep a GeoTIFF, an MBTiles or a PMTiles file; a GeoTIFF of heights is refused with the code ``heights``."""
    name = (file.name or "imagery").rsplit(".", 1)[0]
    data = file.read(settings.IMAGERY_MOST_BYTES + 1)
    return 201, queries.imagery_line(services.add_imagery(actor=request.user, name=name, data=data))


@router.delete("/{imagery_id}", response=ImageryLine, operation_id="archive_imagery", summary="Put a picture away")
def archive_imagery(request: SignedIn, imagery_id: UUID) -> object:
    """Archive a picture of the ground; it can be restored."""
    return queries.imagery_line(services.set_imagery_archived(actor=request.user, imagery_id=imagery_id, archived=True))


@router.post("/{imagery_id}/restore", response=ImageryLine, operation_id="restore_imagery", summary="Restore a picture")
def restore_imagery(request: SignedIn, imagery_id: UUID) -> object:
    """Restore an archived picture of the ground."""
    return queries.imagery_line(services.set_imagery_archived(actor=request.user, imagery_id=imagery_id, archived=False))


@router.get("/{imagery_id}/{zoom}/{column}/{row}", operation_id="get_imagery_tile", summary="One tile of a picture")
def get_imagery_tile(request: SignedIn, imagery_id: UUID, at: Path[TilePlace]) -> HttpResponse:
    """Return a tile (columns from 180° west, rows from the north); an empty picture where there is nothing. It never changes."""
    picture, kind = queries.tile_of(imagery_id, at.zoom, at.column, at.row) or (_NOTHING, "png")
    response = HttpResponse(picture, content_type=f"image/{kind}")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response
