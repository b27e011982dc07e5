"""What lists and screens show of days: one frozen shape for each thing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal
from uuid import UUID

RunWord = Literal["", "running", "closed"]
DaySort = Literal["latest", "earliest", "name"]


@dataclass(frozen=True, slots=True)
class DayLine:
    """A day in the list, with the last landing of its newest plan. [s from opening]"""

    id: UUID
    name: str
    date: str
    opens: str
    closes: str
    jobs: list[str]
    finish_s: float | None
    archived: bool
    running: RunWord


@dataclass(frozen=True, slots=True)
class DayLines:
    """A page of days: the cursor of the next one, and how many there are in all."""

    items: list[DayLine]
    next: str | None
    total: int
