"""What lists and screens show of jobs: one frozen shape for each thing."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Literal
from uuid import UUID

from quarry.apps.jobs.fields import SensitiveFields
from quarry.apps.workings import WorkingOut
from quarry.core.flight.powers import Powers

Place = tuple[float, float]

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


@dataclass(frozen=True, slots=True)
class FigureOut:
    """A figure whose working can be asked for by its key."""

    key: str
    value: float


@dataclass(frozen=True, slots=True)
class LegOut:
    """A piece of a sortie in time, with the energy it takes; all pieces together are the sortie."""

    kind: Literal["take-off", "out", "line", "transit", "home", "landing"]
    start_s: float
    end_s: float
    line: int
    energy_wh: float = 0.0


@dataclass(frozen=True, slots=True)
class FallbackOut:
    """The fallback place that serves a sortie best; ``least_wh`` is left there above the floor at the worst point."""

    name: str
    least_wh: float
    always: bool


@dataclass(frozen=True, slots=True)
class Stopped:
    """Where the work of a sortie stopped: at a waypoint, after a distance, at a place, at a time after take-off, or as a track shows."""

    waypoint: int | None = None
    done_m: float | None = None
    place: Place | None = None
    clock_s: float | None = None
    track: tuple[Place, ...] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class LineOut:
    """How a line is flown in the wind of the plan, and what it gets where it is sprayed.

    ``part``: 0 over the ground, else the number of its pass; ``above_m`` the ground, None: as the job says; the camera ``tilt_deg`` off
    straight down, towards ``heading_deg`` or a place.
    """

    number: int
    track_deg: float
    length_m: float
    ground_m_s: float
    air_m_s: float
    power_w: float
    flow_l_min: float | None = None
    dose_l_ha: float | None = None
    litres: float | None = None
    part: int = 0
    above_m: float | None = None
    tilt_deg: float = 0.0
    heading_deg: float | None = None
    toward: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class PassOut:
    """A further pass of a mapping job: what it takes and what its pictures show; ``beyond_m``: how far its lines reach beyond the area."""

    part: int
    name: str
    lines_count: int
    on_line_m: float
    ground_sample_m: float
    trigger_m: float
    interval_s: float
    blur_px: float
    pictures_count: int
    tilt_deg: float
    low_m: float
    high_m: float
    beyond_m: float


@dataclass(frozen=True, slots=True)
class KeptOut:
    """What a spraying job keeps clear of a sensitive place in the wind that it is planned for, and why; polygons in degrees."""

    name: str
    why: str
    area_ha: float
    ground: list[list[list[Place]]]


@dataclass(frozen=True, slots=True)
class DoseStrip:
    """A strip of a spraying plan: its sortie and line, its ground, and what it gets."""

    sortie: str
    line: int
    ring: list[Place]
    dose_l_ha: float
    flow_l_min: float
    litres: float
    ground_m_s: float


@dataclass(frozen=True, slots=True)
class SensitiveNear:
    """A sensitive place that another job near this one knows."""

    name: str
    job: str
    distance_m: float
    place: SensitiveFields


@dataclass(frozen=True, slots=True, kw_only=True)
class SortieOut:
    """One sortie; places in degrees, distances along its path.

    ``tank``: how its load is sprayed, where nozzles open and shut on each line: time [s], litres left, flow [L/min].
    """

    number: int
    path: list[Place]
    worked: list[tuple[Place, Place]]
    entry: Place
    leave: Place
    turn_back_at: Place
    lines: list[int]
    time_s: float
    energy_wh: float
    energy_frac: float
    landing_frac: float
    spare_s: float
    turns_home_s: float
    turn_back_s: float
    home_s: float
    worked_m: float
    bound_by: Literal["energy", "tank", "crew", "end"]
    legs: list[LegOut]
    ribbon: list[tuple[float, float, float]]
    set: str
    usable_wh: float
    fallback: FallbackOut | None
    profile: list[tuple[float, float, float]]
    bends: list[tuple[float, float, float]] = field(default_factory=list)
    litres: float | None = None
    tank: list[tuple[float, float, float]] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class PlanPack:
    """The pack planned for."""

    name: str
    rated_wh: float
    assumed: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class SetUsable:
    """What a set can give today, and what bounds it."""

    name: str
    usable_wh: float
    usable_s: float
    energy_wh: float
    cold_frac: float
    bound_by: Literal["reserve", "floor", "dip", "halved"]
    method: Literal["model", "halve"]
    dip_v: float
    dip_s: float
    floor_v: float
    settles_c: float


@dataclass(frozen=True, slots=True)
class SpeedCurve:
    """Seconds of the planned set by airspeed; no points where power is taken as constant."""

    points: list[tuple[float, float]]
    longest_m_s: float | None
    farthest_m_s: float | None
    flat: bool


@dataclass(frozen=True, slots=True)
class PlanAir:
    """The air that was planned with."""

    density_kg_m3: float
    air_c: float
    wind_m_s: float
    from_deg: float


@dataclass(frozen=True, slots=True)
class PlanCheck:
    """Something that stops people, found by the plan."""

    key: str
    words: str
    verdict: Literal["no", "care"]


@dataclass(frozen=True, slots=True, kw_only=True)
class JobPlanOut:
    """The plan of a job; ``laid_as``: the pattern of a search in words, empty where lines lie side by side."""

    area_ha: float
    figures: list[FigureOut]
    bearing_deg: float
    along_bend: bool
    laid_as: str
    own_directions: bool
    uncovered_frac: float
    directions: list[tuple[float, float]]
    pack: PlanPack
    usable_s: float
    reserve_frac: float
    floor_frac: float
    total_s: float
    farthest_m: float
    sorties: list[SortieOut]
    usable: list[SetUsable]
    learnt: dict[str, str]
    sets_out: dict[str, str]
    cut_for: Literal["weakest", "each"]
    warm_up_s: float
    powers: Powers
    speed_curve: SpeedCurve
    air: PlanAir
    radius_m: float
    return_m: float
    return_needed_m: float
    return_decides: str
    highest_m: float
    beyond_m: float
    terrain: bool
    checks: list[PlanCheck]
    lines: list[LineOut] = field(default_factory=list)
    passes: list[PassOut] = field(default_factory=list)
    kept: list[KeptOut] = field(default_factory=list)
    rings: list[tuple[float, float]] = field(default_factory=list)
    cold_rings: list[tuple[float, float]] = field(default_factory=list)

    def figure(self, key: str) -> float | None:
        """Return a figure by its key; None where this kind of work has none such."""
        return next((f.value for f in self.figures if f.key == key), None)


@dataclass(frozen=True, slots=True, kw_only=True)
class JobPlan(JobPlanOut):
    """A plan as it is kept: with the working of each number by its key."""

    workings: dict[str, WorkingOut]


@dataclass(frozen=True, slots=True, kw_only=True)
class OverlapOut:
    """Overlap over relief: shares of the field that get what is wanted, or within ten points of it; the worst of it; where it falls short.

    ``near``: short by ten points at the most, ``far``: by more; polygons in degrees, outer ring first. ``known_frac``: of the field
    that the terrain grid tells of.
    """

    wanted_frac: float
    short_frac: float
    least_side_frac: float
    least_forward_frac: float
    worst_sample_m: float
    least_height_m: float
    most_height_m: float
    known_frac: float
    near: list[list[list[Place]]]
    far: list[list[list[Place]]]
    workings: dict[str, WorkingOut] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ControlOut:
    """What control points come to. ``plan_m`` and ``height_m``: the accuracy to expect, from and to, and what it ``rests_on``.

    ``stated_count``: check points that a statement of accuracy needs.
    """

    control_count: int
    check_count: int
    farthest_m: float | None
    walk_m: float
    plan_m: list[float]
    height_m: list[float]
    outside: list[str]
    stated_count: int
    rests_on: str = ""
    working: WorkingOut | None = None


@dataclass(frozen=True, slots=True)
class LightOut:
    """While the sun stands high enough for pictures on a date; ``shadow``: times its own height that a thing casts then at the most."""

    least_deg: float
    highest_deg: float
    from_at: datetime | None
    to_at: datetime | None
    shadow: float


@dataclass(frozen=True, slots=True)
class ControlPointOut:
    """A proposed or imported control point."""

    at: Place
    name: str
    check: bool
    height_m: float | None
    why: str


@dataclass(frozen=True, slots=True)
class RemedyOut:
    """A way to hold the wanted overlaps everywhere, planned in full; or why it cannot be (``problem``)."""

    words: str
    problem: str
    work: dict[str, float] = field(default_factory=dict)
    wanted_frac: float = 0.0
    least_side_frac: float = 0.0
    least_forward_frac: float = 0.0
    worst_sample_m: float = 0.0
    total_s: float = 0.0
    sorties_count: int = 0
    lines_count: int = 0
    pictures_count: int = 0
    raised: bool = False


@dataclass(frozen=True, slots=True)
class HomeOut:
    """A home with what the job takes from there."""

    name: str
    at: Place
    sorties: int | None
    total_s: float | None
    why_not: str


@dataclass(frozen=True, slots=True)
class HomesOut:
    """Homes compared; ``permitted`` tells whether an area was drawn in which home may lie."""

    homes: list[HomeOut]
    permitted: bool


@dataclass(frozen=True, slots=True)
class PlaceRead:
    """A place read from what a person wrote, and as what it was read."""

    at: Place
    form: str


@dataclass(frozen=True, slots=True)
class TerrainLine:
    """A terrain grid: where it lies."""

    id: UUID
    name: str
    bounds: tuple[float, float, float, float]
    simulated: bool
    drawing: str  # names its drawing: the same name is always the same drawing


@dataclass(frozen=True, slots=True)
class ContourOut:
    """All lines of one height.

    Each is its first point, counted from the south-western corner, and then steps: x and y by turns in ``quantum_deg``.
    """

    height_m: float
    lines: list[list[int]]


@dataclass(frozen=True, slots=True)
class TerrainOut:
    """What a map draws of a terrain; ``shade`` is base64, one byte a cell, rows from the north."""

    bounds: tuple[float, float, float, float]
    columns: int
    rows: int
    shade: str
    quantum_deg: float
    contours: list[ContourOut]


@dataclass(frozen=True, slots=True)
class PlanProblem:
    """Why there is no plan, and at which field."""

    code: str
    detail: str
    field: str
