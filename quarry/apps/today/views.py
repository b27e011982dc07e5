"""What the first screen shows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal
from uuid import UUID

from quarry.apps.day.views.live import LiveCall

WordName = Literal["go", "care", "no"]


@dataclass(frozen=True, slots=True)
class SetupStep:
    """One step of setting a company up: what it is for, whether it is done, and where it is done."""

    key: str
    words: str
    why: str
    done: bool
    href: str
    samples: bool = False


@dataclass(frozen=True, slots=True)
class RunningDay:
    """A day that is being flown: the calls that are due or come next, and what cannot wait. Times from the opening. [s]"""

    id: UUID
    name: str
    opens_at: str
    time_zone: str
    now_s: float
    finish_s: float
    calls: list[LiveCall]
    alerts: list[str]
    questions: int


@dataclass(frozen=True, slots=True)
class WeatherSpan:
    """A stretch of a day under one word for all its jobs, in seconds from its opening; ``unknown``: no forecast of it."""

    start_s: float
    end_s: float
    word: WordName
    unknown: bool
    reason: str


@dataclass(frozen=True, slots=True)
class ComingDay:
    """A day that is planned and not flown: its jobs, its sorties, its last landing, and its weather. [s from opening]"""

    id: UUID
    name: str
    date: str
    opens: str
    closes: str
    jobs: list[str]
    sorties: int | None
    finish_s: float | None
    length_s: float
    weather: list[WeatherSpan]
    crew: list[str]
    opens_at: str
    time_zone: str


@dataclass(frozen=True, slots=True)
class DueItem:
    """Something to do or to say: in words, with the reason, and where."""

    words: str
    reason: str
    href: str
    urgent: bool


@dataclass(frozen=True, slots=True)
class TodayOut:
    """What the first screen shows; ``steps`` is empty once a company is set up."""

    date: str
    running: RunningDay | None
    days: list[ComingDay]
    answers: list[DueItem]
    due: list[DueItem]
    due_more: int
    steps: list[SetupStep]


@dataclass(frozen=True, slots=True)
class Found:
    """Something that goes by a name, what it is, and where it is."""

    kind: str
    words: str
    detail: str
    href: str
