"""What lists and screens show of jobs: one frozen shape for each thing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal
from uuid import UUID

KindName = Literal["mapping", "spraying", "search"]
JobSort = Literal["changed", "name", "place", "kind"]


@dataclass(frozen=True, slots=True)
class JobLine:
    """A job in the list, with figures of the last plan made of it."""

    id: UUID
    name: str
    letter: str
    kind: KindName
    place: str
    aircraft_model: str
    area_ha: float | None
    sorties_count: int | None
    total_s: float | None
    archived: bool
    changed_at: str


@dataclass(frozen=True, slots=True)
class JobLines:
    """A page of jobs: the cursor of the next one, and how many there are in all."""

    items: list[JobLine]
    next: str | None
    total: int
