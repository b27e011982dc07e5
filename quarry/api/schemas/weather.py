"""The weather: the service, readings, reports."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

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
    """A METAR as it was copied; empty text asks the weather service for the newest."""

    key: UUID | None = None
    lon: float = Field(ge=-180, le=180)
    lat: float = Field(ge=-90, le=90)
    text: str = Field(default="", max_length=700)


class WithdrawnIn(In):
    """Whether a reading is taken back."""

    withdrawn: bool
