"""What screens show of the weather: one frozen shape for each thing."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Literal
from uuid import UUID

ReadingKind = Literal["measured", "report", "entered"]


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingOut:
    """A reading."""

    id: UUID
    at: dt.datetime
    kind: ReadingKind
    figures: dict[str, float | bool]
    words: str
    who: str
    withdrawn: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class LayerOut:
    """A layer of cloud above the aerodrome."""

    amount: str
    base_m: float | None
    kind: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ReportTold:
    """What a report says beyond its figures, and what it lacks."""

    station: str
    lacks: list[str]
    unread: list[str]
    weather: str
    sky: list[LayerOut]
    qnh_hpa: float | None
    varies_deg: tuple[float, float] | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ReportOut:
    """A report that was kept."""

    reading: ReadingOut
    report: ReportTold


@dataclass(frozen=True, slots=True, kw_only=True)
class TableProblem:
    """What is wrong at a line and column of a table."""

    line: int
    column: str
    message: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingsTableOut:
    """How many readings were kept; with any problem none."""

    kept: int
    problems: list[TableProblem]


@dataclass(frozen=True, slots=True, kw_only=True)
class WeatherServiceOut:
    """How the weather service stands."""

    configured: bool
    source: str
    issued_at: dt.datetime | None
    fetched_at: dt.datetime | None
    age_s: float | None
    problem: str
    notes: list[str]
    hours: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanningAir:
    """Wind and air to plan a job with, at its flying height."""

    speed_m_s: float
    from_deg: float
    gust_m_s: float | None
    air_c: float | None
    density_kg_m3: float
    words: str
    origin: Literal["measured", "entered", "forecast", "computed"]
    at: dt.datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class HourWind:
    """Wind and air of an hour on one word, at flying height."""

    wind_m_s: float | None
    gust_m_s: float | None
    gust_assumed: bool
    from_deg: float | None
    air_c: float | None
    dew_point_c: float | None
    words: str
    age_s: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class SunOut:
    """The sun of the date, in minutes from 00:00 UTC; None where it does not cross that line."""

    dawn: float | None
    sunrise: float | None
    noon: float
    sunset: float | None
    dusk: float | None


@dataclass(frozen=True, slots=True)
class HourDrawn:
    """The wind and air of an hour as the weather window draws it: what was forecast and what was measured."""

    forecast: HourWind | None
    measured: list[HourWind]
