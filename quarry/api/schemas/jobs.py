"""Jobs, their plans, terrain."""

from __future__ import annotations

from typing import Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from quarry.api.schemas.base import In
from quarry.apps.jobs.views import JobPlanOut, KindName, Place, PlanProblem


class AreaIO(In):
    """One area of a job: a ring, or the line of a corridor with its width; a bearing of its own lines and a rate of its own, or None."""

    name: str = Field(max_length=300)
    ring: list[Place] = Field(max_length=20_001)
    left_out: bool
    bearing_deg: float | None = Field(ge=0, lt=360)
    corridor_m: float | None = Field(gt=0, le=5000)
    rate_l_ha: float | None = Field(default=None, gt=0)


class KeepOutIO(In):
    """A piece that is not worked."""

    ring: list[Place] = Field(max_length=20_000)
    crossing: Literal["never", "unworked"]
    margin_m: float = Field(ge=0, le=500)
    name: str = Field(max_length=300)


class PassIO(In):
    """A further pass over the ground of a mapping job."""

    turn_deg: float = 90.0
    tilt_deg: float = 0.0
    name: str = Field(default="", max_length=40)


class LinesIO(In):
    """How lines are laid; a bearing of None takes the best."""

    ends: Literal["cover", "clip"]
    bearing_deg: float | None
    in_order: bool
    passes: list[PassIO] = Field(default_factory=list, max_length=8)
    raised: bool = False


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
    home_fast: bool = False


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


class ControlIO(In):
    """A ground control point, or one that is held back as a check."""

    at: Place
    name: str = Field(default="", max_length=40)
    check: bool = False
    height_m: float | None = Field(default=None, ge=-1000, le=9000)
    why: str = Field(default="", max_length=120)


class StructureIO(In):
    """A mound, building or tower that a mapping job photographs from around."""

    ring: list[Place] = Field(max_length=400)
    how: Literal["rings", "walls"] = "rings"
    top_m: float = 10.0
    stand_off_m: float = 20.0
    low_m: float = 15.0
    high_m: float = 15.0
    speed_m_s: float = 3.0
    name: str = Field(default="", max_length=60)
    facing_deg: float | None = Field(default=None, ge=0, lt=360)


class SensitiveIO(In):
    """Water, houses, a path, hives: what a spraying job stays off, always or where the wind blows towards it."""

    ring: list[Place] = Field(max_length=2000)
    closed: bool = False
    name: str = Field(default="", max_length=60)
    rule: Literal["always", "wind"] = "wind"
    distance_m: float = 20.0
    within_deg: float = 45.0
    table: list[tuple[float, float]] = Field(default_factory=list, max_length=20)


class SiteIO(In):
    """What stands around: obstacles, fallback landing places, other homes, where home may lie; control points in walking order."""

    obstacles: list[ObstacleIO] = Field(default_factory=list, max_length=60)
    fallbacks: list[NamedPlaceIO] = Field(default_factory=list, max_length=20)
    homes: list[NamedPlaceIO] = Field(default_factory=list, max_length=12)
    home_area: list[Place] = Field(default_factory=list, max_length=400)
    control: list[ControlIO] = Field(default_factory=list, max_length=500)
    receiver: str = Field(default="", max_length=120)
    correction: Literal["none", "base", "network"] = "none"
    base_m: float | None = Field(default=None, ge=0, le=1_000_000)
    structures: list[StructureIO] = Field(default_factory=list, max_length=20)
    sensitive: list[SensitiveIO] = Field(default_factory=list, max_length=60)
    datum: Place | None = None


class MixItemIO(In):
    """A product in a mix; without a rate of its own it has that of its label."""

    product_id: str = Field(max_length=36, pattern=r"^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$")
    rate_amount: float | None = None
    basis: Literal["ha", "100_l"] = "ha"


