"""Days and their plans. Times are seconds from the opening of the day."""

from __future__ import annotations

from datetime import datetime
from typing import Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from quarry.api.schemas.base import In

StateName = Literal["flying", "cooling", "waiting", "charging", "resting", "ready", "grounded"]


class PauseIO(In):
    """A break: hours of the day in which nothing flies."""

    from_: str = Field(alias="from")
    to: str


class DayJobIO(In):
    """A job in a day; None takes an aircraft that fits."""

    job_id: UUID
    aircraft_id: UUID | None


class DayPackIO(In):
    """A pack in a day with its charge when the day opens."""

    pack_id: UUID
    start_frac: float


class SchoolsIO(In):
    """How a day is planned. ``packs``: only full packs fly, or charged to the need; ``rates``; ``aim``: soonest, or surest."""

    packs: Literal["full", "need"] = "full"
    rates: Literal["any", "gentle"] = "any"
    aim: Literal["finish", "sure"] = "finish"


class PinIO(In):
    """Something that a person has fixed; times are of the day's clock, as 10:00."""

    kind: Literal["set", "takeoff", "port", "charge", "supply"]
    flight: str = ""
    set: str = ""
    port: int = 0
    from_: str = Field(default="", alias="from")
    to: str = ""


class PinOut(PinIO):
    """Something fixed, in words."""

    words: str


class DayFigures(In):
    """Everything of a day that people enter."""

    name: str = Field(min_length=1, max_length=80)
    date: str
    time_zone: str
    opens: str
    closes: str
    pauses: list[PauseIO] = Field(max_length=12)
    swap_s: float
    rest_after_flight_s: float
    rest_after_charge_s: float
    elevation_m: float
    bench_c: float
    schools: SchoolsIO = Field(default_factory=SchoolsIO)
    pins: list[PinIO] = Field(default_factory=list, max_length=60)
    supply_id: UUID | None
    more_supply_ids: list[UUID] = Field(default_factory=list, max_length=6)
    charger_ids: list[UUID] = Field(max_length=30)
    crew_ids: list[int] = Field(max_length=60)
    jobs: list[DayJobIO] = Field(max_length=40)
    packs: list[DayPackIO] = Field(max_length=120)


class DayStart(In):
    """A new day: its name and hours. What is left out begins as the company stands, with its whole serviceable fleet."""

    name: str = Field(min_length=1, max_length=80)
    date: str
    time_zone: str
    opens: str
    closes: str
    pauses: list[PauseIO] | None = Field(default=None, max_length=12)
    swap_s: float | None = None
    rest_after_flight_s: float | None = None
    rest_after_charge_s: float | None = None
    elevation_m: float | None = None
    bench_c: float | None = None
    schools: SchoolsIO | None = None
    pins: list[PinIO] | None = Field(default=None, max_length=60)
    supply_id: UUID | None = None
    more_supply_ids: list[UUID] | None = Field(default=None, max_length=6)
    charger_ids: list[UUID] | None = Field(default=None, max_length=30)
    crew_ids: list[int] | None = Field(default=None, max_length=60)
    jobs: list[DayJobIO] = Field(default_factory=list, max_length=40)
    packs: list[DayPackIO] | None = Field(default=None, max_length=120)


class DaySave(In):
    """A day as it stands on the screen, with the version it was based on."""

    version: int
    day: DayFigures


class DayCopy(In):
    """Where to copy a day to."""

    date: str


class DayOut(DayFigures):
    """A day."""

    id: UUID
    version: int
    archived: bool
    running: Literal["", "running", "closed"]


class BedOut(Schema):
    """One state of a pack for a while."""

    state: StateName
    start_s: float
    end_s: float
    label: str
    curve: list[tuple[float, float]]
    c: tuple[float, float] | None
    happened: bool = False


class DayPackOut(Schema):
    """The day of one pack."""

    id: str
    name: str
    set: str
    mates: str
    grounded: str
    why: str = ""
    beds: list[BedOut]


class DayFlightOut(Schema):
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


class DayAircraftOut(Schema):
    """An aircraft of the day."""

    id: str
    name: str
    model: str


class WaitOut(Schema):
    """An aircraft that stands ready and does not fly."""

    aircraft: str
    flight: str
    from_s: float
    to_s: float
    reason: Literal["pack", "window"]


class CallOut(Schema):
    """One instruction to the crew."""

    at_s: float
    kind: Literal["on_port", "off_port", "fit", "launch", "turn_back", "land"]
    set: str
    member: str
    flight: str
    aircraft: str
    port: int


class DayProblem(Schema):
    """A job that could not be planned."""

    job_id: str
    name: str
    message: str
    field: str


