"""Days and their plans. Times are seconds from the opening of the day."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field

from quarry.api.schemas.base import In


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


class MethodsIO(In):
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


class DayFigures(In):
    """Everything of a day that people enter; ``opens_at`` may be sent back as it came and changes nothing."""

    opens_at: str = Field(default="", max_length=40, exclude=True)
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
    methods: MethodsIO = Field(default_factory=MethodsIO)
    pins: list[PinIO] = Field(default_factory=list, max_length=60)
    supply_id: UUID | None
    more_supply_ids: list[UUID] = Field(default_factory=list, max_length=6)
    charger_ids: list[UUID] = Field(max_length=30)
    crew_ids: list[int] = Field(max_length=60)
    crews: list[Annotated[list[UUID], Field(max_length=20)]] = Field(default_factory=list, max_length=20)
    jobs: list[DayJobIO] = Field(max_length=40)
    packs: list[DayPackIO] = Field(max_length=120)


class DayStart(In):
    """A new day: its name and hours. What is left out begins as the company stands, with the serviceable packs that its jobs need."""

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
    methods: MethodsIO | None = None
    pins: list[PinIO] | None = Field(default=None, max_length=60)
    supply_id: UUID | None = None
    more_supply_ids: list[UUID] | None = Field(default=None, max_length=6)
    charger_ids: list[UUID] | None = Field(default=None, max_length=30)
    crew_ids: list[int] | None = Field(default=None, max_length=60)
    crews: list[Annotated[list[UUID], Field(max_length=20)]] | None = Field(default=None, max_length=20)
    jobs: list[DayJobIO] = Field(default_factory=list, max_length=40)
    packs: list[DayPackIO] | None = Field(default=None, max_length=120)


class DaySave(In):
    """A day as it stands on the screen, with the version it was based on."""

    version: int
    day: DayFigures


class DayCopy(In):
    """Where to copy a day to."""

    date: str