class MixIO(In):
    """What is sprayed on which crop, and how it is mixed."""

    crop: str = Field(default="", max_length=60)
    harvest_on: str = Field(default="", max_length=10, pattern=r"^(\d{4}-\d{2}-\d{2})?$")
    items: list[MixItemIO] = Field(default_factory=list, max_length=12)
    vessel: bool = False
    vessel_l: float = 100.0
    evened: bool = True
    lines_l: float = Field(default=0.0, ge=0, le=50)
    fill_s: float = Field(default=180.0, ge=0, le=7200)


class JobFigures(In):
    """Everything of a job that people enter; it may be incomplete."""

    name: str = Field(min_length=1, max_length=80)
    letter: str = Field(min_length=1, max_length=2, pattern=r"^[A-Z][A-Z0-9]?$")
    kind: KindName
    place: str = Field(max_length=80)
    areas: list[AreaIO] = Field(max_length=300)
    keep_outs: list[KeepOutIO] = Field(max_length=400)
    home: Place | None
    work: dict[str, float | str]
    lines: LinesIO
    sorties: SortiesIO
    wind: WindIO
    site: SiteIO = Field(default_factory=SiteIO)
    mix: MixIO = Field(default_factory=MixIO)
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
    areas_ha: list[float]


class JobMade(Schema):
    """A job by its name."""

    id: UUID
    name: str
    letter: str


class PlaceQuery(In):
    """Coordinates as a person writes them."""

    text: str = Field(min_length=1, max_length=120)


class ExportQuery(In):
    """What of a job goes out: one sortie or all; what is left of one from a waypoint, distance, place, time after take-off or flown log."""

    sortie: int | None = Field(default=None, ge=1)
    onward: bool = False
    waypoint: int | None = Field(default=None, ge=1)
    done_m: float | None = Field(default=None, ge=0, le=1e6)
    lon: float | None = Field(default=None, ge=-180, le=180)
    lat: float | None = Field(default=None, ge=-90, le=90)
    clock_s: float | None = Field(default=None, ge=0, le=86_400)
    flight_id: UUID | None = None


class FoundHoleOut(Schema):
    """A piece cut out of an area of a file."""

    ring: list[Place]
    crossing: Literal["never", "unworked"]
    margin_m: float
    name: str
    filled_by: int | None


class FoundAreaOut(Schema):
    """One area of a file, with what is put forward for it, how it lies to the others, and why it cannot be taken."""

    name: str
    ring: list[Place]
    holes: list[FoundHoleOut]
    area_ha: float
    use: Literal["area", "keep-out", "nothing"]
    inside: int | None
    fills_hole: bool
    touches: list[int]
    overlaps: list[int]
    problem: str
    problem_at: Place | None
    source: str
    bearing_deg: float | None
    rate_l_ha: float | None


class FoundLineOut(Schema):
    """A line of a file: a corridor with a width, or an area where its ends are joined."""

    name: str
    places: list[Place]
    length_m: float
    gap_m: float
    closed: bool
    width_m: float | None
    bearing_deg: float | None
    rate_l_ha: float | None


class FoundPointOut(Schema):
    """One point of a file; ``looks_like``: what its name says; still a person says what it is."""

    name: str
    at: Place
    looks_like: Literal["home", "landing", "obstacle", "other home", "nothing"]
    away_m: float
    own: bool
    radius_m: float | None
    top_m: float | None


class NoteOut(Schema):
    """Something found in a file or done to it, in words, and where it lies."""

    did: Literal["found", "left out", "closed", "repaired", "merged", "thinned", "converted", "cut"]
    words: str
    at: Place | None


class BoundaryOut(Schema):
    """What a dropped file holds, for choice; nothing of it is stored. ``home``: where home would stand, where no point is taken."""

    name: str
    areas: list[FoundAreaOut]
    lines: list[FoundLineOut]
    points: list[FoundPointOut]
    keep_outs: list[FoundHoleOut]
    notes: list[NoteOut]
    home: Place
    home_stays: bool
