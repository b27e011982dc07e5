"""Typed views of searches: what screens, files and other programs read."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal
from uuid import UUID

from quarry.apps.search.fields import EstimateFields, Place, TeamFields, WeightFields
from quarry.apps.workings import WorkingOut

SearcherName = Literal["aircraft", "team", "dog"]


@dataclass(frozen=True, slots=True)
class PersonKindOut:
    """A kind of person with its table of distances: share within, metres."""

    id: UUID
    name: str
    within: list[tuple[float, float]]
    note: str
    example: bool


@dataclass(frozen=True, slots=True)
class SweepTrialOut:
    """A trial of sweep width with what it shows; ``crossover_m``: by counting instead of by a curve."""

    id: UUID
    sensor: str
    cover: str
    target: str
    height_m: float | None
    speed_m_s: float | None
    light: str
    passes: list[tuple[float, bool]]
    width_m: float
    low_m: float
    high_m: float
    made_at: str
    by: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SegmentOut:
    """A segment as it stands: its share before anybody looked and now, what it was searched with, how wide one sees there."""

    id: str
    name: str
    ring: list[Place]
    area_ha: float
    cover: str
    access: str
    hazards: str
    slope_frac: float | None
    typed: float | None
    began_frac: float
    share_frac: float
    detection_frac: float
    success_frac: float
    looks: int
    width_m: float
    width_from: str


@dataclass(frozen=True, slots=True)
class WayOut:
    """One way of estimating, beside the others: what it gives to each segment and to the rest of the world, and how much it counts."""

    key: str
    words: str
    weight: float
    shares: list[float]
    rest_frac: float


@dataclass(frozen=True, slots=True, kw_only=True)
class SearchReportOut:
    """A report with what it says in words; ``taken_back``: by whom, empty where it stands; ``photos``: their keys."""

    key: UUID
    kind: str
    at: str
    written_at: str
    by: str
    segment: str
    words: str
    detection_frac: float | None
    place: Place | None
    notations: list[str]
    certainty: str
    taken_back: str
    photos: list[UUID]


@dataclass(frozen=True, slots=True)
class SearchJobOut:
    """A job that flies a segment of a search."""

    job_id: UUID
    name: str
    letter: str
    segment: str
    reported: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class SearchOut:
    """A search as it stands; ``found``: by whom and when, empty where nobody is; ``notes``: what was done with what did not fit."""

    id: UUID
    version: int
    name: str
    person: str
    kind_id: UUID | None
    day_id: UUID | None
    began_at: str
    ended_at: str | None
    point: Place | None
    point_notations: list[str]
    seen_at: str
    radius_m: float
    home: Place | None
    rest: float | None
    weights: WeightFields
    estimates: list[EstimateFields]
    paths: list[list[Place]]
    waters: list[list[Place]]
    aircraft_ids: list[str]
    sensor: str
    speed_m_s: float
    height_m: float
    law: str
    widths: dict[str, float]
    teams: list[TeamFields]
    until: str
    segments: list[SegmentOut]
    rest_frac: float
    success_frac: float
    found: str
    ways: list[WayOut]
    reports: list[SearchReportOut]
    jobs: list[SearchJobOut]
    notes: list[str]


@dataclass(frozen=True, slots=True)
class SearchLine:
    """A search in the list."""

    id: UUID
    name: str
    began_at: str
    ended_at: str | None
    segments: int
    found: bool
    archived: bool
    day_id: UUID | None


@dataclass(frozen=True, slots=True, kw_only=True)
class NextSortie:
    """A sortie that the plan proposes: who, where, at which spacing, how long, and what the chance of success becomes. Moments as ISO."""

    who: str
    searcher: SearcherName
    aircraft_id: str
    segment: str
    name: str
    starts_at: str
    ends_at: str
    time_s: float
    on_scene_s: float
    coverage: float
    spacing_m: float
    detection_frac: float
    before_frac: float
    after_frac: float
    words: str


@dataclass(frozen=True, slots=True)
class CurvePoint:
    """The chance of success at a moment: as planned, and where half of all days lie. [s from the first start]"""

    at_s: float
    success_frac: float
    low_frac: float
    high_frac: float


@dataclass(frozen=True, slots=True, kw_only=True)
class NextOut:
    """Which ground next: in words, the sorties, what else could be done and what more would bring; or why there is no answer."""

    words: str = ""
    sorties: list[NextSortie] = field(default_factory=list)
    until: str = ""
    now_frac: float = 0.0
    success_frac: float = 0.0
    at_most_frac: float = 0.0
    proven: bool = False
    instead: str = ""
    more: list[str] = field(default_factory=list)
    curve: list[CurvePoint] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    working: WorkingOut | None = None
    problem: str = ""
    problem_at: str = ""


@dataclass(frozen=True, slots=True)
class SearchTakenOver:
    """A search that was imported from a handover, and what of it was not taken."""

    search_id: UUID
    notes: list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class PatternOut:
    """A first pattern: how it lies, spacing, time, packs, POD and chance of success; the lines to be drawn. Or why it cannot be.

    ``launch_at``: when the first sortie can be up, packs fitted and the launch list gone through;
    ``shut``: its limits leave no window soon.
    """

    pattern: str
    words: str
    spacing_m: float
    time_s: float
    sorties: int
    detection_frac: float
    success_frac: float
    first_s: float
    path: list[Place]
    packs: list[str] = field(default_factory=list)
    launch_at: str = ""
    note: str = ""
    shut: bool = False
    problem: str = ""


@dataclass(frozen=True, slots=True)
class SegmentGiven:
    """The job that flies a segment, and its sorties that joined the running day."""

    job_id: UUID
    letter: str
    sorties: list[str]
