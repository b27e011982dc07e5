"""What screens show of a job as flown: one frozen shape for each thing. Places in degrees, times in seconds from ``began_at``."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Literal
from uuid import UUID

from quarry.apps.workings import WorkingOut

Place = tuple[float, float]
Ring = list[Place]
Polygon = list[Ring]  # the outer ring first, then its holes
SourceName = Literal["telemetry", "log", "landing", "photos"]


@dataclass(frozen=True, slots=True)
class StripOut:
    """What one run along a line covered."""

    sortie: str
    line: int
    from_s: float
    to_s: float
    ground: list[Polygon]
    estimated: bool


@dataclass(frozen=True, slots=True)
class GapOut:
    """A piece of ground that was not covered, by its number, the largest first."""

    number: int
    area_m2: float
    cause: str
    words: str
    field: str
    at: Place
    ground: Polygon


@dataclass(frozen=True, slots=True)
class FlownFieldOut:
    """What was covered of a field."""

    name: str
    ground_m2: float
    covered_m2: float


@dataclass(frozen=True, slots=True)
class FlownLineOut:
    """How much of a planned line was covered."""

    sortie: str
    number: int
    length_m: float
    covered_m: float


@dataclass(frozen=True, slots=True)
class FlownSortieOut:
    """A sortie as flown: from which source, what it covered by itself and alone, and what was assumed of it."""

    sortie: str
    source: SourceName
    covered_m2: float
    alone_m2: float
    from_s: float | None
    to_s: float | None
    pictures: int
    notes: list[str]


@dataclass(frozen=True, slots=True)
class DayFlown:
    """A day on which the job was flown."""

    id: UUID
    name: str
    date: str
    sorties: list[str]
    taken: bool


@dataclass(frozen=True, slots=True)
class FlownFigure:
    """A figure whose working can be asked for by its key; a share, or square metres. ``low`` to ``high``: how sure it is."""

    key: str
    value: float
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True, slots=True)
class PhotoLineOut:
    """Photos of a planned line: wanted, taken, and how far apart two neighbours lie at the most."""

    sortie: str
    number: int
    wanted: int
    taken: int
    widest_m: float | None
    doubled: int


@dataclass(frozen=True, slots=True)
class PhotoSetOut:
    """Photos that were read of a job."""

    id: UUID
    name: str
    count: int
    made_at: datetime
    ahead_s: float
    report: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class AsFlownOut:
    """A job as flown; ``mark`` names what it was made from."""

    job_id: UUID
    mark: str
    kind: Literal["mapping", "spraying", "search"]
    began_at: datetime
    time_zone: str
    length_s: float
    figures: list[FlownFigure]
    fields: list[FlownFieldOut]
    lines: list[FlownLineOut]
    sorties: list[FlownSortieOut]
    strips: list[StripOut]
    twice: list[Polygon]
    gaps: list[GapOut]
    slivers_m2: float
    error_m: float
    notes: list[str]
    left_out: list[str]
    days: list[DayFlown]
    photo_sets: list[PhotoSetOut] = field(default_factory=list)
    photo_lines: list[PhotoLineOut] = field(default_factory=list)


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptAsFlown(AsFlownOut):
    """A job as flown as it is kept: with the working of each figure by its key."""

    workings: dict[str, WorkingOut]


@dataclass(frozen=True, slots=True)
class AsFlownAnswer:
    """A job as flown, or why there is nothing to show yet."""

    flown: AsFlownOut | None
    problem: str


@dataclass(frozen=True, slots=True)
class ProofOut:
    """A proof that was given out."""

    id: UUID
    number: int
    made_at: datetime
    by: str
    covered_frac: float
    digests: dict[str, str]


@dataclass(frozen=True, slots=True)
class DayGaps:
    """What is left of a job of a running day once all of its sorties have landed."""

    job_id: UUID
    job: str
    letter: str
    gaps: int
    area_m2: float
    ground_m2: float
    sure: bool


@dataclass(frozen=True, slots=True)
class GapsFlown:
    """The job that flies gaps, and its sorties that joined a running day."""

    job_id: UUID
    name: str
    letter: str
    joined: list[str]
