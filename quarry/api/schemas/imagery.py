"""Pictures of the ground."""

from __future__ import annotations

from pydantic import Field

from quarry.api.schemas.base import In


class TilePlace(In):
    """Where a tile lies in the square net."""

    zoom: int = Field(ge=0, le=23)
    column: int = Field(ge=0, lt=2**23)
    row: int = Field(ge=0, lt=2**23)
