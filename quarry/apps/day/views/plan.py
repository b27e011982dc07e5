"""What lists and screens show of days: one frozen shape for each thing."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field

from quarry.apps.day.fields import JobEntry, PackEntry, Pause, PinFields
from quarry.apps.workings import WorkingOut
from quarry.core.dayplan.inputs import Methods
from quarry.core.dayplan.packing_list import PackingLine
from quarry.core.dayplan.supply import DaySupply
from quarry.core.rotation.model import Rotation
from quarry.core.spraying.kept_clear import WindStop

__all__ = ["PackingLine"]
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
    opens_at: str
    time_zone: str


@dataclass(frozen=True, slots=True)
class DayLines:
    """A page of days: the cursor of the next one, and how many there are in all."""

    items: list[DayLine]
    next: str | None
    total: int


StateName = Literal["flying", "cooling", "waiting", "charging", "resting", "ready", "grounded"]
PlanState = Literal["first", "queued", "searching", "best", "proven", "stopped", "old"]
CallKind = Literal["on_port", "off_port", "fit", "launch", "turn_back", "land", "refuel"]


@dataclass(frozen=True, slots=True)
class BedOut:
    """One state of a pack for a while; ``curve`` of its charge, ``c`` its temperature at begin and end."""

    state: StateName
    start_s: float
    end_s: float
    label: str
    curve: list[tuple[float, float]]
    c: tuple[float, float] | None
    happened: bool = False


@dataclass(frozen=True, slots=True)
class DayPackOut:
    """The day of one pack; ``short``: what it is called where there is little room."""

    id: str
    name: str
    set: str
    mates: str
    grounded: str
    beds: list[BedOut]
    why: str = ""
    short: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class DayFlightOut:
    """One sortie in the day."""

    flight: str
    aircraft: str
    set: str
    takeoff_s: float
    landing_s: float
    job: str
    letter: str
    number: int
    landing_frac: float
    happened: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedSortie(DayFlightOut):
    """One sortie of a kept plan, with what a running day goes by."""

    reserve_frac: float
    floor_v: float
    fixed_s: float
    settles_c: float


@dataclass(frozen=True, slots=True)
class DayAircraftOut:
    """An aircraft of the day."""

    id: str
    name: str
    model: str


@dataclass(frozen=True, slots=True)
class WaitOut:
    """An aircraft that stands ready and does not fly."""

    aircraft: str
    flight: str
    from_s: float
    to_s: float
    reason: Literal["pack", "window", "crew"]


@dataclass(frozen=True, slots=True)
class CallOut:
    """One instruction to the crew."""

    at_s: float
    kind: CallKind
    set: str
    member: str
    flight: str
    aircraft: str
    port: int


@dataclass(frozen=True, slots=True)
class DayProblem:
    """A job that could not be planned."""

    job_id: str
    name: str
    message: str
    field: str


@dataclass(frozen=True, slots=True)
class DayGateHour:
    """An hour of a job's gate, in seconds from the day's opening; ``unknown``: nothing is known of it."""

    start_s: float
    word: Literal["go", "care", "no"]
    unknown: bool
    reasons: list[str]
    gust_m_s: float | None
    wind_m_s: float | None
    from_deg: float | None


@dataclass(frozen=True, slots=True)
class DayGate:
    """What the limits of a job leave of the day, and the gust limit at its flying height.

    ``spots``: the fallback landing places with where they lie, as (name, longitude, latitude). ``stops``: the winds in which
    work near a sensitive place stops.
    """

    job_id: str
    letter: str
    name: str
    limit_m_s: float | None
    height_m: float
    hours: list[DayGateHour]
    fallbacks: list[str]
    spots: list[tuple[str, float, float]] = field(default_factory=list)
    stops: list[WindStop] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class RiskOut:
    """What the last landing waited for in this share of the late days."""

    what: str
    name: str
    share_frac: float


@dataclass(frozen=True, slots=True)
class ChanceOut:
    """How the last landing scatters over many days.

    ``learned_from``: flown days that tell how times scatter; ``promised``: those whose end was forecast, of which
    ``kept_half`` were down by the time of half and ``kept_nine`` by that of nine in ten.
    """

    p10_s: float
    p50_s: float
    p90_s: float
    by_time: list[tuple[float, float]]
    in_hours_frac: float
    days: int
    risks: list[RiskOut]
    learned_from: int = 0
    promised: int = 0
    kept_half: int = 0
    kept_nine: int = 0


@dataclass(frozen=True, slots=True)
class LeverOut:
    """One change to the day and when it would end; None if it could not be flown. ``most_s``: what it could save at most. [s]"""

    thing: str
    by: int
    words: str
    finish_s: float | None
    saves_s: float | None
    why_not: str
    most_s: float | None = None


@dataclass(frozen=True, slots=True)
class EnoughOut:
    """Sets and ports so that nobody waits, beside those of the day."""

    name: str
    sets_needed: int
    ports_needed: int
    sets: int
    ports: int


@dataclass(frozen=True, slots=True)
class GridOut:
    """Last landing by how many sets and ports; None where it cannot be flown."""

    name: str
    sets: list[int]
    ports: list[int]
    finish_s: list[list[float | None]]
    here: tuple[int, int]


@dataclass(frozen=True, slots=True, kw_only=True)
class PinOut:
    """Something that a person has fixed, in words; times are of the day's clock, as 10:00."""

    kind: Literal["set", "takeoff", "port", "charge", "supply"]
    flight: str = ""
    set: str = ""
    port: int = 0
    from_: Annotated[str, Field(alias="from")] = ""
    to: str = ""
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DayPlanBody:
    """The plan of a day. Times are seconds from its opening."""

    length_s: float
    windows: list[tuple[float, float]]
    finish_s: float
    plain_rule_s: float | None
    bound_s: float
    bound_reason: str
    proven: bool
    rule: str
    waits: list[WaitOut]
    flights: Sequence[DayFlightOut]
    aircraft: list[DayAircraftOut]
    packs: list[DayPackOut]
    load: list[tuple[float, float]]
    can_give_w: float | None
    calls: list[CallOut]
    problems: list[DayProblem]
    learnt: dict[str, str]
    gates: list[DayGate]
    cautions: list[str]
    pins: list[PinOut]
    pins_cost_s: float | None
    supply: DaySupply
    chance: ChanceOut | None
    levers: list[LeverOut] | None
    enough: list[EnoughOut]
    grid: GridOut | None
    worth_s: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanOfDay(DayPlanBody):
    """A plan as it is kept: with what a running day goes by, its schedule, and the working of each number."""

    flights: Sequence[PlannedSortie]
    rotation: Rotation
    workings: dict[str, WorkingOut]
    methods: dict[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class DayPlanOut(DayPlanBody):
    """A kept plan as screens get it: which one, how far the search for a better one is, and why it was made anew."""

    number: int
    state: PlanState
    progress: float
    why: list[str]


@dataclass(frozen=True, slots=True)
class VersionOut:
    """A kept plan: who made it when, why, and what has changed since."""

    number: int
    made_at: dt.datetime
    by: str
    why: list[str]
    state: str
    finish_s: float
    p90_s: float | None
    sorties: int
    waits_s: float
    stale: list[str]


@dataclass(frozen=True, slots=True)
class WeekDayOut:
    """A day of the week with what its newest plan flies; times are seconds from its opening."""

    id: UUID
    name: str
    date: str
    opens: str
    closes: str
    finish_s: float | None
    p90_s: float | None
    windows: list[tuple[float, float]]
    flights: list[tuple[float, float]]
    letters: list[str]
    opens_at: str
    time_zone: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DayOut:
    """A day as it is entered and shown; ``swap_s`` and the like as its columns hold them."""

    id: UUID
    version: int
    archived: bool
    running: RunWord
    name: str
    date: str
    time_zone: str
    opens: str
    closes: str
    opens_at: str
    pauses: list[Pause]
    swap_s: float
    rest_after_flight_s: float
    rest_after_charge_s: float
    elevation_m: float
    bench_c: float
    methods: Methods
    pins: list[PinFields]
    supply_id: UUID | None
    more_supply_ids: list[UUID]
    charger_ids: list[UUID]
    crew_ids: list[int]
    crews: tuple[tuple[str, ...], ...]
    jobs: list[JobEntry]
    packs: list[PackEntry]


@dataclass(frozen=True, slots=True)
class DayPlanProblem:
    """Why the day cannot be planned."""

    code: str
    detail: str
    field: str


@dataclass(frozen=True, slots=True)
class DayAnswer:
    """A day with its plan, or with what stands in the plan's way."""

    day: DayOut
    plan: DayPlanOut | None
    problem: DayPlanProblem | None
    job_problems: list[DayProblem]
