"""What is shown of pictures of the ground."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID


@dataclass(frozen=True, slots=True)
class ImageryLine:
    """A picture of the ground: where it lies (west, south, east, north), its zooms, and what was done on reading it."""

    id: UUID
    name: str
    bounds: tuple[float, float, float, float]
    least_zoom: int
    most_zoom: int
    credit: str
    notes: list[str]
