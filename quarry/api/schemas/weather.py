"""The weather: the desk, readings, reports."""

from __future__ import annotations

from datetime import datetime
from typing import Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from quarry.api.schemas.base import In


class AirFigures(In):
    """What was measured; what was not read stays empty."""

    wind_m_s: float | None = None
    gust_m_s: float | None = None
    from_deg: float | None = None
    height_m: float | None = None
    air_c: float | None = None
    dew_point_c: float | None = None
    pressure_hpa: float | None = None
    rain_mm_h: float | None = None
    snow_mm_h: float | None = None
    visibility_m: float | None = None
    ceiling_m: float | None = None
    thunder: bool = False


class ReadingIn(In):
    """A measurement on site, with a key made by its sender."""

    key: UUID | None = None
    lon: float = Field(ge=-180, le=180)
    lat: float = Field(ge=-90, le=90)
    at: datetime | None = None
    figures: AirFigures


class ReportIn(In):
    """A METAR as it was copied; empty text asks the weather desk for the newest."""

    key: UUID | None = None
    lon: float = Field(ge=-180, le=180)
    lat: float = Field(ge=-90, le=90)
    text: str = Field(default="", max_length=700)


class WithdrawnIn(In):
    """Whether a reading is taken back."""

    withdrawn: bool


class ReadingOut(Schema):
    """A reading."""

    id: UUID
    at: str
    kind: Literal["measured", "report", "entered"]
    figures: dict[str, float | bool]
    words: str
    who: str
    withdrawn: bool


class LayerOut(Schema):
    """A layer of cloud above the aerodrome."""

    amount: str
    base_m: float | None
    kind: str


class ReportTold(Schema):
    """What a report says beyond its figures, and what it lacks."""

    station: str
    lacks: list[str]
    unread: list[str]
    weather: str
    sky: list[LayerOut]
    qnh_hpa: float | None
    varies_deg: tuple[float, float] | None


class ReportOut(Schema):
    """A report that was kept."""

    reading: ReadingOut
    report: ReportTold


class TableProblem(Schema):
    """What is wrong at a line and column of a table."""

    line: int
    column: str
    message: str


class ReadingsTableOut(Schema):
    """How many readings were kept; with any problem none."""

    kept: int
    problems: list[TableProblem]


class DeskOut(Schema):
    """How the weather desk stands."""

    configured: bool
    source: str
    issued_at: str | None
    fetched_at: str | None
    age_s: float | None
    problem: str
    notes: list[str]
    hours: int


class PlanningAir(Schema):
    """Wind and air to plan a job with, at its flying height."""

    speed_m_s: float
    from_deg: float
    gust_m_s: float
    air_c: float | None
    density_kg_m3: float
    words: str
    origin: Literal["measured", "entered", "forecast", "computed"]
    at: str