class DayGateHour(Schema):
    """An hour of a job's gate, in seconds from the day's opening; ``unknown``: nothing is known of it."""

    start_s: float
    word: Literal["go", "care", "no"]
    unknown: bool
    reasons: list[str]
    gust_m_s: float | None
    wind_m_s: float | None
    from_deg: float | None


class DayGate(Schema):
    """What the limits of a job leave of the day, and the gust limit at its flying height."""

    job_id: UUID
    letter: str
    name: str
    limit_m_s: float | None
    height_m: float
    hours: list[DayGateHour]
    fallbacks: list[str]


class RiskOut(Schema):
    """What the last landing waited for in this share of the late days."""

    what: str
    name: str
    share_frac: float


class ChanceOut(Schema):
    """How the last landing scatters over many days."""

    p10_s: float
    p50_s: float
    p90_s: float
    by_time: list[tuple[float, float]]
    in_hours_frac: float
    days: int
    risks: list[RiskOut]


class LeverOut(Schema):
    """One change to the day and when it would end; None if it could not be flown."""

    thing: str
    by: int
    words: str
    finish_s: float | None
    saves_s: float | None
    why_not: str


class EnoughOut(Schema):
    """Sets and ports so that nobody waits, beside those of the day."""

    name: str
    sets_needed: int
    ports_needed: int
    sets: int
    ports: int


class GridOut(Schema):
    """Last landing by how many sets and ports; None where it cannot be flown."""

    name: str
    sets: list[int]
    ports: list[int]
    finish_s: list[list[float | None]]
    here: tuple[int, int]


class SupplyEachOut(Schema):
    """One supply of a day."""

    name: str
    can_give_w: float
    rated_w: float
    generator: bool
    fuel: str
    litres: float | None
    refuel_s: list[float]


class DaySupplyOut(Schema):
    """What the supplies give here and today, and which charger goes to which outlet."""

    each: list[SupplyEachOut]
    can_give_w: float | None
    air_c: float
    elevation_m: float
    outlet_of: dict[str, str]
    load_va: dict[str, float]
    left_out: list[str]
    outlets: int = 0
    outlets_needed: int | None = None


class VersionOut(Schema):
    """A kept plan: who made it when, why, and what has changed since."""

    number: int
    made_at: datetime
    by: str
    why: list[str]
    state: str
    finish_s: float
    p90_s: float | None
    sorties: int
    waits_s: float
    stale: list[str]


class WeekDayOut(Schema):
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


class PackingLine(Schema):
    """One thing to take."""

    group: str
    what: str
    why: str


class DayPlanOut(Schema):
    """The plan of a day."""

    number: int
    state: Literal["first", "queued", "searching", "best", "proven", "stopped", "old"]
    progress: float
    length_s: float
    windows: list[tuple[float, float]]
    finish_s: float
    plain_rule_s: float | None
    bound_s: float
    bound_reason: str
    proven: bool
    rule: str
    waits: list[WaitOut]
    flights: list[DayFlightOut]
    aircraft: list[DayAircraftOut]
    packs: list[DayPackOut]
    load: list[tuple[float, float]]
    can_give_w: float | None
    calls: list[CallOut]
    problems: list[DayProblem]
    learnt: dict[str, str] = {}
    gates: list[DayGate]
    cautions: list[str]
    why: list[str]
    pins: list[PinOut]
    pins_cost_s: float | None
    supply: DaySupplyOut
    chance: ChanceOut | None
    levers: list[LeverOut] | None
    enough: list[EnoughOut]
    grid: GridOut | None
    worth_s: float | None


class GhostOut(Schema):
    """A sortie as it was planned before the day."""

    flight: str
    aircraft: str
    set: str
    takeoff_s: float
    landing_s: float


class CourseOut(Schema):
    """A running day as it is drawn: what happened up to now, what is planned from now on, and the sorties as first planned."""

    now_s: float
    length_s: float
    windows: list[tuple[float, float]]
    finish_s: float
    flights: list[DayFlightOut]
    ghosts: list[GhostOut]
    waits: list[WaitOut]
    aircraft: list[DayAircraftOut]
    gates: list[DayGate]
    packs: list[DayPackOut]
    load: list[tuple[float, float]]
    can_give_w: float | None


class DayPlanProblem(Schema):
    """Why the day cannot be planned."""

    code: str
    detail: str
    field: str


class DayAnswer(Schema):
    """A day with its plan, or with what stands in the plan's way."""

    day: DayOut
    plan: DayPlanOut | None
    problem: DayPlanProblem | None
    job_problems: list[DayProblem]
