"""A forecast as JSON, checked figure by figure: what cannot be is dropped and told, never taken.

Form: ``{"issued_at", "source", "hours": [{"at", "levels": [{"height_m", "wind_m_s", "from_deg", "gust_m_s"}], "air_c",
"dew_point_c", "pressure_hpa", "rain_mm_h", "snow_mm_h", "cloud_base_m", "visibility_m", "thunder"}]}``; times in UTC.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

from quarry.apps.weather.fields import ForecastData, ForecastHour, ForecastLevel

MOST_HOURS = 24 * 10
NO_CEILING_M = 6000.0
_MOST_LEVELS, _MOST_NOTES = 20, 20


class BadForecast(ValueError):
    """The service's answer cannot be used at all; the message says why."""


def read_forecast(data: bytes, now: datetime) -> ForecastData:
    """Return the forecast with ``notes`` on what was dropped.

    Raises
    ------
    BadForecast
        It is no forecast, it holds no usable hour, or it says it was made in the future.
    """
    try:
        document = json.loads(data, parse_constant=lambda _: None)
    except (ValueError, RecursionError) as bad:
        raise BadForecast("The weather service's answer is no JSON.") from bad
    raw_hours = document.get("hours") if isinstance(document, dict) else None
    if not isinstance(raw_hours, list):
        raise BadForecast("The weather service's answer holds no hours.")
    issued = _time(document.get("issued_at"))
    if issued is None:
        raise BadForecast("The weather service does not say when its forecast was made.")
    if issued > now + timedelta(minutes=10):
        raise BadForecast(f"The weather service says its forecast was made at {issued:%Y-%m-%d %H:%M} UTC, which lies ahead.")
    notes: list[str] = []
    hours: dict[datetime, ForecastHour] = {}
    for raw in raw_hours[:MOST_HOURS]:
        at = _time(raw.get("at")) if isinstance(raw, dict) else None
        if at is None:
            notes.append("an hour without a time was dropped")
            continue
        hours[at] = _hour(_Raw(raw, at, notes))
    usable = [hours[at] for at in sorted(hours) if hours[at].levels or hours[at].air_c is not None]
    if not usable:
        raise BadForecast("The weather service's answer holds no hour that can be used.")
    return ForecastData(issued_at=issued, source=str(document.get("source", ""))[:80], hours=usable, notes=notes[:_MOST_NOTES])


def _time(value: Any) -> datetime | None:
    try:
        found = datetime.fromisoformat(value)
    except (TypeError, ValueError):
        return None
    return found.replace(tzinfo=UTC) if found.tzinfo is None else found.astimezone(UTC)


@dataclass(frozen=True, slots=True)
class _Raw:
    """An hour, or a level of one, as it came; what cannot be is noted."""

    figures: Mapping[str, Any]
    at: datetime
    notes: list[str] = field(default_factory=list)

    def number(self, key: str, low: float, high: float) -> float | None:
        value = self.figures.get(key)
        if value is None:
            return None
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value) or not low <= value <= high:
            self.note(f"{key} {str(value)[:20]} cannot be; it was dropped")
            return None
        return float(value)

    def note(self, words: str) -> None:
        self.notes.append(f"{self.at:%H:%M}: {words}")


def _hour(raw: _Raw) -> ForecastHour:
    air_c, dew_point_c = raw.number("air_c", -60.0, 60.0), raw.number("dew_point_c", -70.0, 40.0)
    if air_c is not None and dew_point_c is not None and dew_point_c > air_c + 0.5:
        raw.note("the dew point lies above the air; it was dropped")
        dew_point_c = None
    cloud_base_m = raw.number("cloud_base_m", 0.0, 20_000.0)
    if cloud_base_m is None and raw.figures.get("cloud_base_m", 0) is None:
        cloud_base_m = NO_CEILING_M
    levels = raw.figures.get("levels")
    raw_levels = (
        [_Raw(x, raw.at, raw.notes) for x in levels[:_MOST_LEVELS] if isinstance(x, dict)] if isinstance(levels, list) else []
    )
    return ForecastHour(
        at=raw.at,
        thunder=bool(raw.figures.get("thunder")),
        air_c=air_c,
        dew_point_c=dew_point_c,
        pressure_hpa=raw.number("pressure_hpa", 500.0, 1090.0),
        rain_mm_h=raw.number("rain_mm_h", 0.0, 300.0),
        snow_mm_h=raw.number("snow_mm_h", 0.0, 100.0),
        cloud_base_m=cloud_base_m,
        visibility_m=raw.number("visibility_m", 0.0, 100_000.0),
        levels=[found for x in raw_levels if (found := _level(x)) is not None],
    )


def _level(raw: _Raw) -> ForecastLevel | None:
    height_m, wind_m_s = raw.number("height_m", 0.5, 2000.0), raw.number("wind_m_s", 0.0, 60.0)
    from_deg, gust_m_s = raw.number("from_deg", -360.0, 720.0), raw.number("gust_m_s", 0.0, 90.0)
    if height_m is None or wind_m_s is None or from_deg is None:
        return None
    if gust_m_s is not None and gust_m_s < wind_m_s - 0.05:
        raw.note("a gust below the mean was dropped")
        gust_m_s = None
    return ForecastLevel(height_m=height_m, wind_m_s=wind_m_s, from_deg=from_deg % 360.0, gust_m_s=gust_m_s)
