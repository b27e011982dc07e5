"""What is kept of the weather as JSON, typed: a forecast, and the figures of a reading with their ranges."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from pydantic import TypeAdapter

from quarry.apps.weather.models import Forecast, Reading
from quarry.core.base.shapes import plain


@dataclass(frozen=True, slots=True)
class Range:
    """Between what a figure can lie, what it is called, and its unit."""

    low: float
    high: float
    words: str
    unit: str


RANGES: dict[str, Range] = {
    "wind_m_s": Range(0.0, 60.0, "Mean wind", "m/s"),
    "gust_m_s": Range(0.0, 90.0, "Gust", "m/s"),
    "from_deg": Range(0.0, 360.0, "Wind from", "°"),
    "height_m": Range(0.5, 500.0, "Height of the reading", "m"),
    "air_c": Range(-60.0, 60.0, "Air temperature", "°C"),
    "dew_point_c": Range(-70.0, 40.0, "Dew point", "°C"),
    "pressure_hpa": Range(500.0, 1090.0, "Pressure", "hPa"),
    "rain_mm_h": Range(0.0, 300.0, "Rain", "mm/h"),
    "snow_mm_h": Range(0.0, 100.0, "Snow", "mm/h"),
    "visibility_m": Range(0.0, 100_000.0, "Visibility", "m"),
    "ceiling_m": Range(0.0, 20_000.0, "Cloud base", "m"),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class AirFigures:
    """What was read of the air; None was not read."""

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
    thunder: bool | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class ForecastLevel:
    """The wind at a height."""

    height_m: float
    wind_m_s: float
    from_deg: float
    gust_m_s: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ForecastHour:
    """An hour of a forecast."""

    at: dt.datetime
    thunder: bool
    air_c: float | None
    dew_point_c: float | None
    pressure_hpa: float | None
    rain_mm_h: float | None
    snow_mm_h: float | None
    cloud_base_m: float | None
    visibility_m: float | None
    levels: list[ForecastLevel]


@dataclass(frozen=True, slots=True, kw_only=True)
class ForecastData:
    """A forecast; ``notes`` on what was dropped of it."""

    issued_at: dt.datetime
    source: str
    hours: list[ForecastHour]
    notes: list[str] = field(default_factory=list)


_FIGURES = TypeAdapter(AirFigures)
_FORECAST = TypeAdapter(ForecastData)


def read_figures(figures: Mapping[str, float | bool]) -> AirFigures:
    """Return figures by their names, typed."""
    return _FIGURES.validate_python(dict(figures))


def figures_of(row: Reading) -> AirFigures:
    """Return the figures of a reading."""
    return _FIGURES.validate_python(row.figures)


def figures_json(figures: AirFigures) -> Any:
    """Return figures as they are kept: what was not read is left out."""
    return {k: v for k, v in plain(figures).items() if v is not None}


def forecast_of_row(row: Forecast | None) -> ForecastData | None:
    """Return the forecast that is kept; None where none ever came."""
    return _FORECAST.validate_python(row.data) if row is not None and row.data else None


def forecast_json(data: ForecastData) -> Any:
    """Return a forecast as it is kept."""
    return _FORECAST.dump_python(data, mode="json")
