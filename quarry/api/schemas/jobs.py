"""Jobs, their plans, terrain."""

from __future__ import annotations

from typing import Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from quarry.api.schemas.base import In
from quarry.apps.jobs.views import JobPlanOut, KindName, Place, PlanProblem


class KeepOutIO(In):
    """A piece that is not worked."""

    ring: list[Place] = Field(max_length=20_000)
    crossing: Literal["never", "unworked"]
    margin_m: float = Field(ge=0, le=500)
    name: str = Field(max_length=60)


class LinesIO(In):
    """How lines are laid; a bearing of None takes the best."""

    ends: Literal["cover", "clip"]
    bearing_deg: float | None


class SortiesIO(In):
    """How the route is cut."""

    landing_frac: float
    floor_frac: float
    reserve_method: Literal["rated", "measured"]
    breaks: Literal["anywhere", "line_ends"]
    overlap_m: float
    keep_spare_s: float
    cut_for: Literal["weakest", "each"] = "each"
    return_m: float | None = None
    clearance_m: float = 20.0
    load_kg: float = 0.0


class WindIO(In):
    """The wind planned with: at flying height, by where it comes from."""

    speed_m_s: float
    from_deg: float
    height_m: float
    assumed: bool
    origin: Literal["assumed", "entered", "forecast", "measured"] = "assumed"
    words: str = Field(default="", max_length=200)
    at: str | None = None
    cover: Literal["water", "grass", "crops", "hedges", "wood"] = "grass"
    gust_m_s: float | None = None
    air_c: float = 15.0
    density_kg_m3: float | None = None
    into_m_s: float | None = None
    with_m_s: float | None = None


class ObstacleIO(In):
    """A mast, tree or house on a way home, as a circle with its top above the ground."""

    name: str = Field(default="", max_length=60)
    at: Place
    radius_m: float
    top_m: float


class NamedPlaceIO(In):
    """A named place."""

    name: str = Field(default="", max_length=60)
    at: Place


class SiteIO(In):
    """What stands around: obstacles, fallback landing places, other homes, and where home may lie."""

    obstacles: list[ObstacleIO] = Field(default_factory=list, max_length=60)
    fallbacks: list[NamedPlaceIO] = Field(default_factory=list, max_length=20)
    homes: list[NamedPlaceIO] = Field(default_factory=list, max_length=12)
    home_area: list[Place] = Field(default_factory=list, max_length=400)


class JobFigures(In):
    """Everything of a job that people enter; it may be incomplete."""

    name: str = Field(min_length=1, max_length=80)
    letter: str = Field(min_length=1, max_length=2, pattern=r"^[A-Z][A-Z0-9]?$")
    kind: KindName
    place: str = Field(max_length=80)
    area: list[Place] = Field(max_length=20_001)
    keep_outs: list[KeepOutIO] = Field(max_length=400)
    home: Place | None
    work: dict[str, float | str]
    lines: LinesIO
    sorties: SortiesIO
    wind: WindIO
    site: SiteIO = Field(default_factory=SiteIO)
    aircraft_model_id: UUID | None
    aircraft_id: UUID | None
    camera_id: UUID | None


class JobStart(In):
    """The least to begin a job with."""

    name: str = Field(min_length=1, max_length=80)
    kind: KindName
    place: str = Field(default="", max_length=80)


class JobSave(In):
    """A job as it stands on the screen, with the version it was based on."""

    version: int
    job: JobFigures


class JobOut(JobFigures):
    """A job."""

    id: UUID
    version: int
    archived: bool
    changed_at: str


class JobAnswer(Schema):
    """A job with its plan, or with what stands in the plan's way."""

    job: JobOut
    plan: JobPlanOut | None
    problem: PlanProblem | None
    home_height_m: float | None


class FoundAreaOut(Schema):
    """One area of a file; ``meets``: it touches or overlaps the largest one. ``home``: where it would stand for it."""

    name: str
    area: list[Place]
    keep_outs: list[KeepOutIO]
    area_ha: float
    meets: bool
    home: Place
    home_kept: bool


class FoundPointOut(Schema):
    """One point of a file; ``home``: its name or the file calls it home, and still a person says so."""

    name: str
    at: Place
    home: bool
    away_m: float


class OutlineOut(Schema):
    """What a dropped file holds: the largest area; other areas and points, for choice; what was decided, in words."""

    name: str
    area: list[Place]
    keep_outs: list[KeepOutIO]
    area_ha: float
    home: Place
    home_kept: bool
    others: list[FoundAreaOut]
    points: list[FoundPointOut]
    notes: list[str]
